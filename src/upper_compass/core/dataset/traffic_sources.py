"""Where a hit came from: evidence in its address and referrer, tidied and sorted into channels (rules, chapter 2)."""

from __future__ import annotations

import re
import unicodedata
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal
from urllib.parse import unquote_plus

import polars as pl
from pydantic import BaseModel

from upper_compass.core.definitions.personal_data import MASK
from upper_compass.core.definitions.reference import MEDIUM_OF_KIND, Reference
from upper_compass.core.definitions.site_rules import UNSORTED, ChannelTest, SiteRules, bare_host

UNSET = "(unset)"
FIELDS = ("source", "medium", "campaign", "content", "term", "label")
RAW_FIELDS = tuple(f"raw_{name}" for name in FIELDS)
SOURCE_COLUMNS = (*FIELDS, *RAW_FIELDS, "kind", "channel")
DIRECT = {"source": "direct", "medium": "none", "raw_source": "direct", "raw_medium": "none"}

_ADDRESS = r"(?s)^[^:/?#]+://([^/?#]*)([^?#]*)(?:\?([^#]*))?(?:#(.*))?"
# What stands behind the host in an address without its query.
_HOST = re.compile(r"(?<=[^:/])/.*$", re.DOTALL)
_RUNS = re.compile(r"[\s+_]+")
# What Python trims, so that a value that tidies to nothing is none.
_WHITE = "".join(chr(code) for code in range(0x3001) if chr(code).isspace())


class Tags(BaseModel):
    """The six fields of a source, as they are read."""

    source: str
    medium: str
    campaign: str
    content: str
    term: str
    label: str


def tidy(text: str) -> str:
    """One spelling for every value: NFKC, full case folding, trimmed, runs of white space, `+` and `_` as one `-`."""
    return _RUNS.sub("-", unicodedata.normalize("NFKC", text).casefold().strip())


def split_addresses(urls: pl.Series) -> pl.DataFrame:
    """Columns `host` (lower case, no port), `path` (no trailing slashes, `/` when empty), `query` and `fragment` of addresses, a row each."""
    parts = urls.to_frame("url").select(pl.col("url").str.extract_groups(_ADDRESS).alias("parts")).unnest("parts")
    authority, path, query, fragment = (pl.col(name).fill_null("") for name in parts.columns)
    stripped = path.str.strip_chars_end("/")
    return parts.select(
        authority.str.replace(r"^.*@", "").str.replace(r":\d*$", "").str.to_lowercase().alias("host"),
        pl.when(stripped == "").then(pl.lit("/")).otherwise(stripped).alias("path"),
        query.alias("query"),
        fragment.alias("fragment"),
    )


def value_of(key: str) -> str:
    """The column of `query_values` with the values of a key; no other column bears such a name, and none of these is read as a pattern."""
    return f"value of {key}"


def raw_of(key: str) -> str:
    """The column of `query_values` with the values of a key as they stood in the address."""
    return f"raw {key}"


def query_values(queries: pl.Series, keys: list[str]) -> pl.DataFrame:
    """For each key two columns, a row per query: `value_of(key)`, its first value that is not empty, decoded as a form is, and `raw_of(key)`."""
    wanted = list(dict.fromkeys(keys))
    nothing = pl.repeat("", len(queries), eager=True)
    columns = {name: nothing.clone() for key in wanted for name in (value_of(key), raw_of(key))}
    asked = queries.to_frame("query").with_row_index("row").filter(pl.col("query") != "")
    if len(asked):
        tokens = asked.with_columns(pl.col("query").str.split("&").alias("token")).explode("token")
        tokens = tokens.select("row", pl.col("token").str.splitn("=", 2).struct.rename_fields(["key", "value"]).alias("pair")).unnest("pair")
        tokens = tokens.with_columns(_decoded("key"), pl.col("value").fill_null("").alias("raw"))
        tokens = tokens.filter(pl.col("key").is_in(wanted)).with_columns(_decoded("value"))
        tokens = tokens.filter(pl.col("value").str.strip_chars(_WHITE) != "").unique(["row", "key"], keep="first", maintain_order=True)
        for (key,), own in tokens.partition_by("key", as_dict=True).items():
            columns[value_of(key)].scatter(own["row"], own["value"])
            columns[raw_of(key)].scatter(own["row"], own["raw"])
    return pl.DataFrame(columns)


def _decoded(column: str) -> pl.Expr:
    """The column decoded as a form is; only distinct texts with an escape are looked at."""

    def decode(texts: pl.Series) -> pl.Series:
        texts = texts.fill_null("")
        escaped = texts.unique()
        escaped = escaped.filter(escaped.str.contains("[%+]"))
        if not len(escaped):
            return texts
        plain = [unquote_plus(text, errors="replace") for text in escaped]
        return texts.replace(escaped, pl.Series(plain, dtype=pl.String))

    return pl.col(column).map_batches(decode, return_dtype=pl.String)


