"""The settings of a site that the rules read. Changing one re-reads history; what was collected stays as it is."""

from __future__ import annotations

import hashlib
import ipaddress
import re
import zoneinfo
from collections.abc import Sequence
from functools import cache
from typing import Annotated, Literal, Self

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, StringConstraints, ValidationInfo, model_validator

from upper_compass.core.definitions.text_tests import MAX_WEIGHT_TOGETHER, check_pattern, storable, weight

MAX_CHANNEL_WORDS = 5_000
PAID_MEDIUMS = ("cpc", "ppc", "paid", "paid-search", "sem")


@cache
def _zones() -> frozenset[str]:
    """Names of all time zones; finding them walks through a folder, and a site's settings are read with every request."""
    return frozenset(zoneinfo.available_timezones())


def _zone(name: str) -> str:
    if name not in _zones():
        raise ValueError("this is not a time zone of the tz database, such as Europe/Dublin")
    return name


def _network(text: str) -> str:
    try:
        ipaddress.ip_network(text.strip(), strict=False)
    except ValueError:
        raise ValueError("this is not an address or a range such as 192.0.2.0/24") from None
    return text.strip()


def bare_host(host: str) -> str:
    """Lower case, without port and without `www.`, as every list of hosts is compared."""
    return host.strip().lower().removeprefix("www.")


_AUTHORITY = re.compile(r"^[^:/?#]+://([^/?#]*)")


def host_of(url: str) -> str:
    """The host of an address, without port and `www.`, small; nothing where there is none."""
    found = _AUTHORITY.match(url)
    return bare_host(re.sub(r":[0-9]*$", "", found[1].rpartition("@")[2])) if found else ""


def _host(text: str, info: ValidationInfo) -> str:
    if not (info.context or {}).get("stored"):
        if "/" in text:
            raise ValueError("give the host alone, such as mill.example, without https:// and path")
        if re.search(r"(?:^[^:]*|\]):\d*$", text):
            raise ValueError("leave out the port; a host is the same on every port")
        if not re.fullmatch(r"[A-Za-z0-9._-]+|\[[0-9A-Fa-f:.]+\]", text):
            raise ValueError("this is not a host such as mill.example")
    return text.lower()


Host = Annotated[str, StringConstraints(min_length=1, max_length=253), AfterValidator(_host)]
QueryKey = Annotated[str, storable(100, least=1)]
Word = Annotated[str, storable(200, least=1)]
Words = Annotated[list[Word], Field(max_length=500)]
SourceField = Literal["source", "medium", "campaign", "content", "term", "label"]


def cookie_domains(hosts: Sequence[str]) -> list[str]:
    """Domains under which hosts of a site can share a cookie, none wider than these hosts need, the widest first.

    A host and its `www.` are both the site's. What browsers call a public suffix is refused by them.
    """
    own = {name for host in hosts for name in (bare_host(host), f"www.{bare_host(host)}")}
    below: dict[str, set[str]] = {}
    for name in own:
        labels = name.split(".")
        for place in range(len(labels) - 1):
            below.setdefault(".".join(labels[place:]), set()).add(labels[place - 1] if place else "")
    return sorted((domain for domain, next_labels in below.items() if len(next_labels) > 1), key=lambda domain: (domain.count("."), domain))


class Alias(BaseModel):
    """`this` is the same as `that`, in one field; both sides are tidied before use."""

    model_config = ConfigDict(extra="forbid")
    field: SourceField
    this: Word
    that: Word


class ChannelRule(BaseModel):
    """One line of the ordered channel list. Every condition that is given must hold; of a list, any.

    `any_of` joins alternatives: the rule matches when one of them does.
    """

    model_config = ConfigDict(extra="forbid")
    channel: Word
    any_of: Annotated[list[ChannelTest], Field(min_length=1, max_length=20)]


class ChannelTest(BaseModel):
    """Conditions on one traffic source; the fields are tidied values, `kinds` are kinds of source."""

    model_config = ConfigDict(extra="forbid")
    sources: Words | None = None
    mediums: Words | None = None
    campaigns: Words | None = None
    kinds: Words | None = None


