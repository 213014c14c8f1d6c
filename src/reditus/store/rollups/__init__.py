"""Rollups as they are stored. `reditus.analysis.rollups` derives them."""
