"""The heaviest processes of a field capture: as texts by hand, and as the script follows them on this kernel."""

import json
import os
import subprocess
import sys

import numpy as np
import pytest

from builders import a_finding
from reditus.core.diagnosis.contributors import contributors_to
from reditus.core.processes import processes_at
from reditus.core.types import NS_PER_S
from reditus.exchange import field_script, read_capture

BEGIN_NS = 1_794_474_000 * NS_PER_S


def machine(at_s, *, user):
    cpu = f"{user} 0 0 {200 * at_s - user} 0 0 0 0 0 0"
    lines = f"cpu  {cpu}\ncpu0 {cpu}\nctxt 5\nbtime 1794000000\nprocs_running 2\n"
    return f"@ {BEGIN_NS + at_s * NS_PER_S} /proc/stat\n{lines}"


def process(at_s, pid, *, user, name="worker", start=77, rss=100, written=None):
    numbers = [1, *([0] * 9), user, 0, 0, 0, 20, 0, 3, 0, start, 0, rss, *([0] * 14), 1, 0, 0, 0]
    text = f"@ {BEGIN_NS + at_s * NS_PER_S} /proc/{pid}/stat\n{pid} ({name}) S {' '.join(map(str, numbers))}\n"
    if written is not None:
        text += f"@ {BEGIN_NS + at_s * NS_PER_S} /proc/{pid}/io\nrchar: 5\nread_bytes: 0\nwrite_bytes: {written}\n"
    return text


@pytest.fixture
def read(tmp_path):
    def read(*sections):
        path = tmp_path / "capture.txt"
        path.write_text("# field capture 1 host=field-01\n" + "".join(sections))
        return read_capture(path)

    return read


def heaviest(capture, at_s):
    found = processes_at(capture.recording.frame(), BEGIN_NS + at_s * NS_PER_S)
    return {item.pid: item.usage for item in found.heaviest}


def test_amounts_are_those_of_the_tick_and_sums_are_the_machine_s(read):
    sections = [
        part
        for at_s in range(1, 8)
        for part in (
            process(at_s, 41, user=1_000 + 60 * at_s, written=4_096 * at_s),
            process(at_s, 42, user=20 * at_s, name="other"),
            machine(at_s, user=100 * at_s),
        )
    ]
    capture = read(*sections)
    assert {item.name for item in capture.recording.identities} == {"worker", "other"}
    usage = heaviest(capture, 5)
    assert usage[41].cpu_cores == pytest.approx(0.6)
    assert usage[41].write_bytes_per_s == pytest.approx(4_096)
    assert (usage[41].memory_bytes, usage[41].threads) == (409_600, 3)
    finding = a_finding("cpu.saturated", BEGIN_NS + NS_PER_S, BEGIN_NS + 7 * NS_PER_S)
    answer = contributors_to(capture.recording.frame(), finding)
    assert [(item.pid, round(item.share, 2)) for item in answer.processes] == [(41, 0.6), (42, 0.2)]
    assert answer.recorded == pytest.approx(0.8)


def test_one_that_is_followed_later_counts_from_then_on(read):
    sections = [machine(at_s, user=100 * at_s) for at_s in range(1, 8)]
    sections += [process(at_s, 42, user=at_s) for at_s in range(1, 8)]
    sections += [process(at_s, 41, user=90_000 + 10 * at_s) for at_s in (4, 5, 6)]
    capture = read(*sections)
    assert heaviest(capture, 4)[41].cpu_cores == 0.0
    assert heaviest(capture, 5)[41].cpu_cores == pytest.approx(0.1)


def test_a_number_given_again_is_another_process(read):
    sections = [machine(at_s, user=100 * at_s) for at_s in range(1, 6)]
    sections += [process(at_s, 41, user=5_000, start=70, name="old") for at_s in (1, 2)]
    sections += [process(at_s, 41, user=10 * at_s, start=900, name="new") for at_s in (3, 4, 5)]
    capture = read(*sections)
    assert {(item.start, item.name) for item in capture.recording.identities} == {(70, "old"), (900, "new")}
    assert heaviest(capture, 4)[41].cpu_cores == pytest.approx(0.1)


@pytest.mark.parametrize(
    "text",
    [
        "41 (worker",
        "41 (worker) S 1 2 3",
        "99 (another) S " + " ".join(["0"] * 49),
        "41 (worker) S " + " ".join(["9" * 30] * 49),
        "41 (worker) S " + " ".join(["9" * 20] * 49),
        "41 (worker) S " + " ".join(["-1"] * 49),
        "",
    ],
    ids=["cut off", "too short", "another", "huge", "beyond 64 bits", "negative", "empty"],
)
def test_what_is_no_stat_is_left_out(read, text):
    sections = [machine(at_s, user=100 * at_s) for at_s in range(1, 4)]
    capture = read(*sections, f"@ {BEGIN_NS + NS_PER_S} /proc/41/stat\n{text}\n", process(2, 42, user=5))
    assert [item.pid for item in capture.recording.identities] == [42]


def test_a_name_cannot_pretend_to_be_numbers(read):
    sections = [machine(at_s, user=100 * at_s) for at_s in range(1, 4)]
    sections += [process(at_s, 41, user=10 * at_s, name="a) R 1 (b\u001b[31m") for at_s in (1, 2, 3)]
    capture = read(*sections)
    (only,) = capture.recording.identities
    assert only.name == "a) R 1 (b\N{REPLACEMENT CHARACTER}[31m"
    assert heaviest(capture, 3)[41].cpu_cores == pytest.approx(0.1)


def test_the_script_follows_who_is_at_work(tmp_path):
    """Real: a program that spins is the heaviest, by its name, within a few ticks."""
    script = tmp_path / "field.sh"
    script.write_text(field_script())
    spinning = subprocess.Popen([sys.executable, "-c", "while True: pass"])
    try:
        done = subprocess.run(["sh", str(script), "0.5", "8"], capture_output=True, timeout=90, check=True)
    finally:
        spinning.kill()
        spinning.wait()
    assert done.stderr == b""
    path = tmp_path / "capture.txt"
    path.write_bytes(done.stdout)
    recording = read_capture(path).recording
    names = {item.pid: item.name for item in recording.identities}
    assert names[spinning.pid].startswith("python")
    window = recording.window()
    answer = contributors_to(recording.frame(), a_finding("cpu.saturated", window.start_ns, window.end_ns))
    assert spinning.pid in [item.pid for item in answer.processes]
    assert 0 < answer.recorded <= 1
    assert os.getpid() != spinning.pid


def test_captures_name_their_processes_on_the_command_line(tmp_path):
    sections = [
        part for at_s in range(1, 90) for part in (process(at_s, 41, user=95 * at_s), machine(at_s, user=190 * at_s))
    ]
    path = tmp_path / "busy.txt"
    path.write_text("# field capture 1 host=field-01\n" + "".join(sections))
    done = subprocess.run(
        [sys.executable, "-m", "reditus.cli", "diagnose", str(path), "--json"],
        capture_output=True,
        text=True,
        check=True,
    )
    found = json.loads(done.stdout)["findings"]
    assert all(item["recorded_share"] is not None for item in found if item["kind"].startswith("cpu."))
    assert np.isfinite([item["severity"] for item in found]).all()
