"""Months of hits that were handed on to Parquet in storage: read, erased and kept as those in the database are."""

import io
import json
import secrets
from datetime import UTC, date, datetime, timedelta

import polars as pl
import psycopg
import pytest
import sqlalchemy as sa
from starlette.testclient import TestClient

from tests.conftest import a_hit, columns, fill, now, sign_in
from tests.service.object_storage import BUCKET, KEY, SECRET, object_storage
from upper_compass.api.app import create_app
from upper_compass.frames import queries
from upper_compass.frames.placing import Places
from upper_compass.frames.reader import ReaderHere
from upper_compass.services.retention import delete_what_is_over, hand_on_what_is_old, purge_what_was_deleted
from upper_compass.settings import Settings
from upper_compass.store import record, record_files, sites
from upper_compass.store.database import connect
from upper_compass.store.record_files import VisitorPart

WHOLE = {"first": (now() - timedelta(days=390)).date().isoformat(), "last": now().date().isoformat()}
TABLE = {"period": WHOLE, "columns": columns("visitors", "visits", "views", "revenue", "orders", "value"), "goal": 1}
SITE = "/api/v1/sites/mill"


class Installation:
    """An application with its storage, and what tests do with it."""

    def __init__(self, client, engine, settings, service):
        self.client, self.engine, self.settings, self.service = client, engine, settings, service
        self.storage = settings.storage_at

    @property
    def site(self):
        with self.engine.connect() as connection:
            return sites.site_by_key(connection, "mill")

    def send(self, hits):
        """Import hits; how many were stored."""
        lines = "\n".join(map(json.dumps, hits))
        return self.client.post(f"{SITE}/import/hits", content=lines, headers=sign_in(self.client, "owner")).json()["stored"]

    def reports(self):
        """What some reports answer, and the times of all visits."""
        headers = sign_in(self.client, "viewer")
        of = {
            name: self.client.post(f"{SITE}/reports/table", json=TABLE | {"dimensions": [name]}, headers=headers)
            for name in ("page", "channel", "visitor_kind")
        }
        visits = self.client.post(f"{SITE}/visits", json={"period": WHOLE, "limit": 100}, headers=headers)
        assert {answer.status_code for answer in (*of.values(), visits)} == {200}, [answer.text[:300] for answer in (*of.values(), visits)]
        return [answer.json() for answer in (*of.values(), visits)]

    def hand_on(self):
        return hand_on_what_is_old(self.engine, self.storage, 2, now())

    def count(self, table="hits", where="true"):
        with self.engine.connect() as connection:
            return connection.execute(sa.text(f"SELECT count(*) FROM {table} WHERE {where}")).scalar()

    def files(self):
        """The rows of all files that count."""
        with self.engine.connect() as connection:
            return connection.execute(sa.text("SELECT * FROM record_files WHERE replaced_at IS NULL ORDER BY name")).all()


# Storage itself is tested of both (test_storage); what goes through it here too, where it is read and where it is changed.
BOTH = pytest.mark.parametrize("held", ["folder", "service"], indirect=True)


@pytest.fixture
def held(request, cluster, migrated, tmp_path):
    name = f"compass_test_{secrets.token_hex(6)}"
    cluster.copy_database(migrated, name)
    engine = connect(cluster.url(name))
    fill(cluster.url(name))
    with object_storage() as (service, address):
        kept = {"storage": str(tmp_path / "kept")}
        if getattr(request, "param", "folder") == "service":
            kept = {"storage": f"s3://{BUCKET}/kept", "storage_endpoint": address, "storage_region": "here", "storage_key": KEY, "storage_secret": SECRET}
        settings = Settings(database_url=cluster.url(name), parquet_after_months=2, **kept)
        with TestClient(create_app(settings), raise_server_exceptions=False) as client:
            yield Installation(client, engine, settings, service)
    engine.dispose()
    cluster.drop_database(name)


def days_ago(days, **changes):
    return a_hit(at=(now() - timedelta(days=days)).isoformat(timespec="milliseconds"), **changes)


