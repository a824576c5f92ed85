"""Tables as CSV, in and out: RFC 4180, UTF-8. Nothing that goes out can be taken for a formula by a spreadsheet."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Iterable, Mapping, Sequence

# With one of these in front, spreadsheets compute a cell rather than show it.
FORMULA = ("=", "+", "-", "@", "\t", "\r")
# No text holds these; a picture or a workbook does.
_CONTROL = re.compile("[\x00-\x08\x0e-\x1f]")


class SheetError(ValueError):
    """A file that cannot be read: the line, counted from 1, and a sentence."""

    def __init__(self, line: int, text: str) -> None:
        super().__init__(f"line {line}: {text}")
        self.line, self.text = line, text


def decoded(body: bytes) -> tuple[str, str]:
    """A file's text, and the encoding that it was read by: UTF-8, with its mark or without, else Windows-1252. Raises SheetError for what is neither."""
    for encoding, name in (("utf-8-sig", "UTF-8"), ("cp1252", "Windows-1252")):
        try:
            text = body.decode(encoding)
        except UnicodeDecodeError:
            continue
        if not _CONTROL.search(text):
            return text, name
    raise SheetError(1, "this is neither UTF-8 nor Windows-1252 text")


def safe(cell: object) -> str:
    """A cell as text; what a spreadsheet would compute is kept from it by an apostrophe."""
    text = "" if cell is None else str(cell)
    return f"'{text}" if text.startswith(FORMULA) else text


def write_sheet(heads: Sequence[str], rows: Iterable[Sequence[object]]) -> str:
    """CSV with a line of heads."""
    out = io.StringIO(newline="")
    writer = csv.writer(out)
    writer.writerow(heads)
    writer.writerows([safe(cell) for cell in row] for row in rows)
    return out.getvalue()


def read_sheet(text: str, known: Mapping[str, str | None], needed: Sequence[str], most: int) -> list[tuple[int, dict[str, str]]]:
    """Lines of a CSV with a head, as (line number, cells by column). Empty lines are passed over; commas, semicolons or tabs stand between cells.

    `known`: the column that each head means, in small letters; None for one that is passed over. An apostrophe that keeps a cell from being computed is no
    part of it. Raises SheetError for a head that is not known, comes twice or is missing, a line with too many cells, and more than `most` lines.
    """
    text = text.removeprefix("\ufeff")
    head = text.split("\n", 1)[0]
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=max(",;\t", key=head.count), strict=True)
    try:
        columns = _columns(next(reader, []), known, needed)
        rows: list[tuple[int, dict[str, str]]] = []
        for cells in reader:
            if not any(cell.strip() for cell in cells):
                continue
            if len(cells) > len(columns):
                raise SheetError(reader.line_num, f"there are {len(cells)} cells under {len(columns)} heads")
            if len(rows) == most:
                raise SheetError(reader.line_num, f"a file holds at most {most:,} lines")
            rows.append((reader.line_num, {column: _unguarded(cell.strip()) for column, cell in zip(columns, cells, strict=False) if column}))
    except csv.Error as why:
        raise SheetError(reader.line_num, f"this is not CSV: {why}") from why
    return rows


def _columns(heads: Sequence[str], known: Mapping[str, str | None], needed: Sequence[str]) -> list[str | None]:
    columns: list[str | None] = []
    for head in heads:
        name = " ".join(head.strip().lower().split())
        if name not in known:
            raise SheetError(1, f"there is no column {head.strip()[:100]!r}; the columns are {', '.join(dict.fromkeys(one for one in known.values() if one))}")
        if known[name] is not None and known[name] in columns:
            raise SheetError(1, f"two columns are the {known[name]}")
        columns.append(known[name])
    for name in needed:
        if name not in columns:
            raise SheetError(1, f"the column {name} is missing")
    return columns


def _unguarded(cell: str) -> str:
    return cell[1:] if cell.startswith("'") and cell[1:].startswith(FORMULA) else cell
