"""Salts, pseudonyms, refusals, deletions: the pieces by which a site knows little of its visitors, each on its own."""

import json
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta

import polars as pl
import psycopg
import pytest
import sqlalchemy as sa

from tests.conftest import a_hit, fill, stored
from upper_compass.collect.checking import as_rows, check_line
from upper_compass.collect.pseudonyms import LENGTH, Pseudonyms
from upper_compass.collect.refusals import MAX_COUNTED, Refusals
from upper_compass.core.definitions.script_settings import PART_FILES, PARTS, Tagging
from upper_compass.frames import snapshot
from upper_compass.frames.dataset_cache import DatasetCache
from upper_compass.frames.placing import Places
from upper_compass.reference import shipped
from upper_compass.services.site_script import made_for
from upper_compass.store import sites, visitors
from upper_compass.store.database import connect
from upper_compass.store.hits import HitWriter
from upper_compass.store.record import erase_all, hits_between
from upper_compass.store.refusals import Place, refusals_of
from upper_compass.store.storage import Storage

DAY, NEXT = date(2026, 11, 22), date(2026, 11, 23)


@pytest.fixture(scope="module")
def filled(database):
    fill(database)
    engine = connect(database)
    yield engine
    engine.dispose()


@pytest.fixture
def mill(filled):
    with filled.connect() as connection:
        return sites.site_by_key(connection, "mill")


def count_of(dataset):
    """How many hits a dataset holds."""
    return sum(map(len, dataset.parts()))


def test_a_salt_lasts_a_day_and_belongs_to_one_site(filled, mill):
    with filled.begin() as connection:
        other = sites.site_by_key(connection, "other")
        first = visitors.salt_of(connection, mill.id, DAY)
        assert visitors.salt_of(connection, mill.id, DAY) == first
        assert visitors.salt_of(connection, other.id, DAY) != first
        assert visitors.salt_of(connection, mill.id, NEXT) != first
        assert visitors.salt_of(connection, mill.id, DAY) != first  # it was thrown away


def test_a_pseudonym_tells_address_browser_site_and_day_apart_and_asks_for_a_salt_once_a_day():
    asked = []

    def salt_of(site, day):
        asked.append((site, day))
        return f"{site} {day}".encode()

    pseudonyms = Pseudonyms(salt_of)
    base = pseudonyms.of(1, DAY, "192.0.2.1", "a browser")
    assert len(base) == LENGTH
    assert "192" not in base
    assert pseudonyms.of(1, DAY, "192.0.2.1", "a browser") == base
    others = {pseudonyms.of(1, DAY, "192.0.2.2", "a browser"), pseudonyms.of(1, DAY, "192.0.2.1", "another"), pseudonyms.of(1, DAY, None, None)}
    assert len(others | {base}) == 4
    assert asked == [(1, DAY)]
    assert pseudonyms.of(2, DAY, "192.0.2.1", "a browser") != base
    assert pseudonyms.of(1, NEXT, "192.0.2.1", "a browser") != base
    assert asked == [(1, DAY), (2, DAY), (1, NEXT)]


def test_who_is_followed_is_the_latest_who_came_by_the_link(filled, mill):
    with filled.begin() as connection:
        assert visitors.follower_of(connection, mill.id, "t") is None
        visitors.follow(connection, mill.id, "t", "first")
        visitors.follow(connection, mill.id, "t", "second")
        assert visitors.follower_of(connection, mill.id, "t") == "second"
        assert visitors.forget(connection, None, mill.id, "second") == 0
        assert visitors.follower_of(connection, mill.id, "t") is None


def test_refusals_are_counted_by_place_and_outlive_the_application(filled, monkeypatch):
    at = [datetime(2026, 11, 22, tzinfo=UTC)]
    monkeypatch.setattr("upper_compass.store.refusals.MAX_ROWS", 5)
    refusals = Refusals(filled, lambda: at[0])
    for number in range(9):
        refusals.note(Place("mill", "unknown host", f"h{number}.example"))
        refusals.flush()
        at[0] += timedelta(seconds=1)
    refusals.note(Place("mill", "unknown host", "h8.example"), Place("mil", "unknown key", "mill.example"), Place("mill", "refused", "", "at", "/a"))
    refusals.flush()
    with filled.connect() as connection:
        found = refusals_of(connection, "mill", frozenset(["mill.example"]))
        assert {(one.place.host, one.place.why, one.times) for one in found[:3]} == {
            ("mill.example", "unknown key", 1), ("h8.example", "unknown host", 2), ("", "refused", 1),
        }  # fmt: skip
        assert len(found) == 6
        assert [one.place.why for one in refusals_of(connection, "mill", frozenset(), at[0])] == ["unknown host", "refused"]
        assert refusals_of(connection, "other", frozenset(["other.example"])) == []
    at[0] += timedelta(days=31)
    refusals.note(Place("mill", "too many", "network"))
    refusals.flush()
    with filled.connect() as connection:
        assert [one.place.why for one in refusals_of(connection, "mill", frozenset(["mill.example"]))] == ["too many"]