def history(count=240):
    """A year of visits of 31 visitors; orders whose ids come again, months later or earlier."""
    for number in range(count):
        at = {"visitor": f"v{number % 31}", "url": f"https://mill.example/{number % 5}?utm_source=s{number % 3}&utm_medium=email"}
        yield days_ago(number * 37 % 365 + 1, **at, title='a "title",\nof two lines')
        if number % 4 == 0:
            order = {"id": f"o{number % 60}", "items": [{"name": "Rye", "price": 3.5, "quantity": 2}], "shipping": 1.0}
            yield days_ago(number * 37 % 365 + 1, **at, kind="order", value=8.0, currency="EUR", order=order)
        if number % 6 == 0:
            yield days_ago(number * 37 % 365 + 1, **at, kind="event", name="book", value=number / 7, currency="EUR", props={"seats": number, "ü": None})


@BOTH
def test_what_was_handed_on_is_read_as_before_and_the_database_is_empty_of_it(held):
    hits = list(history())
    assert held.send(hits) == len(hits)
    before = held.reports()
    assert len(before[0]["rows"]) == 5 and before[0]["total"][3]["values"][0] > 100
    handed_on = held.hand_on()
    assert len(hits) > handed_on > len(hits) / 2
    assert (held.count(), sum(one.hits for one in held.files())) == (len(hits) - handed_on, handed_on)
    assert held.count("hit_ids") == len(hits)
    assert {one.month for one in held.files()} == {record.this_month(now(), back).date() for back in range(3, 13)} | {record.this_month(now(), 13).date()} & {
        one.month for one in held.files()
    }
    assert held.reports() == before  # of what is in memory
    held.storage.remove_below("shards")
    cold = ReaderHere(held.settings.database_url, Places(held.storage), 2**28)
    assert cold.read(held.site, queries.newest) == len(hits)
    cold.close()
    with TestClient(create_app(held.settings)) as again:
        warm, held.client = held.client, again
        assert held.reports() == before  # of the database and the files
        held.send([days_ago(20, visitor="v1", kind="order", value=3, currency="EUR", order={"id": "o0", "items": []}), days_ago(150, visitor="late")])
        now_ = held.reports()
        held.client = warm
        assert held.reports() == now_ != before
    assert held.hand_on() == 1  # what came late for a month that was handed on before
    assert held.reports() == now_
    assert held.hand_on() == 0
    sign_in(held.client, "viewer")
    assert held.client.get(SITE).json()["first_day"] == min(hit["at"] for hit in hits)[:10]
    assert (held.send(hits), held.count("hit_ids")) == (0, len(hits) + 2)  # nothing is stored twice
    with held.engine.connect() as connection:
        sizes = [
            connection.execute(sa.text(f"SELECT pg_relation_size('{name}')")).scalar()
            for name, _ in record.months_before(connection, record.this_month(now(), 2))
        ]
    assert sizes and not any(sizes)


def test_parts_have_each_hit_once_and_a_visitor_whole(held):
    held.send(history())
    held.hand_on()
    with psycopg.connect(held.settings.database_url.replace("+psycopg", "")) as connection:
        last = record.newest(connection, held.site.id)[0]
        of = [
            pl.concat([part.select("seq", "visitor") for part in record.hits_between(connection, held.storage, held.site.id, 0, last, which)])
            for which in (None, *(VisitorPart(number, 5) for number in range(5)))
        ]
        whole, *parts = of
        assert pl.concat(parts).sort("seq").equals(whole.sort("seq"))
        assert sum(part["visitor"].n_unique() for part in parts) == whole["visitor"].n_unique() == 31
        since = pl.concat(record.hits_between(connection, held.storage, held.site.id, 200, 210))
        assert sorted(since["seq"]) == list(range(201, 211))
        orders = record.orders_between(connection, held.storage, held.site.id, 0, last)
        assert len(orders) == 60 and orders["order_id"].n_unique() == 15


