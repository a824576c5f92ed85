"""Marks that can only be made on arrival: robots, the site's own people, the country of a network."""

from __future__ import annotations

import ipaddress
from collections.abc import Sequence
from functools import lru_cache
from pathlib import Path

import crawleruseragents
import maxminddb

Network = ipaddress.IPv4Network | ipaddress.IPv6Network


@lru_cache(maxsize=50_000)
def is_robot(user_agent: str | None) -> bool:
    """Whether a user agent says that it is a robot's."""
    return bool(user_agent) and bool(crawleruseragents.is_crawler(user_agent))


def read_networks(texts: Sequence[str]) -> list[Network]:
    """Networks of a site's settings; one that cannot be read is passed over."""
    networks = []
    for text in texts:
        try:
            networks.append(ipaddress.ip_network(text.strip(), strict=False))
        except ValueError:
            continue
    return networks


def is_own(address: str | None, networks: Sequence[Network]) -> bool:
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
