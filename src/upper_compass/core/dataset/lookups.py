"""What the rules say of each distinct text of a site, worked out once per text and kept by code.

A dictionary may hold a text that a million hits share; everything that depends on the text alone is computed here, so that reading
a report is arithmetic on codes. They grow with the dictionaries and are made anew when the site's rules change.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

import numpy as np
import numpy.typing as npt
import orjson
import polars as pl

from upper_compass.core.dataset.coded_hits import Codes, Dictionaries, Dictionary, Floats
from upper_compass.core.dataset.order_items import OrderItems
from upper_compass.core.dataset.properties import Properties
from upper_compass.core.dataset.traffic_sources import FIELDS, SOURCE_COLUMNS, TrafficSources, query_values, raw_of, split_addresses, value_of
from upper_compass.core.dataset.user_agents import read_agent
from upper_compass.core.definitions.hits import PASSIVE_EVENTS
from upper_compass.core.definitions.personal_data import MASK
from upper_compass.core.definitions.reference import Reference
from upper_compass.core.definitions.site_rules import PageField, PropertyField, QueryField, SentField, SiteField, SiteRules, bare_host
from upper_compass.core.definitions.text_tests import prop_text, text_test

NO_SOURCE = -1
# Under which of these a search engine says what was searched for.
SEARCH_KEYS = ("q", "query", "p", "text", "search", "wd")


class GrowingColumn:
    """A column that is appended to: what was read of it stays as it is, and it is not copied whole each time."""

    def __init__(self, values: npt.NDArray[Any]) -> None:
        self._tables, self._length = values, len(values)

    @property
    def values(self) -> npt.NDArray[Any]:
        """All values."""
        return self._tables[: self._length]

    def extend(self, values: npt.NDArray[Any]) -> None:
        """Append values of the same type."""
        length = self._length + len(values)
        if length > len(self._tables):
            grown = np.empty(length + length // 2, self._tables.dtype)
            grown[: self._length] = self.values
            self._tables = grown
        self._tables[self._length : length] = values
        self._length = length


class DimensionLookups:
    """Columns by code: `of[column][code]`. Texts of pages, hosts, agents, traffic sources… are codes of `words`.

    | columns | by code of |
    |---|---|
    | page, host, bare_host, page_group, url_source | url |
    | referrer_source, referrer_host | referrer |
    | device, browser, system | user_agent |
    | zone_country | timezone |
    | country, language | country, language |
    | passive, event, shown_event | name |
    | rate | currency (NaN: no rate is known) |
    | source … channel, source_key | traffic source |
    """

    def __init__(self, rules: SiteRules, reference: Reference, dictionaries: Dictionaries, before: DimensionLookups | None = None) -> None:
        self.rules = rules
        self.dictionaries = dictionaries
        # What no rule has a say in is taken over from other look-ups of the same dictionaries.
        self.labels: Dictionary = before.labels if before else Dictionary()
        self.properties: Properties = before.properties if before else Properties(dictionaries["props"], self.labels)
        self.sent_fields: Properties = before.sent_fields if before else Properties(dictionaries["fields"], self.labels)
        self.order_items: OrderItems = before.order_items if before else OrderItems(dictionaries["items"], self.labels)
        self._reference = reference
        self.traffic_sources = TrafficSources(rules, reference)
        self._source_rows: dict[tuple[str, ...], int] = {}
        self._source_keys: dict[tuple[str, str, str], int] = {}
        self._lengths = dict.fromkeys(("url", "referrer", "user_agent", "timezone", "country", "language", "name", "currency"), 0)
        self._columns: dict[str, GrowingColumn] = {}
        self._asked: dict[str, Codes] = {}
        self._named: dict[tuple[str, ...], Codes] = {}
        self._source_codes([self.traffic_sources.direct()])
        self.extend()

    def __getitem__(self, column: str) -> npt.NDArray[Any]:
        return self._columns[column].values

    def extend(self) -> None:
        """Take in what the dictionaries gained."""
        makers: dict[str, Callable[[pl.Series], dict[str, npt.NDArray[Any]]]] = {
            "url": self._urls,
            "referrer": self._referrers,
            "user_agent": self._agents,
            "timezone": lambda zones: {"zone_country": self._words_by(zones, lambda zone: self._reference.zone_countries.get(zone, ""))},
            "country": lambda countries: {"country": self._words_by(countries, str.upper)},
            "language": lambda tags: {"language": self._words_by(tags, lambda tag: tag.replace("_", "-").split("-")[0].lower())},
            "name": self._events,
            "currency": lambda codes: {"rate": self._rates(codes)},
        }
        for name, make in makers.items():
            fresh = self.dictionaries[name].since(self._lengths[name])
            if len(fresh):
                self._lengths[name] += len(fresh)
                for column, values in make(fresh).items():
                    self._append(column, values)

    def _append(self, column: str, values: npt.NDArray[Any]) -> None:
        if column not in self._columns:
            self._columns[column] = GrowingColumn(values)
        else:
            self._columns[column].extend(values)

    def _words_by(self, texts: pl.Series, read: Callable[[str], str]) -> Codes:
        return self.labels.encode(pl.Series([read(text) for text in texts], dtype=pl.String))

    def _addresses(self, urls: pl.Series) -> pl.DataFrame:
        """Addresses in parts; those of a copy are the original's."""
        return self._of_originals(split_addresses(urls))

    def _of_originals(self, parts: pl.DataFrame) -> pl.DataFrame:
        """Parts of addresses, with those of the original where it is of a copy. The first copy that fits."""
        if not self.rules.copies:
            return parts
        host, path = pl.col("host").str.strip_prefix("www."), pl.col("path")
        hosts, paths = pl.col("host"), path
        for copy in reversed(self.rules.copies):
            (at, _, below), (counts_as, _, start) = copy.at.partition("/"), copy.counts_as.partition("/")
            below, start = below and f"/{below}", start and f"/{start}"
            rest = path.str.strip_prefix(below) if below else path
            is_copy = (host == at) & ((path == below) | path.str.starts_with(f"{below}/"))
            whole = (pl.lit(start) + rest).str.strip_chars_end("/")
            paths = pl.when(is_copy).then(pl.when(whole == "").then(pl.lit("/")).otherwise(whole)).otherwise(paths)
            hosts = pl.when(is_copy).then(pl.lit(counts_as)).otherwise(hosts)
        return parts.with_columns(hosts.alias("host"), paths.alias("path"))

    def _urls(self, urls: pl.Series) -> dict[str, npt.NDArray[Any]]:
        sent = split_addresses(urls)
        parts = self._of_originals(sent)
        keys = self.traffic_sources.query_keys
        values = query_values(parts["query"], keys + list(self.rules.kept_query_keys))
        pages = self._pages(self._paths(parts), values)
        evidence = self.traffic_sources.from_queries(values)
        hosts = parts["host"].fill_null("")
        return {
            "page": self.labels.encode(pages),
            "host": self.labels.encode(hosts),
            # Whether a referrer lies on the same host goes by the host that was sent.
            "bare_host": self.labels.encode(sent["host"].fill_null("").str.strip_prefix("www.")),
            "page_group": self.labels.encode(self._groups(pages)),
            "url_source": self._source_column(evidence, kind=None),
        }

    def _paths(self, parts: pl.DataFrame) -> pl.Series:
        """Paths; where the site's pages stand behind `#`, a fragment that begins with `/` or `!/` belongs to them (without its own query)."""
        if not self.rules.pages_behind_hash:
            return parts["path"]
        route = pl.col("fragment").str.extract(r"^(!?/[^?]*)", 1).str.strip_chars_end("/")
        return parts.select(pl.when(route.fill_null("") != "").then(pl.col("path") + "#" + route).otherwise("path").alias("path"))["path"]

    def _pages(self, paths: pl.Series, values: pl.DataFrame) -> pl.Series:
        kept = [key for key in self.rules.kept_query_keys]
        if not kept:
            return paths
        pairs = [pl.when(pl.col(value_of(key)) == "").then(None).otherwise(pl.lit(f"{key}=") + pl.col(raw_of(key))) for key in kept]
        tails = values.select(pl.concat_str(pairs, separator="&", ignore_nulls=True).alias("tail"))["tail"]
        return pl.select(pl.when(tails == "").then(paths).otherwise(paths + "?" + tails).alias("page"))["page"]

    def _groups(self, pages: pl.Series) -> pl.Series:
        named = pl.Series([""] * len(pages), dtype=pl.String)
        for group in reversed(self.rules.page_groups):
            named = pl.select(pl.when(text_test(pages, group.test, group.pattern)).then(pl.lit(group.name)).otherwise(named).alias("group"))["group"]
        return named

    def _referrers(self, referrers: pl.Series) -> dict[str, npt.NDArray[Any]]:
        hosts = split_addresses(referrers)["host"].fill_null("")
        distinct = hosts.unique(maintain_order=True)
        by_host = pl.DataFrame({"host": distinct}).hstack(self.traffic_sources.from_referrers(distinct))
        evidence = hosts.to_frame("host").join(by_host, on="host", how="left", maintain_order="left")
        evidence = evidence.with_columns(pl.lit("").alias(name) for name in ("campaign", "content", "term", "label"))
        return {
            "referrer_source": self._source_column(evidence, kind="kind"),
            "referrer_host": self.labels.encode(pl.Series([bare_host(host) for host in distinct], dtype=pl.String))[
                hosts.to_frame("host")
                .join(pl.DataFrame({"host": distinct}).with_row_index("row"), on="host", how="left", maintain_order="left")["row"]
                .to_numpy()
            ],
        }

    def _agents(self, agents: pl.Series) -> dict[str, npt.NDArray[Any]]:
        read = [read_agent(text) for text in agents]
        return {name: self.labels.encode(pl.Series([row[i] for row in read], dtype=pl.String)) for i, name in enumerate(("device", "browser", "system"))}

    def _events(self, names: pl.Series) -> dict[str, npt.NDArray[Any]]:
        """`shown_event`: the name in reports; `event`: nothing for hidden ones; `passive` as the rules and the site's notes have it."""
        notes = {note.name: note for note in self.rules.events}
        passive = names.is_in(list(PASSIVE_EVENTS)).to_numpy().copy()
        shown, hidden = names.to_list(), []
        for row in np.flatnonzero(names.is_in(list(notes)).to_numpy()):
            note = notes[shown[row]]
            passive[row] = passive[row] if note.passive is None else note.passive
            shown[row] = note.shown_as or note.name
            hidden += [row] if note.hidden else []
        labels = self.labels.encode(pl.Series(shown, dtype=pl.String))
        event = labels.copy()
        event[hidden] = 0
        return {"passive": passive, "event": event, "shown_event": labels}

    def events_called(self, names: Sequence[str], test: str = "is") -> Codes:
        """Codes (u32) of the names of events that are meant: sent, or shown, under one of the names, or under one that starts with it."""
        if test == "is":
            sent = {*names, *(note.name for note in self.rules.events if note.shown_as in names)}
            found = (self.dictionaries["name"].find(one) for one in sent)
            return np.array([code for code in found if code], np.uint32)
        starts = tuple(names)
        renamed = {note.name for note in self.rules.events if note.shown_as and note.shown_as.startswith(starts)}
        texts = self.dictionaries["name"].texts
        meant = pl.select(pl.any_horizontal(texts.str.starts_with(one) for one in starts) | texts.is_in(list(renamed))).to_series()
        return np.flatnonzero(meant.to_numpy() & (np.arange(len(texts)) > 0)).astype(np.uint32)

    def _rates(self, currencies: pl.Series) -> Floats:
        own = {"": 1.0, self.rules.currency: 1.0}
        return np.array([own.get(code, self.rules.rates.get(code, np.nan)) for code in currencies], np.float64)

    def _source_column(self, evidence: pl.DataFrame, kind: str | None) -> npt.NDArray[np.int32]:
        """The traffic source of each row of evidence, NO_SOURCE where nothing was found; each distinct traffic source is worked out once."""
        keys = [*FIELDS, *([kind] if kind else [])]
        found = evidence.filter(pl.col("found")).select(keys).unique(maintain_order=True)
        made = [self.traffic_sources.traffic_source({name: row[name] for name in FIELDS}, row[kind] if kind else None) for row in found.iter_rows(named=True)]
        numbered = found.with_columns(pl.Series("traffic_source", self._source_codes(made), dtype=pl.Int32))
        joined = evidence.join(numbered, on=keys, how="left", maintain_order="left")
        column: npt.NDArray[np.int32] = joined.select(pl.when("found").then("traffic_source").otherwise(NO_SOURCE).cast(pl.Int32))["traffic_source"].to_numpy()
        return column

    def _source_codes(self, traffic_sources: list[dict[str, str]]) -> list[int]:
        codes = []
        fresh = []
        for traffic_source in traffic_sources:
            key = tuple(traffic_source[name] for name in SOURCE_COLUMNS)
            if key not in self._source_rows:
                self._source_rows[key] = len(self._source_rows)
                fresh.append(key)
            codes.append(self._source_rows[key])
        if fresh:
            for i, name in enumerate(SOURCE_COLUMNS):
                self._append(name, self.labels.encode(pl.Series([row[i] for row in fresh], dtype=pl.String)))
            source_keys = [self._source_keys.setdefault((row[0], row[1], row[2]), len(self._source_keys)) for row in fresh]
            self._append("source_key", np.array(source_keys, np.int32))
        return codes

    def word(self, text: str) -> int:
        """The code of one word."""
        return int(self.words((text,))[0])

    def words(self, texts: tuple[str, ...]) -> Codes:
        """The codes (u32) of words that a rule of reading names, in their order; looked up once."""
        if texts not in self._named:
            self._named[texts] = self.labels.encode(pl.Series(texts, dtype=pl.String))
        return self._named[texts]

    def prop(self, key: str) -> Codes:
        """Label (u32) of one property, by code of `props`; 0 where it is missing. Numbers and booleans as JSON writes them."""
        return self.properties.by_set(key)

    def field(self, field: SiteField) -> tuple[str, Codes]:
        """Where the values of a site field are, the name of a coded column of the hits, and by that column's codes the labels (u32)."""
        match field.read:
            case SentField():
                return "fields", self.sent_fields.by_set(field.key)
            case PropertyField(key=key):
                return "props", self.prop(key)
            case QueryField(key=key):
                return "url", self._grown(f"query {key}", "url", lambda urls: query_values(self._addresses(urls)["query"], [key])[value_of(key)])
            case PageField(pattern=pattern):
                return "url", self._grown(f"page {pattern}", "url", lambda urls: self._paths(self._addresses(urls)).str.extract(pattern, 1))

    def as_sent(self, column: str) -> Codes:
        """Words (u32) by code of a coded column, as they stand there."""
        return self._grown(f"sent {column}", column, lambda texts: texts)

    def continents(self, countries: Codes) -> Codes:
        """The words (u32) of the continents of these words of countries, in their order."""
        distinct, place = np.unique(countries, return_inverse=True)
        return self._words_by(self.labels.decode(distinct), lambda country: self._reference.continents.get(country, ""))[place]

    def referrer_pages(self) -> Codes:
        """Words (u32) by code of `referrer`: host without www. and path."""

        def read(referrers: pl.Series) -> pl.Series:
            return split_addresses(referrers).select(pl.col("host").str.strip_prefix("www.") + pl.col("path")).to_series()

        return self._grown("referrer page", "referrer", read)

    def referrer_terms(self) -> Codes:
        """Words (u32) by code of `referrer`: what was searched for, in small letters, where the query tells."""

        def read(referrers: pl.Series) -> pl.Series:
            values = query_values(split_addresses(referrers)["query"], list(SEARCH_KEYS))
            found = pl.coalesce(pl.when(pl.col(value_of(key)) != "").then(value_of(key)) for key in SEARCH_KEYS)
            terms = values.select(found.fill_null("").str.strip_chars().str.to_lowercase().alias("term"))["term"]
            return terms.set(terms.str.contains(MASK, literal=True), "")

        return self._grown("referrer term", "referrer", read)

    def properties_in_words(self) -> Codes:
        """Words (u32) by code of `props`: each property of the set with its value, in the order in which they were sent."""

        def read(sets: pl.Series) -> pl.Series:
            parsed = orjson.loads(f"[{','.join(text or '{}' for text in sets)}]")
            return pl.Series([", ".join(f"{key} {prop_text(value)}" for key, value in one.items()) for one in parsed], dtype=pl.String)

        return self._grown("properties in words", "props", read)

    def _grown(self, name: str, column: str, read: Callable[[pl.Series], pl.Series]) -> Codes:
        """Words by code of a column that only some ask for: kept, and grown when it is asked for again."""
        table = self._asked.get(name, np.empty(0, np.uint32))
        fresh = self.dictionaries[column].since(len(table))
        if len(fresh):
            table = self._asked[name] = np.concatenate([table, self.labels.encode(read(fresh))])
        return table
