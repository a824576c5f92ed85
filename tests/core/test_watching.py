"""The newest hits, who is on the site, single visits and why they came from where they did."""

from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.asking import UTC, reading_of
from tests.core.building import DAY, HOME, MINUTE, REFERENCE, hit, numbered, raw_frame, rules
from tests.core.strategies import hit_lists
from upper_compass.core.definitions.goals import Goal
from upper_compass.core.definitions.site_rules import Alias
from upper_compass.core.engine.context import ReportContext
from upper_compass.core.engine.selection import ReportFilter
from upper_compass.core.reports.real_time import arrivals, newest_seq, present
from upper_compass.core.reports.visit_list import latest_visits, visit_detail
from upper_compass.frames import site_dataset

BOOKED = Goal.model_validate({"match": {"kind": "event", "names": ["book"]}, "counts": "every time", "value": {"kind": "hit"}})
ALWAYS = ReportFilter(0, 10**15, BOOKED, with_excluded=True)
MAIL = "?utm_source=Letter&utm_medium=E-mail&utm_campaign=Spring+Sale"


@given(hit_lists(most=30), st.integers(0, 12), st.integers(1, 8))
@settings(max_examples=10)
def test_arrivals_are_the_newest_hits_each_once_also_of_visitors_who_were_taken_over(hits, after, limit):
    ordered = sorted(hits, key=lambda one: one["seq"])
    frames = site_dataset.advance(site_dataset.start(rules(), REFERENCE), [raw_frame(ordered[: len(ordered) // 2])], len(ordered) // 2)
    frames = site_dataset.advance(frames, [raw_frame(ordered[len(ordered) // 2 :])], len(ordered))
    found, left_out = arrivals(ReportContext(frames.shards, UTC), after, limit)
    expected = [one for one in reversed(ordered) if one["seq"] > after]
    assert [one.seq for one in found] == [one["seq"] for one in expected[:limit]]
    assert left_out == len(expected) - len(found)
    assert [(one.kind, one.visitor, one.internal) for one in found] == [(one["kind"], one["visitor"], one["internal"]) for one in expected[:limit]]
    of_a, _ = arrivals(ReportContext(frames.shards, UTC), after, 100, "a")
    assert [one.seq for one in of_a] == [one["seq"] for one in expected if one["visitor"] == "a"]
    assert newest_seq(ReportContext(frames.shards, UTC)) == len(ordered)


def test_an_arrival_says_what_it_is_and_where_its_visit_came_from():
    hits = [hit(DAY, url=f"{HOME}courses{MAIL}", title="<b>Courses</b>"), hit(DAY + 1, "event", name="book", value=9.5, props='{"course":"rye"}')]
    newest, view = arrivals(reading_of(numbered(hits)), 0, 10)[0]
    assert (newest.name, newest.value, newest.props, newest.visit) == ("book", 9.5, {"course": "rye"}, 1)
    assert (newest.channel, newest.source, newest.medium, newest.campaign) == ("Email", "letter", "e-mail", "spring-sale")
    assert (view.page, view.host, view.title, view.kind) == ("/courses", "mill.example", "<b>Courses</b>", "view")
    assert arrivals(reading_of(numbered(hits)), 0, 10, "nobody") == ([], 0)


def test_who_is_there_by_the_page_they_saw_last_robots_and_own_people_left_out():
    now = 10 * DAY
    hits = [
        hit(now - 40 * MINUTE, visitor="long gone"),
        hit(now - 20 * MINUTE, visitor="a", url=f"{HOME}shop?via=card"),
        hit(now - 2 * MINUTE, visitor="a", url=f"{HOME}courses"),
        hit(now - MINUTE, "event", visitor="a", name="book"),
        hit(now - MINUTE, "event", visitor="a", name="book"),
        hit(now - 10 * MINUTE, visitor="b", url=f"{HOME}courses"),
        hit(now - MINUTE, visitor="robot", robot=True, user_agent="crawler"),
        hit(now - MINUTE, visitor="own", internal=True),
    ]
    for count in (1, 3):
        found = present(reading_of(numbered(hits), count=count), now)
        assert (found.five, found.thirty) == (1, 2)
        assert [(one.value, one.visitors) for one in found.pages] == [("/courses", 2)]
        assert [(one.value, one.visitors) for one in found.sources] == [("card", 1), ("direct", 1)]
        assert [(one.value, one.visitors) for one in found.events] == [("book", 1)]
    assert present(reading_of([]), now).thirty == 0


@given(hit_lists(most=30), st.integers(1, 4), st.integers(1, 3))
@settings(max_examples=10)
def test_leafing_through_visits_shows_each_once_newest_first(hits, limit, count):
    read = reading_of(sorted(hits, key=lambda one: one["seq"]), count=count)
    leafed, after = [], None
    while True:
        found = latest_visits(read, ALWAYS, limit, after)
        leafed += found.visits
        if found.next is None:
            break
        after = found.next
    assert len(leafed) == found.count == len({(one.visitor, one.number) for one in leafed}) == sum(len(shard.derived.visits) for shard in read.shards.main)
    assert [one.start for one in leafed] == sorted((one.start for one in leafed), reverse=True)
    for one in leafed[:3]:
        detail = visit_detail(read, one.visitor, one.number, BOOKED)
        assert detail.visit == one
        assert len(detail.conversions) == one.conversions
        assert sum(detail.conversions.values()) == one.value
        assert detail.why.channel == one.channel
        assert sum(1 for each in detail.hits if each.kind == "view") == one.views
        assert len(detail.others) == sum(1 for each in leafed if each.visitor == one.visitor) - 1
    assert visit_detail(read, "a", 1000, BOOKED) is None


def why(url=HOME, referrer=None, **changes):
    return visit_detail(reading_of(numbered([hit(0, url=url, referrer=referrer)]), rules(**changes)), "a", 1, None).why


def test_why_names_the_evidence_the_alias_and_the_place_of_the_rule():
    found = why(f"{HOME}{MAIL}", aliases=[Alias(field="medium", this="e-mail", that="email")])
    assert (found.evidence, found.key, found.channel, found.rule) == ("tags", "utm_source", "Email", 5)
    assert [(one.field, one.given, one.tidied, one.used) for one in found.spellings] == [
        ("source", "Letter", "letter", "letter"),
        ("medium", "E-mail", "e-mail", "email"),
        ("campaign", "Spring Sale", "spring-sale", "spring-sale"),
    ]
    assert (why(f"{HOME}?swid=1").evidence, why(f"{HOME}?swid=1").key) == ("click id", "swid")
    assert (why(f"{HOME}?ref=Card").key, why(f"{HOME}?ref=Card").channel) == ("ref", "Referral")
    referred = why(referrer="https://www.seekwell.example/?q=rye")
    assert (referred.evidence, referred.key, referred.kind, referred.channel) == ("referrer", "seekwell.example", "search", "Organic search")
    assert (why().evidence, why().channel, why().spellings) == ("none", "Direct", [])
    assert why(f"{HOME}?utm_source=x&utm_medium=new-thing").rule is None
