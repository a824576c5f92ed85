"""Segments: written line by line with what each leaves, saved, read in every view, held beside others, changed and archived."""

import re

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import follow, serious


@pytest.fixture
def segments(analyst):
    follow(analyst, "/s/mill/explain/segments")
    analyst.get_by_role("grid", name="Segments", exact=True).locator("tbody tr").first.wait_for()
    return analyst


def number(text):
    return int(re.sub(r"[^\d]", "", text))


def add(page, kind, group="all of these"):
    page.get_by_role("button", name=f"Add a condition to: {group}", exact=True).click()
    page.get_by_role("menuitem", name=kind).click()


def held(page):
    page.locator("[aria-label='What the segment holds'][aria-busy=false]").wait_for()  # not of what was typed before
    return number(page.locator("[data-held]").inner_text())


def strip(page):
    return page.get_by_role("group", name="Segment", exact=True)


def test_a_segment_is_written_saved_used_changed_and_archived(segments):
    page = segments
    page.get_by_role("button", name="Write a segment").click()
    heading = page.get_by_role("heading", level=1)
    expect(heading).to_have_text("All visits.\u200b")
    everybody = held(page)
    add(page, "A value: channel")
    value = page.get_by_role("combobox", name="Value of channel")
    expect(value).to_be_focused()
    expect(page.get_by_text("stands here as soon as every line says something")).to_be_visible()
    value.press_sequentially("Em")
    page.get_by_role("option", name=re.compile("^Email")).click()
    expect(heading).to_contain_text("Visits that came by Email.")
    expect(page.get_by_role("complementary", name="What the segment holds").get_by_role("listitem")).to_have_count(2)
    by_mail = held(page)
    assert 0 < by_mail < everybody
    add(page, "A page that was seen")
    page.get_by_role("combobox", name="Page").fill("/courses")
    expect(heading).to_contain_text("and saw /courses.")
    expect(page.get_by_text(re.compile("What matters most is"))).to_be_visible()
    both = held(page)
    assert 0 < both < by_mail
    assert serious(page, "main") == []
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.get_by_text("Give it a name.")).to_be_visible()
    expect(page.get_by_role("textbox", name="Name")).to_be_focused()
    page.get_by_role("textbox", name="Name").fill("Letter to courses")
    page.get_by_role("button", name="Save", exact=True).click()
    row = page.get_by_role("row", name=re.compile("Letter to courses"))
    expect(row).to_contain_text(f"{both:,}")
    row.get_by_role("link", name="Letter to courses").click()
    page.get_by_role("button", name="Use", exact=True).click()
    expect(strip(page).get_by_role("link", name="Edit the segment: Letter to courses")).to_be_visible()
    expect(page.get_by_role("list", name="Figures").get_by_role("listitem").filter(has_text="Visits")).to_contain_text(f"{both:,}")
    page.goto(page.url)
    expect(page.get_by_role("list", name="Figures").get_by_role("listitem").filter(has_text="Visits")).to_contain_text(f"{both:,}")
    strip(page).get_by_role("link", name="Edit the segment: Letter to courses").click()
    page.get_by_role("button", name="Remove: what was done").click()
    expect(heading).to_contain_text("Visits that came by Email.")
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.get_by_role("row", name=re.compile("Letter to courses"))).to_contain_text(f"{by_mail:,}")
    page.get_by_role("row", name=re.compile("Letter to courses")).get_by_role("link").click()
    page.get_by_role("button", name="Archive …").click()
    page.get_by_role("button", name="Archive", exact=True).click()
    archived = page.get_by_role("region", name="Archived")
    expect(archived).to_contain_text("Letter to courses")
    archived.get_by_role("button", name="Restore Letter to courses").click()
    expect(archived).to_have_count(0)


def test_groups_orders_and_people_are_written_by_keyboard(segments):
    page = segments
    page.get_by_role("button", name="Write a segment").press("Enter")
    page.get_by_role("button", name="Of what: visits").press("Enter")
    page.get_by_role("menuitemradio", name="people").press("Enter")
    page.get_by_role("button", name="Add a condition to: all of these").press("Enter")
    page.get_by_role("menuitem", name="Things done in order").press("Enter")
    first = page.get_by_role("combobox", name="Page")
    expect(first).to_be_focused()
    first.press_sequentially("/courses")
    page.get_by_role("combobox", name="Event").press_sequentially("course booked")
    page.get_by_role("textbox", name="Within how much time").press_sequentially("3")
    page.get_by_role("button", name="Add a group to: all of these").press("Enter")
    page.get_by_role("menuitem", name="None of these").press("Enter")
    add(page, "A value: channel", "none of these")
    page.get_by_role("combobox", name="Value of channel").press_sequentially("Direct")
    page.keyboard.press("Escape")
    heading = page.get_by_role("heading", level=1)
    expect(heading).to_contain_text("People who saw /courses and later, within 3 days, did course booked, and never came by Direct.")
    assert held(page) > 0
    page.get_by_role("button", name="Use without saving").press("Enter")
    chip = strip(page).get_by_role("link", name="Edit the segment: People who saw /courses")
    chip.press("Enter")
    expect(heading).to_contain_text("People who saw /courses and later, within 3 days")
    page.get_by_role("button", name="Move step 2 up").press("Enter")
    expect(heading).to_contain_text("People who did course booked and later, within 3 days, saw /courses")
    page.get_by_role("link", name="Overview").or_(page.get_by_role("link", name="Read")).first.click()
    page.get_by_role("button", name="Leave", exact=True).click()
    expect(page).to_have_url(re.compile("/read/"))


