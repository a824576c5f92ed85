"""*Watch → Tag health*: what is wrong with the tags, fixed or ignored here."""

from __future__ import annotations

import json
from datetime import datetime
from typing import Annotated, get_args

from fastapi import APIRouter, Query
from pydantic import BaseModel, ConfigDict

from upper_compass.api.access import Access, Analyst, ServicesHere, Viewer, who
from upper_compass.api.deps import ReclassificationOut, moves_by, refused_of
from upper_compass.api.problems import Problem, responses
from upper_compass.api.routing import Route
from upper_compass.core.definitions.text_tests import storable
from upper_compass.core.tag_health import few_of_each
from upper_compass.core.tag_health.findings import Finding, Fix, IgnoreHost, Kind, Severity, apply_fix, holds
from upper_compass.core.tag_health.inspection import MAX_EXAMPLES
from upper_compass.frames import queries
from upper_compass.services.application import Services
from upper_compass.store import accepted as store
from upper_compass.store import change_log, sites
from upper_compass.store.database import reading
from upper_compass.store.refusals import Refused, Why

router = APIRouter(prefix="/api/v1/sites/{site}/findings", tags=["Watching"], route_class=Route)

MAX_FIXED = 500
Key = Annotated[str, storable(600, least=1)]


class AcceptedOut(BaseModel):
    """Why a finding is left as it is. `by` is null when they are gone."""

    reason: str
    by: str | None
    at: datetime


class FindingOut(Finding):
    """A finding, and whether somebody accepted it."""

    accepted: AcceptedOut | None = None


class FixedOut(BaseModel):
    """What was fixed, by whom and when. `by` is null when they are gone."""

    fix: Fix
    by: str | None
    at: datetime


class AcceptIn(BaseModel):
    """A finding that is left as it is, and why."""

    model_config = ConfigDict(extra="forbid", json_schema_extra={"examples": [{"key": "robots", "reason": "Our own link checker"}]})
    key: Key
    reason: Annotated[str, storable(300, least=1)]


class FixIn(BaseModel):
    """What to fix; with `undo` the same is taken back."""

    model_config = ConfigDict(
        extra="forbid", json_schema_extra={"examples": [{"fix": {"kind": "alias", "field": "medium", "this": "e-mail", "that": "email"}}]}
    )
    fix: Fix
    undo: bool = False


@router.get("", openapi_extra=who("viewer"), responses=responses(401, 404))
def list_findings(access: Viewer, services: ServicesHere) -> list[FindingOut]:
    """What is wrong with the tags in the last 30 days and today, the gravest first. For the site's viewers."""
    with reading(access.engine) as connection:
        goals = [(goal.name, goal.goal) for goal in sites.goals_of(connection, access.site.id)]
        known = store.accepted_of(connection, access.site.id)
    found = [*services.reader.read(access.site, queries.findings, services.now(), access.site.rules, goals), *_refused(access, services)]
    found.sort(key=lambda finding: get_args(Severity).index(finding.severity))
    shown = few_of_each([finding for finding in found if finding.key not in known])
    listed = [FindingOut(**finding.model_dump()) for finding in shown]
    for finding in found:
        if why := known.get(finding.key):
            listed.append(FindingOut(**finding.model_dump(), accepted=AcceptedOut(reason=why.reason, by=why.by, at=why.at)))
    return listed


def _refused(access: Access, services: Services) -> list[Finding]:
    """What the collector turned away, or stored without a part of it, by what was wrong."""
    groups: dict[tuple[Why, str], list[Refused]] = {}
    for one in refused_of(access, services):
        if one.place.why in _TOLD:
            groups.setdefault((one.place.why, one.place.field or one.place.host), []).append(one)
    return [_finding(why, what, rows) for (why, what), rows in groups.items()]


