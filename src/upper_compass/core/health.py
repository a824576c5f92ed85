"""Looks for what is wrong with a site's tags in the last 30 days (rules, *Decisions*, Tag health)."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from difflib import SequenceMatcher
from functools import cached_property

import numpy as np
import polars as pl

from upper_compass.core.cut import Cut, Question
from upper_compass.core.findings import AddAlias, Finding, IgnoreHost, Severity
from upper_compass.core.frame import Ints
from upper_compass.core.goals import Goal
from upper_compass.core.hits import Kind
from upper_compass.core.personal import MASK
from upper_compass.core.shard import Shard
from upper_compass.core.site import UNSORTED, SiteRules, SourceField, bare_host
from upper_compass.core.sources import UNSET, split_addresses
from upper_compass.core.visits import REPEATED_ORDER

DAYS, HISTORY = 30, 42
ALIKE, MINOR = 0.85, 0.25
LEAST_VISITS, LEAST_RETURNS, RETURN_SHARE = 3, 5, 0.6
# A silence that chance would bring about once in a thousand times: e^-7.
LEAST_EXPECTED = 7.0
MAIL_HOURS, MAIL_SIGMAS, MAIL_LEAST = 2, 4.0, 8
MOST_EXAMPLES = 4
HOUR = 3_600_000


@dataclass(frozen=True)
class Look:
    """What is looked at: shards, midnights (ms) of the last HISTORY complete days and of today, the end, and the goals by name."""

    shards: Sequence[Shard]
    rules: SiteRules
    midnights: Sequence[int]
    until: int
    goals: Sequence[tuple[str, Goal]]

    @cached_property
    def cuts(self) -> list[Cut]:
        """The last 30 days and today, of each shard."""
        return [Cut(shard, Question(self.midnights[-DAYS - 1], self.until)) for shard in self.shards]

    @cached_property
    def origins(self) -> Counter[tuple[str, ...]]:
        """Visits by (source, medium, campaign, channel, raw source)."""
        found: Counter[tuple[str, ...]] = Counter()
        for cut in self.cuts:
            codes, counts = np.unique(cut.shard.visit("origin")[cut.visits], return_counts=True)
            lexicon = cut.shard.lexicon
            columns = [lexicon.words.decode(lexicon[name][codes]) for name in ("source", "medium", "campaign", "channel", "raw_source")]
            for *key, count in zip(*columns, counts.tolist(), strict=True):
                found[tuple(key)] += count
        return found


def look(at: Look) -> list[Finding]:
    """All findings, the gravest and most frequent first."""
    checks = (_spellings, _unsorted, _referrers, _silences, _without_script, _personal, _repeated, _untagged_mail, _robots)
    found = [finding for check in checks for finding in check(at)]
    rank: dict[Severity, int] = {"high": 0, "middle": 1, "low": 2}
    return sorted(found, key=lambda one: (rank[one.severity], -one.count, one.key))


def _visits(count: int) -> str:
    return "1 visit" if count == 1 else f"{count:,} visits"


def _spellings(at: Look) -> list[Finding]:
    found = []
    fields: tuple[SourceField, ...] = ("source", "medium", "campaign")
    for place, field in enumerate(fields):
        counts: Counter[str] = Counter()
        for key, visits in at.origins.items():
            if key[place] and key[place] != UNSET:
                counts[key[place]] += visits
        ordered = [value for value, _ in sorted(counts.items(), key=lambda item: (-item[1], item[0]))]
        for rank, value in enumerate(ordered):
            main = next((one for one in ordered[:rank] if _same(one, value) or (field != "campaign" and _close(one, value, counts))), None)
            if main is None or counts[value] < LEAST_VISITS:
                continue
            stand = "stands" if counts[value] == 1 else "stand"
            found.append(
                Finding(
                    key=f"spelling {field} {value}", kind="spelling", severity="middle", title=f"The {field} {value} is spelled like {main}",
                    cost=f"{_visits(counts[value])} in 30 days {stand} in a row of their own, beside {_visits(counts[main])} of {main}.", count=counts[value],
                    advice="If both mean the same, an alias joins them, history included.", mend=AddAlias(field=field, this=value, that=main),
                )
            )  # fmt: skip
    return found


def _bare(text: str) -> str:
    return re.sub(r"[\W_]", "", text)


def _same(one: str, other: str) -> bool:
    return bool(_bare(one)) and _bare(one) == _bare(other)


def _close(main: str, value: str, counts: Counter[str]) -> bool:
    """Nearly alike, and much rarer; what differs in a digit is meant to."""
    digits = [re.sub(r"\D", "", text) for text in (main, value)]
    return counts[value] <= MINOR * counts[main] and digits[0] == digits[1] and SequenceMatcher(None, main, value).ratio() >= ALIKE


def _unsorted(at: Look) -> list[Finding]:
    counts: Counter[str] = Counter()
    sources: dict[str, Counter[str]] = {}
    for (source, medium, _, channel, _), visits in at.origins.items():
        if channel == UNSORTED:
            counts[medium] += visits
            sources.setdefault(medium, Counter())[source] += visits
    return [
        Finding(
            key=f"unsorted {medium}", kind="unsorted", severity="high" if visits >= 10 * LEAST_VISITS else "middle",
            title="Links without a medium fit no channel" if medium == UNSET else f"The medium {medium} fits no channel",
            cost=f"{_visits(visits)} in 30 days are tagged and yet Unsorted.", count=visits,
            examples=[name for name, _ in sources[medium].most_common(MOST_EXAMPLES)],
            advice="Give these links a medium where they are made." if medium == UNSET else "Choose the channel that shall take it.",
        )
        for medium, visits in counts.items()
    ]  # fmt: skip


def _referrers(at: Look) -> list[Finding]:
    """Own hosts that are not on the list, and pages that visitors only come back from."""
    started: Counter[str] = Counter()
    returns: Counter[str] = Counter()
    gap = at.rules.visit_gap_minutes * 60_000
    for cut in at.cuts:
        shard, visits = cut.shard, cut.visits
        lexicon = shard.lexicon
        referral = lexicon["medium"][shard.visit("origin")[visits]] == lexicon.word("referral")
        visits = visits[referral]
        before = np.maximum(visits - 1, 0)
        back = (shard.visit("number")[visits] > 1) & (shard.visit("start")[visits] - shard.visit("end")[before] <= gap)
        hosts = lexicon["raw_source"][shard.visit("origin")[visits]]
        for counted, codes in ((started, hosts), (returns, hosts[back])):
            distinct, counts = np.unique(codes, return_counts=True)
            counted.update(dict(zip(lexicon.words.decode(distinct), counts.tolist(), strict=True)))
    own = {bare_host(host) for host in at.rules.hosts}
    found = []
    for host, count in started.items():
        family = any(host.endswith(f".{one}") or one.endswith(f".{host}") for one in own)
        payment = returns[host] >= LEAST_RETURNS and returns[host] >= RETURN_SHARE * count
        if not re.fullmatch(r"[a-z0-9.-]+", host) or not ((family and count >= LEAST_VISITS) or payment):
            continue
        what = f"{host} looks like a host of your own" if family else f"Visitors only come back from {host}"
        why = "are credited to it as a referral" if family else "are cut in two there, and what follows is credited to it"
        found.append(
            Finding(
                key=f"referrer {host}", kind="referrer", severity="high", title=what, cost=f"{_visits(count)} in 30 days {why}.", count=count,
                advice="As a host that is no source it stops beginning visits, history included.", mend=IgnoreHost(host=host),
            )
        )  # fmt: skip
    return found


def _silences(at: Look) -> list[Finding]:
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
        if silent < 1 or expected < LEAST_EXPECTED:
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


def _moments(at: Look) -> dict[tuple[str, str], Ints]:
    """When each active event and each goal came, ms."""
    found: dict[tuple[str, str], list[Ints]] = {}
    for shard in at.shards:
        cut = Cut(shard, Question(at.midnights[0], at.until))
        rows = cut.rows[cut.kind(cut.rows) == Kind.event]
        rows = rows[~shard.lexicon["passive"][shard.hit("name")[rows]].astype(bool)]
        names = shard.lexicon["event"][shard.hit("name")[rows]]
        for code in np.unique(names[names > 0]).tolist():
            found.setdefault(("silent event", shard.lexicon.words.texts[code]), []).append(shard.hit("at")[rows[names == code]])
        for title, goal in at.goals:
            counted = Cut(shard, Question(at.midnights[0], at.until, goal=goal))
            found.setdefault(("silent goal", title), []).append(counted.conversions.at[counted.counted])
    return {key: np.concatenate(parts) for key, parts in found.items()}


def _without_script(at: Look) -> list[Finding]:
    """Own pages that views came from, but that were never seen themselves."""
    came: Counter[str] = Counter()
    seen: set[str] = set()
    own = {bare_host(host) for host in at.rules.hosts}
    for cut in at.cuts:
        shard = cut.shard
        rows = cut.rows[cut.kind(cut.rows) == Kind.view]
        seen.update(shard.lexicon.words.decode(np.unique(shard.lexicon["page"][shard.hit("url")[rows]])))
        codes, counts = np.unique(shard.hit("referrer")[rows], return_counts=True)
        parts = split_addresses(shard.lexicon.dictionaries["referrer"].decode(codes))
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
        if page not in seen and count >= LEAST_VISITS and not at.rules.kept_query_keys
    ]  # fmt: skip


def _personal(at: Look) -> list[Finding]:
    """Hits whose address or properties were masked, by their page; a hit with both counts once."""
    pages: Counter[str] = Counter()
    for cut in at.cuts:
        rows, lexicon = cut.rows, cut.shard.lexicon
        masked = np.zeros(len(rows), bool)
        for column in ("url", "props"):
            codes, places = np.unique(cut.shard.hit(column)[rows], return_inverse=True)
            masked |= lexicon.dictionaries[column].decode(codes).str.contains(MASK, literal=True).to_numpy()[places]
        found, counts = np.unique(lexicon["page"][cut.shard.hit("url")[rows[masked]]], return_counts=True)
        pages.update(dict(zip(lexicon.words.decode(found), counts.tolist(), strict=True)))
    count = pages.total()
    if not count:
        return []
    return [
        Finding(
            key="personal data", kind="personal data", severity="high", title="Addresses or properties hold personal data", count=count,
            cost=f"{count:,} hits in 30 days bore an e-mail address or a phone number; it was masked before it was stored.",
            advice="Take it out where it is made: a form that is sent by POST keeps it out of the address, and no event needs it as a property.",
            examples=[page for page, _ in pages.most_common(MOST_EXAMPLES)],
        )
    ]  # fmt: skip


def _repeated(at: Look) -> list[Finding]:
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


def _untagged_mail(at: Look) -> list[Finding]:
    """After a mail was sent (its campaign's first visit by Email), more direct visits land deep in the site than at the same hours of other days."""
    mails, deep = [], []
    for cut in at.cuts:
        shard, visits = cut.shard, cut.visits
        words, lexicon = shard.lexicon.words, shard.lexicon
        origin, start = shard.visit("origin")[visits], shard.visit("start")[visits]
        mailed = (lexicon["channel"][origin] == lexicon.word("Email")) & (lexicon["campaign"][origin] > 0)
        first = pl.DataFrame({"code": lexicon["campaign"][origin[mailed]], "sent": start[mailed]}).group_by("code").agg(pl.col("sent").min())
        mails.append(first.select(words.decode(first["code"].to_numpy()).alias("campaign"), "sent"))
        entry = shard.visit("entry")[visits]
        landed = (origin == 0) & (entry >= 0)
        pages = lexicon["page"][shard.hit("url")[entry[landed]]]
        deep.append(start[landed][pages != lexicon.word("/")])
    moments = np.sort(np.concatenate(deep))
    firsts = pl.concat(mails).group_by("campaign").agg(pl.col("sent").min()).sort("campaign")

    def between(start: int) -> int:
        return int(np.searchsorted(moments, start + MAIL_HOURS * HOUR) - np.searchsorted(moments, start))

    found = []
    earliest, latest = at.midnights[-DAYS - 1], at.until - MAIL_HOURS * HOUR
    for campaign, sent in firsts.iter_rows():
        others = [between(moment) for moment in (sent + shift * 24 * HOUR for shift in range(-21, 22) if shift) if earliest <= moment <= latest]
        if len(others) < 7:
            continue
        usual, came = float(np.mean(others)), between(sent)
        extra = round(came - usual)
        if extra >= MAIL_LEAST and came >= usual + MAIL_SIGMAS * max(usual, 1.0) ** 0.5:
            found.append(
                Finding(
                    key=f"untagged mail {campaign}", kind="untagged mail", severity="middle", count=extra,
                    title=f"Links in the mail {campaign} seem to be untagged",
                    cost=f"Within two hours after it went out {came:,} direct visits landed deep in the site; {usual:.0f} are usual at that time.",
                    advice="Tag every link in the mail, also those in its foot and in its text version; Links builds them.",
                )
            )  # fmt: skip
    return found


def _robots(at: Look) -> list[Finding]:
    robots = 0
    for cut in at.cuts:
        shard = cut.shard
        start = shard.visit("start")
        inside = (start >= cut.ask.start) & (start < cut.ask.stop) & shard.live
        robots += int(shard.hit("robot")[shard.visit("first_row")[inside]].sum())
    if not robots:
        return []
    return [
        Finding(
            key="robots", kind="robots", severity="low", title="Robots read the site", count=robots,
            cost=f"{_visits(robots)} of robots in 30 days are stored and left out of every report.", advice="Nothing needs to be done.",
        )
    ]  # fmt: skip
