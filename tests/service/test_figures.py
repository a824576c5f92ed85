"""What the API answers on any hits, through the import door and the store, is what a plain count of them says."""

import json
import uuid
from datetime import UTC, date, datetime, timedelta

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests.conftest import BOOKED, columns, sign_in
from tests.core.building import DAY, rules
from tests.core.oracle import conversions_of, figures, page_of, visits_of
from tests.core.strategies import hit_lists
from upper_compass.reference import shipped
from upper_compass.store import accounts, sites
from upper_compass.store.database import connect

# Days since 1970 of the tests' hits are days of this autumn.
FIRST = 20_740
MEASURES = {
    "visits": "visits",
    "visitors": "visitors",
    "views": "views",
    "conversions": "conversions",
    "value": "value",
    "orders": "orders",
    "revenue": "revenue",
    "event_value": "event_value",
}
KEYS = {
    "source": {"key_of_visit": lambda visit: visit.source[0]},
    "entry_page": {"key_of_visit": lambda visit: page_of(visit.views[0]["url"]) if visit.views else ""},
    "page": {"keys_of_hit": lambda hit: page_of(hit["url"])},
    "event": {"keys_of_hit": lambda hit: hit.get("name")},
}


@pytest.fixture(scope="module")
def new_site(client, database):
    """Adds sites of the owner's."""
    engine = connect(database)

    def add():
        with engine.begin() as connection:
            owner = accounts.user_by_email(connection, "owner@mill.example").id
            site = sites.add_site(connection, "Drawn", rules(), owner)
            goal = sites.add_goal(connection, site.id, "Bookings", BOOKED, owner)
        return site.key, goal.id

    yield add
    engine.dispose()


def day(number):
    """The day, so many after the first of 1970."""
    return (date(1970, 1, 1) + timedelta(days=number)).isoformat()


def as_line(hit):
    """A hit of the oracle as a line of a file."""
    at = datetime.fromtimestamp((hit["at"] + FIRST * DAY) / 1000, UTC)
    plain = {name: hit[name] for name in ("visitor", "kind", "url", "referrer", "user_agent", "name", "value", "engaged_ms") if hit.get(name) is not None}
    order = {"order": {"id": hit.get("order_id") or "", "items": json.loads(hit.get("items") or "[]")}} if hit["kind"] == "order" else {}
    return json.dumps({"id": str(uuid.uuid4()), "at": at.isoformat()} | plain | order)


@settings(max_examples=12, suppress_health_check=[HealthCheck.function_scoped_fixture, HealthCheck.too_slow], deadline=None)
@given(hits=hit_lists(), first=st.integers(9, 14), length=st.integers(0, 4))
def test_any_table_is_what_a_plain_count_says(client, new_site, hits, first, length):
    hits = [hit | {"internal": False} for hit in hits]
    key, goal = new_site()
    headers = sign_in(client, "owner")
    report = client.post(f"/api/v1/sites/{key}/import/hits", content="\n".join(map(as_line, hits)), headers=headers).json()
    assert (report["stored"], report["bad"]) == (len(hits), 0), report
    visits = visits_of(hits, rules(), shipped())
    booked = lambda visit: conversions_of(visit, lambda hit: hit.get("name") == "book", once=False, value=lambda hit: hit.get("value") or 0.0)  # noqa: E731
    period = {"first": day(FIRST + first), "last": day(FIRST + first + length)}
    for dimension, by in KEYS.items():
        asked = {"period": period, "versus": "none", "goal": goal, "dimensions": [dimension], "columns": columns(*MEASURES), "limit": 1000}
        answer = client.post(f"/api/v1/sites/{key}/reports/table", json=asked, headers=headers).json()
        mine = {row[0]: {one["id"]: one["values"][place] for one in answer["columns"]} for place, row in enumerate(answer["rows"])}
        theirs = figures(visits, first * DAY, (first + 1 + length) * DAY, booked, **by)
        expected = {value: {name: row[of] for name, of in MEASURES.items()} for value, row in theirs.items()}
        something = lambda rows: {value: row for value, row in rows.items() if any(row.values())}  # noqa: E731
        assert something(mine) == something(expected), dimension
