"""Visits: worked examples, then any hits against the slow oracle."""

import polars as pl
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.building import DAY, HOME, MINUTE, REFERENCE, hit, numbered, rules, shards_of
from tests.core.oracle import visits_of
from tests.core.strategies import hit_lists
from upper_compass.core.dataset import coded_hits as order
from upper_compass.core.dataset import visits as derivation


def visits(*hits, **changes):
    shard = shards_of(numbered(hits), rules(**changes))[0]
    words = shard.lookups.labels
    table = shard.derived.visits.to_dicts()
    for row in table:
        row["source"] = tuple(str(words.texts[int(shard.lookups[name][row["traffic_source"]])]) for name in ("source", "medium", "campaign"))
    return table


def test_a_pause_of_more_than_the_gap_begins_a_new_visit_and_exactly_the_gap_does_not():
    assert len(visits(hit(0), hit(30 * MINUTE))) == 1
    assert [v["number"] for v in visits(hit(0), hit(30 * MINUTE + 1))] == [1, 2]
    assert len(visits(hit(0), hit(11 * MINUTE), visit_gap_minutes=10)) == 2


def test_midnight_ends_nothing():
    assert len(visits(hit(DAY - MINUTE), hit(DAY + MINUTE))) == 1


def test_other_evidence_begins_a_new_visit_and_the_same_does_not():
    tagged = HOME + "?utm_source=Letter&utm_medium=email"
    assert [v["source"] for v in visits(hit(0, url=tagged), hit(1, url=tagged), hit(2), hit(3, url=HOME + "?via=card"))] == [
        ("letter", "email", ""),
        ("card", "link", ""),
    ]


def test_evidence_on_a_later_view_ends_a_direct_visit_but_the_first_view_after_an_event_gives_the_source():
    tagged = HOME + "?via=card"
    assert [v["source"][0] for v in visits(hit(0), hit(1, url=tagged))] == ["direct", "card"]
    assert [v["source"][0] for v in visits(hit(0, "event", name="x"), hit(1, url=tagged))] == ["card"]


def test_evidence_that_says_direct_does_not_part_a_direct_visit():
    assert len(visits(hit(0), hit(1, url=HOME + "?utm_source=direct&utm_medium=none"))) == 1


def test_an_engage_after_a_long_pause_adds_its_time_without_moving_the_end():
    table = visits(hit(0), hit(40 * MINUTE, "engage", engaged_ms=5000), hit(41 * MINUTE, "engage", engaged_ms=1), hit(45 * MINUTE))
    assert [(v["engaged"], v["end"] - v["start"]) for v in table] == [(5001, 0), (0, 0)]
    assert visits(hit(0), hit(20 * MINUTE, "engage", engaged_ms=1), hit(45 * MINUTE))[0]["end"] == 45 * MINUTE


def test_an_engage_before_any_visit_is_ignored():
    shard = shards_of(numbered([hit(0, "engage", engaged_ms=9), hit(1)]))[0]
    assert list(shard.derived.visit_of) == [-1, 0]
    assert shard.visit("engaged")[0] == 0


def test_bounce_looks_at_views_active_events_and_orders():
    assert visits(hit(0))[0]["bounce"]
    assert visits(hit(0), hit(1, "event", name="scroll depth"))[0]["bounce"]
    assert not visits(hit(0), hit(1, "event", name="book"))[0]["bounce"]
    assert not visits(hit(0), hit(1, "order", value=5))[0]["bounce"]
    assert not visits(hit(0), hit(1))[0]["bounce"]
    assert not visits(hit(0, "event", name="scroll depth"))[0]["bounce"]


def test_equal_times_keep_the_order_of_arrival():
    table = visits(hit(5, url=HOME + "b"), hit(5, url=HOME + "a"))
    assert (table[0]["entry"], table[0]["exit"]) == (0, 1)
    shard = shards_of(numbered([hit(5, url=HOME + "b"), hit(5, url=HOME + "a")]))[0]
    assert str(shard.lookups.dictionaries["url"].texts[int(shard.hit("url")[0])]) == HOME + "b"


def test_a_visit_is_hidden_by_its_first_hit_with_a_user_agent_and_is_numbered_like_any_other():
    crawler = {"user_agent": "crawler", "robot": True}
    table = visits(hit(0), hit(1, **crawler), hit(2, user_agent="person"), hit(DAY))
    assert [(v["excluded"], v["number"]) for v in table] == [(True, 1), (False, 2)]


def test_attributes_are_those_of_the_first_hit_that_has_them():
    shard = shards_of(numbered([hit(0), hit(1, language="de-AT", timezone="Europe/Berlin"), hit(2, language="en", country="FR")]))[0]
    words = shard.lookups.labels.texts
    assert [str(words[int(shard.visit(name)[0])]) for name in ("language", "country")] == ["de", "DE"]


@given(hit_lists())
@settings(max_examples=50)
def test_any_hits_become_the_visits_of_the_oracle(hits):
    shard = shards_of(hits)[0]
    texts = shard.lookups.dictionaries["visitor"].texts
    words = shard.lookups.labels.texts
    mine = []
    for v in shard.derived.visits.to_dicts():
        source = tuple(str(words[int(shard.lookups[name][v["traffic_source"]])]) for name in ("source", "medium", "campaign", "content", "term", "label"))
        mine.append((str(texts[v["visitor"]]), v["number"], v["start"], v["end"], v["engaged"], v["views"], v["bounce"], v["excluded"], source))
    theirs = [
        (
            v.visitor,
            v.number,
            v.start,
            v.end,
            sum(h.get("engaged_ms") or 0 for h in v.hits if h["kind"] == "engage"),
            len(v.views),
            v.bounce,
            v.excluded,
            v.source,
        )
        for v in visits_of(hits, rules(), REFERENCE)
    ]
    assert sorted(mine) == sorted(theirs)


@given(hit_lists(most=60))
@settings(max_examples=15)
def test_blocks_of_visitors_change_nothing(hits):
    whole = shards_of(hits)[0]
    held, derivation.BLOCK = derivation.BLOCK, 5
    try:
        parts = shards_of(hits)[0]
    finally:
        derivation.BLOCK = held
    assert parts.derived.visits.equals(whole.derived.visits)
    assert list(parts.derived.visit_of) == list(whole.derived.visit_of)


@given(st.lists(st.tuples(st.integers(1, 3), st.integers(0, 2)), max_size=30), st.booleans())
@settings(max_examples=60)
def test_hits_are_put_in_order_of_visitor_time_and_arrival(rows, narrow):
    frame = pl.DataFrame({"visitor": [v for v, _ in rows], "at": [t for _, t in rows]}, schema={"visitor": pl.UInt32, "at": pl.Int64})
    frame = frame.with_columns(pl.int_range(pl.len()).reverse().alias("seq"))
    held, order.KEY_BITS = order.KEY_BITS, 1 if narrow else 62
    try:
        assert order.in_order(frame).equals(frame.sort("visitor", "at", "seq"))
    finally:
        order.KEY_BITS = held
