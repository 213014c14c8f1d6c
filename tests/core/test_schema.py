import os
import pickle
import subprocess
import sys

import pytest

from builders import RUNNABLE, SWITCHES, a_schema
from reditus.core.counters import COUNTERS
from reditus.core.errors import SchemaError, UnknownCounter
from reditus.core.kernel_columns import cpu_time, disk_columns, interface_columns, kernel_column
from reditus.core.schema import Schema, split_columns


def test_a_schema_survives_json():
    schema = a_schema([cpu_time("user", "3"), *disk_columns("sda"), *interface_columns("ens4")])
    assert Schema.from_json(schema.as_json()) == schema


def test_a_column_is_the_same_one_in_another_process():
    """Texts have other hashes there, and columns remember theirs."""
    there = (
        "import pickle, sys; from reditus.core.kernel_columns import cpu_time\n"
        "print(pickle.loads(sys.stdin.buffer.read()) in {cpu_time('user', '3')})"
    )
    for seed in ("7", "8"):
        requested = subprocess.run(
            [sys.executable, "-c", there],
            env=os.environ | {"PYTHONHASHSEED": seed},
            input=pickle.dumps(cpu_time("user", "3")),
            capture_output=True,
            check=True,
        )
        assert requested.stdout == b"True\n"


def test_the_digest_reports_schemas_apart():
    assert a_schema([SWITCHES, RUNNABLE]).digest != a_schema([RUNNABLE, SWITCHES]).digest


def test_wide_groups_are_cut_into_parts():
    wide = [cpu_time("user", str(core)) for core in range(900)]
    parts = split_columns("cpu", wide)
    assert [(part.part, len(part.columns)) for part in parts] == [(0, 400), (1, 400), (2, 100)]


def test_the_same_column_twice_is_refused():
    with pytest.raises(SchemaError, match="twice"):
        a_schema([SWITCHES, SWITCHES])


@pytest.mark.parametrize(
    "change",
    [
        {"scale": [0, 1]},
        {"bits": 16},
        {"kind": "sideways"},
        {"counter": ""},
        {"attributes": {"a": 3}},
        {"unit": "x" * 999},
    ],
)
def test_absurd_columns_are_refused(change):
    given = a_schema().as_json()
    given["columns"][0] |= change
    with pytest.raises(SchemaError):
        Schema.from_json(given)


def test_every_counter_is_explained():
    for counter in COUNTERS.values():
        assert counter.title, counter.name
        assert len(counter.help) > 15, counter.name
        assert counter.source.startswith(("/proc/", "/sys/", "statvfs", "sock_diag")), counter.name


def test_unknown_counters_are_named():
    with pytest.raises(UnknownCounter, match=r"system\.nothing"):
        kernel_column("system.nothing")
