"""Texts, numbers and JSON from outside."""

import json

import pytest
from hypothesis import given
from hypothesis import strategies as st

from reditus.core.facts import FactsError, HostFacts
from reditus.core.outside import MOST_DEPTH, OutsideError, check_value, shown, strict_json, terminal_text

ANYTHING = st.recursive(
    st.none() | st.booleans() | st.integers() | st.floats() | st.text(st.characters(exclude_categories=())),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=5), inner, max_size=3),
    max_leaves=12,
)


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("NaN", "JSON has no NaN"),
        ('{"a": [1, Infinity]}', "JSON has no Infinity"),
        ("1e999", "beyond all bounds"),
        ("9" * 5_000, "5000 digits"),
        (str(1 << 63), "64 bits"),
        ('{"a": {"b": "x\\u0000"}}', "/a/b: a text without the character U+0000"),
        ('["\\ud800"]', "/0: a text of whole characters"),
        ('{"\\ud800": 1}', "half of a surrogate pair"),
        ("[" * 100_000, "nested far too deep"),
        ("[" * (MOST_DEPTH + 1) + "]" * (MOST_DEPTH + 1), f"nested deeper than {MOST_DEPTH}"),
        ("{", "it is no JSON: at character 1"),
        (b'"\xff"', "not UTF-8 at byte 1"),
    ],
)
def test_json_that_nothing_can_use_is_refused(text, says):
    with pytest.raises(OutsideError) as caught:
        strict_json(text)
    assert says in str(caught.value)


@given(ANYTHING)
def test_what_passes_can_be_kept_and_sent(value):
    try:
        found = strict_json(json.dumps(value))
    except OutsideError:
        return
    check_value(found)
    json.dumps(found, allow_nan=False).encode()
    json.dumps(found, ensure_ascii=False).encode()  # no half of a pair


@given(ANYTHING)
def test_facts_are_taken_or_refused_in_one_sentence(value):
    for given_facts in (value, {"cores": value, "disks": {"sda": value}, "links": value, "model": value}):
        try:
            facts = HostFacts.from_json(given_facts)
        except FactsError as why:
            said = str(why)
        else:
            said = ""
            assert HostFacts.from_json(facts.as_json()) == facts
        assert len(said) < 400


@pytest.mark.parametrize(
    ("facts", "says"),
    [
        ({"cores": "many"}, "cores: a whole number, not 'many'"),
        ({"cores": -5}, "cores: a whole number from 1 to"),
        ({"memory_bytes": 1.5}, "memory_bytes"),
        ({"disks": {"sda": {"role": "wheel"}}}, "disks.'sda'.role: one of"),
        ({"links": {"eth0": {"speed_bits_per_s": "fast"}}}, "links.'eth0'.speed_bits_per_s"),
        ({"virtual": "yes"}, "virtual: true, false or null"),
        ([], "facts: an object"),
    ],
)
def test_absurd_facts_are_refused(facts, says):
    with pytest.raises(FactsError) as caught:
        HostFacts.from_json(facts)
    assert says in str(caught.value)


@given(st.text(st.characters(exclude_categories=())))
def test_no_text_steers_a_terminal(text):
    safe = terminal_text(text)
    assert safe.isprintable()
    assert terminal_text(safe) == safe


@pytest.mark.parametrize("letter", ["\x1b", "\x9b", "\u202e", "\u2066", "\x07", "\r", "\n", "\x7f", "\u200b", "\ud800"])
def test_what_would_steer_is_shown_as_its_code(letter):
    assert letter not in terminal_text(f"a{letter}b")
    assert terminal_text("größer · 1 ▸ 2") == "größer · 1 ▸ 2"


def test_errors_show_little_of_what_was_wrong():
    assert len(shown("x" * 10_000)) <= 60
    assert shown(10**500) == "a number of 1661 bits"
