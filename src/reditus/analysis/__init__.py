"""Questions about recordings, answered without HTTP: series, strain, moments, processes, diagnosis, and upkeep.

The server, the command line and whatever reports or exports call the same functions.
"""
