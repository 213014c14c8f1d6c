"""The heart: counters, blocks, frames, measures, diagnosis. NumPy in, NumPy out; no clock, file, network or web."""
