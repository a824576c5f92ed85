"""What visitors do with what the site script tells by itself: forms, media, promotions (rules, decisions).

Each counts visits, by what their hits in the period did.
"""

from __future__ import annotations

from typing import Annotated

import numpy as np
import polars as pl
from pydantic import BaseModel, ConfigDict, Field, JsonValue

from upper_compass.core.dataset.coded_hits import Codes
from upper_compass.core.dataset.visits import Rows
from upper_compass.core.definitions.goals import Goal
from upper_compass.core.definitions.hits import Kind
from upper_compass.core.definitions.periods import Period
from upper_compass.core.definitions.requests import GoalId
from upper_compass.core.definitions.segments import Segment
from upper_compass.core.engine.context import ReportContext, question
from upper_compass.core.engine.protocol import Counting, Tally, quantile, tallied
from upper_compass.core.engine.selection import Selection

_ASKED: JsonValue = {"period": {"first": "2026-10-26", "last": "2026-11-22"}, "goal": 1}
MAX_TOLD, MAX_FIELDS = 500, 5
# How far a medium was played, in steps of so many percent.
STEP = 5
WHOLE = 100


class ActivityRequest(BaseModel):
    """A period, and of whom; `goal`: whose conversions after a click on a promotion are counted."""

    model_config = ConfigDict(extra="forbid", json_schema_extra={"examples": [_ASKED]})
    period: Period
    goal: GoalId | None = None
    segment: Segment | None = None
    limit: Annotated[int, Field(ge=1, le=MAX_TOLD)] = MAX_TOLD

    @property
    def goals(self) -> set[int]:
        """The ids of all goals that are asked for."""
        return set() if self.goal is None else {self.goal}


class FieldLeft(BaseModel):
    """A field in which a form was left, and in how many visits."""

    field: str
    visits: int


class FormActivity(BaseModel):
    """A form: visits that saw it, that began to fill it in, that sent it; the median of seconds from the first typing to the sending; where it was left."""

    form: str
    seen: int
    begun: int
    sent: int
    seconds: float | None
    left_at: list[FieldLeft]


class MediaActivity(BaseModel):
    """A video or audio: visits that played it, how often, seconds played by all and the mean share that they saw, visits that saw it to the end.

    `reached`: of the visits, how many saw 0 %, 5 %, 10 % … 100 % of it or more.
    """

    media: str
    visits: int
    plays: int
    seconds: float
    mean_share: float
    to_end: int
    reached: list[int]


class PromotionActivity(BaseModel):
    """A promotion on the site: visits that saw it, that clicked it; conversions behind the first click in the same visit, and visits with one."""

    promo: str
    seen: int
    clicked: int
    conversions: int
    converting: int


class ActivityResult(BaseModel):
    """Forms by those who saw them, media by visits that played them, promotions by those who saw them; with how many there are of each."""

    forms: list[FormActivity]
    form_count: int
    media: list[MediaActivity]
    media_count: int
    promotions: list[PromotionActivity]
    promotion_count: int


def activity(context: ReportContext, request: ActivityRequest, goals: dict[int, Goal]) -> ActivityResult:
    """What was done with forms, media and promotions. Raises UnknownNameError."""
    goal = goals[request.goal] if request.goal is not None else None
    ask = question(context, request.period, (request.segment,), goal=goal)
    made = context.tally(ask, Counting(_forms), Counting(_fields), Counting(_media), Counting(_promotions))
    forms, fields, media, promotions = (tally.as_texts().frame for tally in made)
    return ActivityResult(
        forms=_told_forms(forms, fields, request.limit), form_count=len(forms),
        media=_told_media(media, request.limit), media_count=media["media"].n_unique(),
        promotions=[PromotionActivity.model_validate(row) for row in _first(promotions, "seen", "promo", request.limit).iter_rows(named=True)],
        promotion_count=len(promotions),
    )  # fmt: skip


def _first(frame: pl.DataFrame, by: str, name: str, limit: int) -> pl.DataFrame:
    return frame.sort(by, name, descending=[True, False]).head(limit)


