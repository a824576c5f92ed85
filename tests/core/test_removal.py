"""The removal effect, held against chains that are walked one after the other and solved anew without each value."""

import itertools

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.asking import ask_series, reading_of
from tests.core.building import DAY, HOME, MINUTE, REFERENCE, hit, numbered, rules
from tests.core.crediting import BOOKED, PERIOD, column, rows_of, table_of
from tests.core.oracle import visits_of
from tests.core.strategies import hit_lists
from tests.core.test_attribution import OF_HIT, OF_VISIT, START, STOP, booked, order
from upper_compass.core.engine.dimensions import UnknownNameError

pytestmark = pytest.mark.usefixtures("early_years")
REMOVAL = {"model": "removal effect"}


def values_of(visits, dimension):
    """(first hit, value) of each touch of visits of one visitor."""
    found = []
    for visit in visits:
        if dimension in OF_VISIT:
            found.append((visit.hits[0], OF_VISIT[dimension](visit), visit.source[:2] == ("direct", "none")))
            continue
        valued = [(one, OF_HIT[dimension](one), False) for one in visit.hits if OF_HIT[dimension](one)]
        found += [first for i, first in enumerate(valued) if i == 0 or valued[i - 1][1] != first[1]]
    return found


def told(touches, *, counts_direct):
    """Direct ones are passed over where there is another."""
    others = [one for one in touches if counts_direct or not one[2]]
    return [value for _, value, _ in others or touches]


def chains_of(hits, dimension, reach, *, counts_direct):
    """All chains, each with whether it converts; and the conversions (how many, their value) with a touch and without, by the text of the rules."""
    chains, touched, untouched = [], [0, 0.0], [0, 0.0]
    visits = [visit for visit in visits_of(hits, rules(), REFERENCE) if not visit.excluded]
    for visitor in sorted({visit.visitor for visit in visits}):
        own = [visit for visit in visits if visit.visitor == visitor]
        made = sorted(((one, worth, visit) for visit in own for one, worth in booked(visit)), key=lambda one: order(one[0]))
        for i, (converted, worth, visit) in enumerate(made):
            if not START <= converted["at"] < STOP:
                continue
            near = [
                one
                for one in own
                if order(one.hits[0]) <= order(converted) and (one is visit if reach == "own visit" else one.start >= converted["at"] - reach * DAY)
            ]
            touches = [one for one in values_of(near, dimension) if order(one[0]) <= order(converted)]
            chain = told([one for one in touches if i == 0 or order(one[0]) > order(made[i - 1][0])], counts_direct=counts_direct)
            of = touched if chain else untouched
            of[0], of[1] = of[0] + 1, of[1] + worth
            if chain:
                chains.append((chain, True))
        before = [one for one, _, _ in made if one["at"] < STOP]
        late = [visit for visit in own if START - (0 if reach == "own visit" else reach * DAY) <= visit.start < STOP]
        ways = [[visit] for visit in late if not any(one[0] in visit.hits for one in made if one[0]["at"] < STOP)] if reach == "own visit" else [late]
        for way in ways:
            chain = told([one for one in values_of(way, dimension) if not before or order(one[0]) > order(before[-1])], counts_direct=counts_direct)
            if chain:
                chains.append((chain, False))
    return chains, touched, untouched


def converted_share(chains, without=None):
    """The probability of reaching *converted*, from the first-order chain of these ways, with a value leading to nothing."""
    values = sorted({value for chain, _ in chains for value in chain})
    at = {value: i for i, value in enumerate(values)}
    counts, won = np.zeros((len(values), len(values))), np.zeros(len(values))
    begins, leaves = np.zeros(len(values)), np.zeros(len(values))
    for chain, converts in chains:
        begins[at[chain[0]]] += 1
        for value in chain:
            leaves[at[value]] += 1
        for here, there in itertools.pairwise(chain):
            counts[at[here], at[there]] += 1
        won[at[chain[-1]]] += converts
    step, end, begin = counts / leaves[:, None], won / leaves, begins / begins.sum()
    if without is not None:
        step[:, at[without]], begin[at[without]] = 0, 0
    return float(begin @ np.linalg.solve(np.eye(len(values)) - step, end))


@given(hit_lists(), st.booleans(), st.sampled_from([*OF_VISIT, *OF_HIT]), st.sampled_from(["own visit", 1, 30]), st.booleans(), st.sampled_from([1, 3]))
@settings(max_examples=40)
def test_any_removal_effect_is_that_of_chains_solved_without_the_value(hits, all_book, dimension, reach, counts_direct, shards):
    hits = [one | {"name": "book"} if all_book and one["kind"] == "event" else one for one in hits]
    more = REMOVAL | {"reach": reach, "counts_direct": counts_direct}
    ours, total = rows_of(reading_of(hits, count=shards), [dimension], [column(**more), column("value", **more)])
    chains, touched, untouched = chains_of(hits, dimension, reach, counts_direct=counts_direct)
    theirs = {}
    whole = converted_share(chains) if chains else 0
    if whole > 0:
        effect = {value: 1 - converted_share(chains, value) / whole for value in {value for chain, _ in chains for value in chain}}
        for value, one in effect.items():
            theirs[(value,)] = tuple(one / sum(effect.values()) * part for part in touched)
    if untouched[0]:
        theirs[("",)] = tuple(a + b for a, b in zip(theirs.get(("",), (0, 0)), untouched, strict=True))
    assert {key: row for key, row in ours.items() if any(abs(one) > 1e-9 for one in row)} == {
        key: pytest.approx(row, rel=1e-7, abs=1e-9) for key, row in theirs.items() if any(abs(one) > 1e-9 for one in row)
    }
    assert [sum(row[i] for row in ours.values()) for i in (0, 1)] == pytest.approx(total, rel=1e-9)


