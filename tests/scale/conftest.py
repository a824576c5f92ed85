"""A site with visits, orders and bookings, to be read in one process and on Ray."""

import io
import json
import uuid
from datetime import timedelta
from pathlib import Path

import psycopg
import pytest

from tests.conftest import BOOKED, fill, now
from upper_compass.collect.importing import import_hits, into_site
from upper_compass.core.definitions.requests import TableRequest
from upper_compass.core.reports import tables
from upper_compass.frames.placing import Places
from upper_compass.frames.reader import ReaderHere
from upper_compass.store import sites
from upper_compass.store.database import connect
from upper_compass.store.hits import HitWriter

MEMORY = 2**28
DIMENSIONS = ("channel", "page", "entry_page", "campaign")
MEASURES = ("visits", "visitors", "revenue", "orders", "conversions", "value", "bounce_rate")


@pytest.fixture(scope="module")
def database(database):
    fill(database)
    return database


@pytest.fixture
def site(database):
    engine = connect(database)
    with engine.connect() as connection:
        found = sites.site_by_key(connection, "mill")
    engine.dispose()
    return found


@pytest.fixture(scope="module")
def here(database):
    reader = ReaderHere(database, Places(), MEMORY)
    yield reader
    reader.close()


def hits_of(number):
    """One visit of one of 97 visitors; every third has an order, of which three share an id, and not always the first to arrive came first."""
    at = now() - timedelta(hours=number * 37 % 190, seconds=number)
    sent = {"visitor": f"v{number % 97}", "at": at.isoformat(timespec="milliseconds"), "user_agent": "Mozilla/5.0 (X11; Linux) Firefox/140.0"}
    yield sent | {"kind": "view", "url": f"https://mill.example/{number % 7}?utm_source=s{number % 5}&utm_medium=email&utm_campaign=c{number % 4}"}
    if number % 3 == 0:
        order = {"id": f"o{number // 9}", "items": [], "shipping": 1.1}
        yield sent | {"kind": "order", "url": "https://mill.example/t", "value": 10 + number / 10, "currency": "EUR", "order": order}
    if number % 5 == 0:
        yield sent | {"kind": "event", "name": "book", "url": "https://mill.example/b", "value": round(number / 7, 2), "currency": "EUR"}


@pytest.fixture
def store(database, site):
    """Stores visits by their numbers, of which each makes others."""

    def stored(numbers):
        lines = [json.dumps(hit | {"id": str(uuid.uuid4())}) for number in numbers for hit in hits_of(number)]
        with psycopg.connect(database.replace("+psycopg", "")) as connection:
            report = import_hits(io.BufferedReader(io.BytesIO("\n".join(lines).encode())), into_site(site, now()), HitWriter(connection))
        assert (report.stored, report.bad) == (len(lines), 0)

    return stored


def told(reader, site, dimension="channel"):
    """A table with its totals, as it goes out."""
    columns = [{"id": name, "measure": name} for name in MEASURES]
    days = {"first": str(now().date() - timedelta(days=8)), "last": str(now().date())}
    asked = {"period": days, "versus": "none", "dimensions": [dimension], "columns": columns, "goal": 1, "limit": 100}
    return json.loads(reader.read_json(site, tables.table, TableRequest.model_validate(asked), {1: BOOKED}))


def actors():
    """The processes that hold a part: {its number: that of the machine's own process above it}."""
    found = {}
    for one in Path("/proc").glob("[0-9]*"):
        try:
            if (one / "cmdline").read_bytes().startswith(b"ray::Part"):
                found[int(one.name)] = int((one / "stat").read_text().rpartition(")")[2].split()[1])
        except OSError:
            continue
    return found
