"""The Overview, as a newcomer and as a practised hand use it."""

import re
from datetime import timedelta

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import choose, follow, sign_in
from tests.conftest import a_hit, now
from upper_compass.demo.laying import ACCOUNT, PASSWORD

ROW = "section[aria-label='{}'] tbody tr"


def row(page, ledger, name):
    return page.locator(ROW.format(ledger)).filter(has=page.get_by_role("button", name=name, exact=True))


def focus_first_channel(page):
    page.locator("section[aria-label='Channels'] [data-cell='0 0']").focus()


def test_a_newcomer_signs_in_and_sees_what_drives_course_bookings(page):
    page.goto("/")
    page.get_by_role("button", name="Sign in").click()
    expect(page.get_by_role("alert")).to_have_text("Give the e-mail address you sign in with.")
    page.get_by_label("Address").fill(ACCOUNT)
    page.get_by_label("Password").fill("wrong")
    page.get_by_role("button", name="Sign in").click()
    expect(page.get_by_role("alert")).to_contain_text("do not go together")
    expect(page.get_by_label("Address")).to_have_value(ACCOUNT)
    page.get_by_label("Password").fill(PASSWORD)
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", level=1)).to_contain_text("course bookings.")
    expect(page.get_by_role("button", name="Versus: the 28 days before")).to_be_visible()
    for ledger in ("Channels", "Landing pages"):
        expect(page.locator(ROW.format(ledger))).to_have_count(10)


def test_a_visit_walked_to_a_booking_is_in_the_reports_within_seconds(overview, context):
    mill = context.new_page()
    mill.goto("/mill/?utm_source=letter&utm_medium=email&utm_campaign=try-it")
    for name in ("Courses", "Sourdough", "Book a place"):
        mill.get_by_role("link", name=name, exact=True).first.click()
    mill.get_by_label("What shall we call you?").fill("a baker")
    mill.get_by_role("button", name="Book").click()
    expect(mill.get_by_role("heading", level=1)).to_have_text("Your place is kept")
    overview.get_by_role("button", name=re.compile("course bookings: 1$")).click(timeout=15_000)
    expect(overview).to_have_url(re.compile(r"from=\d{4}-\d\d-\d\d"))
    email = row(overview, "Channels", "Email")
    expect(email.locator("[data-lead]")).to_have_text("1")
    overview.get_by_role("button", name="Add to the segment").click()
    choose(overview.get_by_label("Whose", exact=True), "Campaign")
    overview.get_by_label("Is", exact=True).fill("try-nothing")
    overview.get_by_role("button", name="Add", exact=True).click()
    expect(overview.get_by_role("alert")).to_have_text("No visit in these days has this value.")
    overview.get_by_label("Is", exact=True).fill("try-it")
    overview.get_by_role("button", name="Add", exact=True).click()
    expect(overview.locator("[data-chip]")).to_have_text("Only campaign try-it")
    expect(email.locator("td").nth(-2)).to_have_text("108")
    expect(row(overview, "Landing pages", "/").locator("[data-lead]")).to_have_text("1")


def test_a_value_narrows_everything_and_the_browsers_back_takes_it_back(overview):
    row(overview, "Channels", "Email").get_by_role("button", name="Email", exact=True).click()
    expect(overview).to_have_url(re.compile("only=channel:Email"))
    expect(overview.locator(ROW.format("Channels"))).to_have_count(1)
    overview.go_back()
    expect(overview.locator("[data-chip]")).to_have_count(0)
    overview.go_forward()
    expect(overview.locator("[data-chip]")).to_have_text("Only channel Email")
    overview.get_by_role("button", name="Choose the values: Only channel Email").press("Enter")
    values = overview.get_by_role("dialog", name="Values of Channel")
    expect(values.get_by_role("checkbox", name=re.compile("^Email"))).to_be_checked()
    expect(values.get_by_role("checkbox", name=re.compile("^Email"))).to_be_disabled()
    values.get_by_label("Look for a value of Channel").fill("direct")
    values.get_by_role("checkbox", name=re.compile(r"^Direct [\d,]+ visits")).click()
    expect(overview.locator("[data-chip]")).to_have_text("Only channel Email or Direct")
    values.get_by_role("checkbox", name=re.compile("^Direct")).click()
    overview.keyboard.press("Escape")
    expect(overview.locator("[data-chip]")).to_have_text("Only channel Email")
    overview.reload()
    expect(overview.locator(ROW.format("Channels"))).to_have_count(1)
    overview.get_by_role("button", name="Remove: only channel Email").click()
    expect(overview.locator("[data-chip]")).to_have_count(0)
    overview.keyboard.press("Control+z")
    expect(overview.locator("[data-chip]")).to_have_count(1)


