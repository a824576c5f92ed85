"""What is wrong with what pages tell, or do not."""

from __future__ import annotations

import json
from collections import Counter
from collections.abc import Sequence
from dataclasses import replace

import numpy as np
import polars as pl

from upper_compass.core.dataset.coded_hits import Ints
from upper_compass.core.dataset.traffic_sources import split_addresses
from upper_compass.core.dataset.visits import REPEATED_ORDER
from upper_compass.core.definitions.hits import SCRIPT_ERROR, Kind
from upper_compass.core.definitions.personal_data import MASK
from upper_compass.core.definitions.site_rules import bare_host
from upper_compass.core.engine.dimensions import PROPERTY
from upper_compass.core.engine.protocol import Counting, Tally, tallied
from upper_compass.core.engine.selection import Selection
from upper_compass.core.tag_health.findings import Finding, FindingFigure
from upper_compass.core.tag_health.inspection import DAYS, HISTORY, MAX_EXAMPLES, MIN_VISITS, Inspection, in_visits

# A silence that chance would bring about once in a thousand times: e^-7.
MIN_EXPECTED = 7.0
MIN_TIMES = 5
MAX_ERRORS = 10
MAX_MESSAGE, UNSAID = 200, "it does not say what"


def silences(at: Inspection) -> list[Finding]:
    """Events and goals that fell silent, against what the 28 days before lead one to expect."""
    goal_events = {name for _, goal in at.goals for name in goal.match.names}
    found = []
    for (kind, name), days in _by_day(at).items():
        spoken = np.flatnonzero(days)
        if not len(spoken) or spoken[-1] == len(days) - 1:
            continue
        silent = len(days) - 2 - int(spoken[-1])
        before = days[max(int(spoken[-1]) - 27, 0) : int(spoken[-1]) + 1]
        expected = float(before.mean()) * silent
        if silent < 1 or expected < MIN_EXPECTED:
            continue
        if kind == "silent goal":
            what, figure = "The goal", FindingFigure(measure="conversions", goal=name, days=HISTORY)
        else:
            what, figure = "The event", FindingFigure(measure="times", values={"event": name}, days=HISTORY)
        found.append(
            Finding(
                key=f"{kind} {name}", kind="silent goal" if kind == "silent goal" else "silent event", count=round(expected),
                severity="high" if kind == "silent goal" or name in goal_events else "middle", title=f"{what} {name} fell silent",
                cost=f"It has not come for {silent} {'day' if silent == 1 else 'days'}; about {round(expected):,} were to be expected.",
                advice="Look at the page where it happens, and try it with Site code's check; or something on the site was removed.",
                figure=figure,
            )
        )  # fmt: skip
    return found


def _by_day(at: Inspection) -> dict[tuple[str, str], Ints]:
    """How often each active event and each goal came on each day."""
    edges = (*at.midnights, at.until)
    asked = [(at.history, Counting(_active_events, (edges,)), "silent event", "")]
    asked += [(replace(at.history, goal=goal), Counting(_conversions, (edges,)), "silent goal", title) for title, goal in at.goals]
    found: dict[tuple[str, str], Ints] = {}
    for ask, counting, kind, title in asked:
        rows = at.context.tally(ask, counting)[0].as_texts().frame
        # What came fewer times in all of these days lets nothing be expected of any of them.
        rows = rows if title else rows.filter(pl.col("times").sum().over("name") >= MIN_TIMES)
        if title:
            found[kind, title] = np.zeros(len(edges) - 1, np.int64)
        for name, day, times in rows.select("name", "day", "times").iter_rows():
            found.setdefault((kind, title or name), np.zeros(len(edges) - 1, np.int64))[day] += times
    return found


def _days(at: Ints, edges: Sequence[int]) -> Ints:
    return np.searchsorted(np.array(edges), at, side="right") - 1