def _events(selection: Selection, key: str, names: tuple[str, ...]) -> pl.DataFrame:
    """Hits of some events in the period, in their order, with a property: `row`, `visit`, `at`, `of` (code of its label), `name` (its place in `names`)."""
    shard, lookups = selection.shard, selection.shard.lookups
    codes = [lookups.dictionaries["name"].find(name) for name in names]
    rows: Rows = selection.rows[selection.kind(selection.rows) == Kind.event]
    sent: Codes = shard.hit("name")[rows]
    wanted = np.isin(sent, [code for code in codes if code is not None])
    rows, sent = rows[wanted], sent[wanted]
    named = np.zeros(len(rows), np.int8)
    for place, code in enumerate(codes):
        if code is not None:
            named[sent == code] = place
    of = lookups.prop(key)[shard.hit("props")[rows]] if len(rows) else np.empty(0, np.uint32)
    visit = shard.derived.visit_of[rows]
    return pl.DataFrame({"row": rows, "visit": visit, "at": shard.hit("at")[rows], "of": of.astype(np.uint32), "name": named}).filter(pl.col("of") > 0)


_SEEN, _BEGUN, _SENT, _LEFT = range(4)
_FORM_EVENTS = ("form view", "form start", "form submit", "form leave")


def _visits_with_forms(selection: Selection) -> pl.DataFrame:
    """A row for each visit and form: `begun`, `sent`, `seconds` from the first typing to the first sending behind it (null without), in their order."""
    is_begun, is_sent = pl.col("name") == _BEGUN, pl.col("name") == _SENT
    first = pl.col("at").filter(is_begun).min()
    return (
        _events(selection, "form", _FORM_EVENTS)
        .group_by("visit", "of", maintain_order=True)
        .agg(
            (is_begun | is_sent).any().alias("begun"), is_sent.any().alias("sent"),
            ((pl.col("at").filter(is_sent & (pl.col("at") >= first)).min() - first) / 1000).alias("seconds"),
        )
    )  # fmt: skip


def _forms(selection: Selection) -> Tally:
    """By form: visits that saw, began and sent it, and the seconds that it took, as counts of values."""
    rows = _visits_with_forms(selection)
    seconds = pl.col("seconds").drop_nulls().round(1).value_counts().struct.rename_fields(["value", "times"])
    frame = rows.group_by(pl.col("of").alias("form")).agg(
        pl.len().cast(pl.Int64).alias("seen"), pl.col("begun").sum().cast(pl.Int64), pl.col("sent").sum().cast(pl.Int64), seconds.alias("seconds"),
    )  # fmt: skip
    summed = tallied(frame.drop("seconds"), {"form": selection.shard.lookups.labels}, sums=("seen", "begun", "sent"))
    timed = frame.select("form", pl.col("seconds").cast(pl.List(pl.Struct({"value": pl.Float64, "times": pl.Int64}))))
    return Tally(summed.frame.join(timed, on="form", how="left"), summed.keys, {**summed.reducers, "seconds": "counts"})


def _fields(selection: Selection) -> Tally:
    """By form and field: visits in which it was left there last, begun and not sent."""
    left = _events(selection, "form", _FORM_EVENTS).filter(pl.col("name") == _LEFT).group_by("visit", "of").agg(pl.col("row").last())
    rows = left.join(_visits_with_forms(selection).filter(~pl.col("sent")), on=["visit", "of"], how="inner")
    lookups = selection.shard.lookups
    fields = lookups.prop("field")[selection.shard.hit("props")[rows["row"].to_numpy()]] if len(rows) else np.empty(0, np.uint32)
    frame = pl.DataFrame({"form": rows["of"], "field": pl.Series(fields, dtype=pl.UInt32)})
    return tallied(frame, {"form": lookups.labels, "field": lookups.labels}, count="visits")


def _told_forms(forms: pl.DataFrame, fields: pl.DataFrame, limit: int) -> list[FormActivity]:
    first = _first(forms, "seen", "form", limit)
    medians = quantile(first["seconds"], 0.5).to_list() if len(first) else []
    left = fields.sort("visits", "field", descending=[True, False]).group_by("form", maintain_order=True).head(MAX_FIELDS)
    by_form: dict[str, list[FieldLeft]] = {}
    for form, field, visits in left.select("form", "field", "visits").iter_rows():
        by_form.setdefault(form, []).append(FieldLeft(field=field, visits=visits))
    told = first.select("form", "seen", "begun", "sent").iter_rows(named=True)
    return [FormActivity(**row, seconds=median, left_at=by_form.get(row["form"], [])) for row, median in zip(told, medians, strict=True)]


