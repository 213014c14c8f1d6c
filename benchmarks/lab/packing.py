"""Captures as they are kept: packed."""

from pathlib import Path

import zstandard

from benchmarks.lab.recording import LOUD_S, QUIET_S, record
from benchmarks.lab.scenarios import Scenario
from reditus.exchange import field_script

LEVEL = 9


def write_field_script(folder: Path) -> Path:
    """The project's field script, in a folder."""
    path = folder / "field-script.sh"
    path.write_text(field_script())
    return path


def pack(capture: Path) -> Path:
    """A capture, packed; what was there goes."""
    packed = capture.with_name(capture.name + ".zst")
    packed.write_bytes(zstandard.ZstdCompressor(LEVEL).compress(capture.read_bytes()))
    capture.unlink()
    return packed


def record_packed(
    scenario: Scenario, folder: Path, name: str = "", quiet_s: float = QUIET_S, loud_s: float = LOUD_S
) -> None:
    """Record a scenario as NAME.txt.zst, with its label NAME.json beside it."""
    record(scenario, folder, write_field_script(folder), name, quiet_s, loud_s)
    pack(folder / f"{name or scenario.name}.txt")
