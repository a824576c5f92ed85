"""The kernels of counting against plain sets."""

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from upper_compass.core.engine.group_by import KeySpace, count_distinct, distinct, distinct_pairs

rows = st.lists(st.tuples(st.integers(0, 4), st.integers(0, 3)), max_size=80)


@given(rows)
def test_distinct_pairs_are_the_set_of_pairs_and_their_units_ascend(pairs):
    pairs = sorted(pairs, key=lambda pair: pair[0])
    units, groups = (np.array([pair[i] for pair in pairs], np.int64) for i in (0, 1))
    found = [part.tolist() for part in distinct_pairs(units, groups, 4)]
    assert sorted(zip(*found, strict=True)) == sorted(set(pairs))
    assert found[0] == sorted(found[0])
    expected = [len({unit for unit, group in pairs if group == one}) for one in range(4)]
    assert count_distinct(units, groups, 4).tolist() == expected


@given(st.lists(st.integers(0, 200)), st.integers(201, 10**9))
def test_distinct_values_by_table_and_by_sorting(values, bound):
    assert distinct([np.array(values[:2], np.int64), np.array(values[2:], np.int64)], bound).tolist() == sorted(set(values))


@given(rows, rows)
def test_a_key_space_numbers_the_same_key_the_same_everywhere(here, there):
    places = [[np.array([row[i] for row in place], np.int64) for i in (0, 1)] for place in (here, there)]
    space = KeySpace(*places)
    labelled = [[(int(space.labels[0][g]), int(space.labels[1][g])) for g in groups] for groups in space.groups]
    assert labelled == [here, there]
    distinct_keys, places_in_all = len({*here, *there}), len(here) + len(there)
    assert distinct_keys <= space.count <= max(distinct_keys, places_in_all)
