"""Field captures: the same counters as recorded, and whatever is broken is reported by line."""

import gzip
import re
import shutil
import subprocess

import numpy as np
import pytest
import zstandard
from hypothesis import given
from hypothesis import strategies as st

from reditus.core.blocks import read_blocks
from reditus.core.diagnosis import diagnose
from reditus.core.measures import measure_named
from reditus.core.processes import GROUP
from reditus.core.types import NS_PER_S
from reditus.exchange import CaptureError, field_script, read_capture
from reditus.recorder.sampler import Sampler

BEGIN_NS = 1_794_474_000 * NS_PER_S
STAT = (
    "cpu  {user} 0 0 {idle} 0 0 0 0 0 0\ncpu0 {user} 0 0 {idle} 0 0 0 0 0 0\nctxt {ctxt}\nbtime {btime}\n"
    "procs_running 2\n"
)


def stat(at_s, *, btime=1_794_000_000, step_ns=0, ctxt=None):
    text = STAT.format(user=at_s * 30, idle=at_s * 70, ctxt=at_s * 500 if ctxt is None else ctxt, btime=btime)
    return f"@ {BEGIN_NS + at_s * NS_PER_S + step_ns} /proc/stat\n{text}"


def load(at_s):
    return f"@ {BEGIN_NS + at_s * NS_PER_S + 40_000_000} /proc/loadavg\n0.{at_s:02d} 0.10 0.10 1/99 1\n"


def a_capture(*sections, host="field-01"):
    return f"# field capture 1 host={host}\n" + "".join(sections)


@pytest.fixture
def read(tmp_path):
    def read(content, name="capture.txt"):
        path = tmp_path / name
        path.write_bytes(content.encode() if isinstance(content, str) else content)
        return read_capture(path)

    return read


def switches(capture):
    sampled = measure_named("cpu.switches").derive(capture.recording.frame(), None)
    return [None if np.isnan(value) else round(float(value), 3) for value in sampled.values]


GOOD = a_capture(*(part(at_s) for at_s in range(1, 5) for part in (stat, load)))


def test_a_capture_becomes_a_recording(read):
    capture = read(GOOD)
    recording = capture.recording
    assert (recording.host_name, recording.name, recording.source, recording.ticks) == (
        "field-01",
        "capture",
        "imported",
        4,
    )
    assert capture.remarks == []
    assert switches(capture) == [None, 500, 500, 500]
    assert round(measure_named("cpu.busy").derive(recording.frame(), None).values[-1], 3) == 0.3
    assert recording.facts.cores == 1


@pytest.mark.parametrize("pack", [gzip.compress, zstandard.ZstdCompressor().compress], ids=["gzip", "zstd"])
def test_packed_captures_are_read_as_they_are(read, pack):
    assert switches(read(pack(GOOD.encode()), "capture.txt.packed")) == [None, 500, 500, 500]


