"""What is wrong with where visits say that they came from."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Sequence
from difflib import SequenceMatcher

import numpy as np
import polars as pl

from upper_compass.core.dataset.coded_hits import Ints
from upper_compass.core.dataset.traffic_sources import UNSET
from upper_compass.core.definitions.site_rules import UNSORTED, SourceField, bare_host
from upper_compass.core.engine.protocol import Tally, tallied
from upper_compass.core.engine.selection import Selection
from upper_compass.core.tag_health.findings import AddAlias, Finding, IgnoreHost
from upper_compass.core.tag_health.inspection import DAYS, MAX_EXAMPLES, MIN_VISITS, Inspection, in_visits, visits_with

ALIKE, MINOR = 0.85, 0.25
# Comparing two texts takes the product of their lengths, so the most frequent ones of a bounded length are compared with each other.
COMPARED, LONGEST_COMPARED = 200, 64
MIN_RETURNS, RETURN_SHARE = 5, 0.6
MAIL_HOURS, MAIL_SIGMAS, MAIL_LEAST, MIN_OTHER_DAYS = 2, 4.0, 8, 7
HOUR = 3_600_000


def spellings(at: Inspection) -> list[Finding]:
    """Values of source, medium and campaign that seem to mean the same as a more frequent one."""
    found = []
    fields: tuple[SourceField, ...] = ("source", "medium", "campaign")
    for place, field in enumerate(fields):
        counts: Counter[str] = Counter()
        for key, visits in at.traffic_sources.items():
            if key[place] and key[place] != UNSET:
                counts[key[place]] += visits
        ordered = [value for value, _ in sorted(counts.items(), key=lambda item: (-item[1], item[0]))]
        by_letters: dict[str, str] = {}
        compared: list[str] = []
        for value in ordered:
            if counts[value] < MIN_VISITS:
                break
            mains = [by_letters[bare]] if (bare := _bare(value)) in by_letters else []
            if field != "campaign" and len(compared) < COMPARED and len(value) <= LONGEST_COMPARED:
                mains += _close(compared, value, counts)
                compared.append(value)
            if bare:
                by_letters.setdefault(bare, value)
            if not mains:
                continue
            main = min(mains, key=lambda one: (-counts[one], one))
            stand = "stands" if counts[value] == 1 else "stand"
            found.append(
                Finding(
                    key=f"spelling {field} {value}", kind="spelling", severity="middle", count=counts[value],
                    title=f"The {field} {value} is spelled like {main}",
                    cost=f"{in_visits(counts[value])} in 30 days {stand} in a row of their own, beside {in_visits(counts[main])} of {main}.",
                    advice="If both mean the same, an alias joins them, history included.", fix=AddAlias(field=field, this=value, that=main),
                    figure=visits_with(**{field: value}),
                )
            )  # fmt: skip
    return found


def _bare(text: str) -> str:
    return re.sub(r"[\W_]", "", text)


def _close(mains: Sequence[str], value: str, counts: Counter[str]) -> list[str]:
    """The first of these values that is nearly alike, and much commoner; what differs in a digit is meant to."""
    alike = SequenceMatcher(None, "", value)
    digits = re.sub(r"\D", "", value)
    for main in mains:
        if counts[value] > MINOR * counts[main] or re.sub(r"\D", "", main) != digits:
            continue
        alike.set_seq1(main)
        if alike.real_quick_ratio() >= ALIKE and alike.quick_ratio() >= ALIKE and alike.ratio() >= ALIKE:
            return [main]
    return []


def unsorted(at: Inspection) -> list[Finding]:
    """Tagged visits that fit no channel, by medium."""
    counts: Counter[str] = Counter()
    sources: dict[str, Counter[str]] = {}
    for (source, medium, _, channel, _), visits in at.traffic_sources.items():
        if channel == UNSORTED:
            counts[medium] += visits
            sources.setdefault(medium, Counter())[source] += visits
    return [
        Finding(
            key=f"unsorted {medium}", kind="unsorted", severity="high" if visits >= 10 * MIN_VISITS else "middle",
            title="Links without a medium fit no channel" if medium == UNSET else f"The medium {medium} fits no channel",
            cost=f"{in_visits(visits)} in 30 days {'is' if visits == 1 else 'are'} tagged and yet Unsorted.", count=visits,
            examples=[name for name, _ in sources[medium].most_common(MAX_EXAMPLES)],
            advice="Give these links a medium where they are made." if medium == UNSET else "Choose the channel that shall take it.",
            figure=visits_with(channel=UNSORTED, medium=medium),
        )
        for medium, visits in counts.items()
    ]  # fmt: skip


def referrers(at: Inspection) -> list[Finding]:
    """Own hosts that are not on the list, and pages that visitors only come back from."""
    rows = at.counted(_referrals).select("host", "visits", "returns")
    started = {host: count for host, count, _ in rows.iter_rows()}
    returns = {host: count for host, _, count in rows.iter_rows()}
    own = {bare_host(host) for host in at.rules.hosts}
    found = []
    for host, count in started.items():
        family = any(host.endswith(f".{one}") or one.endswith(f".{host}") for one in own)
        payment = returns[host] >= MIN_RETURNS and returns[host] >= RETURN_SHARE * count
        if not re.fullmatch(r"[a-z0-9.-]+", host) or not ((family and count >= MIN_VISITS) or payment):
            continue
        what = f"{host} looks like a host of your own" if family else f"Visitors only come back from {host}"
        why = "are credited to it as a referral" if family else "are cut in two there, and what follows is credited to it"
        found.append(
            Finding(
                key=f"referrer {host}", kind="referrer", severity="high", title=what, cost=f"{in_visits(count)} in 30 days {why}.", count=count,
                advice="Ignored as a source it stops beginning visits, history included.", fix=IgnoreHost(host=host),
                figure=visits_with(medium="referral", raw_source=host),
            )
        )  # fmt: skip
    return found


def _referrals(selection: Selection) -> Tally:
    """Referred visits by host, and how many of them only `returns` from it: the visitor's visit before ended within the gap."""
    shard, visits = selection.shard, selection.visits
    lookups = shard.lookups
    visits = visits[lookups["medium"][shard.visit("traffic_source")[visits]] == lookups.word("referral")]
    back = shard.visit("start")[visits] - shard.visit("end")[np.maximum(visits - 1, 0)] <= lookups.rules.visit_gap_minutes * 60_000
    returned = ((shard.visit("number")[visits] > 1) & back).astype(np.int64)
    hosts = lookups["raw_source"][shard.visit("traffic_source")[visits]]
    return tallied(pl.DataFrame({"host": hosts, "returns": returned}), {"host": lookups.labels}, sums=("returns",), count="visits")


