"""*Tag → Channels*: aliases and the ordered channel rules, tried on the last 90 days before they are kept."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import Annotated, Any

from fastapi import APIRouter
from pydantic import BaseModel, ConfigDict, Field

from upper_compass.api.access import Analyst, ServicesHere, Viewer, who
from upper_compass.api.deps import ReclassificationOut, moves_by
from upper_compass.api.problems import MAX_ERRORS, FieldError, Problem, responses
from upper_compass.api.routing import Route
from upper_compass.core.dataset.traffic_sources import tidy
from upper_compass.core.definitions.site_rules import Alias, ChannelRule, SiteRules
from upper_compass.store import change_log
from upper_compass.store import sites as store
from upper_compass.store.database import reading

router = APIRouter(prefix="/api/v1/sites/{site}/sorting", tags=["Tagging"], route_class=Route)

MAX_CHANGES = 50
# Most changes of settings leave these parts alone.
MAX_READ = 500
THING = "sorting"


class Sorting(BaseModel):
    """How values are tidied and sorted: aliases, and the ordered channel rules, of which the first that matches wins."""

    model_config = ConfigDict(
        extra="forbid",
        json_schema_extra={
            "examples": [
                {
                    "aliases": [{"field": "medium", "this": "e-mail", "that": "email"}],
                    "channels": [{"channel": "Email", "any_of": [{"mediums": ["email"]}, {"kinds": ["mail"]}]}],
                }
            ]
        },
    )
    aliases: Annotated[list[Alias], Field(max_length=2000)]
    channels: Annotated[list[ChannelRule], Field(max_length=200)]


class SortingIn(Sorting):
    """`was`: what the change began from. When it is given and somebody else was faster, nothing is changed."""

    was: Sorting | None = None


class SortingState(Sorting):
    """All that decides where a visit comes from: with the hosts ignored as a source, which are a setting of the owners."""

    ignored_hosts: list[str]


class SortingChange(BaseModel):
    """One entry of the history; `by` is null when they are gone. Its aliases and channels can be kept again as they are before it."""

    id: int
    at: datetime
    by: str | None
    before: SortingState
    after: SortingState


def _of(rules: SiteRules) -> Sorting:
    return Sorting(aliases=rules.aliases, channels=rules.channels)


def _refuse_repeated(aliases: Sequence[Alias]) -> None:
    """Two aliases of one spelling say two things of it, of which one would win without a word. Raises Problem."""
    known: set[tuple[str, str]] = set()
    errors = []
    for place, alias in enumerate(aliases):
        spelling = alias.field, tidy(alias.this)
        if spelling in known:
            errors.append(FieldError(field=f"aliases.{place}", text="there is an alias of this already"))
        known.add(spelling)
    if errors:
        raise Problem(422, "Nothing was saved: there is an alias of this already.", errors[:MAX_ERRORS])


def _parts(written: dict[str, Any]) -> dict[str, Any]:
    """What a change says of these parts; a change of all settings holds the rules whole."""
    found = written.get("rules", written)
    return {name: found[name] for name in SortingState.model_fields if name in found}


@router.post("/preview", openapi_extra=who("viewer"), responses=responses(401, 403, 404, 422))
def preview_sorting(draft: Sorting, access: Viewer, services: ServicesHere) -> ReclassificationOut:
    """How many visits of the last 90 days and today would move, from where to where. For the site's viewers."""
    _refuse_repeated(draft.aliases)
    return moves_by(services, access, access.site.rules.model_copy(update={"aliases": draft.aliases, "channels": draft.channels}))


@router.put("", openapi_extra=who("analyst"), responses=responses(401, 403, 404, 409, 422))
def keep_sorting(given: SortingIn, access: Analyst) -> Sorting:
    """Keep other aliases and channels; history is read anew by them. For the site's analysts."""
    _refuse_repeated(given.aliases)

    def edit(rules: SiteRules) -> SiteRules:
        if given.was is not None and Sorting(**given.was.model_dump()) != _of(rules):
            raise Problem(409, "Somebody else changed the aliases or channels meanwhile. Nothing was saved; look at theirs, then make your change again.")
        return rules.model_copy(update={"aliases": given.aliases, "channels": given.channels})

    with access.engine.begin() as connection:
        return _of(store.change_rules(connection, access.site.id, edit, access.user.id, THING))


@router.get("/history", openapi_extra=who("viewer"), responses=responses(401, 404))
def sorting_history(access: Viewer) -> list[SortingChange]:
    """The last fifty changes of aliases, channels and hosts ignored as a source, newest first. For the site's viewers."""
    with reading(access.engine) as connection:
        changes = change_log.changes_of(connection, access.site.id, (THING, "site"), MAX_READ)
    history: list[SortingChange] = []
    now = access.site.rules.model_dump(mode="json", include=set(SortingState.model_fields))
    for change in changes:  # a change holds the part that was changed; what it left alone is as it was after the change behind it
        after = now | _parts(change.after or {})
        before = after | _parts(change.before or {})
        if before != after and len(history) < MAX_CHANGES:
            history.append(SortingChange(id=change.id, at=change.at, by=change.by, before=SortingState(**before), after=SortingState(**after)))
        now = before
    return history