def _media(selection: Selection) -> Tally:
    """By medium and how much of it a visit saw at the most (whole percent): visits, plays, seconds."""
    events = _events(selection, "media", ("media start", "media progress"))
    shard = selection.shard
    props = shard.hit("props")[events["row"].to_numpy()] if len(events) else np.empty(0, np.uint32)
    numbers = {key: _numbers(selection, key, props) for key in ("percent", "position_s")}
    seen = (
        events.with_columns(pl.Series(name, values, dtype=pl.Float64) for name, values in numbers.items())
        .group_by("visit", pl.col("of").alias("media"))
        .agg(
            (pl.col("name") == 0).sum().cast(pl.Int64).alias("plays"),
            pl.col("percent").fill_nan(0).max().clip(0, WHOLE).floor().cast(pl.Int64).alias("percent"),
            pl.col("position_s").fill_nan(0).max().clip(0, 86_400).alias("seconds"),
        )
    )  # fmt: skip
    return tallied(seen.drop("visit"), {"media": shard.lookups.labels, "percent": None}, sums=("plays", "seconds"), count="visits")


def _numbers(selection: Selection, key: str, props: Codes) -> np.ndarray[tuple[int], np.dtype[np.float64]]:
    """A property of each set of properties as a number; NaN where it has none."""
    found = selection.shard.lookups.properties.of(key)
    by_set = np.full(int(props.max(initial=0)) + 1, np.nan)
    inside = found.sets < len(by_set)
    by_set[found.sets[inside]] = found.numbers[inside]
    return by_set[props]


def _told_media(rows: pl.DataFrame, limit: int) -> list[MediaActivity]:
    told = []
    steps = np.arange(0, WHOLE + 1, STEP)
    totals = rows.group_by("media").agg(pl.col("visits").sum())
    first = _first(totals, "visits", "media", limit)["media"]
    of_each = rows.filter(pl.col("media").is_in(first.implode())).partition_by("media", as_dict=True)
    for media in first.to_list():
        own = of_each[(media,)]
        percent, visits = own["percent"].to_numpy(), own["visits"].to_numpy()
        total = int(visits.sum())
        reached = (visits[None, :] * (percent[None, :] >= steps[:, None])).sum(axis=1)
        told.append(
            MediaActivity(
                media=media, visits=total, plays=int(own["plays"].sum()), seconds=float(own["seconds"].sum()),
                mean_share=float((visits * percent).sum()) / total / WHOLE, to_end=int(reached[-1]), reached=reached.tolist(),
            )
        )  # fmt: skip
    return told


def _promotions(selection: Selection) -> Tally:
    """By promotion: visits that saw and clicked it, and the conversions behind the first click."""
    events = _events(selection, "promo", ("promo view", "promo click"))
    by_visit = events.group_by("visit", pl.col("of").alias("promo")).agg(pl.col("row").filter(pl.col("name") == 1).min().alias("click"))
    clicked = by_visit["click"].is_not_null()
    click, visit = by_visit["click"].fill_null(0).to_numpy(), by_visit["visit"].to_numpy()
    converted = selection.conversions.row[selection.counted_conversions]
    last = selection.shard.visit("last_row")[visit] if len(visit) else np.empty(0, np.int64)
    behind = np.searchsorted(converted, last, side="right") - np.searchsorted(converted, click, side="left")
    conversions = np.where(clicked.to_numpy(), np.maximum(behind, 0), 0).astype(np.int64)
    frame = by_visit.select("promo", pl.lit(1, pl.Int64).alias("seen")).with_columns(
        clicked.cast(pl.Int64).alias("clicked"), pl.Series("conversions", conversions), pl.Series("converting", (conversions > 0).astype(np.int64))
    )
    return tallied(frame, {"promo": selection.shard.lookups.labels}, sums=("seen", "clicked", "conversions", "converting"))
