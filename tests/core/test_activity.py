"""Forms, media and promotions: worked examples, and the sums of random hits against a plain oracle, in one shard and in eleven."""

import json
from statistics import median_low

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.asking import reading_of
from tests.core.building import HOME, hit, numbered
from upper_compass.core.definitions.goals import Goal
from upper_compass.core.reports.activity import ActivityRequest, activity

BOOKED = Goal.model_validate({"match": {"kind": "event", "names": ["book"]}, "counts": "every time"})
pytestmark = pytest.mark.usefixtures("early_years")
SECOND = 1000


def event(at, name, visitor="anna", **props):
    return hit(at * SECOND, "event", name=name, visitor=visitor, url=HOME, props=json.dumps(props))


def ask(hits, count=1, **more):
    asked = ActivityRequest.model_validate({"period": {"first": "1970-01-01", "last": "1970-01-02"}, "goal": 1} | more)
    return activity(reading_of(numbered(hits), count=count), asked, {1: BOOKED})


def test_a_form_is_seen_begun_sent_and_left_in_a_field():
    hits = [
        event(0, "form view", form="ask"), event(10, "form start", form="ask"), event(40, "form submit", form="ask"),
        event(0, "form view", "ben", form="ask"), event(5, "form start", "ben", form="ask"),
        event(8, "form leave", "ben", form="ask", field="phone"), event(9, "form leave", "ben", form="ask", field="address"),
        event(0, "form start", "cid", form="ask"), event(3, "form leave", "cid", form="ask", field="name"), event(20, "form submit", "cid", form="ask"),
        event(0, "form view", "dan", form="ask"), event(0, "form view", "dan", form="letter"), event(1, "form submit", "eve", form="ask"),
    ]  # fmt: skip
    found = ask(hits)
    assert [one.model_dump() for one in found.forms] == [
        {"form": "ask", "seen": 5, "begun": 4, "sent": 3, "seconds": 20.0, "left_at": [{"field": "address", "visits": 1}]},
        {"form": "letter", "seen": 1, "begun": 0, "sent": 0, "seconds": None, "left_at": []},
    ]
    assert found.form_count == 2
    assert [one.form for one in ask(hits, limit=1).forms] == ["ask"]


def test_a_medium_is_followed_to_where_people_stop():
    def watched(visitor, *percents, plays=1):
        told = [event(0, "media start", visitor, media="loaf.webm")] * plays
        return told + [event(2 + one, "media progress", visitor, media="loaf.webm", percent=one, position_s=one * 2) for one in percents]

    [loaf] = ask([*watched("anna", 25, 50, 100), *watched("ben", 25, 33), *watched("cid", plays=2), *watched("dan", 50)]).media
    assert (loaf.visits, loaf.plays, loaf.seconds, loaf.mean_share, loaf.to_end) == (4, 5, 366, pytest.approx(1.83 / 4), 1)
    assert (loaf.reached[0], loaf.reached[5], loaf.reached[7], loaf.reached[10], loaf.reached[11], loaf.reached[20]) == (4, 3, 2, 2, 1, 1)


def test_a_promotion_is_seen_clicked_and_followed_by_conversions():
    hits = [
        event(0, "promo view", promo="rye"), event(5, "promo click", promo="rye"), event(9, "book"), event(10, "book"),
        event(0, "promo view", "ben", promo="rye"), event(5, "book", "ben"),
        event(0, "book", "cid"), event(5, "promo click", "cid", promo="rye"),
    ]  # fmt: skip
    [rye] = ask(hits).promotions
    assert (rye.seen, rye.clicked, rye.conversions, rye.converting) == (3, 2, 2, 1)
    assert ask(hits, goal=None).promotions[0].conversions == 0


def test_nothing_is_an_answer_and_strange_properties_are_none():
    assert ask([hit(0)]).model_dump() == {"forms": [], "form_count": 0, "media": [], "media_count": 0, "promotions": [], "promotion_count": 0}
    strange = ask(
        [
            event(0, "media start", media=""),
            event(1, "media progress", media="a", percent="most", position_s=1e300),
            event(2, "form view", form=7),
            event(3, "form view"),
        ]
    )
    assert [(one.media, one.visits, one.plays, one.mean_share, one.seconds) for one in strange.media] == [("a", 1, 0, 0, 86_400)]
    assert [one.form for one in strange.forms] == ["7"]


EVENTS = st.lists(
    st.tuples(
        st.integers(0, 600),
        st.sampled_from(["form view", "form start", "form submit"]),
        st.sampled_from(["anna", "ben", "cid"]),
        st.sampled_from(["ask", "letter"]),
    ),
    max_size=25,
)


@given(EVENTS, st.sampled_from((1, 11)))
@settings(max_examples=12)
def test_forms_agree_with_a_plain_count(given_events, count):
    hits = sorted((event(at, name, visitor, form=form) for at, name, visitor, form in given_events), key=lambda one: one["at"])
    found = {one.form: one for one in ask([*hits, hit(0)], count=count).forms}
    for form in ("ask", "letter"):
        own = [[(at, name) for at, name, who, of in given_events if (who, of) == (visitor, form)] for visitor in ("anna", "ben", "cid")]
        own = [sorted(one) for one in own if one]
        if not own:
            assert form not in found
            continue
        named = [{name for _, name in one} for one in own]
        took = []
        for one in own:
            starts = [at for at, name in one if name == "form start"]
            ends = [at for at, name in one if name == "form submit" and starts and at >= min(starts)]
            took += [min(ends) - min(starts)] if ends else []
        row = found[form]
        assert (row.seen, row.begun, row.sent) == (
            len(own),
            sum(bool(one & {"form start", "form submit"}) for one in named),
            sum("form submit" in one for one in named),
        )
        assert row.seconds == (median_low(took) if took else None)
