"""The ledger: rows opened in place, sorted both ways, searched, its columns chosen, ordered, widened and kept; by keyboard."""

import contextlib
import re

import pytest
from playwright.sync_api import Error as PlaywrightError
from playwright.sync_api import expect

from tests.browser.conftest import follow

HEADS = "thead th"


@pytest.fixture
def channels(analyst):
    follow(analyst, "/s/mill/read/overview")
    region = analyst.get_by_role("region", name="Channels")
    region.locator("tbody tr").first.wait_for()
    return region


def heads(region):
    return [text.strip() for text in region.locator(HEADS).all_inner_texts()]


def names(region):
    return [text.strip().split("\n")[0] for text in region.locator("tbody th[role=rowheader]").all_inner_texts()]


def numbers(region, place):
    texts = region.locator(f"tbody tr > :nth-child({place})").all_inner_texts()
    return [float(text.replace(",", "").removeprefix("few").strip()) for text in texts]


def test_a_row_is_opened_to_three_dimensions_and_each_number_of_it_opens_up(channels):
    email = channels.get_by_role("row").filter(has_text="Email")
    visits = numbers(channels, 2)[names(channels).index("Email")]
    before = channels.get_by_role("row").count()
    email.get_by_role("button", name="Open the row").click()
    expect(channels.get_by_role("row").filter(has_text="news-letter")).to_be_visible()
    at = names(channels).index("Email")
    inside = channels.get_by_role("row").count() - before
    assert sum(numbers(channels, 2)[at + 1 : at + 1 + inside]) == visits
    channels.get_by_role("row").filter(has_text="news-letter").get_by_role("button", name="Open the row").click()
    third = channels.get_by_role("row").filter(has_text=re.compile(r"^2026-\d\d"))
    expect(third.first).to_be_visible()
    third.first.get_by_role("button", name=re.compile("^Email, news-letter, 2026-.*, Visits: ")).click()
    drawer = channels.page.get_by_role("dialog")
    expect(drawer).to_contain_text(re.compile(r"Email, news-letter, 2026-\d\d, "))
    channels.page.keyboard.press("Escape")
    email.get_by_role("button", name="Close the row").click()
    expect(channels.get_by_role("row")).to_have_count(before)


def test_rows_are_sorted_both_ways_and_by_their_names(channels):
    sort = channels.locator("thead").get_by_role("button", name="Visits")
    sort.click()
    expect(channels.get_by_role("columnheader", name="Visits")).to_have_attribute("aria-sort", "descending")
    expect(channels.locator("tbody tr").first).to_contain_text("Organic search")
    sort.click()
    expect(channels.get_by_role("columnheader", name="Visits")).to_have_attribute("aria-sort", "ascending")
    expect(channels.locator("tbody tr").first).not_to_contain_text("Organic search")
    rising = numbers(channels, 2)[:9]
    assert rising == sorted(rising)
    channels.locator("thead").get_by_role("button", name="Channel", exact=True).click()
    expect(channels.get_by_role("columnheader", name="Channel", exact=True)).to_have_attribute("aria-sort", "ascending")
    expect(channels.locator("tbody tr").first).to_contain_text("AI assistants")
    assert names(channels)[:9] == sorted(names(channels)[:9])


def test_an_address_brings_a_view_back_as_it_was(channels):
    page = channels.page
    channels.locator("thead").get_by_role("button", name="Visits").click()
    expect(channels.get_by_role("columnheader", name="Visits")).to_have_attribute("aria-sort", "descending")
    expect(channels.locator("[aria-busy=true]")).to_have_count(0)  # rows move while they are sorted
    channels.get_by_role("row").filter(has_text="Email").get_by_role("button", name="Open the row").click()
    expect(channels.get_by_role("row").filter(has_text="news-letter")).to_be_visible()
    channels.get_by_role("button", name="Find").click()
    channels.get_by_label("Look for channels").fill("mail")
    expect(channels.get_by_role("row").filter(has_text="Direct")).to_have_count(0)
    expect(page).to_have_url(re.compile("query"))
    channels.get_by_role("button", name=re.compile("^Email, Visits: ")).click()
    expect(page.locator("[data-figure]")).not_to_be_empty()
    shown, figure = (names(channels), numbers(channels, 2)), page.locator("[data-figure]").inner_text()
    page.reload()
    expect(page.locator("[data-figure]")).to_have_text(figure)
    page.keyboard.press("Escape")
    expect(page.get_by_role("dialog")).to_have_count(0)
    expect(channels.get_by_label("Look for channels")).to_have_value("mail")
    expect(channels.get_by_role("columnheader", name="Visits")).to_have_attribute("aria-sort", "descending")
    expect(channels.get_by_role("row").filter(has_text="news-letter")).to_be_visible()
    assert (names(channels), numbers(channels, 2)) == shown
    page.get_by_role("link", name="Pages", exact=True).click()  # what it showed stays behind
    expect(page).not_to_have_url(re.compile("shown"))


