"""What other aliases and channels would move: worked examples, and any hits against reading them anew."""

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.asking import reading_of
from tests.core.building import DAY, HOME, MINUTE, REFERENCE, hit, numbered, rules, shards_of
from tests.core.strategies import hit_lists
from upper_compass.core.engine.dimensions import DIMENSIONS
from upper_compass.core.engine.selection import ReportFilter, Selection
from upper_compass.core.tagging.reclassification import FIELDS, reclassification_preview

EVER = ReportFilter(0, 2**62)
ALIASES = [
    {"field": "medium", "this": "E-Mail", "that": "newsletter"},
    {"field": "source", "this": "card", "that": "seekwell"},
    {"field": "campaign", "this": "spring sale", "that": "spring"},
    {"field": "label", "this": "card", "that": "postcard"},
]
CHANNELS = [{"channel": "Print", "any_of": [{"sources": ["card"]}]}, {"channel": "Rest", "any_of": [{}]}]


def moved(hits, ask=EVER, count=1, **drafted):
    return reclassification_preview(reading_of(numbered(hits), rules(), count), ask, rules(**drafted), REFERENCE)


def listed(found):
    return {(one.field, one.was, one.becomes): one.visits for one in found.moves}


def test_visits_move_from_unsorted_to_a_channel():
    hits = [hit(i * DAY, url=f"{HOME}?utm_source=fair&utm_medium=flyer-stand") for i in range(3)] + [
        hit(9 * DAY),
        hit(10 * DAY, "event", name="x", visitor="b"),
    ]
    channels = [{"channel": "Print", "any_of": [{"mediums": ["flyer stand"]}]}, *[rule.model_dump() for rule in rules().channels]]
    found = moved(hits, channels=channels)
    assert (found.visits, found.moved, listed(found)) == (5, 3, {("channel", "Unsorted", "Print"): 3})
    assert moved(hits, ReportFilter(0, 2 * DAY), channels=channels).moved == 2
    assert moved(hits).moves == []


def test_own_traffic_is_left_out_and_an_alias_moves_values():
    hits = [
        hit(0, url=HOME + "?utm_source=a&utm_medium=E-mail"),
        hit(0, visitor="b", url=HOME + "?utm_source=a&utm_medium=e_mail", internal=True, user_agent="x"),
    ]
    found = moved(hits, aliases=[{"field": "medium", "this": "e-mail", "that": "email"}])
    assert (found.visits, found.moved, listed(found)) == (1, 1, {("medium", "e-mail", "email"): 1})


def words_of(shard, visits):
    return {name: shard.lookups.labels.decode(DIMENSIONS[name].read(shard, visits)).to_list() for name in FIELDS}


@settings(max_examples=12)
@given(hits=hit_lists(), count=st.sampled_from((1, 3)))
def test_any_visits_move_to_where_they_are_read_anew(hits, count):
    """Judged per visit as it is cut today: its first view, read by the drafted rules alone."""
    drafted = rules(aliases=ALIASES, channels=CHANNELS, label_keys=["ref"])
    (shard,) = shards_of(hits, rules(), 1)
    visits = Selection(shard, EVER).visits
    before = words_of(shard, visits)
    lone = [hit(MINUTE, "event", visitor=f"v{place:06}", name="x") for place in range(len(visits))]
    for place, entry in enumerate(shard.visit("entry")[visits]):
        if entry >= 0:
            url, referrer = (shard.lookups.dictionaries[name].decode(shard.hit(name)[[entry]])[0] for name in ("url", "referrer"))
            lone[place] = hit(MINUTE, visitor=f"v{place:06}", url=url, referrer=referrer or None)
    expected = {}
    if lone:
        (alone,) = shards_of(numbered(lone), drafted, 1)
        whose = alone.lookups.dictionaries["visitor"].decode(alone.visit("visitor")).to_list()
        after = words_of(alone, np.argsort(whose).astype(np.int32))
        for name in FIELDS:
            for move in zip(before[name], after[name], strict=True):
                if move[0] != move[1]:
                    expected[name, *move] = expected.get((name, *move), 0) + 1
    found = reclassification_preview(reading_of(hits, rules(), count), EVER, drafted, REFERENCE)
    assert listed(found) == expected
