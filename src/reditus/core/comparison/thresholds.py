"""From which value on a rule takes a measure for trouble, where a single number says it."""

from reditus.core.diagnosis.parameters import Parameters

_RULES = Parameters()
_ENTER = {
    "stall.cpu.some": _RULES.cpu_stall_enter,
    "stall.memory.some": _RULES.memory_stall_enter,
    "stall.io.some": _RULES.io_stall_enter,
    "cpu.hottest": _RULES.one_core_enter,
    "disk.busy": _RULES.disk_busy_enter,
}


def threshold_of(measure: str) -> float | None:
    """In the measure's own unit; None where rules hold it against its own normal, or against several others."""
    return _ENTER.get(measure)
