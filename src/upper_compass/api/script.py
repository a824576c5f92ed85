"""`/uc.js`: the site script, put together for each site from the parts that it uses."""

from __future__ import annotations

import json
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from anyio import to_thread
from fastapi import APIRouter, Request, Response

from upper_compass.api.access import ServicesHere
from upper_compass.api.problems import Problem
from upper_compass.api.services import Services
from upper_compass.collect.directory import SiteEntry
from upper_compass.core.definitions.script_settings import in_order
from upper_compass.core.definitions.site_rules import bare_host, cookie_domains, host_of
from upper_compass.core.tagging.tag_rules import Rule, for_script, parts_for
from upper_compass.store import rules as rule_store
from upper_compass.store.refusals import Place
from upper_compass.store.sites import Site

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
        warned = f"console.warn({_as_data(_NO_SITE.format(site[:MAX_KEY]))});\n" if site else ""
        text = warned + script.read_text(encoding="utf-8")
    return Response(text, media_type="text/javascript", headers=_HEADERS)


def _page_host(request: Request) -> str:
    """The host of the page that asks, as far as it says so."""
    return host_of(request.headers.get("referer", "")[:1000])[:253]


def _part(script: Path, name: str) -> str:
    return (script.parent / "parts" / f"{name}.js").read_text(encoding="utf-8")


def _as_data(value: object) -> str:
    """JSON that means the same within a script."""
    return json.dumps(value, separators=(",", ":")).replace("<", "\\u003c")


def made_for(script: Path, site: Site, rules: Sequence[Rule]) -> str:
    """The parts that the site uses and the script, with what they must know of the site written around them, as data."""
    tagging = site.tagging
    told = for_script(rules, html=tagging.inserts_html)
    apart = tagging.cookie and _apart(site.rules.hosts)
    names = in_order([*tagging.parts(), *(["handover"] if apart else []), *(["rules", *parts_for(told)] if told else [])])
    parts = "\n".join(_part(script, name) for name in names)
    given = _given(site, names) | ({"rules": told} if told else {})
    domains = cookie_domains(site.rules.hosts)
    asked = {"hosts": site.rules.hosts, "domains": domains, "kept": site.rules.kept_query_keys, "consent": tagging.consent, "parts": given}
    asked |= {"every": tagging.every_query, "hash": site.rules.pages_behind_hash}
    # What is as the script has it by itself need not be sent.
    settings = {"key": site.key} | {name: value for name, value in asked.items() if value} | ({} if tagging.cookie else {"cookie": False})
    return f"!function(uc_settings,uc_parts){{{parts}\n{script.read_text(encoding='utf-8')}}}({_as_data(settings)},[]);\n"


def _apart(hosts: Sequence[str]) -> bool:
    """Whether hosts cannot be sure to share a cookie: only one that all others stand below can be the domain of it, whatever browsers know of suffixes."""
    bare = {bare_host(host) for host in hosts}
    return not any(all(f".{host}".endswith(f".{above}") for host in bare) for above in bare)


def _trial(services: Services, script: Path, found: SiteEntry | None, token: str) -> str:
    with services.engine.connect() as connection:
        if found is None or not rule_store.may_try(connection, found.site.id, token, services.now()):
            raise Problem(404, "This trial is over, or was never begun.")
        draft = rule_store.draft_of(connection, found.site.id)
    told = for_script(found.rules if draft is None else draft, html=found.site.tagging.inserts_html, trying=True)
    given = {"rules": told, "gap": found.site.rules.visit_gap_minutes}
    return f"!function(uc_trial){{{_part(script, 'trial')}}}({_as_data(given)});\n"


def _given(site: Site, names: list[str]) -> dict[str, Any]:
    """What the parts are told, no more than they use."""
    tagging = site.tagging
    told: dict[str, Any] = {}
    if "links" in names:
        told |= {"downloads": tagging.sends.downloads, "outbound": tagging.sends.outbound}
    if "search" in names or "forms" in names:
        told["searches"] = tagging.search_keys
    if "media" in names and tagging.players:
        told["players"] = tagging.players
    if "visit" in names:
        told["gap"] = site.rules.visit_gap_minutes
    return told