@BOTH
def test_a_visitor_is_deleted_there_and_nothing_of_them_is_left(held):
    held.send([*history(), days_ago(200, visitor="goes", title="secret of theirs"), days_ago(2, visitor="goes"), days_ago(100, visitor="stays")])
    headers, of_them = sign_in(held.client, "owner"), {"params": {"visitor": "goes"}}
    before = held.client.get(f"{SITE}/visitors/export", **of_them).text
    held.hand_on()
    assert held.client.get(f"{SITE}/visitors/export", **of_them).text == before
    total = held.reports()[0]["total"][0]["values"][0]
    files = {one.name for one in held.files()}
    headers = sign_in(held.client, "owner")
    assert held.client.delete(f"{SITE}/visitors", headers=headers, **of_them).json() == {"hits": 2}
    assert len(files - {one.name for one in held.files()}) == 1
    assert held.reports()[0]["total"][0]["values"][0] == total - 1
    assert held.client.get(f"{SITE}/visitors/export", headers=sign_in(held.client, "owner"), **of_them).status_code == 404
    assert sum(one.hits for one in held.files()) == held.count("hit_ids") - held.count()
    names = held.storage.names("record")
    assert record_files.tidy(held.engine, held.storage) == 0  # somebody may be reading it
    with held.engine.begin() as connection:
        connection.execute(sa.text("UPDATE record_files SET replaced_at = replaced_at - interval '61 minutes'"))
    with held.engine.connect() as keeping:  # a backup, say
        keeping.execute(sa.select(sa.func.pg_advisory_lock_shared(record_files.KEEPING_LOCK)))
        assert record_files.tidy(held.engine, held.storage) == 0
        keeping.execute(sa.select(sa.func.pg_advisory_unlock_shared(record_files.KEEPING_LOCK)))
    assert record_files.tidy(held.engine, held.storage) == 1
    assert sorted(one.name for one in held.files()) == held.storage.names("record") != names
    for name in held.storage.names("record"):
        with held.storage.near(name) as file:
            assert "secret of theirs" not in pl.read_parquet(file)["title"].to_list()


def test_hits_are_kept_for_as_many_days_as_the_site_says_there_too(held):
    held.send(days_ago(days, visitor=f"v{days}") for days in (400, 200, 151, 149, 100, 1))
    held.hand_on()
    tagging = {"name": "Mill", "rules": {"hosts": ["mill.example"]}, "tagging": {"keep_days": 150}}
    assert held.client.put(SITE, json=tagging, headers=sign_in(held.client, "owner")).status_code == 200
    assert delete_what_is_over(held.engine, held.storage, now()) == 3
    assert delete_what_is_over(held.engine, held.storage, now()) == 0
    assert (held.count("hit_ids"), held.reports()[0]["total"][0]["values"][0]) == (3, 3)
    assert min(one.first_at for one in held.files()) > now() - timedelta(days=151)


def test_an_import_is_undone_and_a_site_goes_with_its_files(held):
    held.send(days_ago(days, visitor=f"v{days}") for days in (200, 100))
    kept = held.reports()
    held.send(days_ago(days, visitor=f"w{days}") for days in (201, 101, 3))
    held.hand_on()
    headers = sign_in(held.client, "owner")
    newest = held.client.get(f"{SITE}/import/done").json()[0]["id"]
    assert held.client.delete(f"{SITE}/import/done/{newest}", headers=headers).status_code == 200
    assert (held.reports(), held.count("hit_ids")) == (kept, 2)
    headers = sign_in(held.client, "owner")
    assert held.client.get(f"{SITE}/last-page").json()["address"] == "https://mill.example/courses"
    assert held.client.post(f"{SITE}/deleted", json={"name": "Mill"}, headers=headers).status_code == 200
    reader = held.client.app.state.services.reader
    assert purge_what_was_deleted(held.engine, reader, now() + timedelta(days=31)) == 2
    assert (held.files(), held.count("hit_ids")) == ([], 0)


def test_what_is_erased_while_it_is_written_down_is_not_handed_on(held, monkeypatch):
    held.send(history())
    write, erased = record_files.write_file, []

    def erases_first(*given):
        if not erased:
            headers = sign_in(held.client, "owner")
            erased.append(held.client.delete(f"{SITE}/visitors", params={"visitor": given[-1]["visitor"][0]}, headers=headers).json()["hits"])
        return write(*given)

    monkeypatch.setattr(record_files, "write_file", erases_first)
    handed_on = held.hand_on()
    assert sorted(one.name for one in held.files()) == held.storage.names("record")
    assert held.count() + handed_on == held.count("hit_ids") == len(list(history())) - erased[0]
    assert held.hand_on() > 0  # the month that changed, an hour later
    assert held.count(where=f"at < '{record.this_month(now(), 2).isoformat()}'") == 0


