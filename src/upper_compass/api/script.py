"""`/uc.js`: the site script, put together for each site from the parts that it uses."""

from __future__ import annotations

from pathlib import Path

from anyio import to_thread
from fastapi import APIRouter, Request, Response

from upper_compass.api.access import ServicesHere
from upper_compass.api.problems import Problem
from upper_compass.collect.directory import SiteEntry
from upper_compass.core.definitions.site_rules import host_of
from upper_compass.core.tagging.tag_rules import for_script
from upper_compass.services.application import Services
from upper_compass.services.site_script import as_data, made_for, part_of
from upper_compass.store import rules as rule_store
from upper_compass.store.database import reading
from upper_compass.store.refusals import Place

router = APIRouter(include_in_schema=False)
MAX_KEY = 40
_NO_SITE = "Upper Compass: no site has the key {!r}, so nothing of this page is counted. Copy the line of Site code anew."

# Short, so that changed settings reach the pages soon.
_HEADERS = {"Cache-Control": "public, max-age=300", "Cross-Origin-Resource-Policy": "cross-origin"}


@router.get("/uc.js")
async def uc_js(request: Request, services: ServicesHere, site: str | None = None, trial: str | None = None) -> Response:
    """The script of one site; without its key the script alone, which reads the key from its own tag. Anyone may have it.

    With the token of a trial: the draft of the site's rules, and the panel that shows them, for the one browser that tries them out.
    """
    script = services.settings.tracker
    if script is None or not script.exists():
        raise Problem(404, "The site script has not been built.")
    found = await services.directory.find(site[:MAX_KEY]) if site else None
    if site:
        services.refusals.note(Place(site[:MAX_KEY], "fetched" if found else "unknown key", _page_host(request)))
    if trial is not None:
        return Response(await to_thread.run_sync(_trial, services, script, found, trial), media_type="text/javascript", headers={"Cache-Control": "no-store"})
    if found:
        text = made_for(script, found.site, found.rules)
    else:
        warned = f"console.warn({as_data(_NO_SITE.format(site[:MAX_KEY]))});\n" if site else ""
        text = warned + script.read_text(encoding="utf-8")
    return Response(text, media_type="text/javascript", headers=_HEADERS)


def _page_host(request: Request) -> str:
    """The host of the page that asks, as far as it says so."""
    return host_of(request.headers.get("referer", "")[:1000])[:253]


def _trial(services: Services, script: Path, found: SiteEntry | None, token: str) -> str:
    with reading(services.engine) as connection:
        if found is None or not rule_store.may_try(connection, found.site.id, token, services.now()):
            raise Problem(404, "This trial is over, or was never begun.")
        draft = rule_store.draft_of(connection, found.site.id)
    live = for_script(found.rules if draft is None else draft, html=found.site.tagging.inserts_html, trying=True)
    given = {"rules": live, "gap": found.site.rules.visit_gap_minutes}
    return f"!function(uc_trial){{{part_of(script, 'trial')}}}({as_data(given)});\n"
