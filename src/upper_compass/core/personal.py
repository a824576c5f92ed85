"""What looks like personal data in texts and addresses.

What looks like an e-mail address or an international phone number is personal wherever it stands, and so is the value of a key that is named like one.
"""

from __future__ import annotations

import re
from functools import lru_cache

MASK = "(masked)"
_EMAIL = r"[A-Za-z0-9!#$*._%+-]+?(?:@|%40)[A-Za-z0-9-]+(?:\.[A-Za-z0-9-]+)+"
_PHONE = r"(?<![\w.])(?:\+|%2[Bb])[1-9](?:(?:[ ().\-/]|%20){0,2}\d){7,13}(?!\d)"
_PERSONAL = re.compile(f"{_EMAIL}|{_PHONE}")
_SUSPECT = re.compile(r"@|%40|\+|%2[Bb]")
_NAMES = frozenset(("email", "mail", "phone", "telephone", "tel", "mobile", "handy", "telefon", "msisdn"))
_PARTS = re.compile(r"[A-Z]+(?![a-z])|[A-Z]?[a-z]+")
_PAIR = re.compile(r"([?&])([^=&#]*)=([^&#]*)")


@lru_cache(maxsize=10_000)
def names_a_person(key: str) -> bool:
    """Whether a key is named like an e-mail address or a phone number: `email`, `user_email`, `customerPhone`, `e-mail`."""
    return not _NAMES.isdisjoint(part.lower() for part in _PARTS.findall(key.replace("e-mail", "email").replace("E-Mail", "email")))


def personal(text: str) -> bool:
    """Whether a text holds what looks like an e-mail address or a phone number."""
    return bool(_SUSPECT.search(text) and _PERSONAL.search(text))


def mask_text(text: str) -> str:
    """The text without what looks like an e-mail address or a phone number."""
    return _PERSONAL.sub(MASK, text) if _SUSPECT.search(text) else text


def mask_address(url: str) -> str:
    """The address without personal data, also as the value of a key of its query that is named like it."""

    def pair(found: re.Match[str]) -> str:
        before, key, value = found.groups()
        return f"{before}{key}={MASK}" if value and names_a_person(key) else found.group()

    if "?" in url:
        url = _PAIR.sub(pair, url)
    return mask_text(url)
