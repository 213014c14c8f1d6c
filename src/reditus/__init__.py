"""Reditus: record a machine's counters, replay them, and be reported what ran out."""

__version__ = "0.1.0"
