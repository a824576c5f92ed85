"""Looks for what is wrong with a site's tags in the last 30 days (rules, *Decisions*, Tag health)."""

from __future__ import annotations

from upper_compass.core.tag_health.findings import Finding, Severity
from upper_compass.core.tag_health.inspection import HISTORY, Inspection
from upper_compass.core.tag_health.pages import personal, repeated, robots, script_errors, silences, without_script
from upper_compass.core.tag_health.sources import referrers, spellings, unsorted, untagged_mail

__all__ = ["HISTORY", "Inspection", "look"]


def look(at: Inspection) -> list[Finding]:
    """All findings, the gravest and most frequent first."""
    checks = (spellings, unsorted, referrers, silences, without_script, personal, repeated, untagged_mail, script_errors, robots)
    found = [finding for check in checks for finding in check(at)]
    rank: dict[Severity, int] = {"high": 0, "middle": 1, "low": 2}
    return sorted(found, key=lambda one: (rank[one.severity], -one.count, one.key))