def test_of_very_many_values_each_is_found(overview):
    page = "https://fennmoor-mill.example/?utm_source=fair&utm_medium=qr&utm_campaign=stand-{:03}"
    for start in range(0, 400, 100):
        hits = [a_hit(visitor="fair", url=page.format(i)) for i in range(start, start + 100)]
        assert overview.request.post("/collect?site=mill", data=hits).status == 204
    today = now().date().isoformat()
    follow(overview, f"/s/mill/read/overview?from={today}&to={today}&only=campaign:stand-000")
    overview.get_by_role("button", name=re.compile("Choose the values")).click()
    values = overview.get_by_role("dialog", name="Values of Campaign")
    expect(values).to_contain_text(re.compile(r"And 3\d\d more values; look for one above\."))
    values.get_by_label("Look for a value").fill("stand-399")
    values.get_by_role("checkbox", name=re.compile("^stand-399")).click()
    expect(overview.locator("[data-chip]")).to_have_text("Only campaign stand-000 or stand-399")
    overview.keyboard.press("Escape")
    overview.get_by_role("button", name="Add to the segment").click()
    choose(overview.get_by_label("Whose", exact=True), "Campaign")
    overview.get_by_label("Is", exact=True).fill("and-398")
    overview.get_by_role("option", name=re.compile("^stand-398")).click()  # the first 300 were read, this one was looked for
    overview.get_by_role("button", name="Add", exact=True).click()
    expect(overview.locator("[data-chip]")).to_have_text("Only campaign stand-000 or stand-399 or stand-398")
    token = overview.request.get("/api/v1/session").json()["csrf"]
    assert overview.request.delete("/api/v1/sites/mill/visitors?visitor=fair", headers={"X-CSRF-Token": token}).ok


def test_with_alt_a_value_is_taken_out(overview):
    row(overview, "Channels", "Direct").get_by_role("button", name="Direct", exact=True).click(modifiers=["Alt"])
    expect(overview.locator("[data-chip=without]")).to_have_text("Without channel Direct")
    expect(row(overview, "Channels", "Direct")).to_have_count(0)


def test_the_actions_of_a_row_narrow_and_the_strip_is_dimmed_where_that_changes_nothing(overview):
    for name, action, chip in (
        ("Email", "Add to the filter", "Only channel Email"),
        ("Email", "Only these", "Only channel Email"),
        ("Email", "Without these", "Without channel Email"),
    ):
        row(overview, "Channels", name).get_by_role("button", name="Actions for this row").click()
        overview.get_by_role("menuitem", name=action).click()
        expect(overview.locator("[data-chip]")).to_have_text(chip)
    expect(overview).to_have_title("Overview · Fennmoor Mill · Upper Compass")
    dimmed = overview.get_by_title("Days, versus and segment change nothing in this view")
    expect(dimmed).to_have_count(0)
    overview.keyboard.press("2")
    expect(dimmed).to_be_visible()
    expect(overview).to_have_title("Now · Fennmoor Mill · Upper Compass")


def test_every_number_opens_up_and_says_how_it_was_computed(overview):
    number = row(overview, "Channels", "Email").get_by_role("button", name=re.compile("Email, Rate: .*; open up"))
    shown = number.inner_text()
    number.click()
    drawer = overview.get_by_role("dialog")
    expect(drawer).to_contain_text("converting visits ÷ visits")
    expect(drawer.locator("[data-figure]")).to_have_text(shown)
    expect(drawer).to_contain_text(re.compile(r"held against the 28 days before, where it was \d+\.\d\d"))
    parts = [int(text.replace(",", "")) for text in drawer.locator("dd").all_inner_texts()]
    assert f"{100 * parts[0] / parts[1]:.2f}" == shown
    expect(drawer.locator("path[data-line]")).to_have_attribute("d", re.compile("^M"))
    overview.keyboard.press("Escape")
    expect(drawer).to_have_count(0)
    expect(number).to_be_focused()