def test_up_to_four_stand_side_by_side_in_ledgers_and_the_chart(analyst):
    page = analyst
    follow(page, "/s/mill/read/overview")
    page.get_by_role("region", name="Channels").locator("tbody th[role=rowheader]").first.wait_for()
    page.keyboard.press("e")
    page.get_by_role("checkbox", name="By letter side by side").click()
    page.get_by_role("checkbox", name="On phones side by side").click()
    page.keyboard.press("Escape")
    expect(page.get_by_role("group", name="Side by side")).to_contain_text("A By letter")
    expect(page.locator("[data-side]")).to_have_count(2)
    channels = page.get_by_role("region", name="Channels")
    mail = channels.get_by_role("row", name=re.compile("Email"))
    for place in (1, 2):
        expect(mail.get_by_role("gridcell").nth(place)).to_have_text(re.compile(r"^\d+$"))
    visits, a, b = [number(text) for text in mail.get_by_role("gridcell").all_inner_texts()[:3]]
    assert visits == a > b > 0
    channels.get_by_role("button", name=re.compile("Email, Visits in On phones: ")).click()
    drawer = page.get_by_role("dialog")
    expect(drawer).to_contain_text("Email, On phones")
    expect(drawer.locator("[data-figure]")).to_have_text(f"{b:,}")
    drawer.get_by_role("link", name="The visits behind it").click()
    expect(page.get_by_role("heading", level=1)).to_contain_text(f"{b:,}")


def test_a_segment_is_begun_from_a_row_a_point_of_a_chart_and_a_visit(analyst):
    page = analyst
    follow(page, "/s/mill/read/overview")
    heading = page.get_by_role("heading", level=1)
    row = page.get_by_role("region", name="Channels").locator("tbody tr").first
    name = row.get_by_role("rowheader").inner_text().strip().split("\n")[0]
    row.get_by_role("button", name="Actions for this row").click()
    page.get_by_role("menuitem", name="Make a segment of it").click()
    expect(heading).to_contain_text(f"Visits that came by {name}.")
    follow(page, "/s/mill/read/overview")
    row.wait_for()
    chart = page.get_by_role("slider", name=re.compile("^Course bookings a day"))
    chart.press("End")  # the pointer rests on the chart, where the menu stood
    expect(chart).not_to_have_attribute("aria-valuenow", "0")
    chart.press("Enter")
    page.get_by_role("link", name="Make a segment of it").click()
    expect(heading).to_contain_text(re.compile(r"Visits that came on \d{4}-\d\d-\d\d\."))
    assert held(page) > 0
    follow(page, "/s/mill/watch/visits")
    page.get_by_role("grid").locator("tbody tr a").first.click()
    page.get_by_role("link", name="Make a segment of this way").click()
    expect(heading).to_contain_text("Visits that")
    assert held(page) > 0


def test_saved_segments_are_found_in_the_palette_and_compared(analyst):
    page = analyst
    follow(page, "/s/mill/read/overview")
    page.get_by_role("list", name="Figures").get_by_role("listitem").nth(3).wait_for()
    page.keyboard.press("/")
    page.get_by_role("dialog").get_by_role("combobox").fill("segment On phones")
    page.keyboard.press("Enter")
    expect(strip(page).get_by_role("link", name="Edit the segment: On phones")).to_be_visible()
    follow(page, "/s/mill/explain/compare?group=saved:3&against=saved:4&by=channel&units=visits")
    expect(page.get_by_role("button", name=re.compile("^Group: visits in "))).to_be_visible()
    expect(page.get_by_role("grid", name="Compared values").locator("tbody tr").first).to_be_visible()


def test_how_many_a_segment_holds_opens_up_within_what_is_read(analyst):
    held_in = []
    for narrowed in ("", "?only=channel:Email"):
        follow(analyst, f"/s/mill/explain/segments{narrowed}")
        figure = analyst.get_by_role("grid", name="Segments", exact=True).get_by_role("row", name=re.compile("^On phones")).locator("[data-opens]")
        expect(figure).to_have_text(re.compile(r"\d"))
        held_in.append(number(figure.inner_text()))
        figure.click()
        expect(analyst.locator("[data-figure]")).to_have_text(figure.inner_text())
    assert held_in[0] > held_in[1] > 0
