"""Campaign links: built from what somebody typed, tidied, and held against what is there already."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from difflib import get_close_matches
from heapq import nlargest
from typing import Annotated, Literal, get_args
from urllib.parse import quote, unquote_plus, urlsplit, urlunsplit

from pydantic import BaseModel, ConfigDict

from upper_compass.core.dataset.traffic_sources import FIELDS, UNSET, Tags, TrafficSources, tidy
from upper_compass.core.definitions.personal_data import mask_address, personal
from upper_compass.core.definitions.reference import Reference
from upper_compass.core.definitions.site_rules import UNSORTED, SiteRules, SourceField, bare_host
from upper_compass.core.definitions.text_tests import storable

LinkField = Annotated[str, storable(500)]
TAGS: tuple[SourceField, ...] = ("source", "medium", "campaign", "content", "term")
# They end a value, or break a link when it is pasted into a mail.
FORBIDDEN = re.compile(r"""[&?#=%"'<>\\{}|^`\x00-\x1f]""")
LONGEST = 2000
NEAR = 0.8
# Comparing two values takes the product of their lengths, so the most frequent ones of a bounded length are compared.
COMPARED, LONGEST_COMPARED = 500, 100


class LinkDraft(BaseModel):
    """A link as somebody typed it: an address, and tags or only a label."""

    model_config = ConfigDict(
        extra="forbid", json_schema_extra={"examples": [{"address": "https://fennmoor-mill.example/courses", "source": "letter", "medium": "email"}]}
    )
    address: Annotated[str, storable(4000)]
    source: LinkField = ""
    medium: LinkField = ""
    campaign: LinkField = ""
    content: LinkField = ""
    term: LinkField = ""
    label: LinkField = ""


class Remark(BaseModel):
    """Something about one field. `is_error` stops the link; `use` is what could stand there instead."""

    field: Literal["address", "source", "medium", "campaign", "content", "term", "label"]
    is_error: bool
    text: str
    use: str | None = None


class BuiltLink(Tags):
    """`url`: the finished link, null while a remark is an error. The fields as they will be read, aliases applied, and the channel that takes the visits."""

    url: str | None
    channel: str
    remarks: list[Remark]


class Word(BaseModel):
    """A value that the owner allows in a field, and what it means."""

    model_config = ConfigDict(extra="forbid")
    field: Literal["source", "medium"]
    value: Annotated[str, storable(100, least=1)]
    meaning: Annotated[str, storable(300)] = ""


# By field, tidied values as they were tagged with the number of their visits.
Known = Mapping[str, Mapping[str, int]]


class Builder:
    """Builds links for one site. `known`: what its visits were tagged with; `vocabulary`: what its owner allows."""

    def __init__(self, rules: SiteRules, reference: Reference, known: Known, vocabulary: Sequence[Word] = ()) -> None:
        self._rules = rules
        self._traffic_source = TrafficSources(rules, reference)
        self._known = known
        self._allowed = {field: [tidy(word.value) for word in vocabulary if word.field == field] for field in ("source", "medium")}
        self._aliases = {(alias.field, tidy(alias.this)): tidy(alias.that) for alias in rules.aliases}

    def build(self, draft: LinkDraft) -> BuiltLink:
        """The link, with remarks on every field that has one."""
        remarks: list[Remark] = []
        tags = {name: self._value(name, getattr(draft, name), remarks) for name in get_args(SourceField)}
        if not any(tags[name] for name in ("source", "medium", "campaign", "label")):
            _say(remarks, "source", "give a source and a medium, or only a link label", is_error=True)
        elif any(tags[name] for name in TAGS):
            for name in ("source", "medium"):
                if not tags[name]:
                    _say(remarks, name, f"without it the {name} is read as {UNSET}")
        url = self._address(draft.address.strip(), tags, remarks)
        raw: dict[str, str] = {name: tags[name] for name in get_args(SourceField)}
        if any(tags[name] for name in TAGS[:3]):
            raw |= {"source": tags["source"] or UNSET, "medium": tags["medium"] or UNSET}
        elif tags["label"]:
            for name in TAGS[3:]:
                if tags[name]:
                    _say(remarks, name, "it is read only beside a source, a medium or a campaign")
            raw = {"source": tags["label"], "medium": "link", "label": tags["label"]}
        read = self._traffic_source.traffic_source(raw, None)
        if read["channel"] == UNSORTED and any(tags.values()):
            _say(remarks, "medium", "no channel takes this source and medium, so its visits are Unsorted")
        failed = any(remark.is_error for remark in remarks)
        return BuiltLink(url=None if failed else url, channel=read["channel"], remarks=remarks, **{name: read[name] for name in FIELDS})

    def _value(self, name: SourceField, given: str, remarks: list[Remark]) -> str:
        """The tidied value of one field."""
        value = tidy(given)
        if not value:
            return ""
        if FORBIDDEN.search(given):
            _say(remarks, name, "leave out & ? # = % quotes, brackets and the like; they break links", is_error=True)
        elif personal(given):
            _say(remarks, name, "this looks like somebody's e-mail address or phone number; leave it out", is_error=True)
        elif value != given:
            _say(remarks, name, f"becomes {value}", use=value)
        becomes = self._aliases.get((name, value))
        if becomes and becomes != value:
            _say(remarks, name, f"an alias reads it as {becomes}", use=becomes)
        self._compare(name, value, remarks)
        return value

    def _compare(self, name: SourceField, value: str, remarks: list[Remark]) -> None:
        """Hold a value against the vocabulary and against what is there already."""
        allowed = self._allowed.get(name, [])
        if allowed and value not in allowed:
            near = _nearest(value, allowed)
            _say(remarks, name, "it is not in the site's vocabulary" + (f"; use {near}?" if near else ""), use=near)
            if near:
                return
        known = self._known.get(name, {})
        if value in known:
            _say(remarks, name, f"you have {value} {_times(known[value])}")
        elif near := _nearest(value, known):
            _say(remarks, name, f"you have {near} {_times(known[near])}; use that?", use=near)

    def _address(self, address: str, tags: Mapping[str, str], remarks: list[Remark]) -> str:
        """The address with the tags in the right place of its query."""
        try:
            parts = urlsplit(address)
            port = parts.port
        except ValueError:
            parts, port = urlsplit(""), None
        if parts.scheme not in ("http", "https") or not parts.hostname or " " in address or (port is not None and port == 0):
            _say(remarks, "address", "give the whole address of a page, such as https://mill.example/courses", is_error=True)
            return ""
        if bare_host(parts.hostname) not in {bare_host(host) for host in self._rules.hosts}:
            _say(remarks, "address", f"{parts.hostname} is not a host of the site, so visits there are not counted here")
        if mask_address(address) != address:
            _say(remarks, "address", "there is personal data in the address; leave it out", is_error=True)
        label_key = self._rules.label_keys[0] if self._rules.label_keys else None
        if tags["label"] and label_key is None:
            _say(remarks, "label", "the site's settings name no key for labels", is_error=True)
        own = {f"utm_{name}" for name in TAGS} | ({label_key} if tags["label"] and label_key else set())
        pairs = [pair for pair in parts.query.split("&") if pair]
        kept = [pair for pair in pairs if unquote_plus(pair.partition("=")[0]) not in own]
        if len(kept) < len(pairs):
            _say(remarks, "address", "the tags that it had are replaced")
        made = [f"utm_{name}={quote(tags[name], safe='')}" for name in TAGS if tags[name]]
        if tags["label"] and label_key:
            made.append(f"{quote(label_key, safe='')}={quote(tags['label'], safe='')}")
        url = urlunsplit(parts._replace(path=quote(parts.path, safe="/%:@!$&'()*+,;=~-._") or "/", query="&".join([*kept, *made])))
        if len(url) > LONGEST:
            _say(remarks, "address", f"the link is longer than {LONGEST} characters, which some programs cut off", is_error=True)
        return url


def _say(remarks: list[Remark], field: SourceField | Literal["address"], text: str, *, is_error: bool = False, use: str | None = None) -> None:
    remarks.append(Remark(field=field, is_error=is_error, text=text, use=use))


def _times(count: int) -> str:
    return "once" if count == 1 else f"{count:,} times"


def _bare(text: str) -> str:
    return re.sub(r"[\W_]", "", text)


def _nearest(value: str, among: Sequence[str] | Mapping[str, int]) -> str | None:
    """A value that is spelled nearly alike: the same letters with other signs between them, or but for a letter or two. The more frequent one first."""
    frequent = nlargest(COMPARED, among, key=lambda one: among[one]) if isinstance(among, Mapping) else among[:COMPARED]
    others = [one for one in frequent if one != value and len(one) <= LONGEST_COMPARED]
    if len(value) > LONGEST_COMPARED:
        return None
    same = next((one for one in others if _bare(one) and _bare(one) == _bare(value)), None)
    # Numbers tell campaigns apart; what differs in a digit alone is meant to.
    alike = [one for one in others if re.sub(r"\D", "", one) == re.sub(r"\D", "", value)]
    return same or next(iter(get_close_matches(value, alike, 1, NEAR)), None)
