"""Out of a ledger: what is seen, or all of it, as files, and as a call that a program makes."""

import ast
import json
import os
import re
import shlex
import subprocess
import sys

import polars as pl
import pytest
from playwright.sync_api import expect

from tests.browser.conftest import follow
from upper_compass.demo.laying import ACCOUNT
from upper_compass.store import accounts, tokens


@pytest.fixture
def sources(analyst):
    follow(analyst, "/s/mill/read/sources")
    region = analyst.get_by_role("region", name="Sources", exact=True)
    region.locator("tbody tr").nth(3).wait_for()
    return region


def export(region, choice):
    region.get_by_role("button", name="Export").click()
    with region.page.expect_download() as made:
        region.page.get_by_role("menuitem", name=choice).click()
    return made.value


def names(region):
    texts = region.locator("tbody th[role=rowheader]").all_inner_texts()
    return [text.strip().replace("\n", "") for text in texts]


def test_a_ledger_leaves_as_it_is_seen_and_as_a_whole(sources):
    sources.locator("thead").get_by_role("button", name="Visits", exact=True).click()
    expect(sources.locator("tbody tr").first).to_contain_text("seekwell")
    shown = names(sources)[:9]
    csv = export(sources, "CSV, these 9 rows")
    assert csv.suggested_filename.startswith("Sources 20") and csv.suggested_filename.endswith(".csv")
    seen = pl.read_csv(csv.path())
    assert [name for name in seen["Source"].to_list() if len(name) < 12] == [name for name in shown if len(name) < 12]
    assert sources.locator("tbody tr").first.get_by_role("gridcell").first.inner_text() == f"{seen['Visits'][0]:,.0f}"
    whole = [json.loads(line) for line in export(sources, "JSON Lines, all").path().read_text().splitlines()]
    assert len(whole) > 9 and [one["source"] for one in whole[:9]] == seen["Source"].to_list()
    assert pl.read_parquet(export(sources, "Parquet, all").path()).height == len(whole)
    assert export(sources, "XLSX, all").path().read_bytes().startswith(b"PK")


def test_the_request_behind_a_ledger_runs_as_it_stands(sources, demo_database):
    with demo_database.begin() as connection:
        token = tokens.add_token(connection, accounts.user_by_email(connection, ACCOUNT).id, "for the test")
    page = sources.page
    sources.get_by_role("button", name="Export").click()
    page.get_by_role("menuitem", name="As a call to the API …").click()
    asked = page.get_by_role("dialog", name="Sources, as a call to the API")
    curl = shlex.split(asked.locator("code").inner_text().replace("\\\n", ""))
    asked.get_by_role("tab", name="Python").click()
    code = asked.locator("code").inner_text()
    done = subprocess.run([sys.executable, "-c", code], env=os.environ | {"COMPASS_TOKEN": token}, capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stderr
    answer = ast.literal_eval(done.stdout)
    body = json.loads(curl[curl.index("-d") + 1])
    headers = {"Authorization": f"Bearer {token}"}
    assert page.request.post(curl[1], data=body, headers=headers).json()["rows"] == answer["rows"]
    page.keyboard.press("Escape")
    expect(asked).to_have_count(0)
    assert [row[0] for row in answer["rows"]][:3] == names(sources)[:3]


def test_a_file_that_cannot_be_made_is_said(sources):
    page = sources.page
    page.route("**/exports/table?*", lambda route: route.fulfill(status=503, content_type="application/problem+json", json={"detail": "Not now, it reads."}))
    sources.get_by_role("button", name="Export").click()
    page.get_by_role("menuitem", name="CSV, all").click()
    expect(page.get_by_role("listitem").filter(has_text="Not now, it reads.")).to_be_visible()


def test_rows_that_are_opened_leave_with_those_around_them(sources):
    page = sources.page
    first = names(sources)[0]
    sources.locator("tbody tr").first.get_by_role("button", name="Open the row").click()
    sources.locator("tbody tr[aria-level='2'] th button").first.wait_for()
    opened = pl.read_csv(export(sources, "CSV, these rows").path())
    assert opened.columns[:3] == ["Source", "Medium", "Landing page"]
    assert opened["Medium"][0] is None and opened["Medium"][1] and set(opened["Source"][:2]) == {opened["Source"][0]}
    assert opened["Source"][0] == first and opened.height == sources.locator("tbody tr").count() - 1  # the last says how many more there are
    assert page.get_by_role("listitem").filter(has_text="could not").count() == 0


@pytest.mark.parametrize(
    ("view", "grid", "column"), [("tag/events", "Events", "Event"), ("read/events", "Forms", "Form"), ("watch/visits", "Visits", "Began"), ("explain/compare", "Compared values", "Value")],
)  # fmt: skip
def test_every_list_leaves_as_it_is_seen_and_as_a_whole(analyst, view, grid, column):
    follow(analyst, f"/s/mill/{view}")
    rows = analyst.get_by_role("grid", name=grid, exact=True).locator("tbody th")
    rows.first.wait_for()
    region = analyst.locator("main div", has=analyst.get_by_role("grid", name=grid, exact=True)).last.locator(
        "xpath=ancestor-or-self::*[.//button[normalize-space()='Export']][1]"
    )
    seen = pl.read_csv(export(region, re.compile("^CSV(, these rows)?$")).path())
    assert seen[column][0].split()[0] == rows.first.inner_text().split()[0]
    if grid in ("Visits", "Compared values"):
        assert pl.read_parquet(export(region, re.compile("^Parquet, all")).path()).height >= seen.height


@pytest.mark.parametrize(
    ("view", "ready", "columns"),
    [
        ("explain/funnels?funnel=1", "[data-step='5']", ["Of", "Step", "Name", "Reached"]),
        ("explain/attribution", "table[aria-label='Credit'] tbody tr", ["channel", "1: First touch, conversions, reach 30"]),
    ],
)
def test_funnels_and_credits_leave_as_they_are_seen(analyst, view, ready, columns):
    follow(analyst, f"/s/mill/{view}")
    analyst.locator(ready).first.wait_for()
    analyst.locator("[aria-busy=true]").first.wait_for(state="detached")
    found = pl.read_csv(export(analyst.locator("main"), "CSV").path())
    assert found.columns[: len(columns)] == columns and found.height >= 5
    if "funnels" in view:
        whole = found.filter(pl.col("Of") == "all")
        assert whole["Name"].to_list()[0] == "/basket" and whole["Reached"].to_list() == sorted(whole["Reached"], reverse=True)
        assert set(found["Of"]) > {"all", "phone", "desktop"}
    else:
        credits = found.filter(pl.col("channel") == "Email").row(0)[1:]
        shown = analyst.locator("tbody[aria-label='Email'] td.font-semibold").all_inner_texts()
        assert [f"{one:.1f}" for one in credits] == shown


def test_ways_leave_as_a_table(analyst):
    follow(analyst, "/s/mill/explain/paths?centre=page:/courses")
    analyst.get_by_role("button", name="As a table").click()
    rows = analyst.get_by_role("grid", name="Ways").locator("tbody tr")
    rows.first.wait_for()
    found = pl.read_csv(export(analyst.locator("main"), "CSV").path())
    assert (found.height, found.columns[:3]) == (rows.count(), ["Way", "Step", "Visits"])
    assert found["Visits"].to_list() == sorted(found["Visits"], reverse=True)
