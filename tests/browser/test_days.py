"""What depends on the day, on a short list of days: the last of February of a leap year, both days on which clocks change, 31 December, each weekday."""

import json
import re
import threading
import urllib.request
from contextlib import contextmanager
from datetime import UTC, date, datetime, timedelta

import pytest
import uvicorn
from playwright.sync_api import expect

from tests.browser.conftest import PERSON, follow
from tests.conftest import PASSWORD, a_hit, columns
from upper_compass.api.app import create_app
from upper_compass.collect.importing import Import, import_hits
from upper_compass.core.definitions.goals import Goal
from upper_compass.core.definitions.site_rules import SiteRules
from upper_compass.run.build import TRACKER, WEB
from upper_compass.settings import Settings
from upper_compass.store import accounts, sites
from upper_compass.store.database import connect
from upper_compass.store.hits import HitWriter

# Tuesday, Sunday, Sunday, Thursday; Friday, Saturday and Monday; Wednesday is the day of all other tests.
DAYS = ("2028-02-29", "2027-03-28", "2026-10-25", "2026-12-31", "2027-01-01", "2027-02-27", "2027-03-01")
HOURS = {"2027-03-28": 23, "2026-10-25": 25}
ZONE = "Europe/Dublin"


@pytest.fixture(scope="module")
def filled(database):
    """A site with two visits on every day from 40 before the first to the last of the days."""
    import io

    import psycopg

    engine = connect(database)
    with engine.begin() as connection:
        owner = accounts.add_user(connection, "owner@mill.example", "Owner", PASSWORD)
        mill = sites.add_site(connection, "Mill", SiteRules(hosts=["mill.example"], timezone=ZONE), owner.id, "mill")
        sites.add_goal(connection, mill.id, "Bookings", Goal.model_validate({"match": {"kind": "event", "names": ["book"]}}), owner.id)
    engine.dispose()
    first, last = min(DAYS), max(DAYS)
    days = [date.fromisoformat(first) + timedelta(days=i) for i in range(-40, (date.fromisoformat(last) - date.fromisoformat(first)).days + 1)]
    lines = [json.dumps(a_hit(at=f"{day}T{hour:02}:30:00Z", visitor=f"{day}-{hour}")) for day in days for hour in (9, 10)]
    with psycopg.connect(database.replace("+psycopg", "")) as connection:
        into = Import(mill.id, None, datetime(2030, 1, 1, tzinfo=UTC))
        report = import_hits(io.BufferedReader(io.BytesIO("\n".join(lines).encode())), into, HitWriter(connection))
    assert report.stored == len(lines)
    return database


@contextmanager
def served(url, folder, shift):
    """The address of the application, served by a thread of this process, whose clock is moved by so many seconds."""
    settings = Settings(database_url=url, storage=str(folder), web=WEB, tracker=TRACKER, clock_shift=shift)
    server = uvicorn.Server(uvicorn.Config(create_app(settings), port=0, log_level="warning"))
    thread = threading.Thread(target=server.run)
    thread.start()
    try:
        while not (server.started and server.servers):
            assert thread.is_alive(), "the application ended by itself"
            thread.join(0.02)
        yield f"http://127.0.0.1:{server.servers[0].sockets[0].getsockname()[1]}"
    finally:
        server.should_exit = True
        thread.join()


@pytest.fixture(scope="module")
def any_browser(browser_type, browser_type_launch_args):
    """A browser whose clock nobody has moved."""
    launched = browser_type.launch(**browser_type_launch_args)
    yield launched
    launched.close()


@pytest.mark.parametrize("day", DAYS)
def test_the_day_is_read_as_it_is(filled, tmp_path, any_browser, day):
    noon = datetime.fromisoformat(f"{day}T12:00:00+00:00")
    shift = (noon - datetime.now(UTC)).total_seconds()
    with served(filled, tmp_path, shift) as address:
        context = any_browser.new_context(base_url=address, user_agent=PERSON, timezone_id="America/New_York")
        context.add_init_script(
            f"{{ const Real = Date; const now = () => Real.now() + {round(shift * 1000)};"
            " globalThis.Date = class Date extends Real { constructor(...a) { a.length ? super(...a) : super(now()); } static now() { return now(); } }; }"
        )
        page = context.new_page()
        signed = page.request.post("/api/v1/session", data={"email": "owner@mill.example", "password": PASSWORD}).json()
        headers = {"X-CSRF-Token": signed["csrf"]}
        today = date.fromisoformat(day)
        assert page.request.get("/api/v1/sites/mill").json()["today"] == day
        asked = {"period": {"first": day, "last": day}, "columns": columns("visits"), "bucket": "hour", "versus": "none"}
        points = page.request.post("/api/v1/sites/mill/reports/series", data=asked, headers=headers).json()["columns"][0]["values"]
        assert (len(points), sum(points)) == (HOURS.get(day, 24), 2)
        week = {"first": str(today - timedelta(days=7)), "last": str(today - timedelta(days=1))}
        table = page.request.post("/api/v1/sites/mill/reports/table", data={"period": week, "columns": columns("visits")}, headers=headers).json()
        sent = sum(week["first"] <= other <= week["last"] for other in DAYS[: DAYS.index(day)])  # what the days before this one in the list sent
        assert (table["total"][0]["values"], table["total"][0]["before"]) == ([14 + sent], [14])
        page.goto("/s/mill/read/overview")
        page.locator("[data-ledger] tbody tr").first.wait_for()
        page.keyboard.press("7")
        expect(page.get_by_role("button", name="Versus: the 7 days before")).to_be_visible()
        chart = page.locator("[data-chart] svg").first
        chart.focus()
        page.keyboard.press("ArrowRight")
        expect(page.locator("[data-said]").first).to_contain_text(f"{today - timedelta(days=7):%a}")
        page.keyboard.press("ArrowLeft")
        page.keyboard.press("End")
        page.keyboard.press(",")
        expect(page).to_have_url(re.compile(f"from={today - timedelta(days=14)}&to={today - timedelta(days=8)}"))
        follow(page, "/s/mill/watch/visits")
        expect(page.locator("main")).to_contain_text(re.compile("visits", re.I))
        hit = a_hit(at=(noon + timedelta(seconds=1)).isoformat(), visitor=f"now-{day}")
        request = urllib.request.Request(f"{address}/collect?site=mill", json.dumps(hit).encode(), {"Content-Type": "application/json"})
        with urllib.request.urlopen(request) as answer:
            assert answer.status == 204
        assert page.request.get("/api/v1/sites/mill/now").json()["arrived"][0]["visitor"] == f"now-{day}"
        assert page.request.get("/api/v1/sites/mill/findings").ok
        context.close()
