"""*Tag → Rules*: *When … then …*, drafted, tried on one browser, made live in versions."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import Annotated, Any

import sqlalchemy as sa
from fastapi import APIRouter, Path, Query
from pydantic import BaseModel, ConfigDict, Field

from upper_compass.api.access import Access, Analyst, ServicesHere, Viewer, who
from upper_compass.api.problems import FieldError, Problem, responses
from upper_compass.api.routing import Route
from upper_compass.collect.tokens import LASTS
from upper_compass.core.definitions.text_tests import storable
from upper_compass.core.tagging.tag_rules import MAX_RULES, Rule, RuleChange, RuleSet, changes_between, inserts
from upper_compass.store import rules as store
from upper_compass.store.database import reading
from upper_compass.store.rules import Version

router = APIRouter(prefix="/api/v1/sites/{site}/rules", tags=["Tagging"], route_class=Route)

MAX_VERSIONS = 50
Note = Annotated[str, storable(300)]
Number = Annotated[int, Path(ge=1, le=2**31 - 1, description="The version's number.")]
_RULE: dict[str, Any] = {
    "id": "a1b2c3d4",
    "name": "Flour pages read to the end",
    "when": {"kind": "scrolled", "percent": 90},
    "only_if": [{"kind": "page", "test": "starts with", "value": "/shop/"}],
    "then": [{"kind": "event", "name": "flour read", "props": [{"key": "title", "value": {"kind": "element", "selector": "h1"}}]}],
}


class DraftIn(RuleSet):
    """The draft. `was`: the one that the change began from; when it is given and somebody else was faster, nothing is changed."""

    model_config = ConfigDict(extra="forbid", json_schema_extra={"examples": [{"rules": [_RULE]}]})
    was: Annotated[list[Rule], Field(max_length=MAX_RULES)] | None = None


class LiveIn(BaseModel):
    """Make the draft live. `note` says what for; `was`: the draft as it was seen, so that nothing goes live that was not."""

    model_config = ConfigDict(extra="forbid", json_schema_extra={"examples": [{"note": "Shop pages"}]})
    note: Note = ""
    was: Annotated[list[Rule], Field(max_length=MAX_RULES)] | None = None


class VersionOut(BaseModel):
    """A version that was made live, and what was another in it than in the one before. `by` is null when they are gone."""

    number: int
    note: str
    by: str | None
    at: datetime
    rules: list[Rule]
    changes: list[RuleChange]


class RulesOut(BaseModel):
    """The draft, what in it is another than what is live, and the fifty newest versions, the first of which is live."""

    draft: list[Rule]
    changes: list[RuleChange]
    versions: list[VersionOut]


class TrialOut(BaseModel):
    """The token of a trial: `#uc-trial=TOKEN` behind an address of the site turns the draft on for the browser that opens it."""

    token: str
    until: datetime


def _rules_out(versions: Sequence[Version]) -> list[VersionOut]:
    before = [*(version.rules for version in versions[1:]), []]
    listed = [
        VersionOut(**{name: getattr(version, name) for name in ("number", "note", "by", "at", "rules")}, changes=changes_between(was, version.rules))
        for version, was in zip(versions, before, strict=False)
    ]
    return listed[:MAX_VERSIONS]


def _all(connection: sa.Connection, site_id: int) -> RulesOut:
    versions, draft = store.versions_of(connection, site_id, MAX_VERSIONS + 1), store.draft_of(connection, site_id)
    live = versions[0].rules if versions else []
    stored = live if draft is None else draft
    return RulesOut(draft=stored, changes=changes_between(live, stored), versions=_rules_out(versions))


def _draft(connection: sa.Connection, site_id: int) -> list[Rule]:
    stored = store.draft_of(connection, site_id)
    return store.live_rules(connection, site_id) if stored is None else stored


def _owner_inserts(access: Access, before: Sequence[Rule], after: Sequence[Rule]) -> None:
    """Raise unless the caller may insert the HTML that is new."""
    if access.role != "owner" and not inserts(after) <= inserts(before):
        raise Problem(403, "Only the site's owners may insert HTML into its pages.", [FieldError(field="rules", text="inserts HTML that is not there yet")])


def _unchanged(was: Sequence[Rule] | None, stored: Sequence[Rule]) -> None:
    if was is not None and list(was) != list(stored):
        raise Problem(409, "Somebody else changed the draft meanwhile. Nothing was saved; look at theirs, then make your change again.")


@router.get("", openapi_extra=who("viewer"), responses=responses(401, 404))
def read_rules(access: Viewer) -> RulesOut:
    """The draft and the newest versions. For the site's viewers."""
    with reading(access.engine) as connection:
        return _all(connection, access.site.id)


