"""Reditus: record a machine's counters, replay them, and be told what ran out."""

__version__ = "0.1.0"
