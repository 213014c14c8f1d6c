"""Real bottlenecks on this machine: made with general load makers, captured by the field script, and judged.

What makes and records them (tools, loads, scenarios, recording) stands on the standard library alone: it also runs in
`emulated`, where there is nothing else.
"""
