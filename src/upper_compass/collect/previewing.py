"""What the first lines of a file would become, before any of it is stored."""

from __future__ import annotations

import re
import zlib
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from itertools import islice
from typing import Literal

import polars as pl
from pydantic import ValidationError

from upper_compass.collect.checking import AHEAD, check_line, first_problem, foreign
from upper_compass.collect.importing import FIRST_LINES, FileFormat, Import, file_format
from upper_compass.collect.log_hits import LogHits
from upper_compass.collect.logs import W3C_FIELDS, LogFormat, UnreadableLogError
from upper_compass.collect.marking import are_robots
from upper_compass.core.definitions.hits import Kind
from upper_compass.core.definitions.log_reading import LogField
from upper_compass.core.definitions.personal_data import mask_address
from upper_compass.core.definitions.site_rules import bare_host

MAX_HEAD = 128 * 1024
MAX_UNPACKED_HEAD = 2 * 1024**2
MAX_TEXT = 300
Becomes = Literal["page", "file", "event", "nothing", "refused"]


@dataclass(frozen=True)
class PreviewLine:
    """One line of a file. `what`: the page, file or event; `why`: of a refused one, what is wrong; `robot`: whether a robot asked for it."""

    number: int
    text: str
    becomes: Becomes
    at: datetime | None
    what: str
    why: str
    robot: bool


@dataclass(frozen=True)
class Preview:
    """The first lines of a file. `fields`: what a W3C log calls its fields, and what each is taken for; `trouble`: why none of it can be read.

    `begins_with_host`: whether the lines of an NCSA log seem to begin with a host of the site, or with an address of another form than a visitor's.
    """

    format: FileFormat
    lines: list[PreviewLine]
    fields: list[tuple[str, LogField]]
    begins_with_host: bool
    trouble: str | None


def head_lines(head: bytes, whole: bool) -> list[bytes]:
    """The first lines of the beginning of a file, plain or gzipped; the last is left out where it goes on beyond it (`whole`: it does not)."""
    if head[:2] == b"\x1f\x8b":
        unpacking = zlib.decompressobj(31)
        try:
            head = unpacking.decompress(head, MAX_UNPACKED_HEAD)
        except zlib.error:
            return []
        whole = unpacking.eof
    lines = head.removeprefix(b"\xef\xbb\xbf").splitlines(keepends=True)
    if lines and not whole and not lines[-1].endswith(b"\n"):
        lines.pop()
    return list(islice(lines, FIRST_LINES))


def preview(lines: Sequence[bytes], into: Import) -> Preview:
    """What lines would become."""
    kind = file_format(lines, into.logs)
    if kind == "json lines" or into.logs is None:
        return Preview("json lines", [_of_json(number, line, into) for number, line in enumerate(lines, 1)], [], False, None)
    hits = LogHits(kind, into)
    try:
        found = _of_log(lines, hits.judged(lines))
        trouble = None
    except UnreadableLogError as why:
        found = [PreviewLine(number, _short(line), "refused", None, "", "", False) for number, line in enumerate(lines, 1)]
        trouble = str(why)
    meant = W3C_FIELDS | into.logs.fields
    fields = [(name, meant.get(name, "nothing")) for name in hits.fields]
    return Preview(kind, found, fields, _begins_with_host(kind, lines, into), trouble)


def _short(line: bytes) -> str:
    text = line[: MAX_TEXT * 4].decode(errors="replace").strip().replace("\x00", "")
    return text if len(text) <= MAX_TEXT else f"{text[:MAX_TEXT]}…"


def _of_log(lines: Sequence[bytes], judged: pl.DataFrame) -> list[PreviewLine]:
    kinds: dict[str | None, Becomes] = {"view": "page", "download": "file", None: "nothing"}
    robots = are_robots(judged["agent"].to_list())
    told = judged.select("kind", "fault", "at", "url").iter_rows()
    return [
        PreviewLine(
            number, _short(line), "refused" if fault else kinds[kind], at, mask_address(url or "") if kind else "", fault or "", robot and kind is not None
        )
        for number, line, (kind, fault, at, url), robot in zip(range(1, len(lines) + 1), lines, told, robots, strict=True)
    ]


def _of_json(number: int, line: bytes, into: Import) -> PreviewLine:
    if not line.strip():
        return PreviewLine(number, "", "nothing", None, "", "", False)
    try:
        hit, _ = check_line(line)
    except ValidationError as why:
        field, text = first_problem(why)
        return PreviewLine(number, _short(line), "refused", None, "", f"{field}: {text}" if field else text, False)
    problem = foreign(hit, into.hosts) or (("at", "this is in the future") if hit.at > into.now + AHEAD else None)
    if problem:
        return PreviewLine(number, _short(line), "refused", hit.at, "", ": ".join(problem), False)
    becomes: Becomes = "page" if hit.kind == Kind.view.name else "event" if hit.name else "nothing"
    what = mask_address(hit.url) if becomes == "page" else hit.name or hit.kind
    return PreviewLine(number, _short(line), becomes, hit.at, what, "", are_robots([hit.user_agent])[0])


def _begins_with_host(kind: LogFormat, lines: Sequence[bytes], into: Import) -> bool:
    if kind != "ncsa":
        return False
    begin = [line.decode(errors="replace").lower().split(" ")[:2] for line in lines if line.strip()]
    if not all(len(one) == 2 for one in begin):
        return False
    hosts = into.hosts or frozenset()
    named = [bare_host(re.sub(r":\d+$", "", one[0])) in hosts or bool(re.fullmatch(r"[a-z0-9.-]*[a-z][a-z0-9.-]*:\d+", one[0])) for one in begin]
    return sum(named) * 2 > len(named) > 0