@router.get("/changes", openapi_extra=who("viewer"), responses=responses(401, 404, 422))
def compare(access: Viewer, before: Annotated[int, Query(ge=0, le=2**31 - 1)], after: Annotated[int, Query(ge=0, le=2**31 - 1)]) -> list[RuleChange]:
    """What is another in one version than in another; 0 is the draft. For the site's viewers."""
    with reading(access.engine) as connection:
        return changes_between(*(_rules_in(connection, access.site.id, number) for number in (before, after)))


def _rules_in(connection: sa.Connection, site_id: int, number: int) -> list[Rule]:
    """The rules of a version; 0 is the draft."""
    found = store.version_of(connection, site_id, number) if number else None
    if number and found is None:
        raise Problem(404, f"There is no version {number}.")
    return found.rules if found else _draft(connection, site_id)


@router.put("/draft", openapi_extra=who("analyst"), responses=responses(401, 403, 404, 409, 422))
def keep_draft(given: DraftIn, access: Analyst) -> RulesOut:
    """Replace the draft; pages of the site notice nothing. For the site's analysts; new HTML to insert is for its owners."""
    with access.engine.begin() as connection:
        store.hold(connection, access.site.id)
        stored = _draft(connection, access.site.id)
        _unchanged(given.was, stored)
        _owner_inserts(access, stored, given.rules)
        store.keep_draft(connection, access.site.id, given.rules, access.user.id)
        return _all(connection, access.site.id)


@router.post("/versions", status_code=201, openapi_extra=who("analyst"), responses=responses(401, 403, 404, 409, 422))
def make_live(given: LiveIn, access: Analyst, services: ServicesHere) -> RulesOut:
    """Make the draft live as the next version. For the site's analysts; HTML that was not live before is for its owners."""
    with access.engine.begin() as connection:
        store.hold(connection, access.site.id)
        stored = _draft(connection, access.site.id)
        _unchanged(given.was, stored)
        live = store.live_rules(connection, access.site.id)
        if stored == live:
            raise Problem(409, "The draft is just what is live already.")
        _owner_inserts(access, live, stored)
        store.make_live(connection, access.site.id, stored, given.note, access.user.id, services.now())
        return _all(connection, access.site.id)


@router.post("/versions/{number}/again", status_code=201, openapi_extra=who("analyst"), responses=responses(401, 403, 404, 409, 422))
def go_back(number: Number, access: Analyst, services: ServicesHere) -> RulesOut:
    """Make an older version live again, as the next one; a draft stays. For the site's analysts; HTML that is not live now is for its owners."""
    with access.engine.begin() as connection:
        store.hold(connection, access.site.id)
        old, live = _rules_in(connection, access.site.id, number), store.live_rules(connection, access.site.id)
        if old == live:
            raise Problem(409, "This is just what is live already.")
        _owner_inserts(access, live, old)
        store.make_live(connection, access.site.id, old, f"Back to version {number}", access.user.id, services.now())
        return _all(connection, access.site.id)


@router.post("/trials", status_code=201, openapi_extra=who("analyst"), responses=responses(401, 403, 404))
def begin_trial(access: Analyst, services: ServicesHere) -> TrialOut:
    """A token that turns the draft on, for a day, for whichever browser has it. For the site's analysts."""
    now = services.now()
    until = now + LASTS["trial"]
    token = services.tokens.issue(access.site, "trial")
    with access.engine.begin() as connection:
        store.begin_trial(connection, access.site.id, access.user.id, token, now, until)
    return TrialOut(token=token, until=until)


@router.delete("/draft", status_code=204, openapi_extra=who("analyst"), responses=responses(401, 403, 404))
def throw_draft_away(access: Analyst) -> None:
    """Let the draft be what is live again. For the site's analysts."""
    with access.engine.begin() as connection:
        store.hold(connection, access.site.id)
        store.keep_draft(connection, access.site.id, store.live_rules(connection, access.site.id), access.user.id)
