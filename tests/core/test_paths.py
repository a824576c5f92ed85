"""Paths equal a plain walk along each visit: every node's visits, who converted, what comes next and who left; and a segment of a way holds those visits."""

from collections import Counter

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from tests.core.asking import reading_of
from tests.core.building import DAY, HOME, MINUTE, REFERENCE, hit, numbered, rules
from tests.core.oracle import page_of, visits_of
from tests.core.strategies import crowds, hit_lists
from upper_compass.core.definitions.goals import Goal
from upper_compass.core.definitions.paths import PathsRequest
from upper_compass.core.definitions.requests import TableRequest
from upper_compass.core.engine.dimensions import UnknownNameError
from upper_compass.core.reports.paths import paths
from upper_compass.core.reports.tables import table

pytestmark = pytest.mark.usefixtures("early_years")
FIRST, LAST = 10, 14
PERIOD = {"first": "1970-01-11", "last": "1970-01-14"}
BOOKED = {7: Goal.model_validate({"match": {"kind": "event", "names": ["book"]}})}
CENTRES = st.sampled_from([("page", "/"), ("page", "/courses"), ("event", "book"), ("device", "phone"), ("page", "/nowhere")])
STEPS = {"pages": ("page",), "events": ("event",), "pages and events": ("page", "event")}


def step_of(one, kinds):
    """A hit as a step, or none."""
    if one["kind"] == "view" and "page" in kinds:
        return ("page", page_of(one["url"]))
    return ("event", one["name"]) if one["kind"] == "event" and "event" in kinds else None


def way_of(visit, steps, centre):
    """The steps before the centre (the last one first) and behind it; none for a visit without it."""
    dimension, value = centre
    if dimension == "device":
        place = -1 if any(one["user_agent"] and "Mobile" in one["user_agent"] for one in visit.hits[:1]) else None
    else:
        place = next((i for i, one in enumerate(visit.hits) if step_of(one, (dimension,)) == (dimension, value)), None)
    if place is None:
        return None
    before, behind, last = [], [], None
    for i, one in enumerate(visit.hits):
        step = step_of(one, STEPS[steps])
        if step and step != last:
            if i != place:
                (before if i < place else behind).append(step)
            last = step
    return before[::-1], behind


def told(branches):
    """The chain of a node, its next steps, what is more, and who ended."""
    chain = tuple((one.of, one.value) for one in branches.chain)
    nodes = {(one.step.of, one.step.value): (one.visits, one.converted) for one in branches.nodes}
    return chain, nodes, (branches.more.values, branches.more.visits), (branches.ended.visits, branches.ended.converted)


def expected(ways, chain, most):
    """The same of plain ways: (steps, whether converted) of each visit."""
    going = [(steps[len(chain)] if len(steps) > len(chain) else None, done) for steps, done in ways if tuple(steps[: len(chain)]) == chain]
    counts, done = Counter(step for step, _ in going), Counter(step for step, converted in going if converted)
    ended = (counts.pop(None, 0), done.get(None, 0))
    ranked = sorted(counts, key=lambda step: (-counts[step], step[1], step[0] == "event"))
    nodes = {step: (counts[step], done[step]) for step in ranked[:most]}
    return chain, nodes, (len(ranked) - len(nodes), sum(counts[step] for step in ranked[most:])), ended


@st.composite
def asked(draw):
    steps = draw(st.sampled_from(list(STEPS)))
    kinds = STEPS[steps]
    step = st.sampled_from([("page", "/"), ("page", "/shop"), ("page", "/courses"), ("event", "book"), ("event", "file download")]).filter(
        lambda one: one[0] in kinds
    )
    chains = draw(st.lists(st.lists(step, max_size=5), min_size=1, max_size=4))
    return steps, draw(CENTRES), [((), 3), *((tuple(chain), draw(st.integers(1, 3))) for chain in chains)]


