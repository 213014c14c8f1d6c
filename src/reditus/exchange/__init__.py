"""Open formats in and out."""

from reditus.exchange.errors import CaptureError
from reditus.exchange.field_capture import FieldCapture, Remark, read_capture
from reditus.exchange.field_script import field_script
from reditus.exchange.recording import Recording

__all__ = ["CaptureError", "FieldCapture", "Recording", "Remark", "field_script", "read_capture"]