def test_an_opened_number_has_its_formula_with_numbers_its_parts_and_a_row_is_noted(overview):
    row = overview.get_by_role("region", name="Channels").get_by_role("row").filter(has_text="Email")
    row.get_by_role("button", name=re.compile("^Email, Rate: ")).click()
    drawer = overview.get_by_role("dialog")
    numbers = drawer.locator("[data-numbers]")
    expect(numbers).to_have_text(re.compile(r"^= \d+ ÷ \d+ = [\d.]+ %$"))
    above, below, rate = (float(text) for text in re.findall(r"[\d.]+", numbers.inner_text()))
    assert rate == pytest.approx(100 * above / below, abs=0.005)
    parts = drawer.get_by_role("region", name="Parts")
    expect(parts).to_contain_text("landing page")
    parts.get_by_role("button", name="By: landing page").click()
    overview.get_by_role("menuitemradio", name="device", exact=True).click()
    expect(parts.get_by_role("listitem").filter(has_text="phone")).to_be_visible()
    overview.keyboard.press("Escape")
    row.get_by_role("button", name="Actions for this row").click()
    overview.get_by_role("menuitem", name="Note in the logbook").click()
    expect(overview.get_by_role("textbox", name="What happened")).to_have_value(re.compile("^Channels: Email"))


def test_all_of_it_by_keyboard(overview):
    focus_first_channel(overview)
    overview.keyboard.press("ArrowDown")
    second = overview.evaluate("document.activeElement.textContent")
    overview.keyboard.press("ArrowRight")
    overview.keyboard.press("o")
    expect(overview.get_by_role("dialog")).to_contain_text("Opened up")
    overview.keyboard.press("Escape")
    expect(overview.get_by_role("dialog")).to_have_count(0)
    expect(overview.locator(":focus")).to_have_attribute("data-cell", "1 1")
    overview.keyboard.press("ArrowLeft")
    overview.keyboard.press("Enter")
    expect(overview.locator("[data-chip]")).to_have_text(f"Only channel {second}")
    overview.keyboard.press("Control+z")
    overview.keyboard.press("7")
    expect(overview.get_by_role("button", name="Versus: the 7 days before")).to_be_visible()
    overview.keyboard.press(",")
    expect(overview).to_have_url(re.compile("from="))
    overview.keyboard.press("v")
    expect(overview.get_by_role("button", name="Versus: nothing")).to_be_visible()
    overview.keyboard.press("?")
    expect(overview.get_by_role("dialog", name="All keys")).to_be_visible()
    overview.keyboard.press("Escape")
    overview.locator("[data-chart] svg").first.focus()
    overview.keyboard.press("ArrowRight")
    # The keyboard begins at the first day of the period, which reads 7 days that end 7 days before yesterday.
    expect(overview.locator("[data-said]").first).to_contain_text(f"{now() - timedelta(days=14):%a}")


def test_menus_and_dialogs_open_without_a_word_in_the_console(overview):
    said = []
    overview.on("console", lambda message: said.append(message.text) if message.type in ("error", "warning") else None)
    for name in (re.compile("^Steer by"), re.compile("^Period"), re.compile("^Versus")):
        overview.get_by_role("button", name=name).click()
        overview.locator("[role=menu], [role=dialog]").first.wait_for()
        overview.keyboard.press("Escape")
    overview.get_by_role("button", name="Add to the segment").click()
    choose(overview.get_by_label("Whose", exact=True), "Campaign")
    overview.keyboard.press("Escape")
    overview.keyboard.press("?")
    expect(overview.get_by_role("dialog", name="All keys")).to_be_visible()
    overview.keyboard.press("Escape")
    row(overview, "Channels", "Email").get_by_role("button", name=re.compile("Email, Rate: .*; open up")).click()
    expect(overview.get_by_role("dialog")).to_be_visible()
    assert said == []


def test_another_goal_period_and_versus_are_chosen_in_the_strip(overview):
    overview.get_by_role("button", name=re.compile("^Steer by")).click()
    overview.get_by_role("menuitemradio", name="Orders").click()
    expect(overview.get_by_role("heading", name="Orders a day")).to_be_visible()
    overview.get_by_role("button", name=re.compile("^Period")).click()
    overview.get_by_label("First day").fill("2026-11-20")
    overview.get_by_label("Last day").fill("2026-11-01")
    overview.get_by_role("button", name="Read these days").click()
    expect(overview.get_by_role("alert")).to_have_text("The last day lies before the first.")
    overview.get_by_role("button", name="Last 91 days").click()
    expect(overview.get_by_role("button", name="Versus: the 91 days before")).to_be_visible()
    overview.get_by_role("button", name=re.compile("^Versus")).click()
    overview.get_by_role("menuitemradio", name="a year before").click()
    expect(overview).to_have_url(re.compile("versus=year"))


