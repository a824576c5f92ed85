"""What is asked of a site's frames. All of it takes and gives plain data, so that it can be asked from another process."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime, timedelta

from upper_compass.core.definitions.goals import Goal
from upper_compass.core.definitions.periods import Period, midnight
from upper_compass.core.definitions.segments import Segment
from upper_compass.core.definitions.site_rules import SiteRules
from upper_compass.core.engine.context import ReportContext, question
from upper_compass.core.engine.selection import ReportFilter
from upper_compass.core.reports import visit_list
from upper_compass.core.reports.event_list import EventOut, PropOut, events, sent_fields
from upper_compass.core.reports.goal_preview import GoalPreview, preview_goal
from upper_compass.core.reports.real_time import LiveUpdate, arrivals, newest_seq, present
from upper_compass.core.reports.visit_list import VisitDetail, VisitsRequest, VisitsResult, latest_visits
from upper_compass.core.tag_health import HISTORY, Inspection, look
from upper_compass.core.tag_health.findings import Finding
from upper_compass.core.tagging.link_performance import (
    LinkPerformance,
    RegisteredLink,
    UnregisteredLink,
    link_performance,
    observed_pages,
    observed_values,
    unregistered_links,
)
from upper_compass.core.tagging.reclassification import ReclassificationPreview, reclassification_preview
from upper_compass.reference import shipped


def newest(reading: ReportContext) -> int:
    """Number of the newest hit, 0 without any."""
    return newest_seq(reading)


def live_update(reading: ReportContext, now: datetime, after: int, limit: int, visitor: str | None) -> LiveUpdate:
    """What arrived after number `after`, at most `limit` hits of it, only those of one visitor where one is named; and who is on the site."""
    at = int(now.timestamp() * 1000)
    arrived, left_out = arrivals(reading, after, limit, visitor)
    return LiveUpdate(seq=newest(reading), at=at, arrived=arrived, left_out=left_out, present=present(reading, at))


def visits(reading: ReportContext, request: VisitsRequest, goal: Goal | None) -> VisitsResult:
    """Single visits, newest first."""
    ask = question(reading, request.period, (request.segment,), goal=goal, with_excluded=request.with_excluded)
    return latest_visits(reading, ask, request.limit, request.after)


def visit_detail(reading: ReportContext, visitor: str, number: int, goal: Goal | None) -> VisitDetail | None:
    """One visit with all its hits."""
    return visit_list.visit_detail(reading, visitor, number, goal)


def event_list(reading: ReportContext, period: Period, segment: Segment | None, rules: SiteRules) -> list[EventOut]:
    """Every event that ever arrived, with its figures in the period."""
    return events(reading, question(reading, period, (segment,)), rules)


def fields_seen(reading: ReportContext, period: Period) -> list[PropOut]:
    """Keys of the site's own that hits of the period bore, with their commonest values."""
    return sent_fields(reading, ReportFilter(*period.bounds(reading.zone)))


def goal_preview(reading: ReportContext, period: Period, goal: Goal) -> GoalPreview:
    """What a goal that is being written would have counted."""
    return preview_goal(reading, ReportFilter(*period.bounds(reading.zone), goal=goal, keep=False))


def goals_counted(reading: ReportContext, period: Period, goals: Sequence[Goal]) -> list[GoalPreview]:
    """What each of the site's goals counted."""
    return [preview_goal(reading, ReportFilter(*period.bounds(reading.zone), goal=goal)) for goal in goals]


def sorting_moves(reading: ReportContext, period: Period, drafted: SiteRules) -> ReclassificationPreview:
    """What other aliases and channels would move."""
    return reclassification_preview(reading, ReportFilter(*period.bounds(reading.zone)), drafted, shipped())


def values_known(reading: ReportContext, period: Period) -> dict[str, dict[str, int]]:
    """Which values the links of the period's visits bore, and how often."""
    return observed_values(reading, ReportFilter(*period.bounds(reading.zone)))


def pages_seen(reading: ReportContext, period: Period, pages: Sequence[str]) -> frozenset[str] | None:
    """Which of the pages were seen in the period; None where no page was."""
    return observed_pages(reading, ReportFilter(*period.bounds(reading.zone)), pages)


def visits_by_link(reading: ReportContext, goal: Goal | None, links: Sequence[RegisteredLink]) -> dict[int, LinkPerformance]:
    """What came by each link since it was made."""
    return link_performance(reading, ReportFilter(0, 2**62, goal=goal), links)


def links_unmade(reading: ReportContext, period: Period, links: Sequence[RegisteredLink]) -> list[UnregisteredLink]:
    """Links seen in the traffic that nobody made here."""
    return unregistered_links(reading, ReportFilter(*period.bounds(reading.zone)), links)


def findings(reading: ReportContext, now: datetime, rules: SiteRules, goals: Sequence[tuple[str, Goal]]) -> list[Finding]:
    """What is wrong with the tags in the last 30 days and today."""
    today = now.astimezone(reading.zone).date()
    midnights = [midnight(today - timedelta(days=back), reading.zone) for back in range(HISTORY, -1, -1)]
    until = max(round(now.timestamp() * 1000), midnights[-1] + 1)
    return look(Inspection(reading, rules, midnights, until, list(goals)))