def _active_events(selection: Selection, edges: Sequence[int]) -> Tally:
    """Times of events that say something about intent, by the name that is shown and `day`."""
    shard, lookups = selection.shard, selection.shard.lookups
    rows = selection.rows[selection.kind(selection.rows) == Kind.event]
    rows = rows[~lookups["passive"][shard.hit("name")[rows]].astype(bool)]
    names = lookups["event"][shard.hit("name")[rows]]
    rows, names = rows[names > 0], names[names > 0]
    return tallied(pl.DataFrame({"name": names, "day": _days(shard.hit("at")[rows], edges)}), {"name": lookups.labels, "day": None}, count="times")


def _conversions(selection: Selection, edges: Sequence[int]) -> Tally:
    """Conversions by `day`."""
    days = _days(selection.conversions.at[selection.counted_conversions], edges)
    return tallied(pl.DataFrame({"day": days}).with_columns(pl.lit("").alias("name")), {"name": None, "day": None}, count="times")


def without_script(at: Inspection) -> list[Finding]:
    """Own pages that views came from, but that were never seen themselves."""
    seen = set(at.counted(_pages_seen)["page"])
    referrers = at.counted(_referrers)
    parts = split_addresses(referrers["referrer"])
    own = {bare_host(host) for host in at.rules.hosts}
    came: Counter[str] = Counter()
    for host, path, count in zip(parts["host"], parts["path"], referrers["views"], strict=True):
        if bare_host(host or "") in own:
            came[path] += count
    return [
        Finding(
            key=f"script missing {page}", kind="script missing", severity="middle", title=f"The page {page} seems to be without the code",
            cost=f"Visitors came from it {count:,} times in 30 days, and it was never seen itself; visits that begin there are lost or look direct.",
            count=count,
            advice="Put the line of Site code into its head.",
        )
        for page, count in came.items()
        if page not in seen and count >= MIN_VISITS and not at.rules.kept_query_keys
    ]  # fmt: skip


def _pages_seen(selection: Selection) -> Tally:
    """Views by page."""
    lookups, rows = selection.shard.lookups, selection.rows[selection.kind(selection.rows) == Kind.view]
    return tallied(pl.DataFrame({"page": lookups["page"][selection.shard.hit("url")[rows]]}), {"page": lookups.labels}, count="views")


def _referrers(selection: Selection) -> Tally:
    """Views by referrer."""
    rows = selection.rows[selection.kind(selection.rows) == Kind.view]
    return tallied(
        pl.DataFrame({"referrer": selection.shard.hit("referrer")[rows]}), {"referrer": selection.shard.lookups.dictionaries["referrer"]}, count="views"
    )


def personal(at: Inspection) -> list[Finding]:
    """Hits whose address or properties were masked, by their page; a hit with both counts once."""
    pages = at.counted(_masked).sort("hits", "page", descending=[True, False])
    count = int(pages["hits"].sum())
    if not count:
        return []
    return [
        Finding(
            key="personal data", kind="personal data", severity="high", title="Addresses or properties hold personal data", count=count,
            cost=f"{count:,} {'hit' if count == 1 else 'hits'} in 30 days bore an e-mail address or a phone number; it was masked before it was stored.",
            advice="Take it out where it is made: a form that is sent by POST keeps it out of the address, and no event needs it as a property.",
            examples=pages["page"].head(MAX_EXAMPLES).to_list(),
        )
    ]  # fmt: skip


def _masked(selection: Selection) -> Tally:
    """Hits by page whose address or properties hold a mask."""
    rows, lookups = selection.rows, selection.shard.lookups
    masked = np.zeros(len(rows), bool)
    for column in ("url", "props"):
        masked |= lookups.dictionaries[column].passing(selection.shard.hit(column)[rows], "contains", MASK)
    return tallied(pl.DataFrame({"page": lookups["page"][selection.shard.hit("url")[rows[masked]]]}), {"page": lookups.labels}, count="hits")


def repeated(at: Inspection) -> list[Finding]:
    """Orders whose id had come before."""
    count = int(at.counted(_repeated)["orders"].sum())
    if not count:
        return []
    times = "1 order was" if count == 1 else f"{count:,} orders were"
    return [
        Finding(
            key="repeated orders", kind="repeated orders", severity="low", title="Orders are sent twice", count=count,
            cost=f"{times} sent again in 30 days; each counts once, so no figure is wrong.",
            advice="The page that says thank you is loaded again; let it call uc.order only once.",
        )
    ]  # fmt: skip


