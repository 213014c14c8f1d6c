"""Slow change over days, weeks and months: rhythms taken out, trends, changes of level, and time left."""
