"""Tables as CSV, in and out: RFC 4180, UTF-8. Nothing that goes out can be taken for a formula by a spreadsheet."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Sequence

# With one of these in front, spreadsheets compute a cell rather than show it.
_FORMULA = ("=", "+", "-", "@", "\t", "\r")


class SheetError(ValueError):
    """A file that cannot be read: the line, counted from 1, and a sentence."""

    def __init__(self, line: int, text: str) -> None:
        super().__init__(f"line {line}: {text}")
        self.line, self.text = line, text


def safe(cell: object) -> str:
    """A cell as text; what a spreadsheet would compute is kept from it by an apostrophe."""
    text = "" if cell is None else str(cell)
    return f"'{text}" if text.startswith(_FORMULA) else text


def write_sheet(heads: Sequence[str], rows: Iterable[Sequence[object]]) -> str:
    """CSV with a line of heads."""
    out = io.StringIO(newline="")
    writer = csv.writer(out)
    writer.writerow(heads)
    writer.writerows([safe(cell) for cell in row] for row in rows)
    return out.getvalue()


def read_sheet(text: str, known: Sequence[str], needed: Sequence[str], most: int) -> list[tuple[int, dict[str, str]]]:
    """Lines of a CSV with a head, as (line number, cells by the known heads). Empty lines are passed over; commas or semicolons stand between cells.

    Raises SheetError for a head that is not known or missing, a line with too many cells, and more than `most` lines.
    """
    text = text.removeprefix("\ufeff")
    head = text.split("\n", 1)[0]
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=";" if head.count(";") > head.count(",") else ",", strict=True)
    try:
        heads = [cell.strip().lower().removeprefix("utm_") for cell in next(reader, [])]
        for name in heads:
            if name not in known:
                raise SheetError(1, f"there is no column {name!r}; the columns are {', '.join(known)}")
        for name in needed:
            if name not in heads:
                raise SheetError(1, f"the column {name} is missing")
        rows: list[tuple[int, dict[str, str]]] = []
        for cells in reader:
            if not any(cell.strip() for cell in cells):
                continue
            if len(cells) > len(heads):
                raise SheetError(reader.line_num, f"there are {len(cells)} cells under {len(heads)} heads")
            if len(rows) == most:
                raise SheetError(reader.line_num, f"a file holds at most {most:,} lines")
            rows.append((reader.line_num, dict(zip(heads, (cell.strip() for cell in cells), strict=False))))
    except csv.Error as why:
        raise SheetError(reader.line_num, f"this is not CSV: {why}") from why
    return rows
