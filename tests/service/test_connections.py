"""Connections to PostgreSQL: those that broke are replaced, and what was prepared over one stays."""

import pytest
import sqlalchemy as sa

from upper_compass.frames.reader import reading_from
from upper_compass.store import database as store
from upper_compass.store.record import newest

PID = sa.text("SELECT pg_backend_pid()")


@pytest.fixture
def engine(database):
    engine = store.connect(database, pool_size=2, more=0)
    yield engine
    engine.dispose()


def end(database, *pids):
    """As when the server starts again."""
    other = store.connect(database)
    with other.begin() as connection:
        for pid in pids:
            assert connection.execute(sa.text("SELECT pg_terminate_backend(:pid, 5000)"), {"pid": pid}).scalar()
    other.dispose()


def test_connections_that_broke_while_nobody_used_them_are_replaced(engine, database, monkeypatch):
    monkeypatch.setattr(store, "IDLE", 0)
    with engine.connect() as one, store.reading(engine) as other:
        broken = [held.execute(PID).scalar() for held in (one, other)]
    end(database, *broken)
    with engine.connect() as one, store.reading(engine) as other:
        assert not {held.execute(PID).scalar() for held in (one, other)} & {*broken}


def test_what_is_read_is_of_its_own_moment_and_what_is_begun_is_whole(engine):
    with engine.begin() as connection:
        connection.execute(sa.text("CREATE TABLE said (what text)"))
    with store.reading(engine) as reading:
        assert reading.execute(sa.text("SELECT count(*) FROM said")).scalar() == 0
        with pytest.raises(ZeroDivisionError), engine.begin() as writing:
            writing.execute(sa.text("INSERT INTO said VALUES ('half')"))
            raise ZeroDivisionError
        assert reading.execute(sa.text("SELECT count(*) FROM said")).scalar() == 0
        with engine.begin() as writing:
            writing.execute(sa.text("INSERT INTO said VALUES ('whole')"))
        assert reading.execute(sa.text("SELECT what FROM said")).scalar() == "whole"


def test_who_brings_hits_up_to_date_sees_one_moment_and_plans_once(engine, database):
    other, prepared = store.connect(database), "SELECT count(*) FROM pg_prepared_statements WHERE statement LIKE '%FROM hits WHERE site_id%'"
    with other.begin() as writing:
        writing.execute(sa.text("CREATE TABLE told (what text)"))
    told = "SELECT count(*) FROM told"
    seen = []
    for _ in range(8):  # the driver prepares what comes again and again
        with reading_from(engine)() as connection:
            newest(connection, 1)
            before = connection.execute(told).fetchone()
            with other.begin() as writing:
                writing.execute(sa.text("INSERT INTO told VALUES ('one more')"))
            seen.append((*before, *connection.execute(told).fetchone()))
    assert seen == [(number, number) for number in range(8)]
    with reading_from(engine)() as connection:
        assert connection.execute(prepared).fetchone()[0] == 1
    other.dispose()
