"""Figures of lists open up as those of ledgers do: as the list has them, of the days that the list is of, down to the visits behind them."""

import re

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import follow, opened_one_by_one


def figures_of(page, grid, rows=2):
    found = page.get_by_role("grid", name=grid, exact=True).locator("tbody tr")
    found.first.wait_for()
    expect(found.first.locator("[data-opens]").first).not_to_have_text("–")
    return [figure for row in found.all()[:rows] for figure in row.locator("[data-opens]").all()]


@pytest.mark.parametrize(
    ("view", "grid", "least"),
    [("events", "Events", 4), ("goals", "Goals", 3), ("links", "Library", 2), ("links", "Links that nobody made here", 2)],
)
def test_each_figure_of_a_list_opens_up_as_it_stands_there(reader, view, grid, least):
    follow(reader, f"/s/mill/tag/{view}")
    figures = figures_of(reader, grid)
    assert len(figures) >= least
    opened_one_by_one(reader, figures)


def test_visits_by_channel_and_those_that_fit_none_open_up(reader):
    follow(reader, "/s/mill/tag/channels")
    channels = reader.get_by_role("region", name="Channels").locator("[data-opens]")
    expect(channels.last).not_to_have_text("0")
    opened_one_by_one(reader, [channels.first, channels.last])
    reader.get_by_role("button", name="Unsorted", exact=True).click()
    opened_one_by_one(reader, figures_of(reader, "Unsorted visits"))


def test_what_a_goal_counted_leads_to_its_days_whatever_the_strip_says(reader):
    follow(reader, "/s/mill/tag/goals?only=channel:Email")
    figure = figures_of(reader, "Goals", rows=1)[0]
    expect(figure).not_to_have_text("–")
    shown = figure.inner_text()
    figure.click()
    opened = reader.get_by_role("dialog")
    expect(opened.locator("[data-figure]")).to_have_text(shown)
    reader.reload()
    expect(opened.locator("[data-figure]")).to_have_text(shown)
    opened.get_by_role("link", name="Visits behind it").click()
    today = reader.request.get("/api/v1/sites/mill").json()["today"]
    expect(reader).to_have_url(re.compile(rf"/watch/visits\?.*to={today}"))
    expect(reader.locator("[data-chip]")).to_have_count(0)
    expect(reader.get_by_role("heading", level=1)).to_contain_text("visits, ")
