import hashlib
from collections import Counter
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from reditus.core.schema import Column, Kind
from reditus.recorder.batch_parser import RELEARN_EVERY, JointText
from reditus.recorder.kernel_text import Field, KernelText, lines
from reditus.recorder.sampler import Sampler
from reditus.recorder.sources import SOURCES


def counter(name):
    return Column.of(name, unit="1", kind=Kind.CUMULATIVE)


def learn(text):
    """Every line is a name and a number."""
    return [Field(counter(words[0].text.decode()), words[1].at) for words in lines(text)]


def test_numbers_are_found_by_name():
    text = KernelText(learn)
    assert text.parse(b"a 1\nb 22\n").tolist() == [1, 22]
    assert [column.counter for column in text.columns] == ["a", "b"]


def test_columns_stay_the_same_object_while_only_numbers_change():
    text = KernelText(learn)
    text.parse(b"a 1\nb 22\n")
    before = text.columns
    assert text.parse(b"a 900\nb 0\n").tolist() == [900, 0]
    assert text.columns is before


def test_a_new_line_is_learned():
    text = KernelText(learn)
    text.parse(b"a 1\n")
    assert text.parse(b"z 7\na 1\n").tolist() == [7, 1]
    assert [column.counter for column in text.columns] == ["z", "a"]


def test_labels_that_differ_only_in_digits_are_reported_apart():
    text = KernelText(learn)
    text.parse(b"eth0 1\neth1 2\n")
    assert text.parse(b"eth0 1\neth2 2\n").tolist() == [1, 2]
    assert [column.counter for column in text.columns] == ["eth0", "eth2"]


def test_a_line_with_more_numbers_is_learned_again():
    text = KernelText(learn)
    text.parse(b"a 1\nb 2\n")
    assert text.parse(b"a 1 5\nb 2\n").tolist() == [1, 2]


def test_the_largest_counters_keep_their_bits():
    assert KernelText(learn).parse(b"a 18446744073709551615\n").tolist() == [-1]
    assert KernelText(learn).parse(b"a 9223372036854775807\n").tolist() == [2**63 - 1]


def test_decimals_become_hundredths():
    def learn_decimal(_):
        return [Field(counter("load"), 0, 2)]

    text = KernelText(learn_decimal)
    assert text.parse(b"1.05\n").tolist() == [105]
    assert text.parse(b"0.60\n").tolist() == [60]


def test_an_empty_text_gives_nothing():
    assert KernelText(learn).parse(b"\n").tolist() == []


def test_a_name_that_changes_by_a_leading_zero_is_noticed_in_time():
    text = KernelText(learn)
    joint = JointText([text])
    joint.parse([b"wan1 5\n"])
    for _ in range(RELEARN_EVERY):
        joint.parse([b"wan01 5\n"])
    assert [column.counter for column in text.columns] == ["wan01"]


def joint_values(texts, raw, joint):
    return [dict(zip([column.counter for column in text.columns], values.tolist(), strict=True))
            for text, values in zip(texts, joint.parse(raw), strict=True)]  # fmt: skip


tables = st.dictionaries(
    st.from_regex(r"[a-z]{1,4}(0|[1-9][0-9]?)?", fullmatch=True), st.integers(0, 2**63 - 1), min_size=1
)


@given(st.lists(tables, min_size=1, max_size=8))
def test_whatever_comes_next_is_read_as_if_it_came_first(texts):
    remembering = KernelText(learn)
    for table in texts:
        raw = "".join(f"{name} {value}\n" for name, value in table.items()).encode()
        assert remembering.parse(raw).tolist() == list(table.values())
        assert [column.counter for column in remembering.columns] == list(table)


@given(st.lists(st.tuples(tables, tables, st.booleans()), min_size=1, max_size=6))
def test_joined_texts_are_read_like_single_ones(ticks):
    texts = [KernelText(learn), KernelText(learn), KernelText(learn)]
    joint = JointText(texts)
    for first, second, missing in ticks:
        expected = [first, {} if missing else second, {"last": 3}]
        raw = ["".join(f"{name} {value}\n" for name, value in table.items()).encode() for table in expected]
        assert joint_values(texts, raw, joint) == expected
        assert joint_values(texts, raw, joint) == expected  # once more, from memory


def test_nothing_is_learned_again_while_only_values_change():
    """A value taken for a label would be learned again at every tick, at many times the cost."""
    requested = []
    text = b"some avg10=%d.%02d total=%d\n8:0 rbytes=%d\n"
    parser = KernelText(lambda raw: requested.append(raw) or [])
    for value in range(20):
        parser.parse(text % (value, value, value * 1000, value))
    assert len(requested) == 1
    parser.parse((text % (1, 1, 1, 1)).replace(b"avg10", b"avg60"))
    assert len(requested) == 2


@pytest.mark.kernel
def test_on_this_kernel_hardly_anything_is_learned_again():
    sources = [source for source in SOURCES if not source.is_set]
    learned = Counter()

    def counting(source):
        def learn(text):
            learned[source.group] += 1
            return source.learn(text)

        return replace(source, learn=learn)

    sampler = Sampler([counting(source) for source in sources])
    for _ in range(12):
        sampler.tick()
        hashlib.sha256(bytes(1 << 22)).hexdigest()  # so that the counters move
    sampler.close()
    # Once each; one more for a device or protocol column that appears meanwhile.
    assert {group: times for group, times in learned.items() if times > 2} == {}
