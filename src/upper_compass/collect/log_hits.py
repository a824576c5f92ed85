"""Server logs as hits: pages that were shown and files that were fetched, of visitors who are told apart by a hash whose salt is thrown away."""

from __future__ import annotations

import hashlib
import secrets
import uuid
from collections.abc import Callable, Iterable, Sequence
from typing import TYPE_CHECKING, TypeVar

import orjson
import polars as pl

from upper_compass.collect.checking import AHEAD
from upper_compass.collect.file_lines import MAX_LINE, BrokenOffError, together
from upper_compass.collect.logs import LogColumns, LogFormat, decided
from upper_compass.collect.marking import are_robots, is_internal
from upper_compass.core.definitions.hits import Kind
from upper_compass.core.definitions.log_reading import LogReading
from upper_compass.core.definitions.personal_data import mask_address, mask_text
from upper_compass.core.definitions.site_rules import bare_host
from upper_compass.store.hits import ROW_SCHEMA

if TYPE_CHECKING:
    from upper_compass.collect.importing import Import, ImportReport, Storing

T = TypeVar("T")
TOGETHER = 20_000
# More bad lines than this, and more than half of all: another kind of file.
MAX_BAD = 10_000
VISITOR_BYTES = 16
DOWNLOAD = "file download"
# What makes a request what it is; who made it is left out, so that nobody can be told from the id of a hit.
_SAME = ("at", "url", "status", "referrer", "agent")


def read_log(kind: LogFormat, lines: Iterable[bytes], into: Import, report: ImportReport, storing: Storing) -> None:
    """Store what a log tells, batch by batch. Raises BrokenOffError, UnreadableLogError."""
    hits = LogHits(kind, into)
    for batch in together(lines, TOGETHER):
        read, refused = hits.read(batch, report.lines + 1)
        report.lines += len(batch)
        for line, text in refused:
            report.refuse(line, "", text)
        storing.add(read)
        if report.bad > MAX_BAD and report.bad * 2 > report.lines:
            raise BrokenOffError("more than half of its lines are no lines of a log; it is most likely another kind of file")
        if into.given_up():
            raise BrokenOffError("whoever sent it went away")


