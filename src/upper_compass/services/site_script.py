"""The site script, put together for each site from the parts that it uses."""

from __future__ import annotations

import json
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from upper_compass.core.definitions.script_settings import in_order
from upper_compass.core.definitions.site_rules import bare_host, cookie_domains
from upper_compass.core.tagging.tag_rules import Rule, for_script, parts_for
from upper_compass.store.sites import Site


def part_of(script: Path, name: str) -> str:
    """The text of one part of the script."""
    return (script.parent / "parts" / f"{name}.js").read_text(encoding="utf-8")


def as_data(value: object) -> str:
    """JSON that means the same within a script."""
    return json.dumps(value, separators=(",", ":")).replace("<", "\\u003c")


def made_for(script: Path, site: Site, rules: Sequence[Rule]) -> str:
    """The parts that the site uses and the script, with what they must know of the site written around them, as data."""
    tagging = site.tagging
    sent = for_script(rules, html=tagging.inserts_html)
    apart = tagging.cookie and _apart(site.rules.hosts)
    names = in_order([*tagging.parts(), *(["handover"] if apart else []), *(["rules", *parts_for(sent)] if sent else [])])
    parts = "\n".join(part_of(script, name) for name in names)
    given = _given(site, names) | ({"rules": sent} if sent else {})
    domains = cookie_domains(site.rules.hosts)
    asked = {"hosts": site.rules.hosts, "domains": domains, "kept": site.rules.kept_query_keys, "consent": tagging.consent, "parts": given}
    asked |= {"every": tagging.every_query, "hash": site.rules.pages_behind_hash}
    # What is as the script has it by itself need not be sent.
    settings = {"key": site.key} | {name: value for name, value in asked.items() if value} | ({} if tagging.cookie else {"cookie": False})
    return f"!function(uc_settings,uc_parts){{{parts}\n{script.read_text(encoding='utf-8')}}}({as_data(settings)},[]);\n"


def _apart(hosts: Sequence[str]) -> bool:
    """Whether hosts cannot be sure to share a cookie: only one that all others stand below can be the domain of it, whatever browsers know of suffixes."""
    bare = {bare_host(host) for host in hosts}
    return not any(all(f".{host}".endswith(f".{above}") for host in bare) for above in bare)


def _given(site: Site, names: list[str]) -> dict[str, Any]:
    """What the parts are told, no more than they use."""
    tagging = site.tagging
    sent: dict[str, Any] = {}
    if "links" in names:
        sent |= {"downloads": tagging.sends.downloads, "outbound": tagging.sends.outbound}
    if "search" in names or "forms" in names:
        sent["searches"] = tagging.search_keys
    if "media" in names and tagging.players:
        sent["players"] = tagging.players
    if "visit" in names:
        sent["gap"] = site.rules.visit_gap_minutes
    return sent
