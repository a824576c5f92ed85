"""An installation of the first version that landed, as its database was then, is brought up to date: every figure it told is told again."""

import gzip
import json
import secrets
import subprocess
from pathlib import Path

import pytest
import sqlalchemy as sa
from starlette.testclient import TestClient

from tests.conftest import a_hit, sign_in, stored
from upper_compass.api.app import create_app
from upper_compass.run.cluster import binaries
from upper_compass.settings import Settings
from upper_compass.store.database import NewerDatabaseError, connect, migrate

DATA = Path(__file__).parent / "data"
PERIOD = {"first": "2026-09-28", "last": "2026-11-22"}
# What that version told of the same hits, see `data/first_version.sql.gz`: 317 of them by 60 visitors, two goals, four users.
TOLD = json.loads((DATA / "first_version.json").read_text())


@pytest.fixture(scope="module")
def old(cluster):
    """The address of a database as the first version left it."""
    name = f"compass_test_{secrets.token_hex(6)}"
    cluster.ensure_database(name)
    url = sa.make_url(cluster.url(name))
    command = [str(binaries() / "psql"), "-h", url.host, "-p", str(url.port), "-U", url.username, "-d", name, "-q", "-v", "ON_ERROR_STOP=1", "-o", "/dev/null"]
    subprocess.run(command, input=gzip.decompress((DATA / "first_version.sql.gz").read_bytes()), env={"PGPASSWORD": url.password}, check=True)
    yield cluster.url(name)
    cluster.drop_database(name)


@pytest.fixture(scope="module")
def client(old):
    engine = connect(old)
    migrate(engine)
    migrate(engine)  # once more does nothing
    engine.dispose()
    with TestClient(create_app(Settings(database_url=old)), raise_server_exceptions=False) as made:
        yield made


@pytest.mark.parametrize("dimension", sorted(TOLD))
def test_every_figure_is_told_again(client, dimension):
    headers = sign_in(client, "viewer")
    goals = {goal["name"]: goal["id"] for goal in client.get("/api/v1/sites/mill/goals").json()}
    assert sorted(goals) == ["Bookings", "Orders"]
    told = TOLD[dimension]
    columns = [{"id": one, "measure": one} for one in told["measures"]]
    asked = {"period": PERIOD, "versus": "none", "dimensions": [dimension], "columns": columns, "goal": goals["Bookings"], "limit": 100}
    found = client.post("/api/v1/sites/mill/reports/table", json=asked, headers=headers).json()
    rows = {row[0]: [column["values"][place] for column in found["columns"]] for place, row in enumerate(found["rows"])}
    assert rows == {row: pytest.approx(values) for row, values in told["rows"].items()}
    assert {one["id"]: one["values"][0] for one in found["total"]} == pytest.approx(told["total"])


def test_it_goes_on_collecting_and_everybody_is_who_they_were(client, old):
    for name in ("owner", "analyst", "viewer"):
        sign_in(client, name)
        assert client.get("/api/v1/sites/mill").json()["role"] == name
    hit = a_hit()
    assert client.post("/collect?site=mill", content=json.dumps(hit)).status_code == 204
    engine = connect(old)
    assert (stored(engine), stored(engine, where=f"id = '{hit['id']}'")) == (318, 1)
    engine.dispose()


def test_what_is_newer_is_refused_and_not_touched(client, old):
    engine = connect(old)
    try:
        with engine.begin() as connection:
            connection.execute(sa.text("UPDATE alembic_version SET version_num = '9999'"))
        with pytest.raises(NewerDatabaseError, match="newer version"):
            migrate(engine)
        with engine.begin() as connection:
            assert connection.execute(sa.text("SELECT version_num FROM alembic_version")).scalar() == "9999"
    finally:
        engine.dispose()
