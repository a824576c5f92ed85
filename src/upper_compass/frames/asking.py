"""What is asked of a site's frames. All of it takes and gives plain data, so that it can be asked from another process."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime, timedelta

from upper_compass.core.definitions.goals import Goal
from upper_compass.core.definitions.periods import Period, midnight
from upper_compass.core.definitions.requests import Narrowing
from upper_compass.core.definitions.site_rules import SiteRules
from upper_compass.core.engine.context import Reading, question
from upper_compass.core.engine.selection import Question
from upper_compass.core.reports.event_list import EventOut, events
from upper_compass.core.reports.goal_preview import GoalPreview, preview_goal
from upper_compass.core.reports.real_time import Tidings, arrivals, newest_seq, present
from upper_compass.core.reports.visit_list import Story, VisitsRequest, VisitsResult, newest_visits, story
from upper_compass.core.tag_health import HISTORY, Look, look
from upper_compass.core.tag_health.findings import Finding
from upper_compass.core.tagging.link_performance import Came, MadeLink, Unmade, came_by, known_values, unmade_links
from upper_compass.core.tagging.reclassification import Moves, moves
from upper_compass.reference import shipped


def newest(reading: Reading) -> int:
    """Number of the newest hit, 0 without any."""
    return newest_seq(reading.shards)


def tidings(reading: Reading, now: datetime, after: int, limit: int, visitor: str | None) -> Tidings:
    """What arrived after number `after`, at most `limit` hits of it, only those of one visitor where one is named; and who is on the site."""
    at = int(now.timestamp() * 1000)
    arrived, left_out = arrivals(reading.shards, after, limit, visitor)
    return Tidings(seq=newest(reading), at=at, arrived=arrived, left_out=left_out, present=present(reading.shards, at))


def visits(reading: Reading, request: VisitsRequest, goal: Goal | None) -> VisitsResult:
    """Single visits, newest first."""
    ask = question(reading, request.period, goal, request.only, with_hidden=request.with_hidden)
    return newest_visits(reading.shards, ask, request.limit, request.after)


def visit_story(reading: Reading, visitor: str, number: int, goal: Goal | None) -> Story | None:
    """One visit with all its hits."""
    return story(reading.shards, visitor, number, goal)


def event_list(reading: Reading, period: Period, only: Sequence[Narrowing], rules: SiteRules) -> list[EventOut]:
    """Every event that ever arrived, with its figures in the period."""
    return events(reading.shards, question(reading, period, None, only, with_hidden=False), rules)


def goal_preview(reading: Reading, period: Period, goal: Goal) -> GoalPreview:
    """What a goal that is being written would have counted."""
    return preview_goal(reading.shards, Question(*period.bounds(reading.zone), goal=goal, keep=False))


def goals_counted(reading: Reading, period: Period, goals: Sequence[Goal]) -> list[GoalPreview]:
    """What each of the site's goals counted."""
    return [preview_goal(reading.shards, Question(*period.bounds(reading.zone), goal=goal)) for goal in goals]


def sorting_moves(reading: Reading, period: Period, drafted: SiteRules) -> Moves:
    """What other aliases and channels would move."""
    return moves(reading.shards, Question(*period.bounds(reading.zone)), drafted, shipped())


def values_known(reading: Reading, period: Period) -> dict[str, dict[str, int]]:
    """Which values the links of the period's visits bore, and how often."""
    return known_values(reading.shards, Question(*period.bounds(reading.zone)))


def visits_by_link(reading: Reading, goal: Goal | None, links: Sequence[MadeLink]) -> dict[int, Came]:
    """What came by each link since it was made."""
    return came_by(reading.shards, Question(0, 2**62, goal=goal), links)


def links_unmade(reading: Reading, period: Period, links: Sequence[MadeLink]) -> list[Unmade]:
    """Links seen in the traffic that nobody made here."""
    return unmade_links(reading.shards, Question(*period.bounds(reading.zone)), links)


def findings(reading: Reading, now: datetime, rules: SiteRules, goals: Sequence[tuple[str, Goal]]) -> list[Finding]:
    """What is wrong with the tags in the last 30 days and today."""
    today = now.astimezone(reading.zone).date()
    midnights = [midnight(today - timedelta(days=back), reading.zone) for back in range(HISTORY, -1, -1)]
    until = max(round(now.timestamp() * 1000), midnights[-1] + 1)
    return look(Look(reading.shards, rules, midnights, until, list(goals)))
