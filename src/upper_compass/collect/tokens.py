"""Tokens that a site gives to browsers, signed with its secret: nobody else can make one, and each kind ends by itself."""

from __future__ import annotations

import secrets
from collections.abc import Callable
from datetime import datetime, timedelta
from typing import Literal

from itsdangerous import BadSignature, TimestampSigner

from upper_compass.store.sites import Site

Kind = Literal["own", "follow", "check", "trial", "handover"]
LASTS: dict[Kind, timedelta] = {
    "own": timedelta(days=365), "follow": timedelta(days=1), "check": timedelta(days=1), "trial": timedelta(days=1), "handover": timedelta(minutes=2),
}  # fmt: skip
PATTERN = r"^[A-Za-z0-9_.~-]{16,160}$"


class _Signer(TimestampSigner):
    """Signs with the application's clock."""

    def __init__(self, secret: bytes, kind: Kind, now: datetime) -> None:
        super().__init__(secret, salt=f"upper-compass.{kind}")
        self._at = int(now.timestamp())

    def get_timestamp(self) -> int:
        return self._at


class Tokens:
    """Makes and reads tokens; `now` is the application's clock."""

    def __init__(self, now: Callable[[], datetime]) -> None:
        self._now = now

    def issue(self, site: Site, kind: Kind, bears: str = "") -> str:
        """A new token of the site. `bears`: word characters that it carries."""
        return _Signer(site.secret, kind, self._now()).sign(f"{secrets.token_hex(6)}~{bears}").decode()

    def read(self, site: Site, token: str, *kinds: Kind) -> str | None:
        """What a token bears that this site issued, as one of these kinds, and that has not ended; None for any other text."""
        for kind in kinds:
            try:
                signed = _Signer(site.secret, kind, self._now()).unsign(token, max_age=int(LASTS[kind].total_seconds()))
            except BadSignature:
                continue
            return signed.decode().partition("~")[2]
        return None
