"""Times of a column at once are those that are read one by one."""

import numpy as np
import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st

from reditus.core.rfc3339 import parse_time
from reditus.exchange.incoming.mapping import TimeMapping
from reditus.exchange.incoming.times import UNKNOWN_NS, TimeReader, guessed_form

MOMENTS = st.datetimes().map(lambda moment: moment.replace(microsecond=0))
SPELLED = st.builds(
    lambda moment, between, cut, fraction, zone: (
        moment.isoformat(sep=between)[: 16 if cut else 19] + ("" if cut else fraction) + zone
    ),
    MOMENTS,
    st.sampled_from("T "),
    st.booleans(),
    st.sampled_from(["", ".5", ",25", ".123456789", ".1234567891"]),
    st.sampled_from(["", "", "Z", "z", "+01:00", "-0530", "+02", " Z"]),
)
NUMBERS = st.one_of(
    st.integers(10**8, 10**19 - 1).map(str), st.sampled_from(["1794474000.5", "1794474000", "+1794474000", "1e9"])
)
STRANGE = st.sampled_from(["", "-", "2026-11-13", "2026-13-13T01:00:00Z", "2026-11-13T25:00:00", "2026-11-13T01:00:60Z",
                           "2026-11-13T01", "12026-11-13T01:00:00Z", "x", "13.11.2026 01:00"])  # fmt: skip


@given(
    texts=st.one_of(
        st.lists(st.one_of(SPELLED, NUMBERS, STRANGE), max_size=6),
        st.lists(SPELLED.filter(lambda text: text.endswith("Z")), max_size=6),
        st.lists(NUMBERS, max_size=6),
    ),
    form=st.sampled_from(["iso", "epoch-s", "epoch-ms", "epoch-us", "epoch-ns"]),
    zone=st.sampled_from(["UTC", "Europe/Berlin"]),
)
def test_at_once_is_as_one_by_one(texts, form, zone):
    mapping = TimeMapping(places=[0], form=form, zone=zone)
    at_once = TimeReader(mapping).read_all(pa.array(texts, pa.string()))
    assert np.array_equal(at_once, TimeReader(mapping).read(texts))


@pytest.mark.parametrize(
    ("form", "texts"),
    [("iso", ["2026-11-13T01:00:00Z", "2026-11-13 02:00:01.5+01:00"]), ("epoch-s", ["1794531600", "1794531601"])],
)
def test_what_is_in_order_is_read_at_once(form, texts, monkeypatch):
    monkeypatch.setattr(TimeReader, "read", lambda *_: pytest.fail("one by one"))
    found = TimeReader(TimeMapping(places=[0], form=form)).read_all(pa.array(texts))
    assert found[0] == parse_time("2026-11-13T01:00:00Z")
    assert UNKNOWN_NS not in found


@pytest.mark.parametrize("text", ["12.5", "some words", "eth0", "20261113", "1,5", "a/b"])
def test_what_is_no_time_is_none_of_a_pattern(text):
    assert guessed_form([text] * 3) is None


@pytest.mark.parametrize(
    "text", ["20261113010000", "20261113 010000", "13/Nov/2026:01:00:00 +0000", "13.11.2026 01:00"]
)
def test_times_of_patterns_are_found(text):
    assert guessed_form([text] * 3) is not None
