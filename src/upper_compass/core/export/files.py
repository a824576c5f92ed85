"""Tables as files: CSV, XLSX, JSON Lines, Parquet. Texts that came from visitors never become formulas of a sheet."""

from __future__ import annotations

from collections.abc import Sequence
from typing import IO

import polars as pl

from upper_compass.core.definitions.files import FileColumn, FileFormat
from upper_compass.core.export.sheets import FORMULA

MEDIA_TYPES: dict[FileFormat, str] = {
    "csv": "text/csv; charset=utf-8",
    "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
    "jsonl": "application/x-ndjson",
    "parquet": "application/vnd.apache.parquet",
}
# What a sheet can hold, its line of heads left out.
MAX_SHEET_ROWS = 1_048_575
MAX_CELL = 32_767
# Beyond this, numbers are no longer told apart from their neighbours.
MAX_WHOLE = 2**53
_FORMATS = {"percent": "0.00%", "money": "#,##0.00", "number": "#,##0.00", "count": "#,##0", "seconds": "#,##0.0"}
BUFFER = 10_000


class TooLongError(ValueError):
    """More rows than a file of this format can hold."""


def rows_frame(titles: Sequence[str], rows: Sequence[Sequence[str | float | None]]) -> tuple[pl.DataFrame, list[FileColumn]]:
    """Rows as columns of a file: Float64 where there are only numbers (Int64 where they are whole), else String."""
    told = _told_apart(titles)
    made, columns = [], []
    for place, title in enumerate(told):
        cells = [row[place] for row in rows]
        numbers = [cell for cell in cells if isinstance(cell, (int, float))]
        if numbers and not any(isinstance(cell, str) for cell in cells):
            whole = all(abs(cell) < MAX_WHOLE and float(cell).is_integer() for cell in numbers)
            made.append(pl.Series(title, cells, pl.Float64).cast(pl.Int64 if whole else pl.Float64))
            columns.append(FileColumn(title, title, "count" if whole else "number"))
        else:
            made.append(pl.Series(title, [None if cell is None else cell if isinstance(cell, str) else f"{cell:g}" for cell in cells], pl.String))
            columns.append(FileColumn(title, title))
    return pl.DataFrame(dict(zip(told, made, strict=True))), columns


def write_file(frame: pl.DataFrame, columns: Sequence[FileColumn], file_format: FileFormat, out: IO[bytes]) -> None:
    """Write the columns of a frame, in their order. Shares are fractions in all formats; CSV and XLSX have titles, the others names. Raises TooLongError."""
    # By the columns themselves: a name may read as a pattern of names.
    chosen = pl.DataFrame({column.name: frame.get_column(column.name) for column in columns})
    match file_format:
        case "csv":
            titles = _told_apart([column.title for column in columns])
            _harmless(chosen).rename(dict(zip(chosen.columns, titles, strict=True))).write_csv(out)
        case "xlsx":
            _write_sheet(chosen, columns, out)
        case "jsonl":
            chosen.write_ndjson(out)
        case "parquet":
            chosen.write_parquet(out)


def _harmless(frame: pl.DataFrame) -> pl.DataFrame:
    """Texts with an apostrophe before what a sheet would compute."""

    def guarded(texts: pl.Series) -> pl.Series:
        is_computed = pl.any_horizontal([pl.col("text").str.starts_with(sign) for sign in FORMULA])
        return texts.alias("text").to_frame().select(pl.when(is_computed).then(pl.lit("'") + pl.col("text")).otherwise("text").alias("text")).to_series()

    return pl.DataFrame({series.name: guarded(series) if series.dtype == pl.String else series for series in frame})


def _told_apart(titles: Sequence[str]) -> list[str]:
    """Titles of which none comes twice."""
    told: list[str] = []
    for title in titles:
        times = told.count(title) + sum(one.startswith(f"{title} (") for one in told)
        told.append(f"{title} ({times + 1})" if times else title)
    return told


def _write_sheet(frame: pl.DataFrame, columns: Sequence[FileColumn], out: IO[bytes]) -> None:
    """Row by row as the format wants it, each let go of as soon as it is written: memory does not grow with the sheet."""
    import xlsxwriter

    if len(frame) > MAX_SHEET_ROWS:
        raise TooLongError(f"a sheet holds {MAX_SHEET_ROWS:,} rows, and these are {len(frame):,}; choose another format")
    # Texts stay texts: none becomes a formula, a number or a link.
    options = {"constant_memory": True, "strings_to_formulas": False, "strings_to_numbers": False, "strings_to_urls": False, "nan_inf_to_errors": True}
    with xlsxwriter.Workbook(out, options) as book:
        sheet = book.add_worksheet("Table")
        bold = book.add_format({"bold": True})
        formats = [book.add_format({"num_format": _FORMATS[column.unit]}) if column.unit in _FORMATS else None for column in columns]
        for place, (column, title) in enumerate(zip(columns, _told_apart([one.title for one in columns]), strict=True)):
            sheet.set_column(place, place, 14 if column.unit else 32)
            sheet.write_string(0, place, title, bold)
        for number, row in enumerate(frame.iter_rows(buffer_size=BUFFER), 1):
            for place, value in enumerate(row):
                if isinstance(value, str):
                    sheet.write_string(number, place, value[:MAX_CELL])
                elif value is not None:
                    sheet.write_number(number, place, value, formats[place])
        sheet.freeze_panes(1, 1)
