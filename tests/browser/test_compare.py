"""Compare: two groups held against each other, chosen in a sentence, read row by row, and gone on from."""

import re
from datetime import date, timedelta

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import follow, opened_one_by_one


@pytest.fixture
def compare(analyst):
    follow(analyst, "/s/mill/explain/compare")
    analyst.get_by_role("grid", name="Compared values").locator("tbody tr").nth(3).wait_for()
    return analyst


def cells(page, place=0, grid="Compared values"):
    row = page.get_by_role("grid", name=grid).locator("tbody tr").nth(place)
    return [text.strip() for text in row.get_by_role("gridcell").all_inner_texts()]


def number(text):
    return float(text.replace(",", ""))


def choose(page, label, option):
    page.get_by_role("button", name=re.compile(f"^{label}: ")).click()
    page.get_by_role("menuitemradio", name=option, exact=True).click()


def sizes(page):
    said = page.get_by_text("Held against each other").inner_text()
    return [number(text) for text in re.findall(r", ([\d,]*\d)", said)[:2]]


def test_what_bookers_have_that_the_rest_has_not_is_said_and_can_be_checked(compare):
    heading = compare.get_by_role("heading", level=1)
    expect(heading).to_have_text(re.compile(r"^People with Course bookings are [\d.]+ times as likely as the rest to .+, [\d.]+ times to .+, and .+\."))
    a, share_a, b, share_b, _, times = cells(compare)[:6]
    size_a, size_b = sizes(compare)
    assert number(share_a) == pytest.approx(100 * number(a) / size_a, abs=0.01)
    assert number(share_b) == pytest.approx(100 * number(b) / size_b, abs=0.01)
    assert number(times) == pytest.approx(number(share_a) / number(share_b), rel=0.06)
    chosen = compare.get_by_role("complementary", name="The chosen value")
    assert chosen.get_by_role("heading").inner_text() in heading.inner_text().replace("\n", "")
    compare.get_by_role("grid", name="Compared values").locator("[data-cell='0 6']").focus()
    expect(chosen).to_contain_text(f"{a} of {size_a:,.0f} people with Course bookings")
    expect(chosen).to_contain_text(f"{times} times as likely, between")
    expect(compare.get_by_text("it is what they are made of")).to_contain_text("event course booked")


def test_groups_are_chosen_in_the_sentence_and_stay_in_the_address(compare):
    choose(compare, "Group", "people with Guide downloads")
    expect(compare.get_by_role("heading", level=1)).to_contain_text(re.compile("People with Guide downloads|Nothing sets people with Guide downloads"))
    choose(compare, "By", "source")
    choose(compare, "Counted in", "visits")
    choose(compare, "Held against", "the 28 days before")
    expect(compare).to_have_url(re.compile(r"group=goal:\d+.*by=source.*units=visits.*against=before"))
    compare.reload()
    said = compare.get_by_text("Held against each other")
    expect(said).to_contain_text("visits with Guide downloads")
    expect(said).to_contain_text("the 28 days before")
    grid = compare.get_by_role("grid", name="Compared values")
    expect(grid.locator("tbody tr").first).to_contain_text("source")
    choose(compare, "Group", "all visits")
    expect(compare.get_by_role("button", name="Held against: the 28 days before")).to_be_visible()
    compare.get_by_role("button", name="Held against: the 28 days before").click()
    expect(compare.get_by_role("menuitemradio", name="the rest")).to_have_count(0)  # of all there is no rest


def test_the_segment_of_the_strip_is_held_against_the_rest(compare):
    follow(compare, "/s/mill/explain/compare?only=channel:Email&group=segment&by=entry_page")
    expect(compare.get_by_text("Held against each other")).to_contain_text("people of the segment")
    grid = compare.get_by_role("grid", name="Compared values")
    expect(grid.locator("tbody tr").first).to_contain_text("landing page")
    within = compare.request.post(
        "/api/v1/sites/mill/reports/table",
        data={
            "period": period_of(compare), "versus": "none", "columns": [{"id": "n", "measure": "visitors"}],
            "segment": {"where": {"conditions": [{"kind": "dimension", "dimension": "channel", "test": "is", "values": ["Email"]}]}},
        },
        headers={"X-CSRF-Token": compare.request.get("/api/v1/session").json()["csrf"]},
    )  # fmt: skip
    assert sizes(compare)[0] == within.json()["total"][0]["values"][0]