# Kind, severity, title, cost, advice; `what` is the field or the host.
_TOLD: dict[Why, tuple[Kind, Severity, str, str, str]] = {
    "unknown host": (
        "refused", "middle", "Pages of {what} send hits that are refused",
        "{requests} of it {were} turned away, for it is not among the site's hosts.", "Add the host in Settings if it is yours.",
    ),
    "unknown key": (
        "unknown key", "high", "Pages of {what} bear a key that no site has", "They asked {times}, and nothing of them is counted.",
        "Copy the line of Site code anew into these pages.",
    ),
    "refused": (
        "refused hits", "high", "Hits are refused for their {what}", "{hits} {were} turned away, and what was told is lost.",
        "Fix it where the page makes the hit; the documents on tagging say what each field may hold.",
    ),
    "shortened": (
        "shortened hits", "middle", "The field {what} of hits is not understood", "{hits} {were} stored without it, or with a part of it.",
        "Fix it where the page makes the hit; the documents on tagging say what each field may hold.",
    ),
    "too many": (
        "surge", "high", "More hits came than one {what} may send", "{requests} {were} turned away; browsers send them again for a day.",
        "Look in Now at what sends them. The limits are settings of the installation.",
    ),
}  # fmt: skip


def _finding(why: Why, what: str, rows: list[Refused]) -> Finding:
    kind, severity, title, cost, advice = _TOLD[why]
    count = sum(one.times for one in rows)
    one = count == 1
    listed = {
        "what": what or "an unknown page", "were": "was" if one else "were", "times": "once" if one else f"{count:,} times",
        "hits": "1 hit" if one else f"{count:,} hits", "requests": "1 request" if one else f"{count:,} requests",
    }  # fmt: skip
    keys = [f"key {one.place.site_key}" for one in rows] if why == "unknown key" else [one.place.page for one in rows if one.place.page]
    return Finding(
        key=f"{kind} {what}"[:600], kind=kind, severity=severity, title=title.format(**listed), count=count, cost=cost.format(**listed), advice=advice,
        examples=list(dict.fromkeys(keys))[:MAX_EXAMPLES],
    )  # fmt: skip


@router.post("/fix/preview", openapi_extra=who("viewer"), responses=responses(401, 403, 404, 422))
def preview_fix(given: FixIn, access: Viewer, services: ServicesHere) -> ReclassificationOut:
    """What of the last 90 days and today would change if one thing were fixed; nothing is kept. For the site's viewers."""
    return moves_by(services, access, apply_fix(access.site.rules, given.fix, undo=given.undo))


@router.post("/fix", status_code=204, openapi_extra=who("analyst"), responses=responses(401, 403, 404, 422))
def fix(given: FixIn, access: Analyst) -> None:
    """Fix one thing, or take that back; history is read anew. For the site's analysts; ignoring a host as a source is for its owners."""
    if isinstance(given.fix, IgnoreHost) and access.role != "owner":
        raise Problem(403, "Which hosts are ignored as a source is a setting; the site's owners change it.")
    thing = "site" if isinstance(given.fix, IgnoreHost) else "sorting"
    why = given.model_dump(mode="json")
    with access.engine.begin() as connection:
        sites.change_rules(connection, access.site.id, lambda rules: apply_fix(rules, given.fix, undo=given.undo), access.user.id, thing, why)


@router.get("/fixed", openapi_extra=who("viewer"), responses=responses(401, 404))
def list_fixed(access: Viewer) -> list[FixedOut]:
    """What was fixed here and still holds, the newest first. For the site's viewers."""
    with reading(access.engine) as connection:
        changes = change_log.changes_of(connection, access.site.id, ("sorting", "site"), MAX_FIXED, bearing="fix")
    newest = {json.dumps(change.after["fix"], sort_keys=True): change for change in reversed(changes)}
    listed = []
    for change in sorted(newest.values(), key=lambda change: -change.id):
        fixed = FixIn.model_validate({name: change.after[name] for name in ("fix", "undo")})
        if not fixed.undo and holds(access.site.rules, fixed.fix):
            listed.append(FixedOut(fix=fixed.fix, by=change.by, at=change.at))
    return listed


@router.put("/accepted", status_code=204, openapi_extra=who("analyst"), responses=responses(401, 403, 404, 422))
def accept(given: AcceptIn, access: Analyst) -> None:
    """Leave a finding as it is, with a reason. For the site's analysts."""
    with access.engine.begin() as connection:
        store.accept(connection, access.site.id, given.key, given.reason, access.user.id)


@router.delete("/accepted", status_code=204, openapi_extra=who("analyst"), responses=responses(401, 403, 404, 422))
def take_back(access: Analyst, key: Annotated[str, Query(min_length=1, max_length=600)]) -> None:
    """No longer accept a finding. For the site's analysts."""
    with access.engine.begin() as connection:
        if not store.take_back(connection, access.site.id, key, access.user.id):
            raise Problem(404, "This finding was not accepted.")