class PageGroup(BaseModel):
    """A named page pattern; the first that matches names the group."""

    model_config = ConfigDict(extra="forbid")
    name: Word
    test: Literal["is", "starts with", "contains", "regular expression"] = "starts with"
    pattern: Word

    @model_validator(mode="after")
    def _readable(self, info: ValidationInfo) -> Self:
        check_pattern(self.test, self.pattern, info)
        return self


_PLACE = re.compile(r"(?:https?://)?([A-Za-z0-9._-]+|\[[0-9A-Fa-f:.]+\])(?::[0-9]+)?((?:/[^\s?#]*)?)")


def _place(text: str) -> str:
    found = _PLACE.fullmatch(text.strip())
    if not found:
        raise ValueError("give a host, and a path where only a part of it is meant, such as preview.mill.example/next")
    return bare_host(found[1]) + found[2].rstrip("/")


Place = Annotated[str, StringConstraints(min_length=1, max_length=500), AfterValidator(_place)]


class SiteCopy(BaseModel):
    """Pages at an address and below it count as those of another. Both: a host, without `www.`, and a path, without a slash at its end."""

    model_config = ConfigDict(extra="forbid")
    at: Place
    counts_as: Place


EventName = Annotated[str, storable(100, least=1)]


class EventNote(BaseModel):
    """What the site's people say of the events sent as `name`.

    `shown_as`: the name they bear in every report, history included; `passive`: whether they say nothing about intent, None as the rules have it;
    `hidden`: they have no row in reports and stand last in the list of events.
    """

    model_config = ConfigDict(extra="forbid")
    name: EventName
    shown_as: EventName | None = None
    description: Annotated[str, storable(500)] = ""
    passive: bool | None = None
    hidden: bool = False


class SentField(BaseModel):
    """The site sends it, under the field's key."""

    model_config = ConfigDict(extra="forbid")
    kind: Literal["sent"] = "sent"


class QueryField(BaseModel):
    """A key of the address' query holds it."""

    model_config = ConfigDict(extra="forbid")
    kind: Literal["query"]
    key: QueryKey


class PropertyField(BaseModel):
    """A property of events holds it."""

    model_config = ConfigDict(extra="forbid")
    kind: Literal["property"]
    key: QueryKey


class PageField(BaseModel):
    """A part of the page's path holds it: what the one group of a regular expression finds."""

    model_config = ConfigDict(extra="forbid")
    kind: Literal["page"]
    pattern: Word

    @model_validator(mode="after")
    def _one_group(self, info: ValidationInfo) -> Self:
        check_pattern("regular expression", self.pattern, info)
        try:
            groups = re.compile(self.pattern).groups
        except re.error:
            raise ValueError("this is not a regular expression that can be read") from None
        if groups != 1:
            raise ValueError("put round brackets around the one part of the path that is wanted, as in ^/recipes/([^/]+)")
        return self


class SiteField(BaseModel):
    """A dimension of the site's own. `key` names it in hits and reports; `of`: each hit has its own value, or the whole visit its last one."""

    model_config = ConfigDict(extra="forbid")
    key: Annotated[str, StringConstraints(pattern=r"^[a-z0-9][a-z0-9_-]{0,39}$")]
    title: Annotated[str, storable(60, least=1)]
    of: Literal["hit", "visit"] = "hit"
    read: Annotated[SentField | QueryField | PropertyField | PageField, Field(discriminator="kind")] = SentField()


def _mediums(channel: str, *mediums: str) -> ChannelRule:
    return ChannelRule(channel=channel, any_of=[ChannelTest(mediums=list(mediums))])


ChannelRule.model_rebuild()

SHIPPED_CHANNELS = (
    ChannelRule(channel="Paid search", any_of=[ChannelTest(mediums=list(PAID_MEDIUMS), kinds=["search"]), ChannelTest(mediums=["paid-search", "sem"])]),
    ChannelRule(channel="Paid social", any_of=[ChannelTest(mediums=[*PAID_MEDIUMS, "paid-social"], kinds=["social"]), ChannelTest(mediums=["paid-social"])]),
    _mediums("Display", "display", "banner", "cpm", "native"),
    _mediums("Affiliate", "affiliate", "partner"),
    ChannelRule(channel="Email", any_of=[ChannelTest(mediums=["email", "e-mail", "newsletter"]), ChannelTest(kinds=["mail"])]),
    _mediums("Print and QR", "qr", "print", "offline", "card", "poster"),
    _mediums("Audio", "podcast", "radio", "audio"),
    _mediums("Organic search", "organic"),
    _mediums("Organic social", "social", "social-media", "social-network"),
    _mediums("Video", "video"),
    _mediums("AI assistants", "assistant"),
    _mediums("Paid, other", *PAID_MEDIUMS),
    _mediums("Referral", "referral", "link"),
    ChannelRule(channel="Direct", any_of=[ChannelTest(sources=["direct"], mediums=["none"])]),
)
UNSORTED = "Unsorted"