def drag(page, start, stop):
    """From one place to another, in pixels of the calendar edge; what is said on the way."""
    box = page.locator("[data-calendar] svg").bounding_box()
    page.mouse.move(box["x"] + start, box["y"] + 14)
    page.mouse.down()
    page.mouse.move(box["x"] + stop, box["y"] + 14, steps=4)
    said = page.locator("[data-calendar] [role=status]").all_inner_texts()
    page.mouse.up()
    return said


def test_the_period_is_moved_and_drawn_out_on_the_calendar_edge_and_taken_back(overview):
    period = overview.get_by_role("button", name=re.compile("^Period"))
    usual = period.get_attribute("aria-label")
    chosen = overview.locator("[data-calendar] rect.fill-magenta")
    left, wide = float(chosen.get_attribute("x")), float(chosen.get_attribute("width"))
    assert drag(overview, 300, 300) == []  # a click does nothing
    expect(period).to_have_attribute("aria-label", usual)
    [said] = drag(overview, left + wide / 2, left + wide / 2 - 200)  # as a whole
    assert said.endswith("28 days")
    expect(overview.get_by_role("button", name="Versus: the 28 days before")).to_be_visible()
    expect(period).not_to_have_attribute("aria-label", usual)
    [said] = drag(overview, left - 200, left - 260)  # its first day
    count = int(re.search(r"(\d+) days$", said).group(1))
    assert count > 40
    expect(overview.get_by_role("button", name=f"Versus: the {count} days before")).to_be_visible()
    overview.keyboard.press("Control+z")
    overview.keyboard.press("Control+z")
    expect(period).to_have_attribute("aria-label", usual)
    drag(overview, 300, 360)  # another
    expect(overview).to_have_url(re.compile(r"from=.*to="))


def test_a_figure_shows_itself_in_the_chart_and_a_head_sorts_its_ledger(overview):
    overview.get_by_role("button", name="Show Visits in the chart").click()
    expect(overview.get_by_role("heading", name="Visits a day")).to_be_visible()
    overview.locator("section[aria-label='Channels'] thead").get_by_role("button", name="Visits").click()
    expect(row(overview, "Channels", "Organic search")).to_be_visible()
    expect(overview.locator(ROW.format("Channels")).first).to_contain_text("Organic search")
    rest = overview.get_by_role("region", name="Landing pages").get_by_role("button", name=re.compile(r"^\d+ more$"))
    rest.click()
    expect(rest).to_have_count(0)
    expect(overview.locator(ROW.format("Landing pages")).nth(12)).to_be_visible()


def test_steps_and_figures_are_chosen_ordered_and_kept(overview):
    overview.get_by_role("heading", name="Course bookings a day").get_by_role("button", name="a day").click()
    expect(overview.get_by_role("menuitemradio")).to_have_text(["a day", "a week"])
    overview.get_by_role("menuitemradio", name="a week").click()
    expect(overview).to_have_url(re.compile("step=week"))
    overview.reload()
    expect(overview.get_by_role("heading", name="Course bookings a week")).to_be_visible()
    table = overview.get_by_role("table", name=re.compile("^Course bookings a week"))
    expect(table.get_by_role("row").nth(1)).to_contain_text("week of")
    figures = overview.get_by_role("list", name="Figures", exact=True)
    overview.get_by_role("button", name="Figures", exact=True).click()
    choice = overview.get_by_role("dialog", name="Figures")
    choice.get_by_role("button", name="Add Bounce rate").click()
    choice.get_by_role("button", name="Bounce rate: one place earlier").click()
    choice.get_by_role("checkbox", name="Value", exact=True).click()
    overview.keyboard.press("Escape")
    names = ["Course bookings", "Conversion rate", "Visits", "Bounce rate", "New visitors"]
    for _ in range(2):
        shown = figures.get_by_role("button", name=re.compile("^Show "))
        expect(shown).to_have_count(5)
        assert shown.evaluate_all("(all) => all.map((one) => one.ariaLabel)") == [f"Show {name} in the chart" for name in names]
        overview.reload()
    figures.get_by_role("button", name="Show Bounce rate in the chart").click()
    expect(overview.get_by_role("heading", name="Bounce rate a week")).to_be_visible()
    overview.get_by_role("button", name="Figures", exact=True).click()
    choice.get_by_role("button", name="The usual figures").click()
    expect(figures).to_contain_text("Value")


