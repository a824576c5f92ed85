"""What can be asked, and what is refused with a word on why."""

import pickle
from unittest.mock import patch

import pytest
from pydantic import ValidationError

from tests.core.building import numbered
from tests.core.test_reports import ask, reading
from upper_compass.core.definitions.requests import SeriesRequest, TableRequest
from upper_compass.core.definitions.segments import DimensionCondition
from upper_compass.core.definitions.site_rules import SHIPPED_CHANNELS, ChannelRule, SiteRules
from upper_compass.core.definitions.text_tests import STORED
from upper_compass.core.definitions.validation_messages import sentence
from upper_compass.core.engine.dimensions import UnknownNameError

VISITS = [{"id": "visits", "measure": "visits"}]
PERIOD = {"first": "2026-11-01", "last": "2026-11-07"}


def refused(model, **given):
    with pytest.raises(ValidationError) as caught:
        model.model_validate(given)
    return str(caught.value)


def test_a_question_has_usual_answers_for_what_is_left_out():
    request = TableRequest.model_validate({"period": PERIOD, "columns": VISITS})
    assert (request.versus, request.limit, request.descending, request.segment, request.goal) == ("before", 100, True, None, None)


@pytest.mark.parametrize(
    ("changes", "said"),
    [
        ({"columns": VISITS * 2}, "the same id"),
        ({"dimensions": ["page", "page"]}, "asked for twice"),
        ({"dimensions": ["page", "source", "device", "browser"]}, "at most three"),
        ({"dimensions": ["page"], "parents": ["/", "x"]}, "a dimension for each"),
        ({"where": [{"of": "page", "test": "contains", "value": "x"}]}, "that is asked for"),
        ({"where": [{"of": "visits", "test": ">", "value": "x"}]}, "do not go together"),
        ({"dimensions": ["page"], "where": [{"of": "page", "test": "regular expression", "value": "("}]}, "cannot be read"),
        ({"sort": "views"}, "sort by one of"),
        ({"limit": 10_001}, "less than or equal to 10000"),
        ({"versus": "ever"}, "before"),
        ({"tide": 1}, "not permitted"),
    ],
)
def test_tables(changes, said):
    assert said in refused(TableRequest, **({"period": PERIOD, "columns": VISITS} | changes))


@pytest.mark.parametrize(
    ("changes", "field", "said"),
    [
        ({"measures": ["visits", "sail"]}, "columns", "there is no measure 'sail'"),
        ({"dimensions": ["wind"]}, "dimensions", "there is no dimension 'wind'"),
        ({"filters": [{"dimension": "wind", "values": ["x"]}]}, "segment", "there is no dimension 'wind'"),
        ({"dimensions": ["field.wind"]}, "dimensions", "the site has no field 'wind'"),
    ],
)
def test_what_there_is_not_is_named_also_from_another_process(changes, field, said):
    with pytest.raises(UnknownNameError, match=said) as caught:
        ask(reading(numbered([])), first="2026-11-01", last="2026-11-01", **changes)
    again = pickle.loads(pickle.dumps(caught.value))
    assert (again.field, again.text) == (field, caught.value.text)


def test_a_series_by_hour_has_an_end():
    long = {"first": "2026-01-01", "last": "2026-11-07"}
    assert "too long a period" in refused(SeriesRequest, period=long, columns=VISITS, bucket="hour")
    SeriesRequest.model_validate({"period": long, "columns": VISITS, "bucket": "day"})


def test_a_narrowing_names_a_dimension_and_values():
    assert "do not go together" in refused(DimensionCondition, dimension="page", test="is", values=[])
    assert "pattern" in refused(DimensionCondition, dimension="page", test="is", values=["a\x00b"])


