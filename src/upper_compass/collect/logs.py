"""Lines of server logs as columns: NCSA common and combined, W3C extended.

What a line cannot say is null. Nothing here knows of sites or of the store; addresses of people go no further than the frame that is given back.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Literal

import polars as pl

from upper_compass.core.definitions.log_reading import MAX_FIELDS, LogField, LogReading

LogFormat = Literal["ncsa", "w3c"]
_QUOTED = r'"((?:[^"\\]|\\.)*)"'
# host ident user [time] "request" status bytes, and in the combined form "referrer" "user agent".
NCSA = rf"^(\S+) [^\[]*\[([^\]]*)\] {_QUOTED} (\d{{3}}) (?:\d+|-)(?: {_QUOTED} {_QUOTED})?"
_NCSA_TIME = "%d/%b/%Y:%H:%M:%S %z"
_REQUEST = r"^([A-Z]+) (\S+)(?: HTTP/\d(?:\.\d)?)?$"
_TARGET_HOST = r"^[Hh][Tt][Tt][Pp][Ss]?://([^/?#\s]+)"
# By what W3C fields are called, ours.
W3C_FIELDS: dict[str, LogField] = {
    "c-ip": "address", "cs-method": "method", "cs-uri-stem": "stem", "cs-uri-query": "query", "sc-status": "status", "cs(user-agent)": "agent",
    "cs(referer)": "referrer", "cs(referrer)": "referrer", "cs-host": "host", "date": "date", "time": "time",
}  # fmt: skip
_DIRECTIVE = r"#(?:Version|Fields|Software|Date|Start-Date|End-Date|Remark)\b"
MAX_URL, MAX_AGENT, MAX_NAME = 4_000, 1_000, 60
SCHEMA = {
    "at": pl.Datetime("ms", "UTC"), "address": pl.String(), "method": pl.String(), "target": pl.String(), "status": pl.Int32(), "referrer": pl.String(),
    "agent": pl.String(), "host": pl.String(),
}  # fmt: skip


def log_format(line: str) -> LogFormat | None:
    """What kind of log a line, the first that is not empty, begins."""
    if re.match(_DIRECTIVE, line):
        return "w3c"
    return "ncsa" if pl.Series([line]).str.contains(NCSA).item() else None


class UnreadableLogError(ValueError):
    """A log lacks what no line can be read without; the text is a sentence for people."""


class LogColumns:
    """Reads lines of one log, a batch after the other; W3C fields hold until they are given anew."""

    def __init__(self, kind: LogFormat, reading: LogReading) -> None:
        self.kind, self._reading = kind, reading
        self._fields: list[str] | None = None
        # What the log calls its fields, as it was last said.
        self.names: list[str] = []
        self._day: str | None = None

    def read(self, lines: Sequence[str]) -> tuple[pl.DataFrame, pl.Series]:
        """A row a line (columns of SCHEMA, `at` null where it cannot be read), and which lines say nothing of a request: remarks of the log, empty ones.

        Raises UnreadableLogError.
        """
        texts = pl.Series(lines, dtype=pl.String)
        if self.kind == "ncsa":
            return _ncsa(texts, self._reading.first_word == "host"), texts == ""
        remarks = texts.str.starts_with("#")
        if not remarks.any():
            return self._w3c(texts), texts == ""
        parts: list[pl.DataFrame] = []
        begun = 0
        for place in remarks.arg_true():
            parts.append(self._w3c(texts[begun:place]))
            self._remark(texts[place])
            parts.append(pl.DataFrame([[None]] * len(SCHEMA), SCHEMA, orient="col"))
            begun = place + 1
        parts.append(self._w3c(texts[begun:]))
        return pl.concat(parts), remarks | (texts == "")

    def _remark(self, line: str) -> None:
        name, _, value = line[1:].partition(":")
        if name.strip().lower() == "fields":
            self.names = [field.lower()[:MAX_NAME] for field in value.split()[:MAX_FIELDS]]
            meant = W3C_FIELDS | self._reading.fields
            self._fields = [meant.get(name, "nothing") for name in self.names]
            if {"time", "stem"} - set(self._fields):
                raise UnreadableLogError("a W3C log needs the fields time and cs-uri-stem, or fields of its own that are said to be these")
        elif name.strip().lower() == "date":
            self._day = value.strip()[:10]

    def _w3c(self, texts: pl.Series) -> pl.DataFrame:
        if not len(texts):
            return pl.DataFrame(schema=SCHEMA)
        if self._fields is None:
            raise UnreadableLogError("a W3C log says first, after #Fields:, what its lines hold")
        split = texts.str.split(" ")
        whole = split.list.len() == len(self._fields)

        def field(name: str) -> pl.Series:
            if name not in (self._fields or []):
                return pl.Series([None], dtype=pl.String).new_from_index(0, len(texts))
            found = split.list.get((self._fields or []).index(name), null_on_oob=True)
            return pl.select(pl.when(whole & (found != "-")).then(found)).to_series()

        day = field("date") if "date" in self._fields else pl.Series([self._day], dtype=pl.String).new_from_index(0, len(texts))
        query = field("query")
        frame = pl.DataFrame({
            "day": day, "time": field("time"), "address": field("address"), "method": field("method"), "stem": field("stem"), "query": query,
            "status": field("status"), "referrer": field("referrer"), "agent": field("agent").str.replace_all("+", " ", literal=True), "host": field("host"),
        })  # fmt: skip
        asked_with = pl.when(pl.col("query").is_null()).then(pl.lit("")).otherwise("?" + pl.col("query"))
        return frame.select(
            (pl.col("day") + " " + pl.col("time")).str.to_datetime("%Y-%m-%d %H:%M:%S%.f", strict=False, time_unit="ms", time_zone="UTC").alias("at"),
            "address", pl.col("method").fill_null("GET"), (pl.col("stem") + asked_with).alias("target"),
            pl.col("status").cast(pl.Int32, strict=False).fill_null(200), "referrer", "agent", pl.col("host").str.to_lowercase(),
        )  # fmt: skip


def _ncsa(texts: pl.Series, begins_with_host: bool) -> pl.DataFrame:
    first = pl.select(pl.lit(texts).str.extract(r"^([^\s:]+)(?::\d+)? ", 1).str.to_lowercase()).to_series() if begins_with_host else None
    if first is not None:
        texts = texts.str.replace(r"^\S+ ", "")
    found = pl.DataFrame({"line": texts}).select(pl.col("line").str.extract_groups(NCSA).alias("found")).unnest("found")
    address, time, request, status, referrer, agent = (pl.col(name) for name in found.columns)
    asked = request.str.extract_groups(_REQUEST)
    whole = found.with_columns(asked.struct.field("1").alias("method"), asked.struct.field("2").alias("asked"))
    return whole.select(
        time.str.to_datetime(_NCSA_TIME, strict=False, time_unit="ms", time_zone="UTC").alias("at"), address.alias("address"), "method",
        pl.col("asked").alias("target"), status.cast(pl.Int32, strict=False).alias("status"), _said(referrer).alias("referrer"), _said(agent).alias("agent"),
        pl.col("asked").str.extract(_TARGET_HOST, 1).str.to_lowercase().fill_null(pl.lit(first)).alias("host"),
    )  # fmt: skip


def _said(column: pl.Expr) -> pl.Expr:
    """A quoted text as it was meant; none for a dash."""
    meant = column.str.replace_all(r'\\(["\\])', "$1")
    return pl.when((meant != "-") & (meant != "")).then(meant)


def decided(lines: pl.DataFrame, reading: LogReading) -> pl.DataFrame:
    """Lines with `kind`: view, download, or null of what only belongs to a page; `url` of the page or file, `file` and `extension` of a download.

    `fault`: a sentence of what cannot be read, null of all others.
    """
    path = pl.col("target").str.replace(r"^[Hh][Tt][Tt][Pp][Ss]?://[^/?#\s]+", "").str.replace(r"[?#].*$", "")
    last = path.str.strip_chars_end("/").str.extract(r"([^/]*)$", 1)
    ending = last.str.extract(r"\.([^.]*)$", 1).str.to_lowercase()
    is_page = ending.is_in(list(reading.pages)) | (ending.is_null() & ~last.str.to_lowercase().is_in(list(reading.feeds)))
    answered = pl.col("status").is_between(200, 299) | (pl.lit(reading.not_modified) & (pl.col("status") == 304))
    asked = (pl.col("method") == "GET") & answered
    rest = pl.col("target").str.replace(r"^[Hh][Tt][Tt][Pp][Ss]?://[^/?#\s]+", "").str.replace(r"#.*$", "")
    host = pl.col("host").fill_null(reading.host)
    too_long = pl.col("target").str.len_chars() > MAX_URL - 300
    is_away = pl.col("referrer").str.contains(r"^[A-Za-z][A-Za-z0-9+.-]*://") & (pl.col("referrer").str.len_chars() <= MAX_URL)
    fault = (
        pl.when(pl.col("at").is_null() | pl.col("status").is_null()).then(pl.lit("this is no line of such a log"))
        .when(too_long).then(pl.lit("its address is too long"))
    )  # fmt: skip
    return lines.with_columns(
        fault.alias("fault"),
        pl.when(~asked).then(None).when(is_page).then(pl.lit("view")).when(ending.is_in(list(reading.downloads))).then(pl.lit("download")).alias("kind"),
        ("https://" + host + pl.when(rest.str.starts_with("/")).then(rest).otherwise("/" + rest)).alias("url"),
        last.alias("file"), ending.alias("extension"), pl.col("agent").str.slice(0, MAX_AGENT),
        pl.when(is_away).then("referrer").alias("referrer"),
    )  # fmt: skip
