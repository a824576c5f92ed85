"""What is wrong with what pages tell, or do not."""

from __future__ import annotations

import json
from collections import Counter, defaultdict

import numpy as np
import polars as pl

from upper_compass.core.dataset.coded_hits import Ints
from upper_compass.core.dataset.traffic_sources import split_addresses
from upper_compass.core.dataset.visits import REPEATED_ORDER
from upper_compass.core.definitions.hits import SCRIPT_ERROR, Kind
from upper_compass.core.definitions.personal_data import MASK
from upper_compass.core.definitions.site_rules import bare_host
from upper_compass.core.engine.selection import ReportFilter, Selection
from upper_compass.core.tag_health.findings import Finding
from upper_compass.core.tag_health.inspection import MAX_EXAMPLES, MIN_VISITS, Inspection, in_visits

# A silence that chance would bring about once in a thousand times: e^-7.
MIN_EXPECTED = 7.0
MAX_ERRORS = 10


def silences(at: Inspection) -> list[Finding]:
    """Events and goals that fell silent, against what the 28 days before lead one to expect."""
    goal_events = {goal.match.name for _, goal in at.goals if goal.match.kind == "event"}
    found = []
    for (kind, name), moments in _moments(at).items():
        days = np.histogram(moments, bins=[*at.midnights, at.until])[0]
        spoken = np.flatnonzero(days)
        if not len(spoken) or spoken[-1] == len(days) - 1:
            continue
        silent = len(days) - 2 - int(spoken[-1])
        before = days[max(int(spoken[-1]) - 27, 0) : int(spoken[-1]) + 1]
        expected = float(before.mean()) * silent
        if silent < 1 or expected < MIN_EXPECTED:
            continue
        what = "The goal" if kind == "silent goal" else "The event"
        found.append(
            Finding(
                key=f"{kind} {name}", kind="silent goal" if kind == "silent goal" else "silent event", count=round(expected),
                severity="high" if kind == "silent goal" or name in goal_events else "middle", title=f"{what} {name} fell silent",
                cost=f"It has not come for {silent} {'day' if silent == 1 else 'days'}; about {round(expected):,} were to be expected.",
                advice="Look at the page where it happens, and try it with Site code's check; or something on the site was taken away.",
            )
        )  # fmt: skip
    return found


def _moments(at: Inspection) -> dict[tuple[str, str], Ints]:
    """When each active event and each goal came, ms."""
    found: dict[tuple[str, str], list[Ints]] = {}
    for shard in at.shards:
        cut = Selection(shard, ReportFilter(at.midnights[0], at.until))
        rows = cut.rows[cut.kind(cut.rows) == Kind.event]
        rows = rows[~shard.lookups["passive"][shard.hit("name")[rows]].astype(bool)]
        names = shard.lookups["event"][shard.hit("name")[rows]]
        for code in np.unique(names[names > 0]).tolist():
            found.setdefault(("silent event", shard.lookups.labels.texts[code]), []).append(shard.hit("at")[rows[names == code]])
        for title, goal in at.goals:
            counted = Selection(shard, ReportFilter(at.midnights[0], at.until, goal=goal))
            found.setdefault(("silent goal", title), []).append(counted.conversions.at[counted.counted_conversions])
    return {key: np.concatenate(parts) for key, parts in found.items()}


def without_script(at: Inspection) -> list[Finding]:
    """Own pages that views came from, but that were never seen themselves."""
    came: Counter[str] = Counter()
    seen: set[str] = set()
    own = {bare_host(host) for host in at.rules.hosts}
    for cut in at.cuts:
        shard = cut.shard
        rows = cut.rows[cut.kind(cut.rows) == Kind.view]
        seen.update(shard.lookups.labels.decode(np.unique(shard.lookups["page"][shard.hit("url")[rows]])))
        codes, counts = np.unique(shard.hit("referrer")[rows], return_counts=True)
        parts = split_addresses(shard.lookups.dictionaries["referrer"].decode(codes))
        for host, path, count in zip(parts["host"], parts["path"], counts.tolist(), strict=True):
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


