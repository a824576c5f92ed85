"""`/uc.js`: the site script, put together for each site from the parts that it uses."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

from fastapi import APIRouter, Request, Response

from upper_compass.api.access import ServicesHere
from upper_compass.api.problems import Problem
from upper_compass.store.sites import Site

router = APIRouter(include_in_schema=False)

# Short, so that changed settings reach the pages soon.
_HEADERS = {"Cache-Control": "public, max-age=300", "Cross-Origin-Resource-Policy": "cross-origin"}


@router.get("/uc.js")
async def uc_js(request: Request, services: ServicesHere, site: str | None = None) -> Response:
    """The script of one site; without its key the script alone, which reads the key from its own tag. Anyone may have it."""
    script = services.settings.tracker
    if script is None or not script.exists():
        raise Problem(404, "The site script has not been built.")
    found = await services.directory.find(site) if site else None
    text = script.read_text(encoding="utf-8") if found is None else made_for(script, found.site)
    return Response(text, media_type="text/javascript", headers=_HEADERS)


def made_for(script: Path, site: Site) -> str:
    """The parts that the site uses and the script, with what they must know of the site written around them, as data."""
    tagging = site.tagging
    names = tagging.parts()
    parts = "\n".join((script.parent / "parts" / f"{name}.js").read_text(encoding="utf-8") for name in names)
    settings: dict[str, Any] = {"key": site.key, "cookie": tagging.cookie, "consent": tagging.consent, "parts": _given(site, names)}
    written = json.dumps(settings, separators=(",", ":")).replace("<", "\\u003c")
    return f"!function(uc_settings,uc_parts){{{parts}\n{script.read_text(encoding='utf-8')}}}({written},[]);\n"


def _given(site: Site, names: list[str]) -> dict[str, Any]:
    """What the parts are told, no more than they use."""
    tagging = site.tagging
    told: dict[str, Any] = {}
    if "links" in names:
        told |= {"hosts": site.rules.hosts, "downloads": tagging.sends.downloads, "outbound": tagging.sends.outbound}
    if "search" in names:
        told["searches"] = tagging.search_keys
    if "media" in names and tagging.players:
        told["players"] = tagging.players
    return told