def _repeated(selection: Selection) -> Tally:
    """Orders whose id had come before."""
    return tallied(pl.DataFrame({"orders": [int((selection.kind(selection.rows) == REPEATED_ORDER).sum())]}), {}, sums=("orders",))


def robots(at: Inspection) -> list[Finding]:
    """Visits of robots, for the record."""
    robots = int(at.counted(_robots)["visits"].sum())
    if not robots:
        return []
    return [
        Finding(
            key="robots", kind="robots", severity="low", title="Robots read the site", count=robots,
            cost=f"{in_visits(robots)} of robots in 30 days {'is' if robots == 1 else 'are'} stored and left out of every report.",
            advice="Nothing needs to be done.",
        )
    ]  # fmt: skip


def _robots(selection: Selection) -> Tally:
    """Visits of robots."""
    shard, start = selection.shard, selection.shard.visit("start")
    inside = (start >= selection.ask.start) & (start < selection.ask.stop) & shard.valid
    return tallied(pl.DataFrame({"visits": [int(shard.hit("robot")[shard.visit("first_row")[inside]].sum())]}), {}, sums=("visits",))


def script_errors(at: Inspection) -> list[Finding]:
    """Errors that scripts of the pages threw, by what they say; an error can keep a tag behind it from being told."""
    by_message = at.counted(_errors).sort("times", "message", descending=[True, False]).head(MAX_ERRORS)
    people = dict(at.counted(_people_with_errors).select("message", "people").iter_rows())
    pages = at.counted(_pages_with_errors).sort("times", "page", descending=[True, False])
    return [
        Finding(
            key=f"script error {text}", kind="script error", severity="middle", title=f"A script of the pages fails: {text}", count=count,
            cost=f"{count:,} times in 30 days, for {people[text]:,} {'person' if people[text] == 1 else 'people'}; what comes behind it may not be told.",
            examples=pages.filter(pl.col("message") == text)["page"].head(MAX_EXAMPLES).to_list(),
            advice="Show it to whoever builds these pages; the event script error has the file and the line.",
            figure=_of_message(text),
        )
        for text, count in by_message.select("message", "times").iter_rows()
        if count >= MIN_VISITS
    ]  # fmt: skip


def _of_message(text: str) -> FindingFigure | None:
    """The times of one error; none of a message that is cut, or that says nothing, for a report has it by its whole text."""
    if text == UNSAID or len(text) >= MAX_MESSAGE:
        return None
    return FindingFigure(measure="times", values={"event": SCRIPT_ERROR, f"{PROPERTY}message": text}, days=DAYS)


def _with_errors(selection: Selection) -> pl.DataFrame:
    """A row for each error of a script: what it says, where, to whom."""
    shard, lookups = selection.shard, selection.shard.lookups
    rows = selection.rows[selection.kind(selection.rows) == Kind.event]
    rows = rows[np.isin(shard.hit("name")[rows], lookups.events_called([SCRIPT_ERROR]))]
    codes, places = np.unique(shard.hit("props")[rows], return_inverse=True)
    named = pl.Series([_message(text) for text in lookups.dictionaries["props"].decode(codes)], dtype=pl.String)
    page = lookups["page"][shard.hit("url")[rows]]
    return pl.DataFrame({"message": named.gather(places), "page": page, "visitor": shard.hit("visitor")[rows]})


def _errors(selection: Selection) -> Tally:
    """Times by message."""
    return tallied(_with_errors(selection), {"message": None}, count="times")


def _people_with_errors(selection: Selection) -> Tally:
    """Distinct visitors by message."""
    return tallied(_with_errors(selection).select("message", "visitor").unique(), {"message": None}, count="people")


def _pages_with_errors(selection: Selection) -> Tally:
    """Times by message and page."""
    return tallied(_with_errors(selection), {"message": None, "page": selection.shard.lookups.labels}, count="times")


def _message(props: str) -> str:
    holding = json.loads(props) if props else {}
    return str(holding.get("message") or UNSAID)[:MAX_MESSAGE]
