"""Field captures on the command line."""

from pathlib import Path

from reditus.cli.console import Failure, err
from reditus.exchange import CaptureError, FieldCapture, read_capture


def capture_of(file: Path, name: str | None) -> FieldCapture:
    """Read a capture, and say on stderr what could not be used of it. Raise Failure."""
    try:
        capture = read_capture(file, name=name)
    except OSError as why:
        raise Failure(f"{file} cannot be read: {why.strerror}") from why
    except CaptureError as why:
        raise Failure(str(why)) from why
    for remark in capture.remarks:
        err.print(f"{file}:{remark.line}: {remark.text}", markup=False)
    if capture.more_remarks:
        err.print(f"{file}: and {capture.more_remarks} more", markup=False)
    return capture
