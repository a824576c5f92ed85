"""Drivers: what the goal is owed to on one sheet, checked by hand down to visits, narrowed, printed and taken along."""

import re

import polars as pl
import pytest
from playwright.sync_api import expect

from tests.browser.conftest import follow, opened_one_by_one, serious


@pytest.fixture
def sheet(analyst):
    follow(analyst, "/s/mill/explain/drivers")
    rows(analyst, "Pages").first.wait_for()
    return analyst


def rows(page, what):
    return page.get_by_role("grid", name=f"{what} that drive it", exact=True).locator("tbody tr")


def number(text):
    return float(re.sub(r"[^\d.\-]", "", text.replace("−", "-")))


def test_channels_and_pages_are_said_and_are_the_figures_of_their_rows(sheet):
    said = sheet.get_by_role("heading", level=1).inner_text()
    share, most, rate, page, of_page, others = re.match(
        r"(\d+).% of the bookings are owed to (.+?)[,;] .* convert most, ([\d.]+) % .* Who saw (\S+) converted at ([\d.]+) %, others .* at ([\d.]+) %", said
    ).groups()
    channels = [row.locator("td, th").all_inner_texts() for row in rows(sheet, "Channels").all()]
    assert channels[0][0] == most
    assert int(share) == round(100 * number(channels[0][5]) / sum(number(row[5]) for row in channels))
    assert rate in {row[3] for row in channels}
    told = rows(sheet, "Pages").filter(has=sheet.locator(f"[title^='{page}: ']")).locator("td, th").all_inner_texts()
    assert (told[4], told[6]) == (of_page, others)
    assert number(told[3]) / number(told[2]) == pytest.approx(number(of_page) / 100, abs=5e-5)


def test_each_figure_opens_down_to_visits_and_a_gap_is_shown_channel_by_channel(sheet):
    opened_one_by_one(sheet, [one for one in rows(sheet, "Channels").nth(1).locator("[data-opens]").all() if "first" not in one.inner_text()][:3])
    page = rows(sheet, "Pages").first
    opened_one_by_one(sheet, page.locator("[data-opens]").all()[:4])
    gap = page.get_by_role("button", name=re.compile("Points: "))
    gap.click()
    opened = sheet.get_by_role("dialog")
    expect(opened.locator("[data-figure]")).to_have_text(gap.inner_text())
    channels = [[number(part) for part in row.locator("td").all_inner_texts()] for row in opened.locator("tbody tr").all()]
    saw = sum(row[0] for row in channels)
    weighed = sum(row[0] * (row[1] - row[3]) for row in channels) / saw
    assert weighed == pytest.approx(number(gap.inner_text()), abs=0.06)
    assert serious(sheet, "[role=dialog]") == []
    sheet.reload()
    expect(opened.locator("[data-figure]")).to_have_text(re.compile(r"^\+"))
    sheet.keyboard.press("Escape")
    page.get_by_role("button", name=re.compile("Credit: ")).click()
    expect(opened.get_by_role("list", name="Conversions").locator("> li").first).to_be_visible()
    sheet.keyboard.press("Escape")
    rows(sheet, "Channels").first.get_by_role("button", name=re.compile("Last: ")).click()
    expect(opened).to_contain_text("Last touch")


def test_the_sheet_is_printed_without_its_frame_and_leaves_as_a_file(sheet):
    sheet.evaluate("window.print = () => { window.printed = true }")
    sheet.get_by_role("button", name="Print", exact=True).click()
    assert sheet.evaluate("window.printed")
    sheet.emulate_media(media="print", color_scheme="dark")
    for hidden in (
        sheet.get_by_role("link", name="Funnels", exact=True),
        sheet.get_by_role("button", name="Export").first,
        sheet.get_by_role("button", name="Print", exact=True),
    ):
        expect(hidden).not_to_be_visible()
    expect(sheet.get_by_text("Fennmoor Mill · Course bookings · ")).to_be_visible()
    assert sheet.evaluate("getComputedStyle(document.querySelector('h1')).color") == "rgb(21, 40, 59)"
    assert sheet.pdf(prefer_css_page_size=True).startswith(b"%PDF")
    sheet.emulate_media(media="screen", color_scheme="light")
    region = sheet.get_by_role("region", name="Pages", exact=True)
    with sheet.expect_download() as got:
        region.get_by_role("button", name="Export").click()
        sheet.get_by_role("menuitem", name="CSV", exact=True).click()
    found = pl.read_csv(got.value.path())
    assert found.height == rows(sheet, "Pages").count() and found["Page"][0] == rows(sheet, "Pages").first.locator("th").inner_text().split("\n")[0]


def test_it_is_narrowed_and_says_so_where_nothing_was_converted(sheet):
    rows(sheet, "Channels").get_by_role("button", name="Email", exact=True).click()
    # Their conversions are owed to touches by others as well; those alone that came by mail convert here.
    leads = rows(sheet, "Channels").locator("[data-lead]")
    expect(leads.filter(has_not_text=re.compile("^0$"))).to_have_count(1)
    follow(sheet, "/s/mill/explain/drivers?from=2020-01-01&to=2020-01-07")
    expect(sheet.get_by_role("heading", level=1)).to_have_text("No bookings in these days.")
    expect(sheet.get_by_text("Choose other days, or another goal to steer by.")).to_be_visible()