@dataclass(frozen=True)
class _Tidied:
    """One test of the channel list with its values tidied once; None asks nothing of a field."""

    fields: tuple[tuple[str, frozenset[str]], ...]

    @staticmethod
    def of(test: ChannelTest) -> _Tidied:
        asked = (("source", test.sources), ("medium", test.mediums), ("campaign", test.campaigns))
        fields = [(name, frozenset(tidy(value) for value in wanted)) for name, wanted in asked if wanted is not None]
        return _Tidied((*fields, ("kind", frozenset(test.kinds))) if test.kinds is not None else tuple(fields))

    def matches(self, traffic_source: dict[str, str]) -> bool:
        return all(traffic_source[name] in wanted for name, wanted in self.fields)


class TrafficSources:
    """Turns raw evidence into traffic sources: tidied fields, kind of source, channel. Knows one site's rules."""

    def __init__(self, rules: SiteRules, reference: Reference) -> None:
        self._rules = rules
        self._reference = reference
        self._aliases: dict[tuple[str, str], str] = {(alias.field, tidy(alias.this)): tidy(alias.that) for alias in rules.aliases}
        self._kinds = {tidy(known.name): known.kind for known in reference.hosts.values() if known.kind}
        self._kinds |= {tidy(host): known.kind for host, known in reference.hosts.items() if known.kind}
        self._own = {bare_host(host) for host in [*rules.hosts, *rules.ignored_hosts]}
        self._channels = [(rule.channel, [_Tidied.of(test) for test in rule.any_of]) for rule in rules.channels]

    @property
    def query_keys(self) -> list[str]:
        """Every query key that may be evidence."""
        return [f"utm_{name}" for name in FIELDS[:5]] + [key for key, _ in self._reference.click_ids] + list(self._rules.label_keys)

    def _unmasked(self, values: pl.DataFrame) -> pl.DataFrame:
        """Values without those of which personal data was masked before they were stored: what is left of them is no source."""
        keys = [value_of(key) for key in dict.fromkeys(self.query_keys)]
        return values.with_columns(pl.when(pl.col(key).str.contains(MASK, literal=True)).then(pl.lit("")).otherwise(key).alias(key) for key in keys)

    def from_queries(self, values: pl.DataFrame) -> pl.DataFrame:
        """Evidence in addresses (rules, chapter 2), a row each: raw `source` … `label` (String) and `found` (Boolean). `values`: see `query_values`."""
        nothing = pl.lit("")
        values = self._unmasked(values)
        tagged = pl.any_horizontal(pl.col(value_of(f"utm_{name}")) != "" for name in FIELDS[:3])
        label = self._first_of(list(self._rules.label_keys))
        clicked = nothing
        for key, source in reversed(list(self._reference.click_ids)):
            clicked = pl.when(pl.col(value_of(key)) != "").then(pl.lit(source)).otherwise(clicked)

        def given(name: str, missing: str) -> pl.Expr:
            tag = pl.col(value_of(f"utm_{name}"))
            return pl.when(tag == "").then(pl.lit(missing)).otherwise(tag)

        table = values.with_columns(label.alias("_label"), clicked.alias("_clicked"))
        return table.select(
            pl.when(tagged).then(given("source", UNSET)).when(pl.col("_clicked") != "").then(pl.col("_clicked")).otherwise(pl.col("_label")).alias("source"),
            pl.when(tagged)
            .then(given("medium", UNSET))
            .when(pl.col("_clicked") != "")
            .then(pl.lit("cpc"))
            .when(pl.col("_label") != "")
            .then(pl.lit("link"))
            .otherwise(nothing)
            .alias("medium"),
            *(pl.when(tagged).then(pl.col(value_of(f"utm_{name}"))).otherwise(nothing).alias(name) for name in ("campaign", "content", "term")),
            pl.col("_label").alias("label"),
            (tagged | (pl.col("_clicked") != "") | (pl.col("_label") != "")).alias("found"),
        )

    @staticmethod
    def _first_of(keys: list[str]) -> pl.Expr:
        chosen = pl.lit("")
        for key in reversed(keys):
            chosen = pl.when(pl.col(value_of(key)) != "").then(pl.col(value_of(key))).otherwise(chosen)
        return chosen

    def from_referrers(self, hosts: pl.Series) -> pl.DataFrame:
        """Evidence in referrers (rules, chapter 2), a row per host: raw `source`, `medium`, `kind` (String), `found` (Boolean; no own or ignored host)."""
        rows = []
        for host in hosts:
            bare = bare_host(host)
            known = self._reference.hosts.get(bare)
            kind = known.kind if known else ""
            rows.append((known.name if known else bare, MEDIUM_OF_KIND.get(kind, "referral"), kind, bool(bare) and bare not in self._own))
        return pl.DataFrame(rows, schema={"source": pl.String, "medium": pl.String, "kind": pl.String, "found": pl.Boolean}, orient="row")

    def traffic_source(self, raw: dict[str, str], kind: str | None) -> dict[str, str]:
        """One traffic source with the fields of ORIGIN_FIELDS; `kind` is that of the referrer's host, None when the source was tagged."""
        made = {f"raw_{name}": raw.get(name, "") for name in FIELDS}
        for name in FIELDS:
            value = tidy(raw.get(name, ""))
            made[name] = self._aliases.get((name, value), value) if value else ""
        made["kind"] = self._kind_of(made["source"]) if kind is None else kind
        made["channel"] = self.channel(made)
        return made

    def _kind_of(self, source: str) -> str:
        """The kind of a tagged source, by its name or host; `www.` makes no difference."""
        return self._kinds.get(source) or self._kinds.get(source.removeprefix("www."), "")

    def direct(self) -> dict[str, str]:
        """The traffic source of a visit without evidence; aliases leave it alone."""
        made = dict.fromkeys(SOURCE_COLUMNS, "") | DIRECT
        made["channel"] = self.channel(made)
        return made

    def channel(self, traffic_source: dict[str, str]) -> str:
        """The first rule of the site's list that matches."""
        rule = self._rule(traffic_source)
        return UNSORTED if rule is None else self._channels[rule][0]

    def _rule(self, traffic_source: dict[str, str]) -> int | None:
        return next((place for place, (_, tests) in enumerate(self._channels) if any(test.matches(traffic_source) for test in tests)), None)

    def explain(self, url: str, referrer: str) -> Explanation:
        """Why a view of this address with this referrer came from where it did."""
        read = self.read(url, referrer)
        if read is None:
            direct = self.direct()
            return Explanation(evidence="none", key="", spellings=[], kind="", channel=direct["channel"], rule=self._place(direct))
        evidence, key, raw, kind = read
        read_as = self.traffic_source(raw, kind)
        spellings = [
            Spelling(field=name, given=raw[name], tidied=tidy(raw[name]), used=read_as[name])
            for name in FIELDS
            if raw.get(name) and not (name == "label" and evidence != "label")
        ]
        return Explanation(evidence=evidence, key=key, spellings=spellings, kind=read_as["kind"], channel=read_as["channel"], rule=self._place(read_as))

    def read(self, url: str, referrer: str) -> tuple[Evidence, str, dict[str, str], str | None] | None:
        """What told, its key, the raw fields, and the kind of a referrer's host; None without evidence."""
        parts = split_addresses(pl.Series([url, referrer]))
        values = self._unmasked(query_values(parts["query"][:1], self.query_keys))
        tagged = self.from_queries(values).row(0, named=True)
        referred = self.from_referrers(parts["host"][1:]).row(0, named=True)
        own, other = (bare_host(host) for host in parts["host"])
        if tagged.pop("found"):
            return *self._evidence_in(values.row(0, named=True)), tagged, None
        if referred["found"] and own != other:
            return "referrer", other, {name: referred[name] for name in ("source", "medium")}, referred["kind"]
        return None

    def _evidence_in(self, values: dict[str, str]) -> tuple[Literal["tags", "click id", "label"], str]:
        """What in a query told, and its key. `values` as `query_values` gives them."""
        for name in ("utm_source", "utm_medium", "utm_campaign"):
            if values[value_of(name)]:
                return "tags", name
        for key, _ in self._reference.click_ids:
            if values[value_of(key)]:
                return "click id", key
        return "label", next(key for key in self._rules.label_keys if values[value_of(key)])

    def _place(self, traffic_source: dict[str, str]) -> int | None:
        rule = self._rule(traffic_source)
        return None if rule is None else rule + 1


