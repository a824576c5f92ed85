"""Tables as files: what goes in comes out again, and no text becomes a formula."""

import io
import re
import zipfile

import polars as pl
import pytest

from upper_compass.core.definitions.files import FileColumn
from upper_compass.core.export import files
from upper_compass.core.export.files import TooLongError, write_file

HOSTILE = ["=1+1", "+1", "-1", "@x", "\tx", "'", "", "a,b", 'q"q', "two\nlines", "Łódź €", "<b>"]
FRAME = pl.DataFrame({"source": HOSTILE, "visits": [float(i) for i in range(len(HOSTILE))], "rate": [None if i == 3 else i / 7 for i in range(len(HOSTILE))]})
COLUMNS = [FileColumn("source", "Source"), FileColumn("visits", "Visits", "count"), FileColumn("rate", "Rate", "percent")]


def written(file_format, frame=FRAME, columns=COLUMNS):
    out = io.BytesIO()
    write_file(frame, columns, file_format, out)
    return out.getvalue()


@pytest.mark.parametrize(("file_format", "read"), [("jsonl", pl.read_ndjson), ("parquet", pl.read_parquet)])
def test_formats_for_programs_hold_what_there_is(file_format, read):
    assert read(io.BytesIO(written(file_format))).equals(FRAME)


def test_a_sheet_of_commas_computes_nothing():
    found = pl.read_csv(io.BytesIO(written("csv")))
    assert found.columns == ["Source", "Visits", "Rate"]
    assert found["Source"].to_list() == [f"'{text}" if text[:1] and text[0] in "=+-@\t" else text for text in HOSTILE]
    assert found["Rate"].to_list() == pytest.approx(FRAME["rate"].to_list())


def test_a_workbook_holds_texts_and_numbers_and_no_formula():
    with zipfile.ZipFile(io.BytesIO(written("xlsx"))) as book:
        sheet = book.read("xl/worksheets/sheet1.xml").decode()
        styles = book.read("xl/styles.xml").decode()
    assert "<f>" not in sheet
    texts = [re.sub(r"^<t[^>]*>|</t>$", "", one) for one in re.findall(r"<t[^>]*>[^<]*</t>", sheet)]
    assert texts[:3] == ["Source", "Visits", "Rate"]
    assert "=1+1" in texts and "&lt;b&gt;" in texts
    assert sheet.count("<v>") == len(FRAME) * 2 - 1  # one rate is of nothing
    assert '"0.00%"' in styles or "0.00%" in styles or 'numFmtId="10"' in styles


def test_titles_are_told_apart_and_columns_stand_as_asked():
    columns = [FileColumn("visits", "Visits", "count"), FileColumn("rate", "Visits", "percent")]
    assert written("csv", columns=columns).splitlines()[0] == b"Visits,Visits (2)"
    assert pl.read_parquet(io.BytesIO(written("parquet", columns=columns))).columns == ["visits", "rate"]


def test_more_rows_than_a_sheet_holds_are_refused(monkeypatch):
    monkeypatch.setattr(files, "MAX_SHEET_ROWS", 11)
    with pytest.raises(TooLongError, match="a sheet holds 11 rows, and these are 12"):
        written("xlsx")
    assert written("csv")


def test_a_table_without_rows_has_its_heads():
    empty = FRAME.clear()
    assert written("csv", empty) == b"Source,Visits,Rate\n"
    assert pl.read_parquet(io.BytesIO(written("parquet", empty))).equals(empty)
    assert zipfile.is_zipfile(io.BytesIO(written("xlsx", empty)))