def visits(*ways):
    """Each way: a visitor, who comes by these sources a day apart, and books in the last visit where it ends so."""
    hits = []
    for who, (sources, books) in enumerate(ways):
        hits += [hit((i + 1) * DAY + who * MINUTE, visitor=str(who), url=f"{HOME}?utm_source={source}&utm_medium=x") for i, source in enumerate(sources)]
        if books:
            hits.append(
                hit(
                    10 * DAY + len(sources) * DAY // 10 + who * MINUTE,
                    "event",
                    visitor=str(who),
                    name="book",
                    url=f"{HOME}?utm_source={sources[-1]}&utm_medium=x",
                )
            )
    return numbered(hits)


def test_it_says_how_many_touches_it_rests_on_and_when_these_are_too_few():
    found = table_of(reading_of(visits(*[("ab", True), ("b", False)] * 20, ("c", True))), ["source"], [column(**REMOVAL)])
    [one] = found.columns
    by = {row[0]: (one.touches[i], one.few[i], one.effect[i]) for i, row in enumerate(found.rows)}
    assert {key: row[0] for key, row in by.items()} == {"a": 20, "b": 40, "c": 1}
    assert {key for key, row in by.items() if row[1]} == {"a", "c"}
    assert all(0 <= row[2] <= 1 for row in by.values())


def test_it_has_no_course_and_children_share_what_their_parent_has():
    hits = visits(*[("ab", True), ("b", False), ("ba", True)] * 5)
    reading = reading_of(hits)
    parent = table_of(reading, ["medium"], [column(**REMOVAL)])
    below = table_of(reading, ["medium", "source"], [column(**REMOVAL)], parents=["x"])
    assert sum(below.columns[0].values) == pytest.approx(parent.columns[0].values[parent.rows.index(["x"])])
    assert len(below.rows) == 2
    with pytest.raises(UnknownNameError, match="no course"):
        ask_series(reading, BOOKED, **PERIOD, columns=[column(**REMOVAL)], bucket="day", dimensions=["source"], rows=[["a"]])


def test_more_values_than_a_chain_is_worked_out_for_are_refused():
    hits = [hit(11 * DAY + i, visitor=str(i), url=f"{HOME}p{i}") for i in range(1_001)]
    hits.append(hit(11 * DAY + 2_000, "event", visitor="0", name="book", url=f"{HOME}p0"))
    with pytest.raises(UnknownNameError, match=r"up to 1,000 values; here are 1,001"):
        rows_of(reading_of(numbered(hits)), ["page"], [column(**REMOVAL)])
    fine, total = rows_of(reading_of(numbered(hits[:1] + hits[2:])), ["page"], [column(**REMOVAL)])
    assert (total, sum(row[0] for row in fine.values())) == ([1], 1)


def test_a_robot_of_very_many_touches_and_conversions_does_not_stop_it():
    hits = [hit(DAY + i * 40 * 1000, visitor="robot", url=f"{HOME}?utm_source=s{i % 5}&utm_medium=email") for i in range(20_000)]
    hits += [hit(11 * DAY + i * 1000, "event", visitor="robot", name="book", value=3, url=HOME) for i in range(2_000)]
    ours, total = rows_of(reading_of(numbered(hits)), ["source"], [column(**REMOVAL)])
    assert total == [2_000] and sum(row[0] for row in ours.values()) == pytest.approx(2_000)


def test_who_never_converts_counts_and_a_segment_takes_no_touches_from_conversions():
    ways = visits(*[("ab", True), ("b", False)] * 10)
    both, _ = rows_of(reading_of(ways), ["source"], [column(**REMOVAL)])
    converting, _ = rows_of(reading_of([one for one in ways if int(one["visitor"]) % 2 == 0]), ["source"], [column(**REMOVAL)])
    # Of those who came by b alone none converted, so of all that come to b fewer do; a is as much worth as before.
    assert both[("a",)][0] + both[("b",)][0] == pytest.approx(10) == pytest.approx(converting[("a",)][0] + converting[("b",)][0])
    only_direct = {"where": {"conditions": [{"kind": "dimension", "dimension": "source", "test": "is", "values": ["direct"]}]}}
    narrowed, total = rows_of(reading_of(ways), ["source"], [column(**REMOVAL)], segment=only_direct)
    assert total == [10]  # they book in a direct visit, days after
    assert {key[0] for key, row in narrowed.items() if row[0] > 0} == {"a", "b"}
