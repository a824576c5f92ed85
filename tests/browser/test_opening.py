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
def test_each_figure_of_a_list_opens_up_as_it_stands_there(analyst, view, grid, least):
    follow(analyst, f"/s/mill/tag/{view}")
    figures = figures_of(analyst, grid)
    assert len(figures) >= least
    opened_one_by_one(analyst, figures)


def test_visits_by_channel_and_those_that_fit_none_open_up(analyst):
    follow(analyst, "/s/mill/tag/channels")
    channels = analyst.get_by_role("region", name="Channels").locator("[data-opens]")
    expect(channels.last).not_to_have_text("0")
    opened_one_by_one(analyst, [channels.first, channels.last])
    analyst.get_by_role("button", name="Unsorted", exact=True).click()
    opened_one_by_one(analyst, figures_of(analyst, "Unsorted visits"))


def test_what_a_goal_counted_leads_to_its_days_whatever_the_strip_says(analyst):
    follow(analyst, "/s/mill/tag/goals?only=channel:Email")
    figure = figures_of(analyst, "Goals", rows=1)[0]
    expect(figure).not_to_have_text("–")
    shown = figure.inner_text()
    figure.click()
    opened = analyst.get_by_role("dialog")
    expect(opened.locator("[data-figure]")).to_have_text(shown)
    analyst.reload()
    expect(opened.locator("[data-figure]")).to_have_text(shown)
    opened.get_by_role("link", name="Visits behind it").click()
    today = analyst.request.get("/api/v1/sites/mill").json()["today"]
    expect(analyst).to_have_url(re.compile(rf"/watch/visits\?.*to={today}"))
    expect(analyst.locator("[data-chip]")).to_have_count(0)
    expect(analyst.get_by_role("heading", level=1)).to_contain_text("visits, ")
