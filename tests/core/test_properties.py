"""Properties as columns: any sets, grown bit by bit, pass the same tests as each value by itself."""

import json

import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from upper_compass.core.dataset.coded_hits import Dictionary
from upper_compass.core.dataset.properties import Properties
from upper_compass.core.definitions.hit_match import PropTest

VALUES = st.sampled_from([0, 1, 2.5, -3, "", "1", "2.5", "rye", "rye bread", True, False, 10**9])
SETS = st.lists(st.dictionaries(st.sampled_from(["a", "b", "c"]), VALUES, max_size=3), max_size=12)
NUMBERS = st.builds(lambda test, value: (test, float(value)), st.sampled_from("=≠<≤>≥"), st.sampled_from([0, 1, 2.5]))
TEXTS = st.tuples(st.sampled_from(["is", "is not", "starts with", "contains", "regular expression"]), st.sampled_from(["1", "rye", "2.5", "true"]))
TESTS = st.lists(st.tuples(st.sampled_from(["a", "b", "z"]), NUMBERS | TEXTS), min_size=1, max_size=3)


def text_of(value):
    return value if isinstance(value, str) else json.dumps(value)


def holds(value, test, wanted):
    """One value by itself, as chapter 5 of the rules says it."""
    if isinstance(wanted, float):
        if value is None or isinstance(value, bool | str):
            return test == "≠"
        return {"=": value == wanted, "≠": value != wanted, "<": value < wanted, "≤": value <= wanted, ">": value > wanted, "≥": value >= wanted}[test]
    if value is None:
        return test == "is not"
    text = text_of(value)
    return {
        "is": text == wanted, "is not": text != wanted, "starts with": text.startswith(wanted), "contains": wanted in text,
        "regular expression": (wanted if wanted != "2.5" else "2") in text and (wanted != "2.5" or any(text[i : i + 1] == "2" and text[i + 2 : i + 3] == "5" for i in range(len(text)))),
    }[test]  # fmt: skip


@given(SETS, SETS, TESTS)
def test_sets_pass_as_their_values_do_by_themselves(first, later, tests):
    sets = Dictionary()
    properties = Properties(sets, Dictionary())
    models = [PropTest(key=key, test=test, value=wanted) for key, (test, wanted) in tests]
    for part in (first, later):
        codes = sets.encode(pl.Series([json.dumps(one) if one else "" for one in part], dtype=pl.String))
        passing = properties.passing(models)[codes].tolist()
        assert passing == [all(holds(one.get(key), test, wanted) for key, (test, wanted) in tests) for one in part]


def test_each_set_is_parsed_once_and_its_labels_can_be_looked_up():
    sets, labels = Dictionary(), Dictionary()
    properties = Properties(sets, labels)
    codes = sets.encode(pl.Series(['{"a": 2.0}', "", '{"b": "x", "a": true}']))
    assert labels.decode(properties.by_set("a")[codes]).to_list() == ["2", "", "true"]
    assert properties.by_set("never").tolist() == [0, 0, 0]
    rows = properties.rows
    sets.encode(pl.Series(['{"a": "new"}']))
    assert properties.rows.head(len(rows)).equals(rows)
    assert labels.decode(properties.by_set("a")).to_list() == ["", "2", "true", "new"]
