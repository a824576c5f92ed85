"""What drives a goal: pages seen before conversions, held against visits of the same channels that did not see them, one visit after the other."""

from math import sqrt

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from statsmodels.stats.proportion import proportion_confint

from tests.core.asking import ask_table, reading_of
from tests.core.building import DAY, MINUTE, REFERENCE, hit, numbered, rules
from tests.core.oracle import page_of, visits_of
from upper_compass.core.definitions.goals import Goal
from upper_compass.core.reports.drivers import DriversRequest, drivers

pytestmark = pytest.mark.usefixtures("early_years")
GOAL = Goal.model_validate({"match": {"kind": "event", "names": ["book"]}, "counts": "every time"})
HOME = "https://site.example/"
PERIOD = {"first": "1970-01-01", "last": "1970-01-02"}


def asked(hits, shards=1, **more):
    request = DriversRequest.model_validate({"period": PERIOD, "goal": 1} | more)
    return drivers(reading_of(hits, count=shards), request, {1: GOAL})


HITS = st.lists(
    st.tuples(st.integers(0, 5), st.integers(0, 2 * DAY // MINUTE), st.sampled_from(["a", "b", "c", "book"]), st.sampled_from(["", "?via=card", "?via=mail"])),
    max_size=60,
)


def hits_of(drawn):
    made = sorted(drawn, key=lambda one: one[1])
    return numbered([
        hit(at * MINUTE, "event", visitor=str(who), name="book", url=HOME + tag) if page == "book" else hit(at * MINUTE, visitor=str(who), url=f"{HOME}{page}{tag}")
        for who, at, page, tag in made
    ])  # fmt: skip


def by_hand(hits):
    """{page: (seen, converting, without, difference, low, high)} of each page that was seen before a conversion; visit by visit."""
    told = ask_table(reading_of(hits), **PERIOD, dimensions=["channel", "label"], limit=100).rows
    channel_of = {row.keys[1]: row.keys[0] for row in told}
    visits = []
    for visit in visits_of(hits, rules(), REFERENCE):
        if not visit.excluded and visit.start < 2 * DAY:
            booked = next((i for i, one in enumerate(visit.hits) if one.get("name") == "book"), None)
            before = visit.hits if booked is None else visit.hits[:booked]
            pages = {page_of(one["url"]) for one in before if one["kind"] == "view"}
            visits.append((channel_of[visit.source[5]], pages, booked is not None))
    wilson = lambda k, n: proportion_confint(k, n, method="wilson")  # noqa: E731
    found = {}
    for page in {page for _, pages, converts in visits if converts for page in pages}:
        saw = [(channel, converts) for channel, pages, converts in visits if page in pages]
        others = [(channel, converts) for channel, pages, converts in visits if page not in pages]
        shared = {channel for channel, _ in saw} & {channel for channel, _ in others}
        of = [converts for channel, converts in saw if channel in shared]
        without, up, down = 0.0, 0.0, 0.0
        for channel in shared:
            weight = sum(one == channel for one, _ in saw) / len(of)
            rest = [converts for one, converts in others if one == channel]
            low, high = wilson(sum(rest), len(rest))
            share = sum(rest) / len(rest)
            without, up, down = without + weight * share, up + (weight * (high - share)) ** 2, down + (weight * (share - low)) ** 2
        row = (len(saw), sum(converts for _, converts in saw))
        if of:
            rate, (low, high) = sum(of) / len(of), wilson(sum(of), len(of))
            gap = rate - without
            row += (without, gap, gap - sqrt((rate - low) ** 2 + up), gap + sqrt((high - rate) ** 2 + down))
        else:
            row += (None,) * 4
        found[page] = row
    return found, len(visits), sum(converts for _, _, converts in visits)


@settings(max_examples=30)
@given(HITS, st.sampled_from([1, 3]))
def test_pages_are_held_against_visits_of_the_same_channels(drawn, shards):
    hits = hits_of(drawn)
    theirs, visits, converting = by_hand(hits)
    found = asked(hits, shards)
    assert (found.visits, found.converting, found.page_count) == (visits, converting, len(theirs))
    ours = {one.page: (one.seen, one.converting, one.without, one.difference, one.low, one.high) for one in found.pages}
    assert ours == {page: tuple(part if part is None else pytest.approx(part, abs=1e-9) for part in row) for page, row in theirs.items()}
    for one in found.pages:
        mine = [(part.converting / part.seen, part.others_converting / part.others, part.seen) for part in one.channels]
        whole = sum(seen for *_, seen in mine)
        assert one.difference is None or one.difference == pytest.approx(sum((rate - other) * seen for rate, other, seen in mine) / whole)
    assert [one.converting for one in found.pages] == sorted((one.converting for one in found.pages), reverse=True)


@settings(max_examples=20)
@given(HITS)
def test_what_else_is_said_of_a_page_is_what_its_table_says(drawn):
    hits = hits_of(drawn)
    columns = [{"id": "entries", "measure": "entries"}, {"id": "credit", "measure": "conversions", "model": "linear"}]
    pages = ask_table(reading_of(hits), GOAL, **PERIOD, dimensions=["page"], columns=columns, limit=100)
    theirs = {row.keys[0]: (row.values["entries"], pytest.approx(row.values["credit"])) for row in pages.rows}
    for one in asked(hits).pages:
        assert (one.entries, one.credit) == theirs[one.page]
    channels = ask_table(reading_of(hits), GOAL, **PERIOD, dimensions=["channel"], measures=["visits", "value"], limit=100)
    ours = asked(hits).channels
    assert sorted(zip(ours.rows, *(one.values for one in ours.columns if one.id in ("visits", "value")), strict=True)) == sorted(
        (row.keys, row.values["visits"], row.values["value"]) for row in channels.rows
    )


def test_a_page_behind_the_conversion_was_not_seen_before_it_and_few_say_nothing():
    hits = []
    for visitor in range(40):
        start = visitor * 30 * MINUTE
        hits += [hit(start, visitor=str(visitor), url=f"{HOME}{'ab'[visitor % 2]}")]
        if visitor % 4 == 0:  # half of those who saw /a
            hits += [
                hit(start + MINUTE, "event", visitor=str(visitor), name="book", url=HOME),
                hit(start + 2 * MINUTE, visitor=str(visitor), url=f"{HOME}thanks"),
            ]
    found = asked(numbered(hits))
    [page] = found.pages
    assert (page.page, page.seen, page.converting, page.rate, page.without, page.few) == ("/a", 20, 10, 0.5, 0, False)
    assert page.low > 0.2
    assert asked(numbered(hits[:8])).pages[0].few
    assert asked(numbered(hits), pages=1).page_count == 1
    assert asked([]).pages == []
