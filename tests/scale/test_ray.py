"""Reports on Ray: the same figures as in one process, to the last digit, also while hits arrive and go, and while parts are killed."""

import itertools
import os
import signal
import threading
import time
from dataclasses import replace

import pytest
import sqlalchemy as sa

from tests.conftest import now
from tests.scale.conftest import DIMENSIONS, MEMORY, actors, told
from tests.service.object_storage import BUCKET, KEY, SECRET, object_storage
from upper_compass.core.definitions.site_rules import Alias
from upper_compass.core.engine.dimensions import UnknownNameError
from upper_compass.frames import queries
from upper_compass.frames.placing import Places
from upper_compass.frames.reader import ReaderAwayError, ReaderHere
from upper_compass.spread.ray_reader import RayReader
from upper_compass.store import record, record_files, visitors
from upper_compass.store.database import connect
from upper_compass.store.storage import Storage

PARTS = 3
# COMPASS_KILLS=20 does it as often as is asked for; a few find what there is to find.
KILLS = int(os.environ.get("COMPASS_KILLS", "5"))


@pytest.fixture(scope="module")
def storage(tmp_path_factory):
    return tmp_path_factory.mktemp("shards")


@pytest.fixture(scope="module")
def spread(database, storage):
    reader = RayReader(database, Places(Storage(str(storage))), MEMORY, PARTS)
    yield reader
    reader.close()


def test_every_figure_is_the_same_to_the_last_digit_also_of_what_arrives(site, here, spread, store):
    store(range(400))
    first = told(here, site)
    assert first["total"][0]["values"][0] > 100
    assert first["total"][2]["values"][0] > 1000
    for dimension in DIMENSIONS:
        assert told(spread, site, dimension) == told(here, site, dimension)
    for begin in (400, 405, 406, 500):
        store(range(begin, begin + 5))
        for dimension in DIMENSIONS:
            assert told(spread, site, dimension) == told(here, site, dimension)
    assert spread.read(site, queries.newest) == here.read(site, queries.newest)
    assert told(spread, site) != first


def test_other_rules_and_a_visitor_who_is_forgotten(site, here, spread, database):
    alias = Alias(field="source", this="s1", that="s2")
    other = replace(site, rules=site.rules.model_copy(update={"aliases": [alias], "visit_gap_minutes": 90}))
    for read in (other, site):
        assert told(spread, read) == told(here, read)
    sources = [row[0] for row in told(spread, other, "source")["rows"]]
    assert "s2" in sources and "s1" not in sources
    engine = connect(database)
    with engine.begin() as connection:
        assert visitors.forget(connection, None, site.id, "v3") > 0
    engine.dispose()
    after = replace(site, deletion_epoch=site.deletion_epoch + 1)
    assert told(spread, after) == told(here, after)
    with pytest.raises(UnknownNameError):
        told(spread, after, "nothing of the kind")


def test_whoever_asks_learns_nothing_of_parts_that_are_killed(site, here, spread, store):
    store(range(600, 640))
    answers, ended = [], threading.Event()
    spread.read(site, queries.newest)
    while len(actors()) > PARTS:  # those of tests before are on their way out
        time.sleep(0.05)

    def kill():
        """One after the other, while something is asked; the next one when an answer came in spite of it."""
        for number in range(KILLS):
            while len(held := sorted(actors())) < PARTS and not ended.is_set():
                time.sleep(0.05)
            before = len(answers)
            os.kill(held[number % len(held)], signal.SIGKILL)
            while len(answers) == before and not ended.is_set():
                time.sleep(0.05)
        ended.set()

    killing = threading.Thread(target=kill)
    killing.start()
    asked = itertools.cycle(DIMENSIONS)
    try:
        while not ended.is_set():
            dimension = next(asked)
            store([700 + len(answers)])  # so that the parts are asked, and not what was answered before
            answers.append(told(spread, site, dimension) == told(here, site, dimension))
    finally:
        ended.set()
        killing.join()
    assert answers == [True] * len(answers)
    assert len(answers) >= KILLS


def test_parts_that_were_put_down_are_read_again(site, here, database, storage, store):
    store(range(1_000, 1_020))
    again = RayReader(database, Places(Storage(str(storage))), MEMORY, PARTS)
    assert told(again, site) == told(here, site)
    again.close()
    written = sorted(storage.glob("shards/*/part-*-of-3/*/about.json"))
    assert len(written) == PARTS
    once_more = RayReader(database, Places(Storage(str(storage))), MEMORY, PARTS)
    assert told(once_more, site) == told(here, site)
    assert once_more.state().sites[site.id] > 0
    once_more.forget(site.id)
    assert not list(storage.glob("shards/*/part-*-of-3/*/about.json"))
    once_more.close()
    with pytest.raises(ReaderAwayError):
        told(once_more, site, "device")


def test_months_that_lie_at_a_service_are_read_by_every_part(site, database, store):
    store(range(2_000, 2_300))
    engine = connect(database)
    with object_storage() as (service, address):
        places = Places(Storage(f"s3://{BUCKET}/kept", address, "here", KEY, SECRET))
        handed_on = sum(
            record_files.hand_on(engine, places.storage, site.id, month) for month in (record.this_month(now(), 0).date(), record.this_month(now(), 1).date())
        )
        with engine.connect() as connection:
            assert handed_on > connection.execute(sa.text("SELECT count(*) FROM hits")).scalar() == 0
        alone, spread = ReaderHere(database, places, MEMORY), RayReader(database, places, MEMORY, PARTS)
        for dimension in DIMENSIONS:
            assert told(spread, site, dimension) == told(alone, site, dimension)
        store(range(2_300, 2_310))
        assert told(spread, site) == told(alone, site)
        spread.close()
        assert sum(name.endswith("about.json") for name in service.objects) == PARTS  # what the parts put down lies there too
        again = RayReader(database, places, MEMORY, PARTS)
        assert told(again, site, "page") == told(alone, site, "page")
        again.close()
        alone.close()
    engine.dispose()
