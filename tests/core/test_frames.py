"""Frames brought up to date answer as frames made from everything at once, also when hits come late and out of order."""

from unittest.mock import patch
from zoneinfo import ZoneInfo

import polars as pl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.asking import asked
from tests.core.building import DAY, REFERENCE, hit, numbered, raw_frame, rules
from tests.core.strategies import hit_lists
from upper_compass.core.dataset import coded_hits
from upper_compass.core.dataset.coded_hits import Dictionaries, Dictionary
from upper_compass.core.definitions.goals import Goal
from upper_compass.core.definitions.hits import Kind
from upper_compass.core.definitions.requests import TableRequest
from upper_compass.core.definitions.site_rules import Alias
from upper_compass.core.engine.context import ReportContext
from upper_compass.core.engine.dimensions import DIMENSIONS
from upper_compass.core.engine.kept import Kept
from upper_compass.core.engine.protocol import PRESENCE
from upper_compass.core.engine.selection import ReportFilter
from upper_compass.core.engine.tally import GroupBy
from upper_compass.core.reports.event_list import events
from upper_compass.core.reports.real_time import arrivals, newest_seq
from upper_compass.core.reports.tables import table
from upper_compass.core.reports.visit_list import latest_visits
from upper_compass.frames import site_dataset, snapshot
from upper_compass.frames.placing import PlacedHits, Placing
from upper_compass.store.storage import Storage

COLUMNS = frozenset(["visits", "visitors", "views", "bounces", "duration", "engaged", "new_visitors", "orders", "revenue", "conversions", "value"])
BOUGHT = Goal.model_validate({"match": {"kind": "order"}, "counts": "every time", "value": {"kind": "order"}})


# What was tallied of earlier frames must not be told of later ones.
KEPT = Kept(1_000_000)
pytestmark = pytest.mark.usefixtures("early_years")


def answers(frames, names=((), ("source",), ("page",), ("first_source",))):
    reading = ReportContext(frames.shards, ZoneInfo("UTC"), KEPT)
    question = ReportFilter(8 * DAY, 20 * DAY, BOUGHT)
    found = [reading.tally(question, GroupBy(tuple(DIMENSIONS[name] for name in of), columns=COLUMNS))[0].as_texts().frame.drop(PRESENCE) for of in names]
    period = {"first": "1970-01-09", "last": "1970-01-20"}
    whole = table(reading, TableRequest.model_validate(asked(["visits", "bounce_rate"], dimensions=["source"], period=period)), {})
    return [*(one.sort(one.columns).to_dicts() for one in found), whole.model_dump()]


def empty():
    return site_dataset.start(rules(), REFERENCE)


@pytest.fixture(autouse=True)
def _small_levels(monkeypatch):
    monkeypatch.setattr(site_dataset, "COMPACT_FROM", 1000)
    monkeypatch.setattr(site_dataset, "TAIL", 3)
    monkeypatch.setattr(site_dataset, "SHARDS", 2)
    monkeypatch.setattr(site_dataset, "SPLIT_FROM", 0)
    monkeypatch.setattr(site_dataset, "GROWTH", 2)
    monkeypatch.setattr(site_dataset, "RETRACT_FROM", 4)


def lists(frames):
    """What is no sum: visits, arrivals, events with the last time that each came."""
    reading = ReportContext(frames.shards, ZoneInfo("UTC"))
    question = ReportFilter(8 * DAY, 20 * DAY, BOUGHT)
    return latest_visits(reading, question, 100, None), arrivals(reading, 0, 100), events(reading, question, rules()), newest_seq(reading)


@given(
    hit_lists(most=40),
    st.lists(st.integers(1, 12), min_size=1, max_size=8),
    st.sampled_from((3, 10, 1000)),
    st.sampled_from((0, 6, 1000)),
    st.sampled_from((0, 500, 2**62)),
    st.sampled_from((0, 12, 1000)),
)
@settings(max_examples=10)
def test_step_by_step_is_the_same_as_at_once_in_memory_and_mapped(hits, steps, compact_from, taken_back_from, max_bytes, split_from):
    site_dataset.RETRACT_FROM, site_dataset.SPLIT_FROM = taken_back_from, split_from
    ordered = sorted(hits, key=lambda one: one["seq"])
    whole = site_dataset.start(rules(), REFERENCE)
    whole = site_dataset.advance(whole, [raw_frame(ordered)], len(ordered))
    frames = site_dataset.start(rules(), REFERENCE, placing=Placing(max_bytes))
    site_dataset.COMPACT_FROM = compact_from
    done = 0
    for step in [*steps, len(ordered)]:
        part = ordered[done : done + step]
        done += len(part)
        frames = site_dataset.advance(frames, [raw_frame(part)] if part else [], done)
        answers(frames)
    assert sum(map(len, frames.parts())) == len(ordered)
    assert answers(frames) == answers(whole)
    assert lists(frames) == lists(whole)
    put_down = [PlacedHits(hits) for hits in frames.by_shard()]
    again = site_dataset.of_shards(rules(), REFERENCE, frames.dictionaries, put_down, frames.seq)
    assert (answers(again), lists(again)) == (answers(whole), lists(whole))


