"""Looks for what is wrong with a site's tags in the last 30 days (rules, *Decisions*, Tag health)."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence

from upper_compass.core.tag_health.findings import Finding, Severity
from upper_compass.core.tag_health.inspection import HISTORY, Inspection
from upper_compass.core.tag_health.pages import personal, repeated, robots, script_errors, silences, without_script
from upper_compass.core.tag_health.sources import referrers, spellings, unsorted, untagged_mail

__all__ = ["HISTORY", "Inspection", "few_of_each", "look"]

MAX_OF_A_KIND = 100


def look(at: Inspection) -> list[Finding]:
    """All findings, the gravest and most frequent first."""
    checks = (spellings, unsorted, referrers, silences, without_script, personal, repeated, untagged_mail, script_errors, robots)
    found = [finding for check in checks for finding in check(at)]
    rank: dict[Severity, int] = {"high": 0, "middle": 1, "low": 2}
    return sorted(found, key=lambda one: (rank[one.severity], -one.count, one.key))


def few_of_each(findings: Sequence[Finding]) -> list[Finding]:
    """The first of each kind, in their order, and how many more there are: who sends very many odd tags fills no list with them."""
    told: Counter[str] = Counter()
    kept, left = [], {}
    for one in findings:
        told[one.kind] += 1
        if told[one.kind] <= MAX_OF_A_KIND:
            kept.append(one)
        else:
            left[one.kind] = one
    more = []
    for kind, one in left.items():
        count = told[kind] - MAX_OF_A_KIND
        cost = f"The {MAX_OF_A_KIND} that weigh most are listed; the others come as these are fixed or ignored."
        title = f"{count:,} more of the kind {kind}"
        more.append(Finding(key=f"more {kind}", kind=one.kind, severity="low", title=title, count=count, cost=cost, advice=""))
    return kept + more
