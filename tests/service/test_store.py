"""Hits in and out of PostgreSQL: order, months, parts, two writers at once."""

import threading
import uuid
from datetime import UTC, datetime, timedelta

import psycopg
import pytest

from upper_compass.collect.checking import as_rows
from upper_compass.core.dataset.coded_hits import RAW_SCHEMA
from upper_compass.core.definitions.hits import FileHit
from upper_compass.store import record as store
from upper_compass.store.hits import HitWriter
from upper_compass.store.record import hits_between, newest

NOON = datetime(2026, 3, 1, 12, tzinfo=UTC)


@pytest.fixture
def connect(database):
    opened = []

    def make():
        opened.append(psycopg.connect(database.replace("+psycopg", "")))
        return opened[-1]

    yield make
    for connection in opened:
        connection.close()


def rows(*hits, site=1):
    made = []
    for given in hits:
        full = {"id": str(uuid.uuid4()), "at": NOON, "visitor": "v", "kind": "view", "url": "https://mill.example/"} | given
        made.append(FileHit.model_validate(full | {"id": uuid.UUID(full["id"])}))
    return as_rows(site, made, country=None, internal=False)


def delete_hits(connection, site):
    for table in ("hits", "hit_ids"):
        connection.execute(f"DELETE FROM {table} WHERE site_id = %s", [site])
    connection.commit()


def read(connection, site=1, after=0):
    return [row for part in hits_between(connection, None, site, after, newest(connection, site)[0]) for row in part.to_dicts()]


def test_numbers_follow_the_order_of_arrival_and_sites_are_apart(connect):
    connection = connect()
    writer = HitWriter(connection)
    assert writer.store(rows({"title": "b"}, {"title": "a"})) == 2
    assert writer.store(rows({"title": "other"}, site=2)) == 1
    assert writer.store(rows({"title": "c"})) == 1
    found = read(connection)
    assert [row["title"] for row in found] == ["b", "a", "c"]
    assert [row["seq"] for row in found] == sorted(row["seq"] for row in found)
    assert [row["title"] for row in read(connection, 2)] == ["other"]
    delete_hits(connection, 1)
    assert (read(connection), len(read(connection, 2))) == ([], 1)
    delete_hits(connection, 2)


def test_each_month_has_its_partition_and_everything_comes_back_as_it_was(connect):
    connection = connect()
    writer = HitWriter(connection)
    moments = [datetime(2025, 12, 31, 23, 59, 59, 999000, tzinfo=UTC), datetime(2026, 1, 1, tzinfo=UTC), datetime(2026, 2, 28, tzinfo=UTC)]
    text = 'Rye, "seeded"\n;=1+1 ß'
    writer.store(rows(*({"at": at, "title": text, "value": 0.1, "props": {"a": text}, "kind": "event", "name": "x"} for at in moments)))
    found = read(connection)
    assert [row["at"] for row in found] == [round(at.timestamp() * 1000) for at in moments]
    assert {row["title"] for row in found} == {text}
    assert (found[0]["value"], found[0]["robot"], found[0]["referrer"] or "") == (0.1, False, "")
    assert set(found[0]) == set(RAW_SCHEMA)
    names = connection.execute("SELECT inhrelid::regclass::text FROM pg_inherits WHERE inhparent = 'hits'::regclass").fetchall()
    assert {("hits_2025_12",), ("hits_2026_01",), ("hits_2026_02",)} <= set(names)
    delete_hits(connection, 1)


def test_a_long_history_is_read_in_parts(connect, monkeypatch):
    monkeypatch.setattr(store, "PART", 3)
    connection = connect()
    HitWriter(connection).store(rows(*({"title": str(i)} for i in range(8))))
    first = newest(connection, 1)[0] - 8
    parts = list(hits_between(connection, None, 1, first, newest(connection, 1)[0]))
    assert [len(part) for part in parts] == [3, 3, 2]
    assert [row["title"] for row in read(connection, after=first + 5)] == ["5", "6", "7"]
    delete_hits(connection, 1)


def test_a_failed_transaction_leaves_nothing_and_the_writer_goes_on(connect):
    connection = connect()
    writer = HitWriter(connection)
    good = rows({"at": NOON + timedelta(days=400)})
    bad = [(*good[0][:1], "no uuid", *good[0][2:])]
    with pytest.raises(psycopg.Error):
        writer.store(good + bad)
    assert read(connection) == []
    assert writer.store(good) == 1
    delete_hits(connection, 1)


def test_two_writers_at_once_store_each_hit_once_and_no_number_appears_late(connect):
    shared = rows(*({"title": str(i)} for i in range(300)))
    stored = []

    def write():
        writer = HitWriter(connect())
        stored.append(sum(writer.store(shared[i : i + 20]) for i in range(0, 300, 20)))

    threads = [threading.Thread(target=write) for _ in range(3)]
    seen: list[int] = []
    watcher = connect()
    watcher.autocommit = True
    for thread in threads:
        thread.start()
    while any(thread.is_alive() for thread in threads):
        for part in hits_between(watcher, None, 1, seen[-1] if seen else 0, newest(watcher, 1)[0]):
            seen += sorted(part["seq"].to_list())
    for part in hits_between(watcher, None, 1, seen[-1] if seen else 0, newest(watcher, 1)[0]):
        seen += sorted(part["seq"].to_list())
    assert sum(stored) == 300
    assert len(seen) == len(set(seen)) == 300