def personal(at: Inspection) -> list[Finding]:
    """Hits whose address or properties were masked, by their page; a hit with both counts once."""
    pages: Counter[str] = Counter()
    for cut in at.cuts:
        rows, lookups = cut.rows, cut.shard.lookups
        masked = np.zeros(len(rows), bool)
        for column in ("url", "props"):
            codes, places = np.unique(cut.shard.hit(column)[rows], return_inverse=True)
            masked |= lookups.dictionaries[column].decode(codes).str.contains(MASK, literal=True).to_numpy()[places]
        found, counts = np.unique(lookups["page"][cut.shard.hit("url")[rows[masked]]], return_counts=True)
        pages.update(dict(zip(lookups.labels.decode(found), counts.tolist(), strict=True)))
    count = pages.total()
    if not count:
        return []
    return [
        Finding(
            key="personal data", kind="personal data", severity="high", title="Addresses or properties hold personal data", count=count,
            cost=f"{count:,} hits in 30 days bore an e-mail address or a phone number; it was masked before it was stored.",
            advice="Take it out where it is made: a form that is sent by POST keeps it out of the address, and no event needs it as a property.",
            examples=[page for page, _ in pages.most_common(MAX_EXAMPLES)],
        )
    ]  # fmt: skip


def repeated(at: Inspection) -> list[Finding]:
    """Orders whose id had come before."""
    count = sum(int((cut.kind(cut.rows) == REPEATED_ORDER).sum()) for cut in at.cuts)
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


def robots(at: Inspection) -> list[Finding]:
    """Visits of robots, for the record."""
    robots = 0
    for cut in at.cuts:
        shard = cut.shard
        start = shard.visit("start")
        inside = (start >= cut.ask.start) & (start < cut.ask.stop) & shard.valid
        robots += int(shard.hit("robot")[shard.visit("first_row")[inside]].sum())
    if not robots:
        return []
    return [
        Finding(
            key="robots", kind="robots", severity="low", title="Robots read the site", count=robots,
            cost=f"{in_visits(robots)} of robots in 30 days are stored and left out of every report.", advice="Nothing needs to be done.",
        )
    ]  # fmt: skip


def script_errors(at: Inspection) -> list[Finding]:
    """Errors that scripts of the pages threw, by what they say; an error can keep a tag behind it from being told."""
    times: Counter[str] = Counter()
    people: Counter[str] = Counter()
    pages: dict[str, Counter[str]] = defaultdict(Counter)
    for cut in at.cuts:
        shard, lookups = cut.shard, cut.shard.lookups
        rows = cut.rows[cut.kind(cut.rows) == Kind.event]
        rows = rows[np.isin(shard.hit("name")[rows], lookups.events_called(SCRIPT_ERROR))]
        codes, places = np.unique(shard.hit("props")[rows], return_inverse=True)
        said = [_message(text) for text in lookups.dictionaries["props"].decode(codes)]
        page = lookups.labels.decode(lookups["page"][shard.hit("url")[rows]])
        message = pl.Series(said, dtype=pl.String).gather(places)
        table = pl.DataFrame({"message": message, "page": page, "visitor": shard.hit("visitor")[rows]})
        for text, count in table.group_by("message").agg(pl.len()).iter_rows():
            times[text] += count
        for text, count in table.select("message", "visitor").unique().group_by("message").agg(pl.len()).iter_rows():
            people[text] += count
        for text, where, count in table.group_by("message", "page").agg(pl.len()).iter_rows():
            pages[text][where] += count
    return [
        Finding(
            key=f"script error {text}", kind="script error", severity="middle", title=f"A script of the pages fails: {text}", count=count,
            cost=f"{count:,} times in 30 days, for {people[text]:,} {'person' if people[text] == 1 else 'people'}; what comes behind it may not be told.",
            examples=[page for page, _ in sorted(pages[text].items(), key=lambda item: (-item[1], item[0]))[:MAX_EXAMPLES]],
            advice="Show it to whoever builds these pages; the event script error has the file and the line.",
        )
        for text, count in sorted(times.items(), key=lambda item: (-item[1], item[0]))[:MAX_ERRORS]
        if count >= MIN_VISITS
    ]  # fmt: skip


def _message(props: str) -> str:
    held = json.loads(props) if props else {}
    return str(held.get("message") or "it does not say what")[:200]
