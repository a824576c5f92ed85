"""What a new password must be: long enough, and none that many people have. Nothing else is asked of it."""

from __future__ import annotations

from functools import cache

LEAST, MOST = 10, 200


@cache
def _common() -> frozenset[str]:
    """Passwords that many people have, in small letters."""
    from zxcvbn.frequency_lists import FREQUENCY_LISTS  # a large module, which only new passwords need

    return frozenset(word for name in ("passwords", "english_wikipedia", "female_names", "male_names", "surnames") for word in FREQUENCY_LISTS[name])


def fault(password: str, *known: str) -> str | None:
    """What is wrong with a new password, as a sentence; `known`: what everybody knows of whoever has it."""
    small = password.strip().lower()
    if len(password) < LEAST:
        return f"Use {LEAST} characters or more; a few words in a row are good."
    if small in _common() or small[: len(small) // 2] * 2 == small or len(set(small)) < 4:
        return "Many people have this password; choose another."
    if any(one and one.lower() in (small, small * 2) for one in known):
        return "This password can be guessed by whoever knows you; choose another."
    return None
