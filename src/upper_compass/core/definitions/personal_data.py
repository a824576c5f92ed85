"""What looks like personal data in texts and addresses.

What looks like an e-mail address or an international phone number is personal wherever it stands, and so is the value of a key that is named like one.
Texts come from anybody, so every character is looked at a bounded number of times, whatever the text.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from functools import lru_cache

MASK = "(masked)"
# An e-mail address is found from the sign in its midst: what stands left of it is read backwards, and right of it a host.
_SIGN = re.compile(r"@|%40")
_LOCAL = frozenset("ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789!#$*._%+-")
_HOST = re.compile(r"[A-Za-z0-9-]+(?:\.[A-Za-z0-9-]+)+")
_PHONE = re.compile(r"(?<![\w.])(?:\+|%2[Bb])[1-9](?:(?:[ ().\-/]|%20){0,2}\d){7,13}(?!\d)")
_SUSPECT = re.compile(r"@|%40|\+|%2[Bb]")
_NAMES = frozenset(("email", "mail", "phone", "telephone", "tel", "mobile", "handy", "telefon", "msisdn"))
_PARTS = re.compile(r"[A-Z]+(?![a-z])|[A-Z]?[a-z]+")
# User and password stand between the scheme and the last @ before the path.
_USER = re.compile(r"^([A-Za-z][A-Za-z0-9+.-]{0,30}://)[^/?#]*@")
# What there is more of in an address than its host and path; most have none of it.
_HAS_PARTS = re.compile("[?#@]")
MAX_NAME = 100


@lru_cache(maxsize=10_000)
def _named(key: str) -> bool:
    return not _NAMES.isdisjoint(part.lower() for part in _PARTS.findall(key.replace("e-mail", "email").replace("E-Mail", "email")))


def names_a_person(key: str) -> bool:
    """Whether a key is named like an e-mail address or a phone number: `email`, `user_email`, `customerPhone`, `e-mail`."""
    return len(key) <= MAX_NAME and _named(key)


def _emails(text: str) -> Iterator[tuple[int, int]]:
    """(start, end) of what looks like e-mail addresses, from left to right."""
    done = 0
    for sign in _SIGN.finditer(text):
        if sign.start() <= done:
            continue
        host = _HOST.match(text, sign.end())
        if not host:
            continue
        start = sign.start()
        while start > done and text[start - 1] in _LOCAL:
            start -= 1
        if start < sign.start():
            yield start, host.end()
            done = host.end()


def personal(text: str) -> bool:
    """Whether a text holds what looks like an e-mail address or a phone number."""
    return bool(_SUSPECT.search(text)) and (next(_emails(text), None) is not None or bool(_PHONE.search(text)))


def mask_text(text: str) -> str:
    """The text without what looks like an e-mail address or a phone number."""
    if not _SUSPECT.search(text):
        return text
    kept = []
    done = 0
    for start, end in _emails(text):
        kept += [text[done:start], MASK]
        done = end
    return _PHONE.sub(MASK, "".join([*kept, text[done:]]))


def _mask_pair(pair: str) -> str:
    key, equals, value = pair.partition("=")
    return f"{key}={MASK}" if equals and value and names_a_person(key) else pair


def _mask_pairs(query: str) -> str:
    return "&".join([_mask_pair(pair) for pair in query.split("&")]) if "=" in query else query


def mask_address(url: str) -> str:
    """The address without personal data, also as the value of a key of its query (or of one in its fragment) that is named like it.

    A user name and a password before the host are taken out, and the host stays.
    """
    if not _HAS_PARTS.search(url):
        return mask_text(url)
    base, hash_, fragment = _USER.sub(r"\1", url).partition("#")
    path, mark, query = base.partition("?")
    inner, inner_mark, inner_query = fragment.partition("?")
    return mask_text(path + mark + _mask_pairs(query) + hash_ + inner + inner_mark + _mask_pairs(inner_query))
