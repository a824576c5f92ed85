"""Frames brought up to date answer as frames made from everything at once, also when hits come late and out of order."""

from zoneinfo import ZoneInfo

import polars as pl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.building import DAY, REFERENCE, hit, numbered, raw_frame, rules
from tests.core.strategies import hit_lists
from upper_compass.core.dataset.coded_hits import Dictionaries
from upper_compass.core.definitions.goals import Goal
from upper_compass.core.definitions.hits import Kind
from upper_compass.core.definitions.site_rules import Alias
from upper_compass.core.engine.context import ReportContext
from upper_compass.core.engine.dimensions import DIMENSIONS
from upper_compass.core.engine.selection import GroupBy, ReportFilter
from upper_compass.frames import site_dataset, snapshot

COLUMNS = frozenset(["visits", "visitors", "views", "bounces", "duration", "engaged", "new_visitors", "orders", "revenue", "conversions", "value"])
BOUGHT = Goal.model_validate({"match": {"kind": "order"}, "counts": "every time", "value": {"kind": "order"}})


def answers(frames):
    reading = ReportContext(frames.shards, ZoneInfo("UTC"))
    question = ReportFilter(8 * DAY, 20 * DAY, BOUGHT)
    found = [
        reading.tally(question, GroupBy(COLUMNS, tuple(DIMENSIONS[name] for name in names)))[0] for names in ((), ("source",), ("page",), ("first_source",))
    ]
    return [[row for row in table.sort(table.columns).to_dicts() if any(v for k, v in row.items() if k in COLUMNS)] for table in found]


def empty():
    return site_dataset.start(rules(), REFERENCE)


@pytest.fixture(autouse=True)
def _melt_late(monkeypatch):
    monkeypatch.setattr(site_dataset, "COMPACT_FROM", 10)


@given(hit_lists(most=40), st.lists(st.integers(1, 12), min_size=1, max_size=5), st.booleans())
@settings(max_examples=60, deadline=None)
def test_step_by_step_is_the_same_as_at_once(hits, steps, melt_often):
    ordered = sorted(hits, key=lambda one: one["seq"])
    whole = site_dataset.advance(empty(), [raw_frame(ordered)], len(ordered))
    frames = empty()
    site_dataset.COMPACT_FROM = 3 if melt_often else 1000
    done = 0
    for step in [*steps, len(ordered)]:
        part = ordered[done : done + step]
        done += len(part)
        frames = site_dataset.advance(frames, [raw_frame(part)] if part else [], done)
    assert len(frames.hits) == len(ordered)
    assert answers(frames) == answers(whole)


def test_an_earlier_order_that_comes_late_takes_the_place_of_the_one_that_was_there():
    late = [hit(9 * DAY + 5, "order", visitor="a", order_id="o1", value=5), hit(9 * DAY, "order", visitor="b", order_id="o1", value=7)]
    first, second = numbered(late)
    site_dataset.COMPACT_FROM = 1000
    frames = site_dataset.advance(empty(), [raw_frame([first])], 1)
    assert [row["revenue"] for row in answers(frames)[0]] == [5]
    frames = site_dataset.advance(frames, [raw_frame([second])], 2)
    assert [(row["orders"], row["revenue"]) for row in answers(frames)[0]] == [(1, 7)]


def test_other_rules_read_history_anew():
    frames = site_dataset.advance(empty(), [raw_frame(numbered([hit(9 * DAY, url="https://mill.example/?via=card")]))], 1)
    aliased = site_dataset.with_rules(frames, rules(aliases=[Alias(field="source", this="card", that="Postcard")]), REFERENCE)
    assert [row["key_0"] for row in answers(frames)[1]] == ["card"]
    assert [row["key_0"] for row in answers(aliased)[1]] == ["postcard"]


def test_a_snapshot_brings_the_frames_back_and_half_a_one_is_passed_over(tmp_path):
    hits = numbered([hit(9 * DAY + i, visitor=str(i % 3), kind="order" if i % 4 == 0 else "view", value=2.5 if i % 4 == 0 else None) for i in range(20)])
    frames = site_dataset.advance(empty(), [raw_frame(hits)], 20)
    snapshot.save(frames, tmp_path / "a" / "b" / "1", "tip")
    found = snapshot.load(tmp_path / "a" / "b" / "1")
    dictionaries, held, seq = found.dictionaries, found.hits, found.seq
    again = site_dataset.start(rules(), REFERENCE, dictionaries, held, seq)
    assert (answers(again), again.seq) == (answers(frames), 20)
    assert snapshot.load(tmp_path / "a" / "b" / "2") is None
    assert {oct(place.stat().st_mode & 0o777) for place in (tmp_path / "a", tmp_path / "a" / "b", tmp_path / "a" / "b" / "1")} == {"0o700"}


def _whole_but_another(file):
    table = pl.read_parquet(file)
    table.reverse().write_parquet(file)


@pytest.mark.parametrize(
    "spoil",
    [
        lambda folder: (folder / "hits.parquet").write_bytes(b"PAR1 half of it"),
        lambda folder: _whole_but_another(folder / "hits.parquet"),
        lambda folder: _whole_but_another(folder / "url.parquet"),
        lambda folder: (folder / "url.parquet").unlink(),
        lambda folder: (folder / "about.json").write_text("[]"),
        lambda folder: (folder / "about.json").write_text((folder / "about.json").read_text().replace("url.parquet", "../url.parquet")),
    ],
)
def test_a_snapshot_that_is_not_as_it_was_written_is_passed_over(tmp_path, spoil):
    frames = site_dataset.advance(empty(), [raw_frame(numbered([hit(9 * DAY + i, url=f"https://mill.example/{i}") for i in range(5)]))], 5)
    folder = tmp_path / "a" / "b" / "1"
    snapshot.save(frames, folder, "tip")
    assert snapshot.load(folder) is not None
    spoil(folder)
    assert snapshot.load(folder) is None


def test_a_dictionary_gives_a_text_the_same_code_for_ever():
    names = Dictionaries()["name"]
    first = names.encode(pl.Series(["b", "a", None, "b"])).tolist()
    assert first == [1, 2, 0, 1]
    assert names.encode(pl.Series(["a", "c"])).tolist() == [2, 3]
    assert (names.find("c"), names.find("x"), int(Kind.view)) == (3, None, 1)