def test_the_first_load_is_light_and_asks_no_other_host(page):
    asked = []
    page.on("response", lambda response: asked.append(response))  # noqa: PLW0108 (a method of a list is not taken here)
    sign_in(page, ACCOUNT, PASSWORD)
    page.goto("/")
    page.locator("[data-ledger] tbody tr").first.wait_for()
    page.wait_for_load_state("networkidle")
    assert {response.url.split("/")[2] for response in asked} == {page.url.split("/")[2]}
    scripts = [response for response in asked if response.request.resource_type == "script"]
    assert scripts
    # What is smaller than a packet or so is sent as it is.
    assert all(response.headers.get("content-encoding") == "gzip" or len(response.body()) < 1000 for response in scripts)
    assert sum(response.request.sizes()["responseBodySize"] for response in scripts) <= 250_000


def test_what_a_page_begins_with_is_asked_for_once_while_its_scripts_come(beginner):
    asked = []
    beginner.on("request", lambda request: asked.append(request))  # noqa: PLW0108
    beginner.goto("/s/mill/read/overview")
    beginner.locator("[data-ledger] tbody tr").first.wait_for()
    beginner.wait_for_load_state("networkidle")
    paths = [request.url.split("/api/v1/")[-1] for request in asked if request.method == "GET" and "/api/" in request.url and "/now" not in request.url]
    assert sorted(paths) == ["session", "sites", *(f"sites/mill/{name}" for name in ("goals", "logbook", "registry", "segments"))]
    asked.clear()
    beginner.route("**/assets/*.js", lambda route: None)  # they never come
    with beginner.expect_response("**/sites/mill/logbook"):
        beginner.goto("/s/mill/read/overview", wait_until="commit")
    beginner.unroute("**/assets/*.js")
    asked.clear()
    beginner.context.clear_cookies()
    beginner.goto("/s/mill/read/overview")
    beginner.get_by_role("button", name="Sign in").wait_for()
    assert [request.url.split("/api/v1/")[-1] for request in asked if "/api/" in request.url] == ["session", "openid"]


def test_an_early_answer_that_never_comes_is_asked_for_anew(beginner):
    held = []
    beginner.route("**/api/v1/sites/mill/registry", lambda route: route.continue_() if held else held.append(route))
    beginner.goto("/s/mill/read/overview")
    beginner.locator("[data-ledger] tbody tr").first.wait_for()
    assert held


def test_days_without_visits_say_so_and_a_failing_server_is_told_and_tried_again(overview):
    follow(overview, "/s/mill/read/overview?from=2020-01-01&to=2020-01-07")
    expect(overview.locator("[data-empty]").first).to_contain_text("No visits in these days")
    failing = {"on": True}
    overview.route("**/reports/t*", lambda route: route.fulfill(status=400, json={"detail": "Not today."}) if failing["on"] else route.continue_())
    follow(overview, "/s/mill/read/overview?versus=year")
    expect(overview.get_by_role("alert").first).to_contain_text("Not today.")
    failing["on"] = False
    assert overview.get_by_role("button", name="Try again").count() > 2
    overview.get_by_role("button", name="Try again").first.click()  # one for all
    expect(overview.locator(ROW.format("Channels"))).to_have_count(10)
    expect(overview.get_by_role("alert")).to_have_count(0)


def test_an_address_of_somebody_elses_site_leads_back_to_ones_own(overview):
    follow(overview, "/s/elsewhere/read/overview")
    expect(overview.get_by_role("heading", level=1)).to_have_text("There is no such site here")
    overview.get_by_role("link", name="Fennmoor Mill").click()
    expect(overview.locator("[data-ledger]").first).to_be_visible()


def test_signing_out_closes_the_door_and_what_was_said_stays_behind_it(beginner):
    def sign_out():
        beginner.get_by_role("button", name="IB, signed in as Ida Brandvold").click()
        beginner.get_by_role("menuitem", name="Sign out").click()

    beginner.goto("/")
    beginner.route("**/api/v1/session", lambda route: route.abort() if route.request.method == "DELETE" else route.continue_())
    sign_out()
    said = beginner.get_by_text("You are still signed in.")
    expect(said.first).to_be_visible()
    beginner.get_by_role("button", name="Close").focus()  # a notice does not go while somebody is at it
    beginner.unroute("**/api/v1/session")
    sign_out()
    expect(beginner.get_by_role("button", name="Sign in")).to_be_visible()
    beginner.get_by_label("E-mail address").fill(ACCOUNT)
    beginner.get_by_label("Password").fill(PASSWORD)
    beginner.get_by_role("button", name="Sign in").click()
    beginner.get_by_role("button", name="IB, signed in as Ida Brandvold").wait_for()
    assert said.count() == 0  # at once: after ten seconds it would go by itself
    sign_out()
    expect(beginner.get_by_role("button", name="Sign in")).to_be_visible()
    beginner.reload()
    expect(beginner.get_by_role("button", name="Sign in")).to_be_visible()