def test_rows_that_wait_for_their_answer_stand_and_can_be_worked_with(overview):
    channels = overview.get_by_role("region", name="Channels")
    channels.locator("tbody tr").first.wait_for()
    waiting = []
    overview.route("**/reports/t*", lambda route: waiting.append(route))  # noqa: PLW0108 - the browser asks a function of its own what it takes
    channels.get_by_role("button", name="Email", exact=True).click()
    expect(overview.locator("[data-chip]")).to_contain_text("Email")
    search = channels.get_by_role("row").filter(has_text="Organic search")
    search.get_by_role("button", name="Open the row").click()
    expect(search.get_by_role("button", name="Close the row")).to_be_visible()
    channels.get_by_role("button", name="Columns").click()
    overview.get_by_role("dialog", name="Columns").get_by_role("checkbox", name="Bookings", exact=True).click()
    overview.keyboard.press("Escape")
    expect(search.get_by_role("gridcell")).to_have_count(len(heads(channels)) - 1)
    channels.get_by_role("button", name="Direct", exact=True).press("Alt+Enter")
    expect(overview.locator("[data-chip]")).to_have_count(2)  # of Email, and without Direct
    overview.unroute("**/reports/t*")
    for route in waiting:
        with contextlib.suppress(PlaywrightError):  # what was left meanwhile goes nowhere
            route.continue_()
    expect(search).to_have_count(0)
    assert names(channels)[0] == "Email"


def test_rows_are_found_by_what_they_hold_and_by_their_figures(overview):
    pages = overview.get_by_role("region", name="Landing pages")
    pages.get_by_role("button", name="Find").press("Enter")  # what comes in above may move it from under a pointer
    pages.get_by_label("Look for landing pages").fill("course")
    expect(pages.locator("tbody tr").filter(has_not_text="course")).to_have_count(0)
    assert len(names(pages)) > 1
    pages.get_by_label("Look for landing pages").fill("/^.courses$/")
    expect(pages.locator("tbody tr")).to_have_count(1)
    pages.get_by_label("Look for landing pages").fill("/(((/")
    expect(pages.get_by_role("alert")).to_contain_text("this cannot be read from character 3 on")
    pages.get_by_label("Look for landing pages").fill("")
    pages.get_by_label("Number").fill("many")
    pages.get_by_role("button", name="Add").click()
    expect(pages.get_by_role("alert").filter(has_text="Give a number to compare with.")).to_be_visible()
    pages.get_by_label("Number").fill("300")
    pages.get_by_role("button", name="Add").click()
    expect(pages.get_by_text("Visits ≥ 300")).to_be_visible()
    expect(pages.locator("tbody tr")).not_to_have_count(10)
    expect(pages.locator("tbody tr [data-lead]").first).to_be_visible()
    assert min(numbers(pages, 2)) >= 300
    pages.get_by_role("button", name=re.compile("^Remove: Visits")).click()
    expect(pages.locator("tbody tr")).to_have_count(10)


def test_columns_are_chosen_ordered_widened_and_kept(channels):
    page = channels.page
    before = heads(channels)
    channels.get_by_role("button", name="Columns").click()
    choice = page.get_by_role("dialog", name="Columns")
    choice.get_by_role("button", name="Add Visits, share of all").click()
    choice.get_by_role("checkbox", name="Bookings, before").click()
    choice.get_by_role("button", name="Value: one place earlier").click()
    page.keyboard.press("Escape")
    expect(channels.get_by_role("columnheader", name="Of all, %")).to_be_visible()
    expect(channels.get_by_role("columnheader", name="Before")).to_have_count(0)
    assert sum(numbers(channels, len(heads(channels)) - 1)) == pytest.approx(100, abs=0.1)
    head = channels.locator("thead").get_by_role("button", name="Visits")
    width = head.locator("..").bounding_box()["width"]
    head.press("Alt+ArrowRight")
    page.reload()
    channels.locator("tbody tr").first.wait_for()
    assert "Before" not in heads(channels)
    assert heads(channels).index("Value, €") < len(heads(channels)) - 2
    assert channels.locator("thead").get_by_role("button", name="Visits").locator("..").bounding_box()["width"] > width + 8
    channels.get_by_role("button", name="Columns").click()
    page.get_by_role("button", name="The usual columns and widths").click()
    page.keyboard.press("Escape")
    expect(channels.get_by_role("columnheader", name="Before")).to_be_visible()
    assert heads(channels) == before


