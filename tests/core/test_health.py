"""Tag health: each finding where something is wrong, none where all is well, and gone once it is mended."""

import json

import pytest

from tests.core.asking import reading_of
from tests.core.building import DAY, HOME, MINUTE, hit, numbered, rules
from upper_compass.core.definitions.goals import Goal
from upper_compass.core.definitions.requests import TableRequest
from upper_compass.core.reports.tables import table
from upper_compass.core.tag_health import HISTORY, Inspection, few_of_each, look
from upper_compass.core.tag_health.findings import AddAlias, IgnoreHost, TakeMedium, apply_fix

HOUR = 60 * MINUTE
MIDNIGHTS = [day * DAY for day in range(HISTORY + 1)]
TODAY = MIDNIGHTS[-1]
BOOKED = Goal.model_validate({"match": {"kind": "event", "names": ["book"]}})


def found(hits, site=None, goals=(), count=1, kind=None):
    site = site or rules()
    listed = look(Inspection(reading_of(numbered(hits), site, count), site, MIDNIGHTS, TODAY + 12 * HOUR, goals))
    return [one for one in listed if kind is None or one.kind == kind]


def tagged(count, query, first="v", day=40, **more):
    """Visits of as many visitors with these tags."""
    return [hit(day * DAY + i * MINUTE, visitor=f"{first}{i}", url=HOME + query, **more) for i in range(count)]


def test_all_is_well_where_nothing_is_wrong():
    assert found([hit(40 * DAY)]) == []
    assert found(tagged(20, "?utm_source=letter&utm_medium=email")) == []


@pytest.mark.parametrize("count", [1, 3])
def test_spellings_that_mean_the_same_are_joined_by_an_alias(count):
    hits = tagged(12, "?utm_source=letter&utm_medium=e-mail") + tagged(30, "?utm_source=letter&utm_medium=email", "w")
    hits += tagged(4, "?utm_source=leter&utm_medium=email", "x") + tagged(4, "?utm_source=letter&utm_medium=email&utm_campaign=sale-24", "y")
    hits += tagged(4, "?utm_source=letter&utm_medium=email&utm_campaign=sale-25", "z")
    listed = found(hits, count=count)
    assert [(one.kind, one.title, one.count) for one in listed] == [
        ("spelling", "The medium e-mail is spelled like email", 12), ("spelling", "The source leter is spelled like letter", 4),
    ]  # fmt: skip
    assert listed[0].cost == "12 visits in 30 days stand in a row of their own, beside 42 visits of email."
    site = rules()
    for one in listed:
        site = apply_fix(site, one.fix)
    assert found(hits, site) == []
    assert apply_fix(apply_fix(site, listed[0].fix, undo=True), listed[1].fix, undo=True) == rules()


@pytest.mark.usefixtures("early_years")
def test_what_a_finding_counts_is_the_figure_of_a_report_that_it_names():
    back = tagged(3, "", "o", referrer="https://tickets.mill.example/")
    hits = tagged(12, "?utm_source=letter&utm_medium=e-mail") + tagged(30, "?utm_source=letter&utm_medium=email", "w")
    hits += tagged(7, "?utm_source=fair&utm_medium=stand", "x")
    for n, message in enumerate(["x is undefined"] * 4 + ["y is undefined"] * 3):
        hits.append(hit(41 * DAY + n * MINUTE, "event", visitor=f"e{n}", name="script error", url=HOME, props=json.dumps({"message": message})))
    listed = found(hits + back)
    assert {one.kind for one in listed} >= {"spelling", "unsorted", "referrer", "script error"}
    for one in listed:
        values, days = one.figure.values, one.figure.days
        request = {
            "period": {"first": f"1970-{1 + (HISTORY - days) // 31:02}-{1 + (HISTORY - days) % 31:02}", "last": "1970-02-12"}, "versus": "none",
            "dimensions": list(values), "columns": [{"id": "n", "measure": one.figure.measure}], "limit": 1000,
        }  # fmt: skip
        told = table(reading_of(numbered(hits + back)), TableRequest.model_validate(request), {})
        assert dict(zip(map(tuple, told.rows), told.columns[0].values, strict=True))[tuple(values.values())] == one.count


def test_among_very_many_spellings_the_frequent_ones_are_compared():
    odd = [hit(40 * DAY + i, visitor=f"o{i}", url=f"{HOME}?utm_source=odd-{i % 3000:x}-source&utm_medium=email") for i in range(9000)]
    hits = odd + tagged(30, "?utm_source=letter&utm_medium=email", "w") + tagged(5, "?utm_source=leter&utm_medium=email", "x")
    hits += tagged(4, "?utm_source=Odd.7.source&utm_medium=email", "z")
    assert [one.title for one in found(hits)] == ["The source leter is spelled like letter", "The source odd-7-source is spelled like odd.7.source"]


def test_of_each_kind_the_weightiest_are_listed_and_how_many_more_there_are():
    hits = [hit(40 * DAY + i, visitor=f"o{i}", url=f"{HOME}?utm_source=fair&utm_medium=stand-{i % 130}") for i in range(130)]
    listed = found(hits + tagged(20, "?utm_source=fair&utm_medium=stall") + [hit(40 * DAY, robot=True, visitor="bot")])
    few = few_of_each(listed)
    assert (len(listed), [one.key for one in few]) == (132, [one.key for one in listed[:100]] + ["robots", "more unsorted"])
    assert (few[0].key, few[-1].title) == ("unsorted stall", "31 more of the kind unsorted")
    assert few_of_each(few[:-1]) == few[:-1]