def untagged_mail(at: Inspection) -> list[Finding]:
    """After a mail was sent (its campaign's first visit by Email), more direct visits land deep in the site than at the same hours of other days."""
    deep = at.counted(_deep_landings).sort("start")
    moments = np.repeat(deep["start"].to_numpy(), deep["visits"].to_numpy())
    firsts = at.counted(_mails, additive=False).select("campaign", "sent").sort("campaign")
    sent = firsts["sent"].to_numpy()

    def between(start: Ints) -> Ints:
        return np.searchsorted(moments, start + MAIL_HOURS * HOUR) - np.searchsorted(moments, start)

    earliest, latest = at.midnights[-DAYS - 1], at.until - MAIL_HOURS * HOUR
    others, days = np.zeros(len(sent), np.int64), np.zeros(len(sent), np.int64)
    for shift in range(-21, 22):
        moment = sent + shift * 24 * HOUR
        inside = (moment >= earliest) & (moment <= latest) & (shift != 0)
        others += np.where(inside, between(moment), 0)
        days += inside
    found = []
    for campaign, came, total, count in zip(firsts["campaign"], between(sent).tolist(), others.tolist(), days.tolist(), strict=True):
        if count < MIN_OTHER_DAYS:
            continue
        usual = total / count
        extra = round(came - usual)
        if extra >= MAIL_LEAST and came >= usual + MAIL_SIGMAS * max(usual, 1.0) ** 0.5:
            found.append(
                Finding(
                    key=f"untagged mail {campaign}", kind="untagged mail", severity="middle", count=extra,
                    title=f"Links in the mail {campaign} seem to be untagged",
                    cost=f"Within two hours after it went out {came:,} direct visits landed deep in the site; {usual:.0f} are usual at that time.",
                    advice="Tag every link in the mail, also those in its foot and in its text version; Links builds them.",
                    figure=visits_with(campaign=campaign),
                )
            )  # fmt: skip
    return found


def _mails(selection: Selection) -> Tally:
    """When the first visit of each campaign came by Email (`sent`, ms)."""
    shard, visits, lookups = selection.shard, selection.visits, selection.shard.lookups
    traffic_source = shard.visit("traffic_source")[visits]
    mailed = (lookups["channel"][traffic_source] == lookups.word("Email")) & (lookups["campaign"][traffic_source] > 0)
    rows = pl.DataFrame({"campaign": lookups["campaign"][traffic_source[mailed]], "sent": shard.visit("start")[visits][mailed]})
    first = rows.group_by("campaign").agg(pl.col("sent").min())
    return Tally(first, {"campaign": lookups.labels}, {"sent": "min"})


def _deep_landings(selection: Selection) -> Tally:
    """Direct visits that began elsewhere than on the first page of the site, by when they started (ms)."""
    shard, visits, lookups = selection.shard, selection.visits, selection.shard.lookups
    entry = shard.visit("entry")[visits]
    landed = (shard.visit("traffic_source")[visits] == 0) & (entry >= 0)
    deep = lookups["page"][shard.hit("url")[entry[landed]]] != lookups.word("/")
    return tallied(pl.DataFrame({"start": shard.visit("start")[visits][landed][deep]}), {"start": None}, count="visits")
