"""What printed names mean: guessed, or said; units as they are printed, and rates added up to what only grows."""

from uuid import uuid4

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from incoming_values import series_of
from reditus.core.rfc3339 import parse_time, spell_time
from reditus.core.schema import Column, Kind
from reditus.core.types import NS_PER_S
from reditus.exchange.incoming.building import BlockBuilder
from reditus.exchange.incoming.looking import look_at
from reditus.exchange.incoming.mapping import MappingError, Meaning
from reditus.exchange.incoming.printed import guess_printed
from reditus.exchange.incoming.readers import ImportOptions, read_incoming

BEGIN_NS = parse_time("2026-11-13T01:00:00Z")
CORES = """\
when                 core  user%  system%  idle%
2026-11-13T01:00:00Z all   30.0   5.0      65.0
2026-11-13T01:00:00Z 0     50.0   10.0     40.0
2026-11-13T01:00:00Z cpu1  10.0   0.0      90.0
2026-11-13T01:00:01Z all   50.0   5.0      45.0
2026-11-13T01:00:01Z 0     90.0   10.0     0.0
2026-11-13T01:00:01Z cpu1  10.0   0.0      90.0
2026-11-13T01:00:02Z all   50.0   0.0      50.0
2026-11-13T01:00:02Z 0     100.0  0.0      0.0
2026-11-13T01:00:02Z cpu1  0.0    0.0      100.0
"""
STATE = """\
-- state 2026-11-13 01:00:00
MemAvailable:    1000 kB
handled:         10
oldest wait      900us
tills            3
-- state 2026-11-13 01:00:10
MemAvailable:    900 kB
handled:         15
oldest wait      1.2ms
tills            4
-- state 2026-11-13 01:00:20
MemAvailable:    800 kB
handled:         25
oldest wait      0
tills            3
-- state 2026-11-13 01:00:30
MemAvailable:    800 kB
handled:         40
oldest wait      2 ms
tills            3
"""


def mode(name):
    return Meaning(
        counter="system.cpu.time", attributes={"cpu.mode": name}, unit="s", kind="rate", scale=(1, 100)
    ).model_dump()


MODES = {"user%": mode("user"), "system%": mode("system"), "idle%": mode("idle")}


def read(tmp_path, text, **options):
    path = tmp_path / "printed.txt"
    path.write_text(text)
    target = tmp_path / "made.zip"
    target.unlink(missing_ok=True)
    return read_incoming(path, path.name, ImportOptions(**options), target, "2026-11-30T00:00:00Z", lambda _: None)


def numbers(incoming):
    """By counter and attributes: the column, and its values."""
    return {
        (column.counter, column.attributes): (column, values) for column, (_, values) in series_of(incoming).items()
    }


def test_rates_of_cores_become_the_counter_that_rules_judge(tmp_path):
    layout = guess_printed(CORES).model_dump() | {"names": MODES}
    incoming = read(tmp_path, CORES, layout=layout)
    found = numbers(incoming)
    # Of all cores together it is the machine's; modes that are not printed are those in which no time was spent.
    assert {attributes for _, attributes in found} == {
        (*core, ("cpu.mode", name)) for core in ((), (("cpu.logical_number", "0"),), (("cpu.logical_number", "1"),))
        for name in ("user", "nice", "system", "idle", "iowait", "interrupt", "softirq", "steal")
    }  # fmt: skip
    assert incoming.file.head.facts[0][1].cores == 2
    assert found["system.cpu.time", (("cpu.mode", "user"),)][1] == pytest.approx([0, 0.5, 1.0])
    assert found["system.cpu.time", (("cpu.mode", "steal"),)][1] == [0, 0, 0]
    column, values = found["system.cpu.time", (("cpu.logical_number", "0"), ("cpu.mode", "user"))]
    assert (column.kind, column.unit) == (Kind.CUMULATIVE, "s")
    assert values == pytest.approx([0, 0.9, 1.9])
    assert found["system.cpu.time", (("cpu.logical_number", "1"), ("cpu.mode", "idle"))][1] == pytest.approx(
        [0, 0.9, 1.9]
    )


def test_what_all_cores_did_is_added_up_where_it_is_not_printed(tmp_path):
    alone = "".join(line for line in CORES.splitlines(keepends=True) if " all " not in line)
    found = numbers(read(tmp_path, alone, layout=guess_printed(alone).model_dump() | {"names": MODES}))
    assert found["system.cpu.time", (("cpu.mode", "user"),)][1] == pytest.approx([0, 1.0, 2.0])
    assert found["system.cpu.time", (("cpu.mode", "idle"),)][1] == pytest.approx([0, 0.9, 1.9])
    assert found["system.cpu.time", (("cpu.mode", "nice"),)][1] == [0, 0, 0]


def test_a_core_that_has_no_number_is_left_out(tmp_path):
    odd = CORES.replace("cpu1", "left")
    incoming = read(tmp_path, odd, layout=guess_printed(odd).model_dump() | {"names": MODES})
    assert incoming.remarks == ["left out: idle% left, system% left, user% left"]
    assert incoming.file.head.facts[0][1].cores == 1


