"""Measures in notebooks and programs, as Arrow, NumPy, pandas or polars.

import reditus
reads = reditus.connect().host("vault").window("2026-11-13T01:00Z", "8h").measures("disk.read.wait@*")
reads.arrow(); reads.numpy(); reads.pandas(); reads.polars()
"""

from reditus.client.connection import Connection
from reditus.client.errors import ClientError
from reditus.client.timeline import DamageWarning, Measures, Timeline

__all__ = ["ClientError", "Connection", "DamageWarning", "Measures", "Timeline"]
