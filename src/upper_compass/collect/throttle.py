"""How much a network, and a site, may send in a minute. Generous: it is there for floods, not for busy sites."""

from __future__ import annotations

import ipaddress
import math
import time

from limits import RateLimitItem
from limits.storage import MemoryStorage
from limits.strategies import SlidingWindowCounterRateLimiter

V4_BITS, V6_BITS = 24, 56


def network_of(address: str | None) -> str:
    """The network that an address belongs to, as far as limits go; an address alone costs an attacker nothing to change."""
    try:
        parsed = ipaddress.ip_address(address or "")
    except ValueError:
        return address or ""
    if isinstance(parsed, ipaddress.IPv6Address) and parsed.ipv4_mapped:
        parsed = parsed.ipv4_mapped
    bits = V4_BITS if parsed.version == 4 else V6_BITS
    return str(ipaddress.ip_network(f"{parsed}/{bits}", strict=False))


class Throttle:
    """Counts in windows that slide, in this process' memory."""

    def __init__(self) -> None:
        self._limiter = SlidingWindowCounterRateLimiter(MemoryStorage())

    def wait(self, item: RateLimitItem, *who: str, cost: int = 1) -> int:
        """0 when this much may come now, and it is counted; else the seconds to wait."""
        if self._limiter.hit(item, *who, cost=cost):
            return 0
        reset = self._limiter.get_window_stats(item, *who).reset_time
        return max(1, math.ceil(reset - time.time()))

    def forget(self, item: RateLimitItem, *who: str) -> None:
        """Let what was counted be as if it had not come."""
        self._limiter.clear(item, *who)