def test_names_of_the_kernel_and_what_never_falls_are_guessed(tmp_path):
    layout = guess_printed(STATE)
    assert layout.shape == "blocks"
    assert set(layout.names) == {"MemAvailable", "handled"}
    assert layout.names["MemAvailable"].counter == "system.memory.linux.bytes"
    assert layout.names["handled"].kind == "cumulative"
    found = numbers(read(tmp_path, STATE))
    assert found["system.memory.linux.bytes", (("linux.memory.field", "MemAvailable"),)][1] == [
        1000 * 1024, 900 * 1024, 800 * 1024, 800 * 1024,
    ]  # fmt: skip
    # As it was printed first, whatever it is printed in later.
    column, waits = found["oldest wait", ()]
    assert (column.unit, waits) == ("s", pytest.approx([0.0009, 0.0012, 0, 0.002]))
    assert found["handled", ()][0].kind is Kind.CUMULATIVE
    assert found["tills", ()][0].kind is Kind.LEVEL


def test_a_name_is_left_out_or_called_otherwise(tmp_path):
    names = {"tills": None, "handled": {"counter": "orders", "kind": "level"}}
    layout = guess_printed(STATE).model_dump() | {"names": names}
    found = numbers(read(tmp_path, STATE, layout=layout))
    assert {counter for counter, _ in found} == {"orders", "oldest wait", "system.memory.linux.bytes"}
    look = look_at(tmp_path / "printed.txt", "printed.txt", None, guess_printed(STATE).model_copy(update={
        "names": {name: None if value is None else Meaning(**value) for name, value in names.items()}
    }))  # fmt: skip
    meanings = {column.name: column.meaning for column in look.names}
    assert meanings["tills"] is None
    assert meanings["handled"].counter == "orders"
    assert meanings["oldest wait"].unit == "s"
    assert next(column.values for column in look.names if column.name == "oldest wait") == pytest.approx(
        [0.0009, 0.0012, 0, 0.002]
    )


@pytest.mark.parametrize(
    ("names", "said"),
    [
        ({"a\nb": None}, "a name is a printable text"),
        ({"": {"counter": "x"}}, "a name is a printable text"),
        ({"tills": {"counter": "x"}, "handled": {"counter": "x"}}, "tills are both x"),
        ({"tills": {"counter": "system.cpu.time", "unit": "s", "kind": "level"}}, "cumulative, or a rate, in s"),
        ({"tills": {"counter": "system.cpu.load_average.1m", "unit": "{task}", "kind": "rate"}}, "is level in"),
        ({"tills": {"counter": "system.memory.linux.bytes", "unit": "By", "attributes": {"a": "b"}}}, "attributes"),
    ],
)
def test_meanings_that_cannot_be(tmp_path, names, said):
    with pytest.raises(MappingError, match=said):
        read(tmp_path, STATE, layout=guess_printed(STATE).model_dump() | {"names": names})


def test_a_column_of_rates_in_a_table(tmp_path):
    rows = "".join(f"{spell_time(BEGIN_NS + second * NS_PER_S)},{second}\n" for second in range(5))
    mapping = {
        "time": {"places": [0], "form": "iso"},
        "columns": [{"place": 1, "counter": "system.cpu.context_switches", "unit": "{switch}", "kind": "rate"}],
    }
    found = numbers(read(tmp_path, "when,switches/s\n" + rows, mapping=mapping))
    assert found["system.cpu.context_switches", ()][1] == [0, 1, 3, 6, 10]


RATES = st.lists(st.one_of(st.floats(0, 1e6), st.just(np.nan), st.just(-1.0)), min_size=2, max_size=40)


@given(rates=RATES, gaps=st.sets(st.integers(1, 39), max_size=3), cuts=st.sets(st.integers(1, 39), max_size=5))
def test_what_is_added_up_gives_the_rates_again(rates, gaps, cuts):
    steps_s = np.array([60.0 if at in gaps else 1.0 for at in range(len(rates))])
    times_ns = BEGIN_NS + (np.cumsum(steps_s) * NS_PER_S).astype(np.int64)
    builder = BlockBuilder(uuid4(), uuid4(), "table", [Column.of("x", {}, unit="1", kind=Kind.CUMULATIVE, double=True)],
                           rates=[0])  # fmt: skip
    builder._interval_ns = NS_PER_S
    blocks = []
    ends = [*sorted(cut for cut in cuts if cut < len(rates)), len(rates)]
    for start, end in zip([0, *ends], ends, strict=False):
        blocks += builder.add(times_ns[start:end], np.array(rates[start:end]).reshape(-1, 1))
    blocks += builder.end()
    sums = np.concatenate([np.ascontiguousarray(block.stretch().values[:, 0]).view(np.float64) for block in blocks])
    given_rates = np.array(rates)
    known = given_rates >= 0
    assert np.array_equal(np.isnan(sums), ~known)
    at_s = times_ns[known] / NS_PER_S
    lengths_s = np.diff(at_s)
    added = np.diff(sums[known])
    assert (added >= 0).all()
    expected = given_rates[known][1:] * np.where(lengths_s > 3, 1.0, lengths_s)
    assert added == pytest.approx(expected, rel=1e-6, abs=1e-3)
