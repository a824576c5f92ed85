"""Pages, Sources, Audience: what they say is what their ledgers hold, and a place in them narrows all."""

import re

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import follow


def number(text):
    return float(text.replace(",", "").removeprefix("few").strip())


def rows_of(page, ledger):
    """The rows of a ledger as they are shown: name, then the figures."""
    region = page.get_by_role("region", name=ledger, exact=True)
    region.locator("tbody tr").first.wait_for()
    found = {}
    for row in region.locator("tbody tr").all():
        texts = [text.strip().replace("\n", "") for text in row.locator("th, td").all_inner_texts()]
        found[texts[0]] = texts[1:]
    return found


def period_of(page):
    """The days that are read, before others are chosen."""
    today = page.request.get("/api/v1/sites/mill").json()["today"]
    days = page.evaluate("(today) => [28, 1].map((back) => new Date(Date.parse(today) - back * 864e5).toISOString().slice(0, 10))", today)
    return {"first": days[0], "last": days[1]}


def asked(page, measure, *, dimensions=(), conditions=()):
    """The same figure, asked of the API for the days that are read."""
    body = {
        "period": period_of(page), "versus": "none", "goal": 1, "dimensions": list(dimensions), "limit": 10_000,
        "columns": [{"id": "it", "measure": measure}], "segment": {"where": {"conditions": list(conditions)}} if conditions else None,
    }  # fmt: skip
    headers = {"X-CSRF-Token": page.request.get("/api/v1/session").json()["csrf"]}
    answer = page.request.post("/api/v1/sites/mill/reports/table", data=body, headers=headers).json()
    if not dimensions:
        return answer["total"][0]["values"][0]
    return dict(zip((row[0] for row in answer["rows"]), answer["columns"][0]["values"], strict=True))


@pytest.mark.parametrize(("view", "ledger", "count"), [("read/pages", "All pages", 4), ("read/events", "Events", 5), ("read/audience", "Devices", 3)])
def test_each_figure_of_a_row_opens_up_as_it_stands_there(analyst, view, ledger, count):
    follow(analyst, f"/s/mill/{view}")
    figures = analyst.get_by_role("region", name=ledger, exact=True).locator("tbody tr").first.locator("[data-opens]")
    figures.first.wait_for()
    assert figures.count() >= count
    for figure in figures.all():
        shown = figure.inner_text()
        figure.click()
        expect(analyst.locator("[data-figure]")).to_have_text(shown)
        expect(analyst.get_by_role("region", name="Parts").get_by_role("listitem").first).to_be_visible()
        analyst.keyboard.press("Escape")
        expect(analyst.get_by_role("dialog")).to_have_count(0)


def test_pages_are_those_of_the_api_and_lead_on(analyst):
    follow(analyst, "/s/mill/read/pages")
    expect(analyst.get_by_role("heading", level=1)).to_contain_text(re.compile(r"The pages that most visits see are .+\. [\d,]+ visits went on to /"))
    visits, later = asked(analyst, "visits", dimensions=["page"]), asked(analyst, "reached_later", dimensions=["page"])
    shown = rows_of(analyst, "All pages")
    assert {name: number(cells[0]) for name, cells in shown.items() if name.startswith("/")} == {name: visits[name] for name in shown if name.startswith("/")}
    [hidden] = re.findall(r"went on to (\S+),", analyst.get_by_role("heading", level=1).inner_text())
    assert number(rows_of(analyst, "Gone on to, seldom entered")[hidden][0]) == later[hidden]
    after = analyst.get_by_role("region", name="The page after")
    after.get_by_role("row").filter(has_text="/courses").first.get_by_role("button", name="Open the row").click()
    expect(after.get_by_role("row").filter(has_text="left the site").first).to_be_visible()
    searched = analyst.get_by_role("region", name="Where searches lead")
    searched.get_by_role("row").filter(has_text="nowhere").get_by_role("button", name="Open the row").click()
    expect(searched.get_by_role("row").filter(has_text="gluten free")).to_be_visible()
    after.get_by_role("button", name="left the site", exact=True).first.click()
    expect(analyst.locator("[data-chip]")).to_have_text("Only page after left the site")


