"""What a user agent says: device type, browser, system."""

from __future__ import annotations

from functools import lru_cache

import ua_parser

_PHONE = ("iphone", "ipod", "windows phone")
_TABLET = ("ipad", "tablet", "kindle", "silk/")
_DESKTOP = ("windows", "mac os x", "linux", "chrome os", "ubuntu", "fedora", "debian", "freebsd")


@lru_cache(maxsize=50_000)
def read_agent(text: str) -> tuple[str, str, str]:
    """(device type, browser, system) of a user agent; empty texts where it does not say."""
    if not text:
        return "", "", ""
    parsed = ua_parser.parse(text)
    browser = parsed.user_agent.family if parsed.user_agent else ""
    system = parsed.os.family if parsed.os else ""
    return _device(text.lower(), system.lower()), browser, system


def _device(agent: str, system: str) -> str:
    if any(word in agent for word in _TABLET) or ("android" in agent and "mobile" not in agent):
        return "tablet"
    if any(word in agent for word in _PHONE) or "mobile" in agent:
        return "phone"
    return "desktop" if system in _DESKTOP else "other"