def test_what_is_counted_between_two_writes_has_a_limit(filled):
    refusals = Refusals(filled, lambda: datetime(2026, 11, 22, tzinfo=UTC))
    refusals.note(*(Place("flood", "unknown key", f"h{number}.example") for number in range(MAX_COUNTED + 50)))
    assert len(refusals._counted) == MAX_COUNTED


def kept(folder, site):
    """Where the snapshot of a site is."""
    return Storage(str(next(folder.glob(f"shards/*/{site.id}"), folder)))


def test_what_was_erased_does_not_live_on_in_frames_or_snapshots(filled, database, mill, tmp_path):
    plain = database.replace("+psycopg", "")

    def connection():
        return psycopg.connect(plain)

    def rows(*names):
        return as_rows(mill.id, [check_line(json.dumps(a_hit(visitor=name)).encode())[0] for name in names], country=None, internal=False)

    def here():
        with filled.connect() as held:
            return sites.site_by_key(held, "mill")

    with connection() as writing:
        HitWriter(writing).store(rows("stays", "goes", "goes"))
    keeper = DatasetCache(connection, shipped(), Places(Storage(str(tmp_path))))
    assert count_of(keeper.frames(here())) == 3
    keeper.save()
    with filled.begin() as erasing:
        assert visitors.forget(erasing, None, mill.id, "goes") == 2
    assert here().deletion_epoch == mill.deletion_epoch + 1
    assert count_of(keeper.frames(here())) == 1
    assert snapshot.load(kept(tmp_path, mill), here().deletion_epoch) is None
    fresh = DatasetCache(connection, shipped(), Places(Storage(str(tmp_path))))
    assert count_of(fresh.frames(here())) == 1
    fresh.save()
    assert snapshot.load(kept(tmp_path, mill), here().deletion_epoch) is not None
    assert stored(filled) == 1


def test_after_an_older_state_of_the_database_was_restored_nothing_of_the_newer_one_lives_on(filled, database, mill, tmp_path):
    plain = database.replace("+psycopg", "")

    def connection():
        return psycopg.connect(plain)

    def store(*names):
        rows = as_rows(mill.id, [check_line(json.dumps(a_hit(visitor=name)).encode())[0] for name in names], country=None, internal=False)
        with connection() as writing:
            HitWriter(writing).store(rows)

    def visitors_in(keeper):
        with filled.connect() as held:
            frames = keeper.frames(sites.site_by_key(held, "mill"))
        return frames.dictionaries["visitor"].decode(pl.concat(frames.parts())["visitor"].to_numpy()).sort().to_list()

    with filled.begin() as emptying:
        erase_all(emptying, mill.id)
    store("a", "b")
    keeper = DatasetCache(connection, shipped(), Places(Storage(str(tmp_path))))
    store("newer", "newest")
    assert visitors_in(keeper) == ["a", "b", "newer", "newest"]
    keeper.save()
    with filled.begin() as restoring:  # as a backup from before brings it back: the numbers go on from there
        restoring.execute(sa.text("DELETE FROM hits WHERE visitor LIKE 'new%'"))
        restoring.execute(sa.text("SELECT setval('hit_seq', (SELECT max(seq) FROM hits))"))
    store("other", "others", "more")
    assert visitors_in(keeper) == ["a", "b", "more", "other", "others"]
    assert visitors_in(DatasetCache(connection, shipped(), Places(Storage(str(tmp_path))))) == ["a", "b", "more", "other", "others"]


def test_a_site_laid_anew_is_not_added_to_what_was_there(filled, database, mill, tmp_path):
    plain = database.replace("+psycopg", "")

    def seed_demo(*names):
        rows = as_rows(mill.id, [check_line(json.dumps(a_hit(visitor=name)).encode())[0] for name in names], country=None, internal=False)
        with filled.begin() as emptying:
            erase_all(emptying, mill.id)
        with psycopg.connect(plain) as writing:
            HitWriter(writing).store(rows)
        with filled.connect() as held:
            return sites.site_by_key(held, "mill")

    before = DatasetCache(lambda: psycopg.connect(plain), shipped(), Places(Storage(str(tmp_path))))
    assert count_of(before.frames(seed_demo("a", "b"))) == 2
    before.save()
    again = seed_demo("c", "d", "e")
    assert count_of(before.frames(again)) == 3
    assert count_of(DatasetCache(lambda: psycopg.connect(plain), shipped(), Places(Storage(str(tmp_path)))).frames(again)) == 3