def test_storage_that_is_away_is_told_and_nothing_is_lost(held):
    held.send(days_ago(days, visitor=f"v{days}") for days in (200, 100, 1))
    held.hand_on()
    held.storage.remove_below("shards")
    asked = Settings(database_url=held.settings.database_url)
    with TestClient(create_app(asked), raise_server_exceptions=False) as without:
        headers = sign_in(without, "owner")
        answer = without.post(f"{SITE}/reports/table", json=TABLE | {"dimensions": ["page"]}, headers=headers)
        assert (answer.status_code, answer.json()["title"]) == (503, "Service Unavailable")
        assert "storage is away" in answer.json()["detail"]
        assert without.delete(f"{SITE}/visitors", params={"visitor": "v200"}, headers=headers).status_code == 503
        assert without.delete(f"{SITE}/visitors", params={"visitor": "v1"}, headers=headers).status_code in (200, 503)
    name = held.files()[0].name
    content = held.storage.read(name)
    held.storage.remove(name)
    with TestClient(create_app(held.settings), raise_server_exceptions=False) as again:
        headers = sign_in(again, "viewer")
        assert again.post(f"{SITE}/reports/table", json=TABLE | {"dimensions": ["page"]}, headers=headers).status_code == 503
        another = io.BytesIO()
        pl.DataFrame({"seq": ["one"]}).write_parquet(another)
        for spoilt in (b"no Parquet at all", content[:-200], another.getvalue()):
            held.storage.write(name, spoilt)
            assert again.post(f"{SITE}/reports/table", json=TABLE | {"dimensions": ["page"]}, headers=headers).status_code == 503
        held.storage.write(name, content)
        assert again.post(f"{SITE}/reports/table", json=TABLE | {"dimensions": ["page"]}, headers=headers).status_code == 200


def test_files_of_which_nothing_came_are_removed_after_days(held):
    held.send([days_ago(200)])
    held.hand_on()
    [file] = held.files()
    left = [f"record/mill/2026-01/{(datetime.now(UTC) - timedelta(days=days)):%Y%m%dT%H%M%S}-0000.parquet" for days in (0, 9)]
    for name in (*left, "record/another-site/2026-01/20200101T000000-00.parquet"):
        held.storage.write(name, b"")
    assert record_files.tidy(held.engine, held.storage) == 1
    assert held.storage.names("record") == ["record/another-site/2026-01/20200101T000000-00.parquet", *sorted([left[0], file.name])]


def test_the_files_are_open_parquet_with_every_column_of_a_hit(held):
    hit = days_ago(200, kind="event", name="book", value=2.5, currency="EUR", props={"seats": 2}, title="", visitor="v")
    held.send([hit])
    held.hand_on()
    [file] = held.files()
    assert file.name.startswith(f"record/mill/{(now() - timedelta(days=200)):%Y-%m}/")
    with held.storage.near(file.name) as near:
        [row] = pl.read_parquet(near).to_dicts()
        assert near.stat().st_size == file.bytes
    assert (row["id"], row["visitor"], row["kind"], row["value"], json.loads(row["props"])) == (hit["id"], "v", 2, 2.5, {"seats": 2})
    assert row["at"].isoformat(timespec="milliseconds") == hit["at"]
    assert row["spread"] == record_files.spread_of("v")


def test_months_are_whole_and_in_utc():
    at = now().replace(year=2026, month=3, day=1, hour=0, minute=30)
    assert record.this_month(at, 2).date() == date(2026, 1, 1)
    assert record.this_month(at.astimezone(UTC) - timedelta(hours=1), 2).date() == date(2025, 12, 1)
    assert record_files.bounds_of(date(2025, 12, 1))[1].date() == date(2026, 1, 1)
    assert record_files.bounds_of(record_files.OLDER)[1].year == 2020