@pytest.mark.parametrize(
    "changes",
    [
        {"hosts": []},
        {"hosts": ["no host"]},
        {"timezone": "Mill time"},
        {"currency": "euro"},
        {"rates": {"USD": 0}},
        {"visit_gap_minutes": 0},
        {"aliases": [{"field": "colour", "this": "a", "that": "b"}]},
        {"channels": [{"channel": "x", "any_of": []}]},
        {"page_groups": [{"name": "x", "test": "regular expression", "pattern": "["}]},
    ],
)
def test_settings_of_a_site_that_make_no_sense_are_refused(changes):
    refused(SiteRules, **({"hosts": ["mill.example"]} | changes))


def test_the_version_of_the_rules_changes_with_them_and_only_then():
    one, same, other = SiteRules(hosts=["A.example"]), SiteRules(hosts=["a.example"]), SiteRules(hosts=["a.example"], visit_gap_minutes=20)
    assert one.version() == same.version() != other.version()
    assert [rule.channel for rule in SHIPPED_CHANNELS][:3] == ["Paid search", "Paid social", "Display"]
    assert isinstance(SHIPPED_CHANNELS[0], ChannelRule)


@pytest.mark.parametrize(
    ("given", "said"),
    [
        ({"hosts": []}, "give at least one"),
        ({"hosts": [""]}, "this must not be empty"),
        ({}, "this is missing"),
        ({"hosts": ["a.example"], "visit_gap_minutes": 0}, "this must be 1 or more"),
        ({"hosts": ["a.example"], "visit_gap_minutes": "soon"}, "this must be a whole number"),
        ({"hosts": ["a.example"], "colour": "red"}, "nothing of this name is known here"),
        ({"hosts": ["a.example"], "timezone": "Mill/Time"}, "this is not a time zone of the tz database, such as Europe/Dublin"),
        ({"hosts": ["a.example"], "label_keys": "via"}, "this must be a list"),
    ],
)
def test_what_is_wrong_is_said_in_plain_words(given, said):
    with pytest.raises(ValidationError) as why:
        SiteRules.model_validate(given)
    assert sentence(why.value.errors()[0]) == said


@pytest.mark.parametrize(
    ("pattern", "said"),
    [
        ("^/a(?=b)", "from character 4 on ((?=): patterns cannot look around"),
        ("(?<!a)b", "patterns cannot look around"),
        ("/a[b", "from character 3 on ([): unclosed character class"),
        (r"\w{90}\W{90}N", "grows too large"),
        ("((a{99}){99}){99}", "grows too large"),
        (r"[\w-]{20}", "grows too large"),
    ],
)
def test_a_pattern_that_cannot_be_used_says_where_and_why(pattern, said):
    assert said in refused(SiteRules, hosts=["a.example"], page_groups=[{"name": "x", "test": "regular expression", "pattern": pattern}])


def test_patterns_have_a_limit_together_and_what_is_stored_is_not_checked_again():
    groups = [{"name": "x", "test": "regular expression", "pattern": f"{i}" + r"\w{10}"} for i in range(5)]
    assert "too large together" in refused(SiteRules, hosts=["a.example"], page_groups=groups)
    with patch("polars.Series.str", side_effect=AssertionError("built")):
        assert len(SiteRules.model_validate({"hosts": ["a.example:80"], "page_groups": groups}, context=STORED).page_groups) == 5


@pytest.mark.parametrize(
    ("host", "said"), [("a.example:80", "leave out the port"), ("https://a.example/", "give the host alone"), ("a b", "this is not a host")]
)
def test_a_host_is_a_host_alone(host, said):
    assert said in refused(SiteRules, hosts=[host])


@pytest.mark.parametrize(
    "changes",
    [
        {"channels": [{"channel": "x", "any_of": [{"sources": ["a"] * 501}]}]},
        {"channels": [{"channel": "x", "any_of": [{"kinds": ["search"]}] * 21}]},
        {"channels": [{"channel": "x", "any_of": [{"sources": ["a"] * 500}] * 11}]},
        {"rates": {a + b + c: 1 for a in "ABCDEF" for b in "ABCDEF" for c in "ABCDEF"}},
    ],
)
def test_every_list_in_settings_has_a_limit(changes):
    assert "at most" in (said := refused(SiteRules, hosts=["a.example"], **changes)) or "more than" in said