def test_what_is_tagged_and_unsorted_is_given_a_channel():
    hits = tagged(40, "?utm_source=fair&utm_medium=stand")
    (one,) = found(hits)
    assert (one.kind, one.severity, one.count, one.examples) == ("unsorted", "high", 40, ["fair"])
    for channel in ("Print and QR", "Fairs"):
        fix = TakeMedium(medium="stand", channel=channel)
        site = apply_fix(rules(), fix)
        assert found(hits, site) == []
        assert apply_fix(site, fix, undo=True) == rules()
    assert "without a medium" in found(tagged(5, "?utm_source=fair"))[0].title


def test_own_hosts_and_payment_pages_are_no_source():
    hits = []
    for i in range(6):
        at, visitor = 40 * DAY + i * HOUR, f"p{i}"
        hits += [hit(at, visitor=visitor), hit(at + MINUTE, visitor=visitor, referrer="https://pay.copper.example/x")]
    hits += tagged(3, "", "o", referrer="https://tickets.mill.example/") + tagged(9, "", "b", day=39, referrer="https://blog.example/")
    listed = found(hits)
    assert [(one.key, one.count) for one in listed] == [("referrer pay.copper.example", 6), ("referrer tickets.mill.example", 3)]
    site = rules()
    for one in listed:
        assert isinstance(one.fix, IgnoreHost)
        site = apply_fix(site, one.fix)
    assert found(hits, site) == []
    assert apply_fix(site, listed[0].fix, undo=True).ignored_hosts == ["pay.example", "tickets.mill.example"]


def test_an_event_or_a_goal_that_fell_silent_is_found_and_a_rare_one_is_not():
    steady = [hit(day * DAY + i * HOUR, "event", f"s{day}-{i}", name="book") for day in range(37) for i in range(3)]
    rare = [hit(day * DAY, "event", f"r{day}", name="rare") for day in range(0, 37, 6)]
    listed = found(steady + rare, goals=[("Bookings", BOOKED)])
    assert [(one.kind, one.severity, one.count) for one in listed] == [("silent event", "high", 15), ("silent goal", "high", 15)]
    assert "has not come for 5 days; about 15" in listed[0].cost
    again = [*steady, hit(TODAY + HOUR, "event", "late", name="book")]
    assert found(again, goals=[("Bookings", BOOKED)]) == []
    assert found([one | {"name": "scroll depth"} for one in steady]) == []


def test_a_page_that_is_only_ever_a_referrer_lacks_the_code():
    hits = [hit(40 * DAY + i * HOUR, visitor=f"m{i}", url=HOME + "shop", referrer=HOME + "press/") for i in range(4)]
    hits += [hit(41 * DAY + i * HOUR, visitor=f"n{i}", url=HOME, referrer=HOME + "shop") for i in range(4)]
    assert [(one.kind, one.key, one.count) for one in found(hits)] == [("script missing", "script missing /press", 4)]


def test_masked_addresses_repeated_orders_and_robots_are_told():
    hits = [hit(40 * DAY, url=HOME + "done?email=(masked)"), hit(40 * DAY + 5, "event", name="asked", props='{"email":"(masked)"}')]
    hits += [hit(40 * DAY + 6, "event", name="asked", url=HOME + "done?email=(masked)", props='{"by":"(masked)"}')]
    hits += [hit(40 * DAY + i, "order", order_id="A1", value=3) for i in (1, 2, 3)]
    hits += [hit(39 * DAY, visitor="bot", robot=True, user_agent="crawler")]
    assert [(one.kind, one.count, one.examples) for one in found(hits)] == [
        ("personal data", 3, ["/done", "/"]), ("repeated orders", 2, []), ("robots", 1, []),
    ]  # fmt: skip


@pytest.mark.parametrize("count", [1, 3])
def test_errors_of_the_pages_scripts_are_told_by_what_they_say(count):
    def thrown(visitor, minute, message, page="/shop"):
        props = json.dumps({"message": message, "file": "https://mill.example/a.js", "line": 3})
        return hit(40 * DAY + minute * MINUTE, "event", visitor=visitor, name="script error", url=HOME.rstrip("/") + page, props=props)

    hits = [thrown("a", 1, "x is undefined"), thrown("a", 2, "x is undefined", "/basket"), thrown("b", 3, "x is undefined"), thrown("c", 4, "rare")]
    (one,) = found(hits, count=count, kind="script error")
    assert (one.title, one.count, one.examples) == ("A script of the pages fails: x is undefined", 3, ["/shop", "/basket"])
    assert one.cost.startswith("3 times in 30 days, for 2 people;")


def test_direct_visits_deep_in_the_site_right_after_a_mail_are_likely_of_the_mail():
    sent = 35 * DAY + 10 * HOUR
    mail = [hit(sent + i * MINUTE, visitor=f"t{i}", url=HOME + "shop?utm_source=letter&utm_medium=email&utm_campaign=may") for i in range(3)]
    direct = [hit(sent + i * 5 * MINUTE, visitor=f"d{i}", url=HOME + "shop") for i in range(14)]
    (one,) = found(mail + direct, kind="untagged mail")
    assert (one.key, one.count) == ("untagged mail may", 14)
    usual = [hit(day * DAY + 10 * HOUR + i * MINUTE, visitor=f"u{day}-{i}", url=HOME + "shop") for day in range(15, 42) for i in range(12)]
    assert found(mail + direct[:2] + usual, kind="untagged mail") == []
    assert found(mail + [one | {"url": HOME} for one in direct], kind="untagged mail") == []


def test_what_lies_further_back_is_no_longer_looked_at():
    assert found(tagged(40, "?utm_source=fair&utm_medium=stand", day=2)) == []


def test_an_alias_in_the_way_is_replaced():
    site = rules(aliases=[{"field": "medium", "this": "E Mail", "that": "post"}])
    assert [one.that for one in apply_fix(site, AddAlias(field="medium", this="e-mail", that="email")).aliases] == ["email"]
