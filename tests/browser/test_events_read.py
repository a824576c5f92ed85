"""Read → Events: events opened into their properties, forms, promotions, media and where people stop."""

import re

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import follow, opened_one_by_one, serious


@pytest.fixture
def events(analyst):
    follow(analyst, "/s/mill/read/events")
    analyst.get_by_role("region", name="Events").locator("tbody th[role=rowheader]").first.wait_for()
    return analyst


def cells(page, grid, row):
    found = page.get_by_role("grid", name=grid, exact=True).get_by_role("row", name=re.compile(row))
    found.wait_for()
    return [text.strip() for text in found.get_by_role("gridcell").all_inner_texts()]


def number(text):
    return float(text.replace(",", ""))


def test_an_event_opens_into_its_properties_together_or_one_by_one(events):
    expect(events.get_by_role("heading", level=1)).to_contain_text("Most people did form start (")
    region = events.get_by_role("region", name="Events")
    booked = region.get_by_role("row").filter(has_text="course booked")
    times = number(booked.get_by_role("gridcell").nth(1).inner_text())
    booked.get_by_role("button", name="Open the row").click()
    expect(region.get_by_role("row").filter(has_text="course sourdough, places 1")).to_be_visible()
    events.get_by_role("button", name=re.compile("^Properties: ")).click()
    events.get_by_role("menuitemradio", name="its property places").click()
    ones = region.get_by_role("row").filter(has=events.locator("th button", has_text=re.compile(r"^\s*[1-3]\s*$")))
    expect(ones).to_have_count(3)
    assert sum(number(one.get_by_role("gridcell").nth(1).inner_text()) for one in ones.all()) == times


def test_forms_promotions_and_media_are_followed_to_what_came_of_them(events):
    seen, _, sent, rate, time = cells(events, "Forms", "^pay")[:5]
    assert number(rate) == pytest.approx(100 * number(sent) / number(seen), abs=0.01)
    assert re.fullmatch(r"\d+:\d\d", time)
    expect(events.get_by_role("grid", name="Forms").get_by_role("row", name=re.compile("^wholesale"))).to_contain_text("telephone (")
    seen, clicked, rate = cells(events, "Promotions", "voucher")[:3]
    assert number(rate) == pytest.approx(100 * number(clicked) / number(seen), abs=0.01)
    media = events.get_by_role("region", name="Media")
    expect(media.locator("figcaption")).to_contain_text(re.compile(r"^kneading: of \d+ visits .* saw half of it and .* all"))
    media.get_by_role("button", name="scoring", exact=True).click()
    expect(media.locator("figcaption")).to_contain_text("scoring: of ")
    visits = cells(events, "Media", "^scoring")[0]
    reached = media.get_by_role("table", name=re.compile("^scoring")).locator("tbody tr").first
    expect(reached).to_contain_text(visits)
    curve = media.get_by_role("slider", name=re.compile("^scoring"))
    curve.press("ArrowRight")
    expect(curve).to_have_attribute("aria-valuetext", f"0 %: {visits}, 100.00 % of all")
    assert serious(events, "main") == []


def test_a_form_narrows_to_the_visits_that_sent_it(events):
    row = events.get_by_role("grid", name="Forms").get_by_role("row", name=re.compile("^wholesale"))
    sent = cells(events, "Forms", "^wholesale")[2]
    row.get_by_role("button", name="Actions for this row").click()
    events.get_by_role("menuitem", name="Only visits that sent it").click()
    expect(events.get_by_role("group", name="Segment")).to_contain_text("form sent wholesale")
    events.get_by_role("link", name="Overview").click()
    expect(events.get_by_role("button", name=re.compile(f"^Visits: {sent};"))).to_be_visible()


@pytest.mark.parametrize(("grid", "row"), [("Forms", "^wholesale"), ("Promotions", "voucher"), ("Media", "^kneading")])
def test_what_was_done_opens_into_the_visits_behind_it(events, grid, row):
    found = events.get_by_role("grid", name=grid, exact=True).get_by_role("row", name=re.compile(row))
    found.wait_for()
    figures = found.locator("[data-opens]")
    expect(figures).to_have_count(6 if grid == "Forms" else 5)  # of a form also how many left it at a field
    opened = events.get_by_role("dialog")
    for place, figure in enumerate(figures.all()):
        shown = figure.inner_text()
        figure.press("o")
        expect(opened.locator("[data-figure]")).to_have_text(re.compile(rf"^{re.escape(shown)}( %| min)?$"))
        if place in {"Forms": (0, 1, 2), "Promotions": (0, 1), "Media": (0,)}[grid]:  # counts of visits
            expect(opened).to_contain_text(f"Done in {shown} visit")
        expect(opened.get_by_role("link", name="Visits behind it")).to_be_visible()
        events.keyboard.press("Escape")
        expect(figure).to_be_focused()


def test_how_many_left_a_form_at_a_field_opens_up(events):
    row = events.get_by_role("grid", name="Forms", exact=True).get_by_role("row", name=re.compile("^wholesale"))
    opened_one_by_one(events, row.get_by_role("button", name=re.compile("^wholesale, left at ")).all()[:2])
    row.get_by_role("button", name="wholesale, left at telephone").first.click()
    expect(events.get_by_role("dialog")).to_contain_text("typed last in this field")


def test_a_figure_that_is_opened_is_its_formula_with_its_numbers_and_in_the_address(events):
    row = events.get_by_role("grid", name="Forms", exact=True).get_by_role("row", name=re.compile("^wholesale"))
    row.locator("[data-opens]").nth(2).wait_for()
    seen, _, sent = (number(text) for text in row.locator("[data-opens]").all_inner_texts()[:3])
    row.get_by_role("button", name=re.compile("^wholesale, Rate: ")).click()
    numbers = events.get_by_role("dialog").locator("[data-numbers]")
    expect(numbers).to_have_text(f"= {sent:,.0f} ÷ {seen:,.0f} = {100 * sent / seen:.2f} %")
    events.reload()
    expect(numbers).to_contain_text(f"= {sent:,.0f} ÷ {seen:,.0f}")
    events.keyboard.press("Escape")
    expect(events).not_to_have_url(re.compile("shown"))