class SiteRules(BaseModel):
    """All that the core reads of a site. Money is in `currency`; `rates` says what one unit of another currency is worth in it."""

    model_config = ConfigDict(extra="forbid")
    hosts: Annotated[list[Host], Field(min_length=1, max_length=50)]
    timezone: Annotated[str, AfterValidator(_zone)] = "UTC"
    currency: Annotated[str, StringConstraints(pattern=r"^[A-Z]{3}$")] = "EUR"
    rates: Annotated[
        dict[Annotated[str, StringConstraints(pattern=r"^[A-Z]{3}$")], Annotated[float, Field(gt=0, allow_inf_nan=False)]], Field(max_length=200)
    ] = {}
    visit_gap_minutes: Annotated[int, Field(ge=1, le=1440)] = 30
    label_keys: Annotated[list[QueryKey], Field(max_length=20)] = ["via", "ref"]
    kept_query_keys: Annotated[list[QueryKey], Field(max_length=20)] = []
    pages_behind_hash: bool = False
    copies: Annotated[list[SiteCopy], Field(max_length=20)] = []
    ignored_hosts: Annotated[list[Host], Field(max_length=200)] = []
    aliases: Annotated[list[Alias], Field(max_length=2000)] = []
    channels: Annotated[list[ChannelRule], Field(max_length=200)] = list(SHIPPED_CHANNELS)
    page_groups: Annotated[list[PageGroup], Field(max_length=200)] = []
    internal_networks: Annotated[list[Annotated[Word, AfterValidator(_network)]], Field(max_length=200)] = []
    events: Annotated[list[EventNote], Field(max_length=2000)] = []
    fields: Annotated[list[SiteField], Field(max_length=50)] = []

    @model_validator(mode="after")
    def _not_too_large(self, info: ValidationInfo) -> Self:
        fault = None if (info.context or {}).get("stored") else self.fault_together()
        if fault:
            raise ValueError(fault)
        return self

    def fault_together(self) -> str | None:
        """What is wrong with the lists as a whole: all patterns are built whenever new addresses are read, so together they have a limit too."""
        patterns = [group.pattern for group in self.page_groups if group.test == "regular expression"]
        patterns += [field.read.pattern for field in self.fields if isinstance(field.read, PageField)]
        if sum(weight(pattern) for pattern in patterns) > MAX_WEIGHT_TOGETHER:
            return "the regular expressions of page groups and fields grow too large together; write smaller counts, or [a-z0-9_] instead of \\w"
        words = sum(len(texts) for rule in self.channels for test in rule.any_of for texts in (test.sources, test.mediums, test.campaigns, test.kinds) if texts)
        if words > MAX_CHANNEL_WORDS:
            return f"the channels list more than {MAX_CHANNEL_WORDS} words; join values by aliases first"
        return None

    @model_validator(mode="after")
    def _told_once(self) -> Self:
        for what, names in (("event", [note.name for note in self.events]), ("field", [one.key for one in self.fields])):
            if len(set(names)) < len(names):
                raise ValueError(f"an {what} is described twice" if what == "event" else "two fields have the same key")
        return self

    def version(self) -> str:
        """A short digest: what was derived under one version is thrown away under another."""
        read = self.model_dump_json(exclude={"events": {"__all__": {"description"}}})
        return hashlib.sha256(read.encode()).hexdigest()[:16]

    def derivation_version(self) -> str:
        """A digest of what decides which visits there are; by all else they are only read."""
        passive = sorted((note.name, note.passive) for note in self.events if note.passive is not None)
        fields = self.model_dump_json(include={"hosts", "visit_gap_minutes", "label_keys", "ignored_hosts", "aliases"})
        return hashlib.sha256(f"{fields}{passive}".encode()).hexdigest()[:16]