def test_a_site_that_nobody_asks_for_is_put_down_to_disk_and_read_again(filled, database, mill, tmp_path):
    plain = database.replace("+psycopg", "")
    with filled.begin() as making:
        owner = making.execute(sa.text("SELECT min(id) FROM users")).scalar_one()
        other = sites.add_site(making, "Other", mill.rules, owner)
        erase_all(making, mill.id)
    with psycopg.connect(plain) as writing:
        for site, names in ((mill, ("a", "b")), (other, ("c",))):
            HitWriter(writing).store(
                as_rows(site.id, [check_line(json.dumps(a_hit(visitor=name)).encode())[0] for name in names], country=None, internal=False)
            )
    read = []
    cache = DatasetCache(lambda: psycopg.connect(plain), shipped(), Places(Storage(str(tmp_path))), max_bytes=1)
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr("upper_compass.frames.dataset_cache.hits_between", lambda *args: read.append(args[2]) or hits_between(*args))
        for site, count in ((mill, 2), (other, 1), (mill, 2), (mill, 2)):
            assert count_of(cache.frames(site)) == count
    assert list(cache._entries) == [mill.id]
    assert read == [mill.id, other.id]
    assert snapshot.load(kept(tmp_path, other), other.deletion_epoch).seq > 0


def script_for(mill, folder, **tagging):
    """The script as it is put together, and what is given to it; each part says its own name."""
    (folder / "parts").mkdir(exist_ok=True)
    (folder / "uc.js").write_text('console.log("</script>")')
    for part in PART_FILES:
        (folder / "parts" / f"{part}.js").write_text(f"part_{part};")
    made = made_for(folder / "uc.js", replace(mill, tagging=Tagging.model_validate(tagging)), [])
    options = json.loads(made[made.index("}({") + 2 : made.rindex(",[])")])
    return {part for part in PART_FILES if f"part_{part};" in made}, made, options


def test_settings_stand_around_the_script_as_data(mill, tmp_path):
    parts, made, options = script_for(mill, tmp_path, search_keys=["</script>"])
    assert parts == {"seen", "links", "forms", "media", "search", "promos", "errors", "handover"}
    assert 'console.log("</script>")}({' in made
    assert "<" not in made[made.index("}({") :]
    hosts = ["mill.example", "127.0.0.1"]
    assert options == {
        "key": "mill", "hosts": hosts, "domains": ["mill.example", "127.0.0.1"],
        "parts": {"downloads": True, "outbound": True, "searches": ["</script>"]},
    }  # fmt: skip


@pytest.mark.parametrize("switch", PARTS)
def test_only_the_parts_that_a_site_uses_are_sent(mill, tmp_path, switch):
    off = dict.fromkeys(PARTS, False)
    mill = replace(mill, rules=mill.rules.model_copy(update={"hosts": ["mill.example"]}))
    assert script_for(mill, tmp_path, sends=off)[0] == set()
    parts, _, options = script_for(mill, tmp_path, sends=off | {switch: True})
    assert parts == set(PARTS[switch])
    assert ("searches" in options.get("parts", {})) == (switch in ("site_search", "forms"))


@pytest.mark.parametrize(
    ("hosts", "handed", "domains"),
    [
        (["mill.example"], False, ["mill.example"]),
        (["www.mill.example", "shop.mill.example", "mill.example"], False, ["mill.example", "shop.mill.example"]),
        (["a.b.mill.example", "c.b.mill.example"], True, ["b.mill.example", "a.b.mill.example", "c.b.mill.example"]),
        (["mill.example", "booking.example"], True, ["booking.example", "mill.example"]),
        (["mill.example", "localhost"], True, ["mill.example"]),
    ],
)
def test_hosts_share_a_cookie_no_wider_than_they_need_or_hand_the_visitor_on(mill, tmp_path, hosts, handed, domains):
    site = replace(mill, rules=mill.rules.model_copy(update={"hosts": hosts}))
    parts, _, options = script_for(site, tmp_path)
    assert ("handover" in parts, options["domains"]) == (handed, domains)
    assert "handover" not in script_for(site, tmp_path, cookie=False)[0]


@pytest.mark.parametrize("wrong", [{"keep_days": 0}, {"keep_days": 4000}, {"cookie": "maybe"}, {"smells": True}])
def test_settings_that_make_no_sense_are_refused(wrong):
    with pytest.raises(ValueError, match="validation error"):
        Tagging.model_validate(wrong)
