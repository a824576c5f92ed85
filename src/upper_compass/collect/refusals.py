"""What was turned away lately, so that whoever tags a site learns why nothing arrives. Kept in memory, by host; nothing of the visitors."""

from __future__ import annotations

from collections import OrderedDict
from datetime import datetime
from typing import Literal

from pydantic import BaseModel

MOST_HOSTS = 1_000

Why = Literal["unknown key", "unknown host"]


class Refusal(BaseModel):
    """Pages of a host that were turned away: how often, and when last. `key`: the site's key that they gave."""

    host: str
    key: str
    why: Why
    times: int
    last: datetime


class Refusals:
    """The latest refusals, by host and key."""

    def __init__(self) -> None:
        self._by_place: OrderedDict[tuple[str, str], Refusal] = OrderedDict()

    def note(self, host: str, key: str, why: Why, at: datetime) -> None:
        """Write down that a page of this host was turned away."""
        held = self._by_place.get((host, key))
        self._by_place[host, key] = Refusal(host=host, key=key, why=why, times=held.times + 1 if held else 1, last=at)
        self._by_place.move_to_end((host, key))
        while len(self._by_place) > MOST_HOSTS:
            self._by_place.popitem(last=False)

    def of(self, key: str, hosts: frozenset[str]) -> list[Refusal]:
        """Refusals that concern a site, latest first: of its key from other hosts, and of its hosts with another key."""
        found = [one for one in self._by_place.values() if (one.why == "unknown host" and one.key == key) or (one.why == "unknown key" and one.host in hosts)]
        return found[::-1]
