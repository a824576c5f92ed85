"""A whole installation is kept in one file while it runs, and comes back from it; what is no whole backup changes nothing."""

import io
import json
import os
import shutil
import subprocess
import sys
import tarfile
import urllib.request
from datetime import UTC, datetime

import psycopg
import pytest
import sqlalchemy as sa

from tests.conftest import a_hit, fill
from tests.service.object_storage import BUCKET, KEY, SECRET, object_storage
from upper_compass.collect.checking import as_rows, check_line
from upper_compass.run import safekeeping
from upper_compass.run.places import ROOT, CannotRunError
from upper_compass.store import record, record_files
from upper_compass.store.database import connect
from upper_compass.store.hits import HitWriter
from upper_compass.store.storage import Storage


@pytest.fixture(scope="module")
def full(database):
    fill(database)
    return database


@pytest.fixture
def empty(cluster):
    name = "compass_test_back"
    cluster.drop_database(name)
    cluster.ensure_database(name)
    yield cluster.url(name)
    cluster.drop_database(name)


def content(url):
    """All that some tables hold."""
    engine = connect(url)
    with engine.connect() as connection:
        found = {name: connection.exec_driver_sql(f"SELECT * FROM {name} ORDER BY 1, 2").all() for name in ("users", "sites", "roles", "goals", "changes")}
    engine.dispose()
    return found


def test_what_was_kept_comes_back_and_goes_on(full, empty, tmp_path):
    file = tmp_path / "kept.tar"
    about = safekeeping.backup(full, file)
    assert file.stat().st_mode & 0o077 == 0
    assert (about.rows["sites"], about.migration) == (2, safekeeping.newest_migration())
    assert list(tmp_path.iterdir()) == [file]
    with tarfile.open(file) as opened:  # any program that knows tar, and pg_restore, can read it
        assert opened.getnames()[:2] == [safekeeping.DUMP, safekeeping.ABOUT]
        assert json.load(opened.extractfile(safekeeping.ABOUT))["sha256"] == about.sha256
        assert opened.extractfile(safekeeping.DUMP).read(5) == b"PGDMP"
    safekeeping.restore(empty, file)
    assert content(empty) == content(full)
    with pytest.raises(CannotRunError, match="is there already"):
        safekeeping.backup(full, file)
    with pytest.raises(CannotRunError, match="into an empty one"):
        safekeeping.restore(empty, file)


def test_of_nothing_there_is_no_backup(empty, tmp_path):
    with pytest.raises(CannotRunError, match="nothing to keep"):
        safekeeping.backup(empty, tmp_path / "kept.tar")
    with pytest.raises(CannotRunError, match="could not be written"):
        safekeeping.backup(empty.replace("compass_test_back", "compass_test_laid"), tmp_path / "nowhere" / "kept.tar")
    assert list(tmp_path.iterdir()) == []


def rewritten(file, change):
    """The same backup with another `about.json`."""
    with tarfile.open(file) as opened:
        parts = {name: opened.extractfile(name).read() for name in opened.getnames()}
    parts[safekeeping.ABOUT] = json.dumps(json.loads(parts[safekeeping.ABOUT]) | change).encode()
    with tarfile.open(file, "w") as opened:
        for name, text in parts.items():
            told = tarfile.TarInfo(name)
            told.size = len(text)
            opened.addfile(told, io.BytesIO(text))


AWAY = {"name": "record/mill/2026-01/../../../../etc/a.1.parquet", "bytes": 1, "sha256": "0", "hits": 1, "counts": True}


@pytest.mark.parametrize(
    ("spoil", "said"),
    [
        (lambda file: file.write_bytes(file.read_bytes()[:20_000]), "is no whole backup"),
        (lambda file: file.write_bytes(b"something else"), "is no whole backup"),
        (lambda file: file.unlink(), "is no whole backup"),
        (lambda file: file.write_bytes(file.read_bytes()[:30_000] + b"spoilt" + file.read_bytes()[30_006:]), "cannot be read whole"),
        (lambda file: rewritten(file, {"migration": "9999", "version": "9.9"}), "made by a newer version, 9.9"),
        (lambda file: rewritten(file, {"format": 2}), "made by a newer version"),
        (lambda file: rewritten(file, {"sha256": "0"}), "it is not what was written"),
        (lambda file: rewritten(file, {"odd": 1}), "is no whole backup"),
        (lambda file: rewritten(file, {"record": [AWAY], "with_record": True}), "is no name of a file"),
        (lambda file: rewritten(file, {"record": [{"name": "record/a"}]}), "is no whole backup"),
    ],
)
def test_what_is_no_whole_backup_is_refused_with_a_sentence(full, empty, tmp_path, spoil, said):
    file = tmp_path / "kept.tar"
    safekeeping.backup(full, file)
    spoil(file)
    with pytest.raises(CannotRunError, match=said):
        safekeeping.restore(empty, file)