def test_the_visits_behind_a_row_below_another_have_both_values_in_one_hit(analyst):
    follow(analyst, "/s/mill/read/pages")
    after = analyst.get_by_role("region", name="The page after")
    after.get_by_role("button", name="/courses", exact=True).wait_for()
    after.get_by_role("row").filter(has=analyst.get_by_role("button", name="/courses", exact=True)).get_by_role("button", name="Open the row").click()
    below = after.locator("tr[aria-level='2']").filter(has_text="left the site").get_by_role("button", name=re.compile("Visits: .+; open up$"))
    visits = below.inner_text()
    below.click()
    expect(analyst.locator("[data-figure]")).to_have_text(visits)
    analyst.get_by_role("dialog").get_by_role("link", name="The visits behind it").click()
    expect(analyst.get_by_role("heading", level=1)).to_have_text(re.compile(f"^{visits} visits, "))
    chip = analyst.get_by_role("link", name=re.compile("^Edit the segment: Visits that saw .courses and .+, in one hit$"))
    chip.click()
    group = analyst.get_by_role("group", name="All of these in one hit")
    expect(group.get_by_role("button", name=re.compile("^Whose: "))).to_have_count(2)
    group.get_by_role("button", name="Add a condition to: all of these in one hit").click()
    expect(analyst.get_by_role("menuitem")).to_have_text([re.compile("^A value")])
    expect(analyst.get_by_role("heading", level=1)).to_contain_text("in one hit")


def test_sources_bring_shares_of_visits_and_of_conversions(analyst):
    follow(analyst, "/s/mill/read/sources")
    heading = analyst.get_by_role("heading", level=1)
    expect(heading).to_contain_text(re.compile(r"^Organic social brings .+ of the visits and .+ of the course bookings; .+ brings"))
    channels = rows_of(analyst, "Channels")
    share = number(channels["Organic social"][3])
    assert f"{share:.0f}" in heading.inner_text()
    visits = asked(analyst, "visits", dimensions=["channel"])
    assert {name: number(cells[0]) for name, cells in channels.items() if name in visits} == {name: visits[name] for name in channels if name in visits}
    assert number(channels["All visits"][0]) == asked(analyst, "visits") if "All visits" in channels else True
    tagged = analyst.get_by_role("region", name="As it was tagged")
    tagged.get_by_role("row").filter(has_text="e-mail").first.get_by_role("button", name="Open the row").click()
    expect(tagged.get_by_role("row").filter(has_text=re.compile("^.?E-Mail"))).to_be_visible()


def test_countries_stand_on_a_map_and_narrow(analyst):
    follow(analyst, "/s/mill/read/audience")
    section = analyst.get_by_role("region", name="Countries on a map")
    expect(section.locator("figcaption")).to_have_text(re.compile(r"^Visits by country: \d+ countries, most from Ireland, \d+\s%$"))
    germany = section.locator("path[data-country=DE]")
    chart = section.get_by_role("slider")
    germany.dispatch_event("pointermove", {"bubbles": True})
    expect(section.locator("[data-said]")).to_have_text(re.compile(r"^Germany: [\d,]+, [\d.]+\s%$"))
    told = section.locator("[data-said]").inner_text().split(": ")[1].split(", ")[0]
    chart.press("Home")
    expect(chart).to_have_attribute("aria-valuetext", re.compile("^Ireland: "))
    while not (country := chart.get_attribute("aria-valuetext")).startswith("Germany: "):
        chart.press("ArrowRight")
        expect(chart).not_to_have_attribute("aria-valuetext", country)  # at the end it stays
    chart.press("Enter")
    expect(analyst.get_by_role("group", name="Segment")).to_contain_text("country Germany")
    expect(analyst.get_by_role("region", name="Devices").get_by_role("row", name=re.compile("^All visits"))).to_contain_text(told)


def test_the_audience_is_told_new_from_returning_and_by_the_hour(analyst):
    follow(analyst, "/s/mill/read/audience")
    expect(analyst.get_by_role("heading", level=1)).to_contain_text(re.compile(r"^\d+\s% of the visits are by returning people\. They bounce"))
    kinds = rows_of(analyst, "New and returning")
    rates = asked(analyst, "bounce_rate", dimensions=["visitor_kind"])
    assert {name: number(kinds[name][2]) for name in rates} == {name: pytest.approx(100 * rate, abs=0.005) for name, rate in rates.items()}
    numbers = [name for name in rows_of(analyst, "Visit number") if name[0].isdigit()]
    assert numbers == sorted(numbers, key=lambda name: int(name.split()[0]))
    hours = analyst.get_by_role("slider", name="Visits by weekday and hour")
    hours.focus()
    for key in ("ArrowDown", "ArrowDown", "ArrowRight"):
        analyst.keyboard.press(key)
    [day, hour, count] = re.fullmatch(r"(\w+), (\d\d) to \d\d: (\d+) visits?", hours.get_attribute("aria-valuetext")).groups()
    assert day == "Tuesday" and hour == "01"
    conditions = [{"kind": "dimension", "dimension": name, "test": "is", "values": [value]} for name, value in (("weekday", day), ("hour", hour))]
    assert int(count) == asked(analyst, "visits", conditions=conditions)
    analyst.keyboard.press("Enter")
    expect(analyst.locator("[data-chip]")).to_have_text(["Only weekday Tuesday", "Only hour 01"])


