"""Marks that can only be made on arrival: robots, the site's own people, the country of a network."""

from __future__ import annotations

import ipaddress
from collections.abc import Sequence
from pathlib import Path

import crawleruseragents
import maxminddb
import polars as pl

Network = ipaddress.IPv4Network | ipaddress.IPv6Network


# Words by which a robot that is on no list names itself; a bot's name ends with the word, but for a make of phones.
_WORDS = r"(?i:crawler|spider|headless|(?:^|[^u]|[^c]u)bot(?:[^a-z]|$))"
_ROBOTS = "|".join([*(f"(?:{known['pattern']})" for known in crawleruseragents.CRAWLER_USER_AGENTS_DATA), _WORDS])
_MAX_KEPT = 50_000
_judged: dict[str, bool] = {}


def are_robots(user_agents: Sequence[str | None]) -> list[bool]:
    """Whether user agents say that they are robots' (rules, chapter 1): the list as shipped, read by the linear-time engine, and some words."""
    known = {agent: _judged.get(agent) for agent in set(user_agents) if agent}
    fresh = [agent for agent, judged in known.items() if judged is None]
    if fresh:
        found = dict(zip(fresh, pl.Series(fresh, dtype=pl.String).str.contains(_ROBOTS).to_list(), strict=True))
        known |= found
        if len(_judged) > _MAX_KEPT:
            _judged.clear()
        _judged.update(found)
    return [bool(agent and known[agent]) for agent in user_agents]


def are_judged(user_agents: Sequence[str | None]) -> bool:
    """Whether all of these were judged before, so that judging them again costs nothing."""
    return all(not agent or agent in _judged for agent in user_agents)


def read_networks(texts: Sequence[str]) -> list[Network]:
    """Networks of a site's settings; one that cannot be read is passed over."""
    networks = []
    for text in texts:
        try:
            networks.append(ipaddress.ip_network(text.strip(), strict=False))
        except ValueError:
            continue
    return networks


def is_internal(address: str | None, networks: Sequence[Network]) -> bool:
    """Whether a client's address lies in one of the networks. The address goes no further than here."""
    if not networks or not address:
        return False
    try:
        parsed = ipaddress.ip_address(address)
    except ValueError:
        return False
    return any(parsed in network for network in networks)


class Countries:
    """Looks up the country of an address in an MMDB file, when the installation has one."""

    def __init__(self, path: Path | None) -> None:
        self._reader = maxminddb.open_database(path) if path else None

    def of(self, address: str | None) -> str | None:
        """ISO 3166 code, or None."""
        if self._reader is None or not address:
            return None
        try:
            found = self._reader.get(address)
        except ValueError:
            return None
        country = found.get("country") if isinstance(found, dict) else None
        code = country.get("iso_code") if isinstance(country, dict) else None
        return code if isinstance(code, str) else None