class LogHits:
    """Makes hits of the lines of one log."""

    def __init__(self, kind: LogFormat, into: Import) -> None:
        if into.logs is None:
            raise ValueError("it is not said how logs are read")
        self._columns, self._into, self._reading = LogColumns(kind, into.logs), into, into.logs
        self._salt = secrets.token_bytes(32)
        # How often each request of the last second was made, for those that follow in the next batch.
        self._alike: dict[str, int] = {}

    @property
    def fields(self) -> list[str]:
        """What a W3C log calls its fields."""
        return self._columns.names

    def judged(self, batch: Sequence[bytes]) -> pl.DataFrame:
        """A row a line: what logs.decided says of it, and its `number` from 0. What says nothing of a request has neither a kind nor a fault."""
        texts = [line.decode(errors="replace").strip().replace("\x00", "") if len(line) <= MAX_LINE else "(too long)" for line in batch]
        columns, says_nothing = self._columns.read(texts)
        return self._judged(decided(columns, self._reading)).with_columns(pl.when(~says_nothing).then("fault").alias("fault"))

    def read(self, batch: Sequence[bytes], first: int) -> tuple[pl.DataFrame, list[tuple[int, str]]]:
        """The hits of some lines (columns of ROW_SCHEMA), and of bad ones the number (of the first: `first`) and what is wrong."""
        lines = self.judged(batch)
        bad = lines.select("number", "fault").filter(pl.col("fault").is_not_null())
        kept = lines.filter(pl.col("fault").is_null() & pl.col("kind").is_not_null())
        return self._hits(kept), [(first + number, text) for number, text in bad.iter_rows()]

    def _judged(self, lines: pl.DataFrame) -> pl.DataFrame:
        """Faults that the site knows of: what lies in the future, and hosts that are none of its own."""
        latest = self._into.now + AHEAD
        host = pl.col("url").str.extract(r"^https://([^/?#:]+)", 1)
        named = lines.select(host.drop_nulls().unique().alias("host"))["host"]
        foreign = [one for one in named if self._into.hosts is not None and bare_host(one) not in self._into.hosts]
        return lines.with_columns(
            pl.when(pl.col("fault").is_not_null()).then("fault")
            .when(pl.col("at") > latest).then(pl.lit("this is in the future"))
            .when(host.is_in(foreign) & pl.col("kind").is_not_null()).then(pl.lit("the site's settings do not list the host ") + host)
            .alias("fault"),
        ).with_row_index("number")  # fmt: skip

    def _hits(self, kept: pl.DataFrame) -> pl.DataFrame:
        """Lines that count as columns of ROW_SCHEMA."""
        if not len(kept):
            return pl.DataFrame(schema=ROW_SCHEMA)
        into = self._into
        kept = kept.with_columns(pl.col("url").str.replace_all(r"[\x00-\x20\x7f]", "%20"))
        addresses, agents = kept["address"], kept["agent"]
        is_download = (kept["kind"] == "download").to_list()
        props = [
            orjson.dumps({"file": mask_text(file)[:1000], "extension": extension}).decode() if download else None
            for download, file, extension in zip(is_download, kept["file"], kept["extension"], strict=True)
        ]
        made = {
            "site_id": [into.site_id] * len(kept), "id": self._ids(kept), "at": kept["at"], "visitor": self._visitors(kept),
            "kind": [int(Kind.event if download else Kind.view) for download in is_download], "url": _each(kept["url"], lambda url: mask_address(url or "")),
            "referrer": _each(kept["referrer"], lambda url: mask_address(url) if url else None),
            "name": [DOWNLOAD if download else None for download in is_download],
            "props": props, "user_agent": agents, "country": _each(addresses, into.country_of), "robot": are_robots(agents.to_list()),
            "internal": _each(addresses, lambda address: is_internal(address, into.networks)) if into.networks else [False] * len(kept),
        }  # fmt: skip
        nothing = [None] * len(kept)
        return pl.DataFrame({name: made.get(name, nothing) for name in ROW_SCHEMA}, ROW_SCHEMA)

    def _visitors(self, kept: pl.DataFrame) -> list[str]:
        """Address and user agent, hashed with a salt that nobody keeps."""
        who = kept.select(pl.concat_str([pl.col("address").fill_null(""), pl.lit("\n"), pl.col("agent").fill_null("")]).alias("who"))["who"]
        return _each(who, lambda text: hashlib.blake2b((text or "").encode(), key=self._salt, digest_size=VISITOR_BYTES).hexdigest())

    def _ids(self, kept: pl.DataFrame) -> list[str]:
        """The same for the same file read again: of what was asked for, and how many asked alike in that moment before."""
        told = kept.select(pl.concat_str([pl.col(name).cast(pl.String).fill_null("-") for name in _SAME], separator="\n").alias("told"))["told"]
        last = kept["at"][-1]
        counted: dict[str, int] = dict(self._alike)
        ids = []
        for text in told:
            ordinal = counted.get(text, 0)
            counted[text] = ordinal + 1
            ids.append(str(uuid.UUID(bytes=hashlib.blake2b(f"{text}\n{ordinal}".encode(), digest_size=16).digest(), version=4)))
        lately = set(told.filter(kept["at"] == last))
        self._alike = {text: count for text, count in counted.items() if text in lately}
        return ids


def _each(texts: pl.Series, of: Callable[[str | None], T]) -> list[T]:
    """What a function says of each text, asked once for each that differs."""
    known = {text: of(text) for text in texts.unique()}
    return [known[text] for text in texts]


def usual_reading(hosts: Sequence[str]) -> LogReading | None:
    """How a site's logs are read unless it says otherwise; None of a site without a host."""
    return LogReading(host=bare_host(hosts[0])) if hosts else None