def test_a_view_that_is_read_and_left_alone_does_nothing(beginner):
    beginner.add_init_script("""globalThis.timers = []; const set = globalThis.setTimeout;
        globalThis.setTimeout = (what, after, ...more) => { timers.push(after ?? 0); return set(what, after, ...more); };""")
    for view in ("pages", "sources", "overview"):
        beginner.goto(f"/s/mill/read/{view}")
        rows_of(beginner, "All pages" if view == "pages" else "Channels")
        beginner.wait_for_load_state("networkidle")
        beginner.evaluate("timers.length = 0")
        beginner.wait_for_timeout(1500)  # nothing may happen meanwhile
        assert len(beginner.evaluate("timers")) < 10


def test_what_is_in_sight_is_read_first_and_the_rest_after_it(analyst):
    held, passing = [], []
    analyst.route("**/reports/t*", lambda route: route.continue_() if passing else held.append(route))
    dimensions = lambda route: [one["request"]["dimensions"][-1] for one in route.request.post_data_json["asked"]]  # noqa: E731

    def turn():
        """What the next request asks for; answered then."""
        for _ in range(100):
            if held:
                break
            analyst.wait_for_timeout(50)
        [route] = held
        held.clear()
        route.continue_()
        return set(dimensions(route))

    def let_pass():
        """Whatever else is asked, such as once more what a busy server did not answer."""
        passing.append(True)
        for route in held:
            route.continue_()
        held.clear()

    follow(analyst, "/s/mill/read/audience?only=channel:Referral")
    first, rest = turn(), turn()
    assert "visitor_kind" in first and first.isdisjoint({"screen", "weekday", "hour"}) and {"screen", "hour"} <= rest
    let_pass()
    last = analyst.get_by_role("region", name="Time of day by weekday")
    last.locator("svg, table").first.wait_for()
    last.scroll_into_view_if_needed()
    analyst.evaluate("scrollTo(0, document.documentElement.scrollHeight)")
    analyst.wait_for_function("scrollY > 0")
    analyst.evaluate("() => new Promise((seen) => requestAnimationFrame(() => requestAnimationFrame(seen)))")
    passing.clear()
    analyst.evaluate("history.pushState({}, '', '?only=channel:Email')")
    first, rest = turn(), turn()
    let_pass()
    assert {"hour", "screen"} <= first and {"visit_number", "days_since"} <= rest - first
    expect(analyst.get_by_role("region", name="New and returning").locator("tbody tr").first).to_be_visible()


def test_the_overview_and_the_visits_say_what_the_api_says(analyst):
    follow(analyst, "/s/mill/read/overview")
    channels = rows_of(analyst, "Channels")
    visits, goals = (asked(analyst, measure, dimensions=["channel"]) for measure in ("visits", "conversions"))
    named = {name.split("\n")[0]: cells for name, cells in channels.items()}
    found = {name: (number(cells[0]), number(cells[1])) for name, cells in named.items() if name in visits}
    assert len(found) > 4 and found == {name: (visits[name], goals[name]) for name in found}
    figures = analyst.get_by_role("button", name=re.compile("; open up$")).all()
    told = dict(re.fullmatch(r"(.+): (.+); open up", figure.get_attribute("aria-label")).groups() for figure in figures)
    assert number(told["Visits"]) == asked(analyst, "visits") and number(told["Course bookings"]) == asked(analyst, "conversions")
    follow(analyst, "/s/mill/watch/visits?only=channel:Email")
    email = [{"kind": "dimension", "dimension": "channel", "test": "is", "values": ["Email"]}]
    expect(analyst.get_by_role("heading", level=1)).to_have_text(re.compile(rf"^{asked(analyst, 'visits', conditions=email):,.0f} visits, "))
    rows = analyst.get_by_role("grid", name="Visits").locator("tbody tr")
    rows.first.wait_for()
    headers = {"X-CSRF-Token": analyst.request.get("/api/v1/session").json()["csrf"]}
    body = {"period": period_of(analyst), "goal": 1, "limit": 5, "segment": {"where": {"conditions": email}}}
    newest = analyst.request.post("/api/v1/sites/mill/visits", data=body, headers=headers).json()["visits"]
    for place, visit in enumerate(newest):
        texts = [text.strip().replace("\n", "") for text in rows.nth(place).locator("td").all_inner_texts()]
        assert texts[0].startswith("Email") and number(texts[2]) == visit["views"]
        assert (texts[6] if len(texts) > 6 else "")[:1] == (str(visit["conversions"]) if visit["conversions"] else "")


def test_a_view_whose_site_is_still_read_has_its_shape(beginner):
    beginner.route("**/api/v1/sites/mill/segments", lambda route: None)  # it waits
    for view in ("read/overview", "read/pages", "explain/compare", "explain/segments"):
        beginner.goto(f"/s/mill/{view}")
        expect(beginner.locator("main h1[aria-busy=true]")).to_have_text(re.compile("Reading …"))