def test_rates_use_each_files_own_time(read):
    """The second reading of /proc/stat came half a second late: its rate is over 1.5 s."""
    capture = read(a_capture(stat(1), stat(2, step_ns=NS_PER_S // 2, ctxt=1250), stat(3, ctxt=1500)))
    assert switches(capture) == [None, 500, 500]


def test_the_same_file_is_the_same_archive(read):
    assert read(GOOD).recording.archive == read(GOOD, "other.txt").recording.archive
    assert read(GOOD).recording.archive != read(GOOD + stat(9), "third.txt").recording.archive


def test_the_host_is_the_files_name_where_nothing_reports_it(read):
    assert read(GOOD.split("\n", 1)[1], "thursday.txt").recording.host_name == "thursday"


def test_blocks_of_a_capture_hold_what_was_read(read):
    recording = read(GOOD).recording
    schemas = {schema.digest: schema for schema in recording.schemas()}
    batch = b"".join(block.to_bytes() for block in recording.blocks())
    ticks = {schemas[block.schema].group: block.ticks for block in read_blocks(batch)}
    assert ticks == {"cpu": 4, "load": 4}


def test_what_could_not_be_read_is_reported_with_its_line(read):
    capture = read(a_capture(stat(1), f"@ {BEGIN_NS} /proc/schedstat !ENOENT\n", stat(2)))
    assert [(remark.line, "/proc/schedstat" in remark.text) for remark in capture.remarks] == [(8, True)]
    assert switches(capture) == [None, 500]


def test_a_capture_cut_off_loses_its_last_reading_only(read):
    capture = read(GOOD[:-200] + "\n" + stat(5)[:-9])
    assert switches(capture)[:3] == [None, 500, 500]
    assert any("ends in the middle of /proc/stat" in remark.text for remark in capture.remarks)


def test_a_packed_capture_cut_off_gives_what_can_be_unpacked(read):
    long = a_capture(*(stat(at_s) for at_s in range(1, 3000)))
    capture = read(gzip.compress(long.encode())[:-4000], "capture.gz")
    assert len(switches(capture)) > 500
    assert any("damaged or cut off" in remark.text for remark in capture.remarks)


def test_readings_out_of_order_are_put_in_order(read):
    capture = read(a_capture(stat(3), stat(1), load(1), stat(2), load(2)))
    assert switches(capture) == [None, 500, 500]
    assert any("out of order" in remark.text for remark in capture.remarks)


def test_two_captures_in_one_file_are_read_together(read):
    assert switches(read(GOOD + a_capture(*(stat(at_s) for at_s in range(5, 8))))) == [None] + [500] * 6


def test_a_reading_repeated_counts_once(read):
    capture = read(a_capture(stat(1), stat(2), stat(2), stat(3)))
    assert switches(capture) == [None, 500, 500]
    assert any("twice" in remark.text for remark in capture.remarks)


def test_no_rate_is_taken_across_a_restart(read):
    capture = read(
        a_capture(stat(1), stat(2), stat(3, btime=1_794_474_002, ctxt=10), stat(4, btime=1_794_474_002, ctxt=60))
    )
    assert switches(capture) == [None, 500, None, 50]
    assert any("restarted" in remark.text for remark in capture.remarks)


@pytest.mark.parametrize(
    "junk",
    ["@ soon /proc/stat\n", "@ 12 /proc/stat\ncpu 1\n", "@\n", "@ @ @\n", f"@ {10**19} /proc/stat\nx\n",
     f"@ {BEGIN_NS + 1} /proc/stat\n\n", f"@ {BEGIN_NS + 1} /proc/stat\ncpu\n", "\0\0\0\n", "# field capture 99\n"],
)  # fmt: skip
def test_junk_in_between_is_left_out_and_reported(read, junk):
    capture = read(a_capture(stat(1), stat(2)) + junk + stat(3) + stat(4))
    assert [value for value in switches(capture) if value is not None] == [500] * 3
    if junk.startswith(("@", "#")):
        assert capture.remarks


@pytest.mark.parametrize(
    "content", ["", "hello\n", "\x1f\x8b", "# field capture 1 host=a\n", f"@ {BEGIN_NS} /etc/passwd\nroot\n"]
)
def test_what_is_no_capture_says_what_one_is(read, content):
    with pytest.raises(CaptureError, match="field-script"):
        read(content)


@given(st.data())
def test_no_damage_makes_it_raise(tmp_path_factory, data):
    raw = bytearray(GOOD.encode())
    for _ in range(data.draw(st.integers(1, 12))):
        at = data.draw(st.integers(0, len(raw) - 1))
        action = data.draw(st.sampled_from(["flip", "cut", "insert"]))
        if action == "flip":
            raw[at] = data.draw(st.integers(0, 255))
        elif action == "cut":
            del raw[at : at + data.draw(st.integers(1, 60))]
        else:
            raw[at:at] = data.draw(st.binary(max_size=30))
        if not raw:
            return
    path = tmp_path_factory.mktemp("damaged") / "capture.txt"
    path.write_bytes(bytes(raw))
    try:
        capture = read_capture(path)
    except CaptureError:
        return
    list(capture.recording.blocks())
    if capture.recording.ticks > 1:
        diagnose(capture.recording.frame(), capture.recording.window())


def test_a_capture_that_reports_only_of_all_cores_together_is_judged(read):
    without = [line for line in GOOD.splitlines(keepends=True) if not re.match(r"cpu\d", line)]
    capture = read("".join(without))
    answer = diagnose(capture.recording.frame(), capture.recording.window())
    assert not answer.findings


SHELLS = [shell for shell in (["dash"], ["busybox", "sh"], ["sh"]) if shutil.which(shell[0])]


@pytest.mark.kernel
@pytest.mark.parametrize("shell", SHELLS, ids=" ".join)
def test_the_field_script_captures_all_that_the_recorder_keeps(tmp_path, shell):
    script = tmp_path / "field.sh"
    script.write_text(field_script())
    done = subprocess.run([*shell, str(script), "0.5", "3"], capture_output=True, timeout=60, check=True)
    path = tmp_path / "capture.txt"
    path.write_bytes(done.stdout)
    capture = read_capture(path)
    sampler = Sampler()
    recorded = {column for reading in sampler.tick() for column in reading.columns}
    sampler.close()
    captured = {column for piece in capture.recording.pieces if piece.group != GROUP for column in piece.columns}
    assert captured == recorded
    assert capture.recording.identities
    assert capture.recording.ticks == 3
    assert all("could not be read" in remark.text or "is empty" in remark.text for remark in capture.remarks), (
        capture.remarks
    )
    assert not np.isnan(measure_named("cpu.busy").derive(capture.recording.frame(), None).values[1:]).any()


@pytest.mark.parametrize("words", [["x"], ["0"], ["1", "many"]])
def test_the_field_script_refuses_nonsense(tmp_path, words):
    script = tmp_path / "field.sh"
    script.write_text(field_script())
    done = subprocess.run(["sh", str(script), *words], capture_output=True, text=True, timeout=30, check=False)
    assert done.returncode == 2
    assert "number" in done.stderr
