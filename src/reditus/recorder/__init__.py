"""The recorder: samples this machine's counters on a fixed schedule, spools them, and sends them to the server.

Standard library, NumPy and zstandard only, so that it stays small on the host it watches.
"""
