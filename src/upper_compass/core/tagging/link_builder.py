"""Campaign links: built from what somebody typed, tidied, and held against what is there already."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from difflib import get_close_matches
from heapq import nlargest
from typing import Annotated, Literal, TypedDict, Unpack, get_args
from urllib.parse import quote, unquote_plus, urlsplit, urlunsplit

import polars as pl
from pydantic import AfterValidator, BaseModel, ConfigDict

from upper_compass.core.dataset.coded_hits import Dictionaries
from upper_compass.core.dataset.lookups import DimensionLookups
from upper_compass.core.dataset.traffic_sources import FIELDS, UNSET, Tags, TrafficSources, tidy
from upper_compass.core.definitions.personal_data import mask_address, personal
from upper_compass.core.definitions.reference import Reference
from upper_compass.core.definitions.site_rules import UNSORTED, SiteRules, SourceField, bare_host
from upper_compass.core.definitions.text_tests import storable

MAX_VALUE = 500
LinkField = Annotated[str, storable(MAX_VALUE)]
TAGS: tuple[SourceField, ...] = ("source", "medium", "campaign", "content", "term")
# They end a value, or break a link when it is pasted into a mail.
FORBIDDEN = re.compile(r"""[&?#=%"'<>\\{}|^`\x00-\x1f]""")
LONGEST = 2000
# Links of one form, file or request.
MAX_AT_ONCE = 500
NEAR = 0.8
# A host with a dot and what follows it, as people paste it.
_WITHOUT_SCHEME = re.compile(r"^[A-Za-z0-9-]+(?:\.[A-Za-z0-9-]+)+(?::\d+)?(?:[/?#].*)?$")
# Comparing two values takes the product of their lengths, so the most frequent ones of a bounded length are compared.
COMPARED, LONGEST_COMPARED = 500, 100


def _tidied(text: str) -> str:
    """A word as links have it."""
    value = tidy(text)
    if not value:
        raise ValueError("must not be empty")
    return value


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
    """Something about one field. `is_error` stops the link, `is_note` is only told; `use` could stand there instead, `add` be added to the vocabulary."""

    field: Literal["address", "source", "medium", "campaign", "content", "term", "label"]
    is_error: bool
    is_note: bool = False
    text: str
    use: str | None = None
    add: str | None = None


class _More(TypedDict, total=False):
    is_error: bool
    is_note: bool
    use: str | None
    add: str | None


class BuiltLink(Tags):
    """`url`: the finished link, null while a remark is an error. The fields as they will be read, aliases applied, and the channel that takes the visits.

    `draft`: what it was built of, one value a field; `place`: of which of the drafts that were given; `page`: as which its landings count.
    """

    url: str | None
    page: str = ""
    channel: str
    remarks: list[Remark]
    draft: LinkDraft
    place: int = 0


class Word(BaseModel):
    """A value that the owner allows in a field, and what it means. It is tidied as links are."""

    model_config = ConfigDict(extra="forbid")
    field: Literal["source", "medium", "campaign", "content"]
    value: Annotated[str, storable(100, least=1), AfterValidator(_tidied)]
    meaning: Annotated[str, storable(300)] = ""


@dataclass(frozen=True)
class Evidence:
    """What links are held against. `values`: by field, tidied values that visits were tagged with and how often; `vocabulary`: what the owner allows."""

    values: Mapping[str, Mapping[str, int]] = field(default_factory=dict)
    vocabulary: Sequence[Word] = ()


def pages_of(rules: SiteRules, reference: Reference, urls: Sequence[str]) -> list[str]:
    """The page as which each address counts, in the same order."""
    dictionaries = Dictionaries()
    codes = dictionaries["url"].encode(pl.Series(urls, dtype=pl.String))
    lookups = DimensionLookups(rules, reference, dictionaries)
    return list(lookups.labels.decode(lookups["page"][codes]))


class Builder:
    """Builds links for one site, held against what is known of it. `by_vocabulary`: a word of the vocabulary is used where it is nearly the one given."""

    def __init__(self, rules: SiteRules, reference: Reference, known: Evidence | None = None, *, by_vocabulary: bool = False) -> None:
        self._rules, self._reference = rules, reference
        self._traffic_source = TrafficSources(rules, reference)
        self._known = known or Evidence()
        self._by_vocabulary = by_vocabulary
        self._allowed: dict[str, list[str]] = {}
        for word in self._known.vocabulary:
            self._allowed.setdefault(word.field, []).append(word.value)
        self._aliases = {(alias.field, tidy(alias.this)): tidy(alias.that) for alias in rules.aliases}

    def build_all(self, drafts: Iterable[LinkDraft], most: int) -> list[BuiltLink]:
        """The links of several drafts, in order; a draft with several sources or contents, commas between them, makes one of each. `most` are made."""
        singles = ((place, one) for place, draft in enumerate(drafts) for one in singles_of(draft))
        built = [self.build(one).model_copy(update={"place": place}) for (place, one), _ in zip(singles, range(most), strict=False)]
        whole = [place for place, link in enumerate(built) if link.url]
        pages = pages_of(self._rules, self._reference, [built[place].url or "" for place in whole])
        for place, page in zip(whole, pages, strict=True):
            built[place].page = page
        return built

    def build(self, draft: LinkDraft) -> BuiltLink:
        """The link of one draft, whose fields hold one value each, with remarks on every field that has one."""
        remarks: list[Remark] = []
        draft = self._taken_apart(draft, remarks)
        tags = {name: self._value(name, getattr(draft, name), remarks) for name in get_args(SourceField)}
        if not any(tags[name] for name in ("source", "medium", "campaign", "label")):
            _say(remarks, "source", "give a source and a medium, or only a link label", is_error=True)
        elif any(tags[name] for name in TAGS):
            for name in ("source", "medium"):
                if not tags[name]:
                    _say(remarks, name, f"without it the {name} is read as {UNSET}")
        url = self._address(draft.address, tags, remarks)
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
        return BuiltLink(url=None if failed else url, channel=read["channel"], remarks=remarks, draft=draft, **{name: read[name] for name in FIELDS})

    def _taken_apart(self, draft: LinkDraft, remarks: list[Remark]) -> LinkDraft:
        """A draft whose address is whole: `https://` and the site's host are added, and its tags stand in the fields where nothing else does."""
        address = draft.address.strip()
        if address.startswith("/") and not address.startswith("//"):
            address = f"https://{self._rules.hosts[0]}{address}"
        elif _WITHOUT_SCHEME.match(address):
            address = f"https://{address}"
        bare, sign, fragment = address.partition("#")
        path, _, query = bare.partition("?")
        pairs = [(unquote_plus(key), unquote_plus(value), f"{key}{eq}{value}") for key, eq, value in (pair.partition("=") for pair in query.split("&"))]
        keys = {f"utm_{name}": name for name in TAGS} | dict.fromkeys(self._rules.label_keys[:1], "label")
        found = {keys[key]: value[:MAX_VALUE] for key, value, _ in reversed(pairs) if key in keys and value.strip()}
        if not found or any(getattr(draft, name) for name in get_args(SourceField)):
            return draft.model_copy(update={"address": address})
        left = "&".join(pair for key, _, pair in pairs if key not in keys)
        _say(remarks, "address", f"its own tags were taken: {', '.join(found[name] for name in keys.values() if name in found)}", is_note=True)
        return draft.model_copy(update=found | {"address": path + ("?" if left else "") + left + sign + fragment})

    def _value(self, name: SourceField, given: str, remarks: list[Remark]) -> str:
        """The tidied value of one field. What is said first is what helps most."""
        value = tidy(given)
        if not value:
            return ""
        if FORBIDDEN.search(given):
            _say(remarks, name, "leave out & ? # = % quotes, brackets and the like; they break links", is_error=True)
        elif personal(given):
            _say(remarks, name, "this looks like somebody's e-mail address or phone number; leave it out", is_error=True)
        becomes = self._aliases.get((name, value))
        agreed = self._agreed(name, value)
        if agreed and self._by_vocabulary:
            _say(remarks, name, f"{value} became {agreed}, the word of the vocabulary", is_note=True)
            return agreed
        if not self._held_against_vocabulary(name, value, agreed, remarks):
            self._compare(name, value, remarks)
        if becomes and becomes != value:
            _say(remarks, name, f"an alias reads it as {becomes}", use=becomes)
        if value != given and not any(one.is_error for one in remarks if one.field == name):
            _say(remarks, name, f"becomes {value}", is_note=True)
        return value

    def _agreed(self, name: SourceField, value: str) -> str | None:
        """The word of the vocabulary that a value is nearly, if it is none itself."""
        allowed = self._allowed.get(name, [])
        return None if not allowed or value in allowed else _nearest(value, allowed) or _part(value, allowed)

    def _held_against_vocabulary(self, name: SourceField, value: str, agreed: str | None, remarks: list[Remark]) -> bool:
        """Say that a value is not in the vocabulary; whether a word of it is offered, so that nothing else needs to be."""
        allowed = self._allowed.get(name, [])
        if not allowed or value in allowed:
            return False
        _say(remarks, name, f"{value} is not in the site's vocabulary" + (f"; use {agreed}?" if agreed else ""), use=agreed, add=value)
        return agreed is not None

    def _compare(self, name: SourceField, value: str, remarks: list[Remark]) -> None:
        """Hold a value against what is there already."""
        known = self._known.values.get(name, {})
        if value in known:
            _say(remarks, name, f"you have {value} {_times(known[value])}", is_note=True)
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


def remark_unseen(links: Iterable[BuiltLink], seen: frozenset[str]) -> None:
    """Say of links to pages that are not among those that were seen."""
    for link in links:
        if link.url and link.page not in seen:
            _say(link.remarks, "address", f"nobody has seen {link.page} in the last 90 days; is it the right page?")


def singles_of(draft: LinkDraft) -> Iterator[LinkDraft]:
    """One draft for each source and each content that is given; commas stand between several."""
    bare = LinkDraft(**draft.model_dump(include=set(LinkDraft.model_fields)))
    for source in _several(draft.source):
        for content in _several(draft.content):
            yield bare.model_copy(update={"source": source, "content": content})


def _several(text: str) -> list[str]:
    return [part.strip() for part in text.split(",") if part.strip()] or [""] if "," in text else [text]


def _say(remarks: list[Remark], field: SourceField | Literal["address"], text: str, **more: Unpack[_More]) -> None:
    remarks.append(Remark(field=field, text=text, **{"is_error": False, **more}))


def _times(count: int) -> str:
    return "once" if count == 1 else f"{count:,} times"


def _part(value: str, among: Sequence[str]) -> str | None:
    """A word that is one of the value's own, as `letter` is of `news-letter`; the longest."""
    parts = _dashed(value[:LONGEST_COMPARED])
    return max((one for one in among if _dashed(one) in parts), key=len, default=None)


def _dashed(text: str) -> str:
    return "-" + re.sub(r"[\W_]+", "-", text) + "-"


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
