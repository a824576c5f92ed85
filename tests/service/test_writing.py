"""Group commit by itself: many share a transaction, too many wait, a failure is told to all who wait."""

import asyncio
import threading
from datetime import UTC, datetime

import psycopg
import pytest

from tests.conftest import in_a_loop
from upper_compass.collect import writing
from upper_compass.collect.writing import BusyError, GroupWriter, NotStoredError


class Store:
    """Stands in for the store: remembers its batches, waits or fails when told to."""

    def __init__(self):
        self.batches = []
        self.may_go_on = threading.Event()
        self.may_go_on.set()
        self.failing = False

    def __call__(self, _connection):
        return self

    def store(self, rows):
        self.may_go_on.wait(10)
        if self.failing:
            raise psycopg.OperationalError("gone")
        self.batches.append(list(rows))
        return len(rows)


@pytest.fixture
def store(monkeypatch):
    made = Store()
    monkeypatch.setattr(writing, "HitWriter", made)
    return made


def run(test):
    """Run a coroutine with a writer that was started, and stop it behind."""

    async def whole():
        writer = GroupWriter(lambda: None)
        writer.start()
        try:
            await test(writer)
        finally:
            await asyncio.to_thread(writer.stop)

    in_a_loop(whole)


def row(number):
    return (1, str(number), datetime.now(UTC))


def test_what_gathers_while_one_transaction_is_under_way_shares_the_next(store):
    async def test(writer):
        store.may_go_on.clear()
        waiting = [asyncio.create_task(writer.put([row(i)])) for i in range(50)]
        await asyncio.sleep(0.05)
        store.may_go_on.set()
        await asyncio.gather(*waiting)
        assert sum(len(batch) for batch in store.batches) == 50
        assert len(store.batches) <= 5

    run(test)


def test_nobody_is_answered_before_the_rows_are_safe(store):
    async def test(writer):
        store.may_go_on.clear()
        waiting = asyncio.create_task(writer.put([row(1)]))
        await asyncio.sleep(0.05)
        assert not waiting.done()
        store.may_go_on.set()
        await waiting
        assert store.batches

    run(test)


def test_too_much_waiting_is_refused_at_once(store, monkeypatch):
    monkeypatch.setattr(writing, "MAX_WAITING", 10)

    async def test(writer):
        store.may_go_on.clear()
        first = asyncio.create_task(writer.put([row(0)]))
        await asyncio.sleep(0.05)
        waiting = [asyncio.create_task(writer.put([row(i)])) for i in range(1, 11)]
        await asyncio.sleep(0)
        with pytest.raises(BusyError):
            await writer.put([row(11)])
        store.may_go_on.set()
        await asyncio.gather(first, *waiting)
        await writer.put([row(12)])
        assert sum(len(batch) for batch in store.batches) == 12

    run(test)


def test_a_failure_is_told_to_all_who_wait_and_the_next_try_works(store):
    async def test(writer):
        store.failing = True
        results = await asyncio.gather(*(writer.put([row(i)]) for i in range(3)), return_exceptions=True)
        assert {type(one) for one in results} == {NotStoredError}
        store.failing = False
        await writer.put([row(9)])
        assert store.batches == [[store.batches[0][0]]]

    run(test)


def test_stopping_stores_what_waits(store):
    async def test(writer):
        store.may_go_on.clear()
        waiting = asyncio.create_task(writer.put([row(1)]))
        await asyncio.sleep(0.05)
        store.may_go_on.set()
        await asyncio.to_thread(writer.stop)
        await waiting
        with pytest.raises(BusyError):
            await writer.put([row(2)])

    run(test)


def test_nothing_to_store_waits_for_nothing(store):
    async def test(writer):
        await writer.put([])
        assert store.batches == []

    run(test)