def test_the_columns_of_a_list_are_chosen_ordered_and_kept(analyst):
    follow(analyst, "/s/mill/tag/events")
    events = analyst.get_by_role("region", name="Events")
    events.get_by_role("button", name="Columns").click()
    choice = analyst.get_by_role("dialog", name="Columns")
    choice.get_by_role("checkbox", name="Value").click()
    choice.get_by_role("button", name="Times: one place earlier").click()
    analyst.keyboard.press("Escape")
    analyst.reload()
    events.locator("tbody tr").first.wait_for()
    assert heads(events) == ["Event", "Times", "People", "Last seen, ago"]
    events.get_by_role("button", name="Columns").click()
    choice.get_by_role("button", name="Add Value").click()
    assert heads(events) == ["Event", "Times", "People", "Last seen, ago", "Value, €"]
    choice.get_by_role("button", name="The usual columns and widths").click()
    assert heads(events) == ["Event", "People", "Times", "Value, €", "Last seen, ago"]


def test_a_row_is_worked_with_by_keyboard_alone(channels):
    page = channels.page
    page.context.grant_permissions(["clipboard-read", "clipboard-write"])
    channels.locator("[data-cell='0 0']").focus()
    first = names(channels)[0]
    page.keyboard.press("Space")
    expect(channels.get_by_role("button", name="Close the row")).to_be_visible()
    page.keyboard.press("Space")
    expect(channels.get_by_role("button", name="Close the row")).to_have_count(0)
    page.keyboard.press("ArrowUp")
    expect(page.locator(":focus")).to_have_text("Channel")
    page.keyboard.press("ArrowDown")
    page.keyboard.press("End")
    page.keyboard.press("Home")
    expect(page.locator(":focus")).to_have_text(first)
    page.keyboard.press("ArrowRight")
    page.keyboard.press("Control+c")
    assert page.evaluate("navigator.clipboard.readText()") == f"{numbers(channels, 2)[0]:.0f}"
    page.keyboard.press("m")
    page.get_by_role("menuitem", name="Without these").press("Enter")
    expect(page.locator("[data-chip=without]")).to_have_text(f"Without channel {first}")
    assert channels.page.locator("[data-cell][tabindex='0']").count() == 2  # one stop for Tab in each ledger


def test_a_list_of_any_length_is_walked_to_its_end_by_keys_and_keeps_the_focus_in_sight(analyst):
    follow(analyst, "/s/mill/watch/visits?only=channel:Email")
    grid = analyst.get_by_role("grid", name="Visits")
    grid.locator("[data-cell='0 0']").focus()
    rows = int(grid.get_attribute("aria-rowcount")) - 1
    assert rows > 400, "three pages at least"
    here = analyst.locator(":focus")
    seen = 0
    while seen < rows:
        analyst.keyboard.press("Control+End")
        expect(here).not_to_have_attribute("data-cell", re.compile(rf"^{seen - 1} "))
        expect(here).to_be_in_viewport()
        seen = int(here.get_attribute("data-cell").split(" ")[0]) + 1
        if seen < rows:  # another page is on its way
            drawn = expect(grid.locator("tbody[data-index]").last, f"{seen} of {rows} rows came, now there are {grid.get_attribute('aria-rowcount')}")
            drawn.not_to_have_attribute("data-index", str(seen - 1))
    analyst.keyboard.press("Control+Home")
    expect(here).to_have_attribute("data-cell", "0 0")
    for _ in range(30):
        analyst.keyboard.press("ArrowDown")
    expect(here).to_have_attribute("data-cell", "30 0")
    expect(here).to_be_in_viewport()
    analyst.keyboard.press("PageDown")
    analyst.keyboard.press("ArrowRight")
    expect(here).to_have_attribute("data-cell", "50 1")
    expect(analyst.locator("[data-cell][tabindex='0']")).to_have_count(1)


def test_visits_are_not_asked_for_before_it_is_known_of_whom(beginner):
    asked = []
    beginner.on("request", lambda request: asked.append(request.post_data_json) if request.url.endswith("/mill/visits") else None)
    held = []
    beginner.route("**/api/v1/sites/mill/registry", lambda route: held.append(route))  # noqa: PLW0108 - the browser asks a function of its own what it takes
    beginner.goto("/s/mill/watch/visits?only=channel:Email")
    expect(beginner.locator("main h1")).to_be_attached()
    held[0].continue_()
    expect(beginner.get_by_role("grid", name="Visits")).to_be_visible()
    assert [body["segment"] is None for body in asked] == [False]


def test_a_long_value_is_shown_whole_where_the_focus_is_and_nowhere_else(overview):
    pages = overview.get_by_role("region", name="Landing pages")
    whole = pages.locator("tbody th").get_by_text("/courses/sourdough", exact=True)
    overview.locator("main").click(position={"x": 3, "y": 3})  # the page has the focus now, and shows it once a key is pressed
    overview.keyboard.press("Shift")
    expect(overview.locator("main")).to_be_focused()
    expect(whole).to_be_hidden()
    pages.locator("tbody th button").filter(has_text="ourdough").focus()
    expect(whole).to_be_visible()
