import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from reditus.core.column_codec import decode_column, decode_steps, encode_column
from reditus.core.delta_array import Steps

ANY = st.integers(-(2**63), 2**63 - 1) | st.integers(0, 1_000)
COLUMN = st.lists(ANY, min_size=1, max_size=60).map(lambda values: np.array(values, dtype=np.int64))


def steps_of(values):
    return decode_steps(encode_column(values), len(values))


@given(COLUMN)
def test_a_column_decoded_to_steps_has_the_same_values(values):
    steps = steps_of(values)
    assert steps.values.tolist() == values.tolist() == decode_column(encode_column(values), len(values)).tolist()
    assert (len(steps), steps.first, steps.last) == (len(values), values[0], values[-1])
    assert np.asarray(steps).tolist() == values.tolist()
    assert steps.steps.tolist() == np.diff(values).tolist()


@given(COLUMN, st.integers(-70, 70), st.integers(-70, 70))
def test_a_slice_of_steps_is_one_of_their_values(values, start, stop):
    cut = steps_of(values)[start:stop]
    assert np.asarray(cut).tolist() == values[start:stop].tolist()


@given(st.lists(COLUMN, min_size=1, max_size=5))
def test_steps_join_where_their_values_do(parts):
    whole = np.concatenate(parts)
    joined = Steps.joined([steps_of(part) for part in parts])
    assert joined.values.tolist() == whole.tolist()
    assert joined.steps.tolist() == np.diff(whole).tolist()


def test_any_other_choice_gives_values():
    steps = steps_of(np.array([5, 7, 9, 20]))
    assert steps[np.array([True, False, False, True])].tolist() == [5, 20]
    assert steps[::-1].tolist() == [20, 9, 7, 5]
    assert steps[-1] == 20
