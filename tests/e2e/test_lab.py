"""A few short bottlenecks made on this very kernel, captured by the field script, and named. The others:
benchmarks.lab.
"""

import json
import os

import pytest

from benchmarks.lab.judging import judge_capture
from benchmarks.lab.packing import record_packed
from benchmarks.lab.scenarios import SCENARIOS
from benchmarks.lab.tools import GROUPS

pytestmark = pytest.mark.alone
QUIET_S, LOUD_S = 8, 22
BY_NAME = {item.name: item for item in SCENARIOS}


@pytest.mark.parametrize(("name", "controller"), [("cpu-quota", "cpu"), ("oom-kill", "memory")])
def test_what_was_made_is_what_is_found(name, controller, tmp_path):
    if os.geteuid() or not (GROUPS / controller / "cgroup.procs").exists():
        pytest.skip(f"needs the superuser and a {controller} controller of control groups, version 1")
    record_packed(BY_NAME[name], tmp_path, quiet_s=QUIET_S, loud_s=LOUD_S)
    label = json.loads((tmp_path / f"{name}.json").read_text())
    verdict = judge_capture(label, tmp_path / f"{name}.txt.zst")
    # Where this machine is a guest, its host may take cores away meanwhile, and that is rightly given too.
    assert verdict.right or "cpu.steal" in verdict.answer, verdict.answer
    assert BY_NAME[name].kinds[0] in verdict.answer