def test_a_small_site_is_put_down_in_its_shards_and_read_as_one_until_it_has_grown():
    site_dataset.SPLIT_FROM, site_dataset.COMPACT_FROM = 10, 3
    ordered = numbered([hit(9 * DAY + i, visitor=str(i)) for i in range(24)])
    frames, counts, places = empty(), [], {}
    for done in range(0, 24, 4):
        frames = site_dataset.advance(frames, [raw_frame(ordered[done : done + 4])], done + 4)
        put_down = [PlacedHits(hits) for hits in frames.by_shard()]
        for number, shard in enumerate(put_down):
            for visitor in shard.hits["visitor"]:
                places.setdefault(visitor, set()).add(number)
        again = site_dataset.of_shards(rules(), REFERENCE, frames.dictionaries, put_down, frames.seq)
        assert sum(map(len, again.parts())) == sum(map(len, frames.parts())) == done + 4
        counts.append((len(frames.main.shards), len(again.main.shards)))
    assert counts == [(1, 1), (1, 1), (2, 2), (2, 2), (2, 2), (2, 2)]
    assert sorted(map(len, places.values())) == [1] * 24  # whoever comes again is where they were
    assert set.union(*places.values()) == {0, 1}


def test_what_does_not_fit_is_mapped_and_takes_no_memory(tmp_path):
    hits = [raw_frame(numbered([hit(9 * DAY + i, visitor=str(i), url=f"https://mill.example/{i}") for i in range(100)]))]
    site_dataset.COMPACT_FROM = 10
    in_memory, mapped = (site_dataset.advance(site_dataset.start(rules(), REFERENCE, placing=Placing(most, tmp_path)), hits, 100) for most in (2**62, 0))
    assert answers(mapped) == answers(in_memory)
    assert [shard.is_mapped for shard in mapped.main.shards] == [True, True]
    assert mapped.size < in_memory.size - 100 * 80
    assert list(tmp_path.iterdir()) == []  # the files have no names, and are gone with what reads them


@given(hit_lists(most=30), st.integers(1, 20))
@settings(max_examples=8)
def test_rules_that_only_read_visits_derive_none_and_answer_as_if_they_had(hits, first):
    ordered = sorted(hits, key=lambda one: one["seq"])
    site_dataset.COMPACT_FROM = 3
    frames = site_dataset.advance(empty(), [raw_frame(ordered[:first])], first)
    site_dataset.COMPACT_FROM = 1000
    frames = site_dataset.advance(frames, [raw_frame(ordered[first:])] if ordered[first:] else [], len(ordered))
    others = rules(
        channels=[{"channel": "Post", "any_of": [{"sources": ["letter", "card"]}]}], rates={"USD": 2}, pages_behind_hash=True,
        page_groups=[{"name": "all", "pattern": "/"}], events=[{"name": "book", "shown_as": "booked"}],
    )  # fmt: skip
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr("upper_compass.core.dataset.shard.derive", lambda *_: pytest.fail("visits were derived"))
        changed = site_dataset.with_rules(frames, others, REFERENCE)
    anew = site_dataset.start(others, REFERENCE, frames.dictionaries, list(frames.parts()), frames.seq)
    names = ((), ("channel",), ("source",), ("page_group",), ("event",), ("language",), ("entry_page",))
    assert (answers(changed, names), lists(changed)) == (answers(anew, names), lists(anew))
    derived = site_dataset.with_rules(frames, rules(visit_gap_minutes=5), REFERENCE)
    assert answers(derived) == answers(site_dataset.start(rules(visit_gap_minutes=5), REFERENCE, frames.dictionaries, list(frames.parts()), frames.seq))


def test_an_earlier_order_that_comes_late_takes_the_place_of_the_one_that_was_there():
    late = [hit(9 * DAY + 5, "order", visitor="a", order_id="o1", value=5), hit(9 * DAY, "order", visitor="b", order_id="o1", value=7)]
    first, second = numbered(late)
    site_dataset.COMPACT_FROM = site_dataset.RETRACT_FROM = 0
    frames = site_dataset.advance(empty(), [raw_frame([first])], 1)
    site_dataset.COMPACT_FROM = 1000
    assert [row["revenue"] for row in answers(frames)[0]] == [5]
    frames = site_dataset.advance(frames, [raw_frame([second])], 2)
    assert [(row["orders"], row["revenue"]) for row in answers(frames)[0]] == [(1, 7)]
    [of_orders] = lists(frames)[2]
    assert (of_orders.times, of_orders.last) == (1, 9 * DAY)


def test_other_rules_read_history_anew():
    frames = site_dataset.advance(empty(), [raw_frame(numbered([hit(9 * DAY, url="https://mill.example/?via=card")]))], 1)
    aliased = site_dataset.with_rules(frames, rules(aliases=[Alias(field="source", this="card", that="Postcard")]), REFERENCE)
    assert [row["key_0"] for row in answers(frames)[1]] == ["card"]
    assert [row["key_0"] for row in answers(aliased)[1]] == ["postcard"]