class TrafficSource(Tags):
    """Where a view came from, tidied, aliases applied, sorted into a channel; without `evidence` it is direct."""

    channel: str
    evidence: bool


class ViewReader:
    """Reads single views by one site's rules. Many are alike, so what was read is kept for the next."""

    MAX_KEPT = 10_000

    def __init__(self, rules: SiteRules, reference: Reference) -> None:
        self._traffic_source = TrafficSources(rules, reference)
        self._of = lru_cache(self.MAX_KEPT)(self._read)

    def traffic_source(self, url: str, referrer: str) -> TrafficSource:
        """Where a view of this address with this referrer came from; paths say nothing of that."""
        start, _, query = url.partition("#")[0].partition("?")
        return self._of(_HOST.sub("", start), query, _HOST.sub("", referrer.partition("?")[0]))

    def _read(self, place: str, query: str, referrer: str) -> TrafficSource:
        read = self._traffic_source.read(f"{place}/?{query}", referrer)
        made = self._traffic_source.direct() if read is None else self._traffic_source.traffic_source(read[2], read[3])
        return TrafficSource(**{name: made[name] for name in (*FIELDS, "channel")}, evidence=read is not None)


Evidence = Literal["tags", "click id", "label", "referrer", "none"]


class Spelling(BaseModel):
    """One field as it was given, tidied, and as it is used: the two differ where an alias applied."""

    field: str
    given: str
    tidied: str
    used: str


class Explanation(BaseModel):
    """What told where a visit came from (`key`: of the query, or the host that referred), and the channel's place in the site's list, from 1."""

    evidence: Evidence
    key: str
    spellings: list[Spelling]
    kind: str
    channel: str
    rule: int | None
