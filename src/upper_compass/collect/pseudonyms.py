"""Pseudonyms for sites that keep no cookie: the same browser is the same visitor for one day at the site, and nobody can tell afterwards who it was."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from datetime import date

LENGTH = 32


class Pseudonyms:
    """Makes pseudonyms with a salt for each site and day. `salt_of` asks the store for one; it is held here for as long as the day lasts."""

    def __init__(self, salt_of: Callable[[int, date], bytes]) -> None:
        self._salt_of = salt_of
        self._salts: dict[int, tuple[date, bytes]] = {}

    def knows(self, site_id: int, day: date) -> bool:
        """Whether the salt is at hand, so that `of` will not ask the store."""
        return site_id in self._salts and self._salts[site_id][0] == day

    def of(self, site_id: int, day: date, address: str | None, user_agent: str | None) -> str:
        """The pseudonym of whoever sends from this address with this browser on this day."""
        if not self.knows(site_id, day):
            self._salts[site_id] = (day, self._salt_of(site_id, day))
        salt = self._salts[site_id][1]
        return hashlib.blake2b(f"{address}\n{user_agent}".encode(), key=salt, digest_size=LENGTH // 2).hexdigest()
