"""Measures in notebooks and programs, as Arrow, NumPy, pandas or polars.

import reditus
reads = reditus.connect().host("vault").window("2026-11-13T01:00Z", "8h").measures("disk.read.wait@*")
reads.arrow(); reads.numpy(); reads.pandas(); reads.polars()
"""

from reditus.client.connection import ClientError, Connection
from reditus.client.timeline import Measures, Timeline

__all__ = ["ClientError", "Connection", "Measures", "Timeline"]