def test_what_was_handed_on_to_a_service_stays_there_and_what_was_erased_since_stays_erased(full, empty, tmp_path):
    engine, back = connect(full), connect(empty)
    at, file = datetime(2026, 1, 5, tzinfo=UTC), tmp_path / "kept.tar"

    def told(of, storage):
        with of.connect() as connection:
            last = record.newest(connection.connection.driver_connection, 1)[0]
            parts = list(record.hits_between(connection.connection.driver_connection, storage, 1, 0, last))
        return sorted(visitor for part in parts for visitor in part["visitor"])

    with object_storage() as (_, address):
        storage, other = (Storage(f"s3://{BUCKET}/{name}", address, "here", KEY, SECRET) for name in ("kept", "other"))
        hits = [check_line(json.dumps(a_hit(visitor=name, at=at.isoformat())).encode())[0] for name in ("a", "goes", "b")]
        with psycopg.connect(full.replace("+psycopg", "")) as connection:
            HitWriter(connection).store(as_rows(1, hits, country=None, internal=False))
        assert record_files.hand_on(engine, storage, 1, at.replace(day=1).date()) == 3
        assert safekeeping.backup(full, file, storage).hits == 3
        with engine.begin() as connection:
            assert record.erase(connection, storage, 1, record_files.Chosen(visitor="goes")) == 1
            connection.execute(sa.text("UPDATE record_files SET replaced_at = now() - interval '2 hours' WHERE replaced_at IS NOT NULL"))
        assert record_files.tidy(engine, storage) == 1
        with pytest.raises(CannotRunError, match="set it"):
            safekeeping.restore(empty, file)
        with pytest.raises(CannotRunError, match="Is that the right storage"):
            safekeeping.restore(empty, file, other)
        with back.begin() as connection:
            connection.execute(sa.text("DROP SCHEMA public CASCADE; CREATE SCHEMA public"))
        safekeeping.restore(empty, file, storage)
        assert told(back, storage) == told(engine, storage) == ["a", "b"]
        with engine.begin() as connection:
            record.erase_all(connection, 1)
    engine.dispose()
    back.dispose()


def test_an_installation_that_lost_its_data_folder_has_every_figure_again(tmp_path):
    """By the commands alone: started, filled, kept while it runs, lost, restored, started again."""
    data, file = tmp_path / "data", tmp_path / "kept.tar"
    (tmp_path / "compass.toml").write_text(f"data = '{data}'\nreading_apart = false\nparquet_after_months = 1\n")
    environment = os.environ | {"PYTHONPATH": str(ROOT / "src"), "COMPASS_SETTINGS": str(tmp_path / "compass.toml")}

    def compass(*words, fails=False):
        done = subprocess.run([sys.executable, "-m", "upper_compass.cli", *words], env=environment, capture_output=True, text=True, check=False)
        assert fails is None or (done.returncode != 0) == fails, done.stdout + done.stderr
        return done.stdout + done.stderr

    def figures(address, token):
        body = {"period": {"first": "2026-09-01", "last": "2026-11-20"}, "versus": "none", "dimensions": ["page"], "limit": 100}
        body["columns"] = [{"id": one, "measure": one} for one in ("visits", "visitors", "views", "bounces", "engaged_per_visit")]
        asked = urllib.request.Request(f"{address}/api/v1/sites", headers={"Authorization": f"Bearer {token}"})
        key = json.load(urllib.request.urlopen(asked))[0]["key"]
        asked = urllib.request.Request(
            f"{address}/api/v1/sites/{key}/reports/table", json.dumps(body).encode(), asked.headers | {"Content-Type": "application/json"}
        )
        return json.load(urllib.request.urlopen(asked))

    try:
        address = compass("start").partition("open      ")[2].split()[0]
        token = compass("token").split()[-1]
        made = {"name": "Mill", "rules": {"hosts": ["mill.example"]}}
        headers = {"Authorization": f"Bearer {token}", "Content-Type": "application/json"}
        key = json.load(urllib.request.urlopen(urllib.request.Request(f"{address}/api/v1/sites", json.dumps(made).encode(), headers)))["key"]
        hits = tmp_path / "hits.jsonl"
        hits.write_text(
            "\n".join(json.dumps(a_hit(at=f"2026-{9 + n % 3:02}-{1 + n % 20:02}T10:{n % 60:02}:00Z", url=f"https://mill.example/{n % 7}")) for n in range(400))
        )
        compass("import", str(hits), "--site", key)
        before = figures(address, token)
        assert before["count"] == 7
        compass("stop")
        address = compass("start").partition("open      ")[2].split()[0]  # which hands on what is old
        while "134 hits in 1 file." not in (done := compass("doctor", fails=None)):
            assert "WRONG  The storage" not in done
        assert figures(address, token) == before
        compass("backup", str(file))
        compass("stop")
        assert "There is an installation here already" in compass("restore", str(file), fails=True)
        compass("stop")
        shutil.rmtree(data)
        assert "400 hits" in compass("restore", str(file))
        address = compass("start").partition("open      ")[2].split()[0]
        assert figures(address, token) == before
    finally:
        compass("stop")
