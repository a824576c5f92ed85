"""What is asked of a site's frames. All of it takes and gives plain data, so that it can be asked from another process."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime, timedelta
from pathlib import Path

from upper_compass.core.definitions.comparisons import CompareRequest
from upper_compass.core.definitions.files import FileFormat
from upper_compass.core.definitions.goals import Goal
from upper_compass.core.definitions.periods import Period, midnight
from upper_compass.core.definitions.requests import TableRequest
from upper_compass.core.definitions.segments import Segment
from upper_compass.core.definitions.site_rules import SiteRules
from upper_compass.core.engine.context import ReportContext, question
from upper_compass.core.engine.selection import ReportFilter
from upper_compass.core.export.files import write_file
from upper_compass.core.reports import visit_list
from upper_compass.core.reports.compare import every_value
from upper_compass.core.reports.event_list import EventOut, PropOut, events, sent_fields
from upper_compass.core.reports.exported import table_frame
from upper_compass.core.reports.goal_preview import GoalPreview, preview_goal
from upper_compass.core.reports.real_time import LiveUpdate, arrivals, newest_seq, present
from upper_compass.core.reports.visit_list import VisitDetail, VisitsRequest, VisitsResult, every_visit, latest_visits
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


def newest(context: ReportContext) -> int:
    """Number of the newest hit, 0 without any."""
    return newest_seq(context)


def live_update(context: ReportContext, now: datetime, after: int, limit: int, visitor: str | None) -> LiveUpdate:
    """What arrived after number `after`, at most `limit` hits of it, only those of one visitor where one is named; and who is on the site."""
    at = int(now.timestamp() * 1000)
    arrived, left_out = arrivals(context, after, limit, visitor)
    return LiveUpdate(seq=newest(context), at=at, arrived=arrived, left_out=left_out, present=present(context, at))


def visits(context: ReportContext, request: VisitsRequest, goal: Goal | None) -> VisitsResult:
    """Single visits, newest first."""
    ask = question(context, request.period, (request.segment,), goal=goal, with_excluded=request.with_excluded)
    return latest_visits(context, ask, request.limit, request.after)


def visit_detail(context: ReportContext, visitor: str, number: int, goal: Goal | None) -> VisitDetail | None:
    """One visit with all its hits."""
    return visit_list.visit_detail(context, visitor, number, goal)


def export_table(context: ReportContext, request: TableRequest, goals: dict[int, Goal], file_format: FileFormat, path: str, *, every_row: bool) -> None:
    """Write a table into a file, here where it is read. Raises TooLongError."""
    frame, columns = table_frame(context, request, goals, every_row=every_row)
    with Path(path).open("wb") as out:
        write_file(frame, columns, file_format, out)


def export_visits(context: ReportContext, request: VisitsRequest, goal: Goal | None, file_format: FileFormat, path: str) -> None:
    """Write all visits of a question into a file, here where they are read. Raises TooLongError."""
    frame, columns = every_visit(context, question(context, request.period, (request.segment,), goal=goal, with_excluded=request.with_excluded))
    with Path(path).open("wb") as out:
        write_file(frame, columns, file_format, out)


def export_compared(context: ReportContext, request: CompareRequest, goals: dict[int, Goal], file_format: FileFormat, path: str) -> None:
    """Write every value that is compared into a file, here where it is read. Raises TooLongError."""
    frame, columns = every_value(context, request, goals)
    with Path(path).open("wb") as out:
        write_file(frame, columns, file_format, out)


def event_list(context: ReportContext, period: Period, segment: Segment | None, rules: SiteRules) -> list[EventOut]:
    """Every event that ever arrived, with its figures in the period."""
    return events(context, question(context, period, (segment,)), rules)


def fields_seen(context: ReportContext, period: Period) -> list[PropOut]:
    """Keys of the site's own that hits of the period bore, with their commonest values."""
    return sent_fields(context, ReportFilter(*period.bounds(context.zone)))


def goal_preview(context: ReportContext, period: Period, goal: Goal) -> GoalPreview:
    """What a goal that is being written would have counted."""
    return preview_goal(context, ReportFilter(*period.bounds(context.zone), goal=goal, keep=False))


def goals_counted(context: ReportContext, period: Period, goals: Sequence[Goal]) -> list[GoalPreview]:
    """What each of the site's goals counted."""
    return [preview_goal(context, ReportFilter(*period.bounds(context.zone), goal=goal)) for goal in goals]


def sorting_moves(context: ReportContext, period: Period, drafted: SiteRules) -> ReclassificationPreview:
    """What other aliases and channels would move."""
    return reclassification_preview(context, ReportFilter(*period.bounds(context.zone)), drafted, shipped())


def values_known(context: ReportContext, period: Period) -> dict[str, dict[str, int]]:
    """Which values the links of the period's visits bore, and how often."""
    return observed_values(context, ReportFilter(*period.bounds(context.zone)))


def pages_seen(context: ReportContext, period: Period, pages: Sequence[str]) -> frozenset[str] | None:
    """Which of the pages were seen in the period; None where no page was."""
    return observed_pages(context, ReportFilter(*period.bounds(context.zone)), pages)


def visits_by_link(context: ReportContext, goal: Goal | None, links: Sequence[RegisteredLink]) -> dict[int, LinkPerformance]:
    """What came by each link since it was made."""
    return link_performance(context, ReportFilter(0, 2**62, goal=goal), links)


def links_unmade(context: ReportContext, period: Period, links: Sequence[RegisteredLink]) -> list[UnregisteredLink]:
    """Links seen in the traffic that nobody made here."""
    return unregistered_links(context, ReportFilter(*period.bounds(context.zone)), links)


def findings(context: ReportContext, now: datetime, rules: SiteRules, goals: Sequence[tuple[str, Goal]]) -> list[Finding]:
    """What is wrong with the tags in the last 30 days and today."""
    today = now.astimezone(context.zone).date()
    midnights = [midnight(today - timedelta(days=back), context.zone) for back in range(HISTORY, -1, -1)]
    until = max(round(now.timestamp() * 1000), midnights[-1] + 1)
    return look(Inspection(context, rules, midnights, until, list(goals)))
