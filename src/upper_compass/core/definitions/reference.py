"""Lists that every site shares, handed to the core by its callers: known referrers, click ids, the country of a time zone, the continent of a country."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field


@dataclass(frozen=True)
class KnownHost:
    """What is known of a referrer's host: the name its visits go under, and what kind of place it is ('' when of no kind)."""

    name: str
    kind: str


@dataclass(frozen=True)
class Reference:
    """`hosts` by host without `www.`; `click_ids` as (query key, source) in order; `zone_countries` by IANA name; `continents` by ISO 3166 code."""

    hosts: Mapping[str, KnownHost] = field(default_factory=dict)
    click_ids: Sequence[tuple[str, str]] = ()
    zone_countries: Mapping[str, str] = field(default_factory=dict)
    continents: Mapping[str, str] = field(default_factory=dict)


MEDIUM_OF_KIND = {"search": "organic", "social": "social", "mail": "email", "video": "video", "assistant": "assistant"}
