"""Measures over time as tables in open formats."""
