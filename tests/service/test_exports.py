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


def exported(client, what, body, file_format="jsonl", status=200):
    answer = client.post(f"{PATH}/exports/{what}", params={"format": file_format}, json=body, headers=sign_in(client, "viewer"))
    assert answer.status_code == status, answer.text
    return answer


def test_every_visit_leaves_newest_first_with_what_it_is_of(visited):
    asked = {"period": period(), "goal": 1, "limit": 2}
    shown = visited.post(f"{PATH}/visits", json=asked, headers=sign_in(visited, "viewer")).json()
    lines = [json.loads(line) for line in exported(visited, "visits", asked).text.splitlines()]
    assert len(lines) == shown["count"] == 6
    assert [line["visitor"] for line in lines[:2]] == [one["visitor"] for one in shown["visits"]]
    assert {line["source"] for line in lines} == {"card", "=1", "bag"} and lines[0]["start"].startswith(period()["first"])
    assert "'=1" in exported(visited, "visits", asked, "csv").text
    only = {"where": {"conditions": [{"kind": "dimension", "dimension": "source", "test": "is", "values": ["bag"]}]}}
    assert len(exported(visited, "visits", asked | {"segment": only}).text.splitlines()) == 1


def test_every_value_that_is_compared_leaves(visited):
    group = {"where": {"conditions": [{"kind": "dimension", "dimension": "source", "test": "is", "values": ["card"]}]}}
    asked = {"period": period(), "units": "visits", "group": group, "against": {"kind": "rest"}, "too_few": True, "limit": 1}
    answer = visited.post(f"{PATH}/reports/compare", json=asked, headers=sign_in(visited, "viewer"))
    assert answer.status_code == 200, answer.text
    lines = [json.loads(line) for line in exported(visited, "compare", asked).text.splitlines()]
    assert len(lines) == answer.json()["count"] > 1
    assert (lines[0]["dimension"], lines[0]["value"], lines[0]["a"]) == tuple(answer.json()[name][0] for name in ("dimensions", "values", "a"))
    assert lines[0]["share_a"] == pytest.approx(lines[0]["a"] / answer.json()["sizes"]["a"])


def test_a_list_leaves_as_it_is_seen_whatever_it_holds(visited):
    body = {
        "title": "A list / of = things",
        "columns": ["Name", "Times", "Rate", "Rate"],
        "rows": [["=1+1", 5, 0.25, "a"], [None, 7, None, 3], ['ä\n"', None, 1e300, ""]],
    }
    answer = exported(visited, "rows", body, "csv")
    assert "A%20list%20%2F%20of%20%3D%20things.csv" in answer.headers["content-disposition"]
    assert answer.text.splitlines()[:3] == ["Name,Times,Rate,Rate (2)", "'=1+1,5,0.25,a", ",7,,3"]
    assert pl.read_parquet(io.BytesIO(exported(visited, "rows", body, "parquet").content)).dtypes == [pl.String, pl.Int64, pl.Float64, pl.String]
    assert exported(visited, "rows", body, "xlsx").content.startswith(b"PK")
    odd = {"title": "", "columns": ["*", "^a.*$", "^.*$", "", ""], "rows": [["=1", 1, None, "b", 2.5]]}
    for file_format in ("csv", "xlsx", "jsonl", "parquet"):
        exported(visited, "rows", odd, file_format)
    assert exported(visited, "rows", odd, "csv").text.splitlines()[1] == "'=1,1,,b,2.5"
    assert exported(visited, "rows", {"title": "", "columns": ["A"], "rows": []}, "jsonl").text.strip() == ""
    for wrong in ({"rows": [["too", "few"]]}, {"columns": []}, {"rows": [[["nested"]] * 4]}, {"rows": [[True] * 4]}, {"columns": ["x"] * 61}):
        exported(visited, "rows", body | wrong, status=422)
    assert exported(visited, "rows", body | {"rows": [["x" * 30_000, 1, 1, 1]] * 40}, status=413)
