"""Real bottlenecks on this machine: made with general load makers, captured by the field script, and judged."""

from benchmarks.lab.judging import judge_capture
from benchmarks.lab.recording import record
from benchmarks.lab.scenarios import SCENARIOS
from benchmarks.lab.tools import GROUPS

__all__ = ["GROUPS", "SCENARIOS", "judge_capture", "record"]