@given(st.one_of(hit_lists(40), crowds), asked(), st.sampled_from([1, 3]))
@settings(max_examples=40)
def test_any_paths_are_those_of_a_plain_walk(hits, question, shards):
    steps, centre, opened = question
    visits = [one for one in visits_of(hits, rules(), REFERENCE) if not one.excluded and FIRST * DAY <= one.start < (LAST) * DAY]
    # A visit of which no hit says the device has the first that does.
    is_known = centre[0] != "device" or all(one["user_agent"] for one in hits)
    known = [(way_of(visit, steps, centre), any(one["kind"] == "event" and one["name"] == "book" for one in visit.hits)) for visit in visits if is_known]
    ways = [(way, done) for way, done in known if way]
    nodes = [{"chain": [{"of": of, "value": value} for of, value in chain], "most": most} for chain, most in opened]
    plain = {"dimension": centre[0], "value": centre[1]}
    request = {"period": PERIOD, "versus": "none", "goal": 7, "steps": steps, "centre": plain, "forward": nodes, "backward": nodes}
    context = reading_of(hits, count=shards)
    found = paths(context, PathsRequest.model_validate(request), BOOKED)
    if is_known:
        assert found.centre.visits == len(ways)
        assert [told(one) for one in found.forward] == [expected([(way[1], done) for way, done in ways], *node) for node in opened]
        assert [told(one) for one in found.backward] == [expected([(way[0], done) for way, done in ways], *node) for node in opened]
    for one in (*found.forward, *found.backward):
        side = "forward" if one in found.forward else "backward"
        inside = sum(node.visits for node in one.nodes) + one.more.visits + one.ended.visits
        way = {"kind": "way", "steps": steps, "centre": plain, side: [step.model_dump() for step in one.chain]}
        assert visits_with(context, way) == inside  # next steps, with left, add up to the node
        assert visits_with(context, way | {"left" if side == "forward" else "arrived": True}) == one.ended.visits
        if one.nodes:
            other = "next_other_than" if side == "forward" else "before_other_than"
            assert visits_with(context, way | {other: [node.step.model_dump() for node in one.nodes]}) == one.more.visits


def visits_with(context, way):
    request = {"period": PERIOD, "versus": "none", "columns": [{"id": "visits", "measure": "visits"}], "segment": {"where": {"conditions": [way]}}}
    return table(context, TableRequest.model_validate(request), {}).total[0].values[0]


def walk(who, *pages, at=FIRST * DAY):
    return [hit(at + i * MINUTE, visitor=who, url=f"{HOME}{page}", user_agent=None) for i, page in enumerate(pages)]


STORY = numbered(
    [*(one for n in range(4) for one in walk(f"a{n}", "", "courses", "courses", "rye", "book")), *walk("b", "courses", "shop"), *walk("c", "", "courses")]
)


def story(**more):
    request = {"period": {"first": "1970-01-11", "last": "1970-01-11"}, "centre": {"dimension": "page", "value": "/courses"}} | more
    return paths(reading_of(STORY), PathsRequest.model_validate(request), {})


def test_the_largest_are_opened_three_steps_on_and_two_back():
    found = story()
    assert (found.centre.visits, found.centre.before) == (6, 0)
    assert [[step.value for step in one.chain] for one in found.forward] == [[], ["/rye"], ["/shop"], ["/rye", "/book"]]
    assert [(one.ended.visits, [(node.step.value, node.visits) for node in one.nodes]) for one in found.forward] == [
        (1, [("/rye", 4), ("/shop", 1)]), (0, [("/book", 4)]), (1, []), (4, []),
    ]  # fmt: skip
    assert [(one.ended.visits, [node.step.value for node in one.nodes]) for one in found.backward] == [(1, ["/"]), (5, [])]


def test_from_a_channel_visits_are_followed_from_where_they_begin():
    found = story(centre={"dimension": "channel", "value": "Direct"})
    assert [(node.step.value, node.visits) for node in found.forward[0].nodes] == [("/", 5), ("/courses", 1)]
    assert (found.backward[0].nodes, found.backward[0].ended.visits) == ([], 6)


def test_one_visit_of_very_many_hits_and_a_chain_of_nothing_do_not_stop_it():
    hits = numbered([hit(FIRST * DAY + i * 1000, visitor="robot", url=f"{HOME}{'ab'[i % 2]}", user_agent=None) for i in range(20_000)])
    chain = [{"value": page} for page in ("/b", "/a") * 6]
    request = {"period": PERIOD, "centre": {"dimension": "page", "value": "/a"}, "forward": [{"chain": chain}, {"chain": [{"of": "event", "value": "x"}]}]}
    found = paths(reading_of(hits), PathsRequest.model_validate(request), {})
    assert [(one.nodes[0].visits if one.nodes else None) for one in found.forward] == [1, None]


@pytest.mark.parametrize(
    "more", [{"steps": "hits"}, {"centre": {"dimension": "page"}}, {"forward": [{"chain": [{"value": "/"}] * 13}]}, {"forward": [{"most": 0}]}]
)
def test_what_are_no_paths_is_refused(more):
    with pytest.raises(ValidationError):
        story(**more)
    with pytest.raises(UnknownNameError):
        story(centre={"dimension": "nothing", "value": "x"})
