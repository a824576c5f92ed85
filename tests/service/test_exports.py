"""Tables as files over HTTP: the same figures as the table, whole or the page that is seen; nothing is left behind."""

import io
import json
import tempfile
from pathlib import Path

import polars as pl
import pytest

from tests.conftest import a_hit, columns, period, sign_in
from upper_compass.core.export import files

TABLE = {"period": period(), "versus": "before", "goal": 1, "dimensions": ["source"], "columns": columns("visits", "conversion_rate"), "sort": "visits"}
PATH = "/api/v1/sites/mill"


@pytest.fixture(scope="module")
def visited(client):
    """Sources of different weight; one bears a name that a sheet would compute."""
    hits = [
        a_hit(visitor=f"{source}{i}", url=f"https://mill.example/?via={source}")
        for source, count in (("card", 3), ("%3D1", 2), ("bag", 1))
        for i in range(count)
    ]
    assert client.post("/collect?site=mill", json=hits).status_code == 204
    return client


def export(client, file_format, rows="all", **changes):
    headers = sign_in(client, "viewer")
    return client.post(f"{PATH}/exports/table", params={"format": file_format, "rows": rows}, json=TABLE | changes, headers=headers)


def test_a_file_has_the_figures_of_the_table(visited):
    table = visited.post(f"{PATH}/reports/table", json=TABLE, headers=sign_in(visited, "viewer")).json()
    answer = export(visited, "parquet")
    assert answer.headers["content-disposition"].endswith(f"source%20{period()['first']}%20to%20{period()['last']}.parquet")
    found = pl.read_parquet(io.BytesIO(answer.content))
    assert found["source"].to_list() == [row[0] for row in table["rows"]]
    assert found["visits"].to_list() == table["columns"][0]["values"]
    assert found["conversion_rate_low"].to_list() == table["columns"][1]["low"]
    assert found.columns == ["source", "visits", "visits_before", "conversion_rate", "conversion_rate_before", "conversion_rate_low", "conversion_rate_high"]
    lines = [json.loads(line) for line in export(visited, "jsonl").text.splitlines()]
    assert [line["visits"] for line in lines] == found["visits"].to_list()
    sheet = export(visited, "csv").text.splitlines()
    assert sheet[0].startswith('Source,Visits,"Visits, before",Conversion rate')
    assert any(line.startswith("'=1,2.0") for line in sheet)
    assert export(visited, "xlsx").content.startswith(b"PK")


def test_what_is_seen_or_all_of_it(visited):
    assert len(export(visited, "jsonl", rows="shown", limit=2).text.splitlines()) == 2
    assert len(export(visited, "jsonl", limit=2).text.splitlines()) == 3
    [only] = export(visited, "jsonl", where=[{"of": "source", "test": "contains", "value": "ca"}]).text.splitlines()
    assert json.loads(only)["source"] == "card"
    [totals] = export(visited, "jsonl", dimensions=[]).text.splitlines()
    assert json.loads(totals)["visits"] == 6


def test_what_cannot_be_made_is_a_problem_and_leaves_no_file(visited, monkeypatch):
    before = set(Path(tempfile.gettempdir()).glob("compass-export-*"))
    monkeypatch.setattr(files, "MAX_SHEET_ROWS", 1)
    answer = export(visited, "xlsx")
    assert (answer.status_code, answer.json()["detail"]) == (422, "A sheet holds 1 rows, and these are 3; choose another format.")
    assert export(visited, "csv", dimensions=["nothing"]).status_code == 422
    assert export(visited, "pdf").status_code == 422
    assert export(visited, "csv", goal=99).status_code == 422
    assert set(Path(tempfile.gettempdir()).glob("compass-export-*")) == before
