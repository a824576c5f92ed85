"""Tag health: what is wrong with the tags, what it costs, and how it is fixed."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

from upper_compass.core.dataset.traffic_sources import tidy
from upper_compass.core.definitions.site_rules import Alias, ChannelRule, ChannelTest, Host, SiteRules, SourceField, Word, bare_host

Kind = Literal[
    "spelling",
    "unsorted",
    "referrer",
    "silent event",
    "silent goal",
    "script missing",
    "personal data",
    "repeated orders",
    "untagged mail",
    "script error",
    "robots",
    "refused",
    "unknown key",
    "refused hits",
    "shortened hits",
    "surge",
]
Severity = Literal["high", "middle", "low"]


class AddAlias(BaseModel):
    """Make one spelling the same as the other."""

    model_config = ConfigDict(extra="forbid")
    kind: Literal["alias"] = "alias"
    field: SourceField
    this: Word
    that: Word


class TakeMedium(BaseModel):
    """Let a channel take a medium; a channel that is not there yet is made, before the last."""

    model_config = ConfigDict(extra="forbid")
    kind: Literal["channel"] = "channel"
    medium: Word
    channel: Word


class IgnoreHost(BaseModel):
    """Ignore a host as a source."""

    model_config = ConfigDict(extra="forbid")
    kind: Literal["ignored host"] = "ignored host"
    host: Host


Fix = Annotated[AddAlias | TakeMedium | IgnoreHost, Field(discriminator="kind")]


class FindingFigure(BaseModel):
    """The figure of a report that stands behind a finding: a measure of what has these values by dimension, over today and so many `days` before.

    `goal`: the name of the goal whose conversions it counts.
    """

    measure: str
    values: dict[str, str] = {}
    goal: str | None = None
    days: int


class Finding(BaseModel):
    """One thing that is wrong. `key` stays the same from day to day; `cost` says what it costs, `advice` what to do where nothing can be fixed here.

    `figure` is none where no report counts it.
    """

    key: str
    kind: Kind
    severity: Severity
    title: str
    cost: str
    count: int
    advice: str
    examples: list[str] = []
    fix: Fix | None = None
    figure: FindingFigure | None = None


def apply_fix(rules: SiteRules, fix: AddAlias | TakeMedium | IgnoreHost, *, undo: bool = False) -> SiteRules:
    """The rules with one thing fixed, or with that taken back."""
    match fix:
        case AddAlias(field=field, this=this, that=that):
            others = [one for one in rules.aliases if (one.field, tidy(one.this)) != (field, tidy(this))]
            return rules.model_copy(update={"aliases": others if undo else [*others, Alias(field=field, this=this, that=that)]})
        case IgnoreHost(host=host):
            kept = [one for one in rules.ignored_hosts if bare_host(one) != bare_host(host)]
            return rules.model_copy(update={"ignored_hosts": kept if undo else [*kept, host]})
        case TakeMedium(medium=medium, channel=channel):
            return rules.model_copy(update={"channels": _without(rules.channels, channel, medium) if undo else _with(rules.channels, channel, medium)})


def holds(rules: SiteRules, fix: AddAlias | TakeMedium | IgnoreHost) -> bool:
    """Whether the rules are as a fix makes them."""
    if isinstance(fix, AddAlias):
        return any((one.field, tidy(one.this), tidy(one.that)) == (fix.field, tidy(fix.this), tidy(fix.that)) for one in rules.aliases)
    return apply_fix(rules, fix, undo=True) != rules


def _with(channels: list[ChannelRule], channel: str, medium: str) -> list[ChannelRule]:
    """A channel takes a medium by a way of its own, so that no condition of another way narrows it."""
    way = ChannelTest(mediums=[medium])
    if not any(rule.channel == channel for rule in channels):
        return [*channels, ChannelRule(channel=channel, any_of=[way])]
    last = max(place for place, rule in enumerate(channels) if rule.channel == channel)
    return [rule.model_copy(update={"any_of": [*rule.any_of, way]}) if place == last else rule for place, rule in enumerate(channels)]


def _without(channels: list[ChannelRule], channel: str, medium: str) -> list[ChannelRule]:
    way = ChannelTest(mediums=[medium])
    left = [rule.model_copy(update={"any_of": [one for one in rule.any_of if one != way]}) if rule.channel == channel else rule for rule in channels]
    return [rule for rule in left if rule.any_of]