def test_a_snapshot_brings_the_frames_back_and_half_a_one_is_passed_over(tmp_path):
    hits = numbered([hit(9 * DAY + i, visitor=str(i % 3), kind="order" if i % 4 == 0 else "view", value=2.5 if i % 4 == 0 else None) for i in range(20)])
    frames = site_dataset.advance(empty(), [raw_frame(hits)], 20)
    kept = Storage(str(tmp_path / "a"))
    snapshot.save(frames, kept, "tip")
    for placing in (Placing(), Placing(0, tmp_path)):
        found = snapshot.load(kept, placing=placing)
        again = site_dataset.of_shards(rules(), REFERENCE, found.dictionaries, found.shards, found.seq, placing=placing)
        assert (answers(again), again.seq) == (answers(frames), 20)
    assert snapshot.load(Storage(str(tmp_path / "b"))) is None
    assert oct((tmp_path / "a").stat().st_mode & 0o777) == "0o700"
    snapshot.save(again, kept, "tip")
    assert len(list((tmp_path / "a").iterdir())) == 2  # what was written before is gone


def hits_of(folder):
    """The part of the snapshot that holds most hits."""
    return max(folder.glob("*/hits-*.arrow"), key=lambda file: file.stat().st_size)


def _whole_but_another(file):
    if file.suffix == ".arrow":
        pl.read_ipc(file).reverse().write_ipc(file)
    else:
        pl.read_parquet(file).reverse().write_parquet(file)


@pytest.mark.parametrize(
    "spoil",
    [
        lambda folder: hits_of(folder).write_bytes(b"ARROW1 half of it"),
        lambda folder: _whole_but_another(hits_of(folder)),
        lambda folder: _whole_but_another(next(folder.glob("*/url.parquet"))),
        lambda folder: next(folder.glob("*/url.parquet")).unlink(),
        lambda folder: (folder / "about.json").write_text("[]"),
        lambda _: setattr(site_dataset, "SHARDS", 3),  # split in another way
        lambda folder: (folder / "about.json").write_text((folder / "about.json").read_text().replace("url.parquet", "../url.parquet")),
    ],
)
def test_a_snapshot_that_is_not_as_it_was_written_is_passed_over(tmp_path, spoil):
    frames = site_dataset.advance(empty(), [raw_frame(numbered([hit(9 * DAY + i, url=f"https://mill.example/{i}") for i in range(5)]))], 5)
    folder = tmp_path / "a" / "b" / "1"
    snapshot.save(frames, Storage(str(folder)), "tip")
    assert snapshot.load(Storage(str(folder))) is not None
    spoil(folder)
    assert snapshot.load(Storage(str(folder))) is None


def test_a_dictionary_gives_a_text_the_same_code_for_ever():
    names = Dictionaries()["name"]
    first = names.encode(pl.Series(["b", "a", None, "b"])).tolist()
    assert first == [1, 2, 0, 1]
    assert names.encode(pl.Series(["a", "c"])).tolist() == [2, 3]
    assert (names.find("c"), names.find("x"), int(Kind.view)) == (3, None, 1)


def test_texts_of_the_same_hash_are_told_apart(monkeypatch):
    monkeypatch.setattr(coded_hits, "SMALL", 0)  # hashes are not asked while it knows all by heart
    monkeypatch.setattr(pl.Series, "hash", lambda self: pl.Series([len(text) for text in self], dtype=pl.UInt64))
    names = Dictionaries()["name"]
    assert names.encode(pl.Series(["aa", "bb", "c", "aa"])).tolist() == [1, 2, 3, 1]
    assert names.encode(pl.Series(["dd", "bb", "e", ""])).tolist() == [4, 2, 5, 0]
    assert [names.find(text) for text in ("aa", "bb", "dd", "ee", "e", "")] == [1, 2, 4, None, 5, 0]


def test_a_dictionary_that_grew_large_holds_its_texts_once(monkeypatch):
    monkeypatch.setattr(coded_hits, "SMALL", 3)
    names = Dictionaries()["name"]
    names.encode(pl.Series(["a" * 1_000, "b" * 1_000]))
    assert names.size > 4_000
    names.encode(pl.Series(["c" * 1_000]))
    assert 3_000 < names.size < 4_000


@given(st.lists(st.lists(st.text("abc", max_size=3), max_size=8), max_size=8), st.integers(0, 20), st.integers(0, 6))
def test_a_dictionary_of_any_size_decodes_what_it_encoded_and_finds_it(batches, small, few):
    """However many texts it knows by heart, and however few are coded by themselves."""
    with patch.multiple(coded_hits, SMALL=small, FEW_TEXTS=few):
        names = Dictionaries()["name"]
        for batch in batches:
            texts = pl.Series("text", batch, dtype=pl.String)
            assert names.decode(names.encode(texts)).to_list() == batch
        read_again = Dictionary(names.texts)
    assert [names.find(text) for text in names.texts] == [read_again.find(text) for text in names.texts] == list(range(len(names)))
    assert names.find("d") is read_again.find("d") is None
    assert names.texts.is_unique().all()