def period_of(page):
    """The 28 days that are read where nothing else is chosen."""
    site = page.request.get("/api/v1/sites/mill").json()
    return {"first": shifted(site["today"], -28), "last": shifted(site["today"], -1)}


def shifted(day, by):
    return (date.fromisoformat(day) + timedelta(days=by)).isoformat()


def test_rows_are_walked_by_key_said_in_words_and_gone_on_from(compare):
    grid = compare.get_by_role("grid", name="Compared values")
    aside = compare.get_by_role("complementary", name="The chosen value")
    grid.locator("[data-cell='0 0']").focus()
    for key in ("ArrowDown", "End", "ArrowLeft"):  # at the end are the actions of the row
        compare.keyboard.press(key)
    value = grid.locator("tbody tr").nth(1).get_by_role("button").first.inner_text()
    expect(aside.get_by_role("heading")).to_have_text(value)
    compare.get_by_role("button", name="Show them").press("Enter")
    few = compare.get_by_role("grid", name="Values of too few")
    few.locator("tbody tr").first.wait_for()
    expect(few.get_by_role("columnheader", name="Times")).not_to_have_attribute("aria-sort", re.compile("."))
    aside.get_by_role("link", name="The visits behind it").press("Enter")
    expect(compare).to_have_url(re.compile("/watch/visits.*only="))
    expect(compare.locator("[data-chip]")).to_contain_text(value)
    expect(compare.get_by_role("grid", name="Visits")).to_be_visible()


def test_a_row_of_any_ledger_and_an_opened_number_lead_to_compare_and_to_their_visits(overview):
    channels = overview.get_by_role("region", name="Channels")
    email = channels.get_by_role("row").filter(has_text="Email")
    email.get_by_role("button", name="Actions for this row").click()
    overview.get_by_role("menuitem", name="Compare with the rest").click()
    expect(overview.get_by_text("Held against each other")).to_contain_text("people of the segment")
    expect(overview.locator("[data-chip]")).to_have_text("Only channel Email")
    overview.go_back()
    email.get_by_role("button", name=re.compile("Email, Visits: .*; open up")).click()
    visits = email.get_by_role("button", name=re.compile("Email, Visits: ")).inner_text()
    overview.get_by_role("dialog").get_by_role("link", name="The visits behind it").click()
    expect(overview.get_by_role("heading", level=1)).to_contain_text(f"{visits} visits")
    expect(overview.get_by_role("dialog")).to_have_count(0)


def test_days_without_anybody_say_so(compare):
    follow(compare, "/s/mill/explain/compare?from=2020-01-01&to=2020-01-07")
    expect(compare.locator("[data-empty]")).to_contain_text("There are no people with Course bookings in these days.")
    expect(compare.get_by_role("heading", level=1)).to_contain_text("nothing to compare")


def test_each_figure_of_a_row_opens_into_who_is_in_it(analyst):
    follow(analyst, "/s/mill/explain/compare?by=channel")
    rows = analyst.get_by_role("grid", name="Compared values").locator("tbody tr")
    rows.first.wait_for()
    assert rows.first.locator("[data-opens]").count() == 5  # counts, shares, and the ratio
    opened_one_by_one(analyst, rows.first.locator("[data-opens]").all())
    times = rows.first.locator("[data-opens]").last
    times.click()
    numbers = analyst.get_by_role("dialog").locator("[data-numbers]").inner_text()
    a, size_a, b, size_b, said = (number(one) for one in re.findall(r"[\d.,]*\d", numbers))
    assert said == number(times.inner_text()) == pytest.approx(a / size_a / (b / size_b), rel=0.06)


@pytest.mark.parametrize("asked", ["against=before", "group=everybody", "group=everybody&only=device:phone", "group=segment&only=channel:Email"])
def test_figures_of_other_days_and_of_what_the_strip_leaves_out_open_up_too(analyst, asked):
    follow(analyst, f"/s/mill/explain/compare?by=entry_page&{asked}")
    rows = analyst.get_by_role("grid", name="Compared values").locator("tbody tr")
    rows.first.wait_for()
    assert rows.first.locator("[data-opens]").count() == 5
    opened_one_by_one(analyst, rows.first.locator("[data-opens]").all())
