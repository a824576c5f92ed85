"""What tests share: databases of their own in the checkout's PostgreSQL, and a running application."""

from __future__ import annotations

import asyncio
import contextlib
import fcntl
import json
import os
import secrets
import socket
import subprocess
import sys
import time
import urllib.request
import uuid
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime, timedelta

import pytest
import sqlalchemy as sa
from argon2 import PasswordHasher
from hypothesis import HealthCheck, settings
from starlette.testclient import TestClient
from xdist.scheduler import LoadScopeScheduling

from upper_compass.api.app import create_app
from upper_compass.core.definitions.goals import Goal
from upper_compass.core.definitions.site_rules import SiteRules
from upper_compass.demo.laying import seed_demo, seeded_today
from upper_compass.run.cluster import start_cluster
from upper_compass.run.places import ROOT
from upper_compass.settings import Clock, Settings
from upper_compass.store import accounts, sites
from upper_compass.store.database import connect, migrate

# Databases that stay until the next run: without a row, and with the demo.
EMPTY, LAID = "compass_test_empty", "compass_test_laid"
PASSWORD = "a long enough one"
# The day on which all tests run, in this process, in servers and in browsers: a Wednesday, unless another one is asked for.
DAY = os.environ.get("COMPASS_TEST_DAY", "2026-11-25")
SHIFT = (datetime.fromisoformat(f"{DAY}T12:00:00+00:00") - datetime.now(UTC)).total_seconds()
os.environ["COMPASS_CLOCK_SHIFT"] = str(SHIFT)
# Whatever is set on this machine: tests run as shipped.
os.environ["COMPASS_SETTINGS"] = os.devnull
# Where the application is one of this process, so is what it reads with; servers of their own run as they do outside of tests.
os.environ["COMPASS_READING_APART"] = "false"
# How fast the machine is makes no test fail.
settings.register_profile("suite", deadline=None, suppress_health_check=[HealthCheck.too_slow])
settings.load_profile("suite")
# Hundreds of tests sign in from one place.
os.environ["COMPASS_SIGN_INS_PER_NETWORK"] = "100000"
now = Clock().now
BOOKED = Goal.model_validate({"match": {"kind": "event", "names": ["book"]}, "counts": "every time", "value": {"kind": "hit"}})


class ByFile(LoadScopeScheduling):
    """For several processes: a file's tests stay together, so that what they share is made once."""

    def _split_scope(self, nodeid):
        return nodeid.partition("::")[0]


def pytest_xdist_make_scheduler(config, log):
    return ByFile(config, log)


# Long ones that need no demo: while one process lays it, the others would wait.
MEANWHILE = tuple(f"tests/core/test_{name}.py" for name in ("frames", "reports", "watching", "columns", "segments", "sources"))
# The short ones last, so that all processes end together.
ROOMS = ("scale", "browser", "service", "core")


@pytest.hookimpl(trylast=True)
def pytest_collection_modifyitems(items):
    """One file that needs the demo comes first, then those that need none."""
    files = sorted(dict.fromkeys(item.nodeid.partition("::")[0] for item in items), key=lambda file: (ROOMS.index(file.split("/")[1]), file))
    meanwhile = [file for file in MEANWHILE if file in files]
    first, *others = [file for file in files if file not in meanwhile] or [None]
    rank = {file: place for place, file in enumerate([first, *meanwhile, *others])}
    items.sort(key=lambda item: rank[item.nodeid.partition("::")[0]])


@pytest.fixture(scope="session", autouse=True)
def _quick_passwords():
    """Hundreds of tests sign in; a password costs as little as it can here."""
    accounts._hasher = PasswordHasher(time_cost=1, memory_cost=8, parallelism=1)


@pytest.fixture(scope="session", autouse=os.environ.get("COMPASS_RUNNER") == "ray")
def _one_ray():
    """Ray is started once for all tests that run on it, and not by each that begins to read."""
    import ray

    ray.init("local", log_to_driver=False, include_dashboard=False, configure_logging=False)
    yield
    ray.shutdown()


@pytest.fixture(scope="session")
def cluster():
    return start_cluster()


@contextlib.contextmanager
def once_a_run(name, tmp_path_factory, worker_id):
    """Whether this is the first of a run's processes to come here; others wait until it is done."""
    folder = tmp_path_factory.getbasetemp()
    with (folder if worker_id == "master" else folder.parent).joinpath(name).open("a+") as mark:
        fcntl.flock(mark, fcntl.LOCK_EX)
        first = not os.fstat(mark.fileno()).st_size
        yield first
        if first:
            mark.write("done")


@pytest.fixture(scope="session")
def migrated(cluster, tmp_path_factory, worker_id):
    """The name of an empty database, migrated once for all processes of a run."""
    with once_a_run(EMPTY, tmp_path_factory, worker_id) as first:
        if first:
            cluster.drop_database(EMPTY)
            cluster.ensure_database(EMPTY)
            engine = connect(cluster.url(EMPTY))
            migrate(engine)
            engine.dispose()
    return EMPTY


@pytest.fixture(scope="module")
def database(cluster, migrated):
    """The address of an empty database, dropped in the end."""
    name = f"compass_test_{secrets.token_hex(6)}"
    cluster.copy_database(migrated, name)
    yield cluster.url(name)
    cluster.drop_database(name)


def fill(url):
    """Two sites that share nothing: `mill` with an owner, an analyst and a viewer, and `other` with an owner of its own."""
    engine = connect(url)
    with engine.begin() as connection:
        users = {name: accounts.add_user(connection, f"{name}@mill.example", name.title(), PASSWORD) for name in ("owner", "analyst", "viewer", "stranger")}
        mill = sites.add_site(connection, "Mill", SiteRules(hosts=["mill.example", "127.0.0.1"]), users["owner"].id, "mill")
        sites.add_site(connection, "Other", SiteRules(hosts=["other.example"]), users["stranger"].id, "other")
        for role in ("analyst", "viewer"):
            sites.give_role(connection, mill.id, users[role].id, role)
        sites.add_goal(connection, mill.id, "Bookings", BOOKED, users["owner"].id)
    engine.dispose()


@pytest.fixture(scope="module")
def client(database, tmp_path_factory):
    """The application over HTTP, with the two sites."""
    fill(database)
    app = create_app(Settings(database_url=database, storage=str(tmp_path_factory.mktemp("frames"))))
    with TestClient(app, raise_server_exceptions=False) as made:
        yield made


@pytest.fixture
def engine(database):
    made = connect(database)
    yield made
    made.dispose()


def sign_in(client, name):
    """Sign in as one of the users; the headers for requests that change something."""
    client.cookies.clear()
    answer = client.post("/api/v1/session", json={"email": f"{name}@mill.example", "password": PASSWORD})
    assert answer.status_code == 200, answer.text
    return {"X-CSRF-Token": answer.json()["csrf"]}


def in_a_loop(coroutine):
    """Run a coroutine function in a thread of its own: browser tests leave a loop running in this one."""
    with ThreadPoolExecutor(1) as pool:
        return pool.submit(lambda: asyncio.run(coroutine())).result()


def columns(*measures):
    """The columns of a report for measures, with nothing of their own."""
    return [{"id": name, "measure": name} for name in measures]


def values(answer, place=0, of="columns"):
    """The figures of one row, bucket or total of an answer, by column."""
    return {one["id"]: one["values"][place] for one in answer[of]}


def a_hit(**changes):
    """A hit that is good as it is."""
    return {
        "id": str(uuid.uuid4()),
        "at": (now() - timedelta(seconds=5)).isoformat(timespec="milliseconds"),
        "visitor": "v1",
        "kind": "view",
        "url": "https://mill.example/courses?via=card",
        "user_agent": "Mozilla/5.0 (X11; Linux x86_64) Gecko/20100101 Firefox/139.0",
    } | changes


def collect(client, hits):
    """Sends hits, as many at once as are taken."""
    for start in range(0, len(hits), 100):
        assert client.post("/collect?site=mill", json=hits[start : start + 100]).status_code == 204


def stored(engine, what="count(*)", where="true"):
    """One number from the hits."""
    with engine.connect() as connection:
        return connection.execute(sa.text(f"SELECT {what} FROM hits WHERE {where}")).scalar()


def today():
    return now().date().isoformat()


def period(first=None, last=None):
    return {"first": first or today(), "last": last or today()}


# For servers of which nobody asks how reading stands apart: a start takes half the time.
IN_ONE = {"READING_APART": "false"}


class Server:
    """The application as a process of its own, that can be killed."""

    SCRIPT = (
        "import sys\nfrom pathlib import Path\nfrom upper_compass.api.app import create_app\nfrom upper_compass.settings import Settings\nfrom upper_compass.run.serving import serve_app\n"
        "url, port, snapshots, demo = sys.argv[1:]\nfrom upper_compass.run.build import TRACKER, WEB\n"
        "settings = Settings(database_url=url, storage=snapshots, web=WEB, tracker=TRACKER, demo=demo == 'demo', instance='test')\n"
        "app = create_app(settings)\n"
        "serve_app(app, int(port), settings)\n"
    )

    def __init__(self, url, snapshots, *, demo=False, settings=None):
        self._environment = (
            os.environ
            | {"PYTHONPATH": str(ROOT / "src")}
            # Two runs of tests share the machine; what waits for reports is not to wait for the other one too.
            | {"COMPASS_READING_APART": "true", "COMPASS_READING_NICE": "0"}
            | {f"COMPASS_{name}": value for name, value in (settings or {}).items()}
        )
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            self.port = probe.getsockname()[1]
        self.address = f"http://127.0.0.1:{self.port}"
        self._arguments = [sys.executable, "-c", self.SCRIPT, url, str(self.port), str(snapshots), "demo" if demo else "plain"]
        self.process = None

    def start(self):
        self.process = subprocess.Popen(self._arguments, env=self._environment)
        for _ in range(1200):
            assert self.process.poll() is None, "the application ended by itself"
            with contextlib.suppress(OSError), urllib.request.urlopen(f"{self.address}/health", timeout=1) as answer:
                health = json.load(answer)
                if health["instance"] == "test" and health["ready"]:
                    return self
            time.sleep(0.05)
        raise AssertionError("the application did not answer")

    def kill(self):
        self.process.kill()
        self.process.wait()

    def stop(self):
        self.process.terminate()
        self.process.wait(timeout=30)


@pytest.fixture(scope="session")
def laid(cluster, tmp_path_factory, worker_id):
    """The name of a database with the demo, laid once for all processes of a run.

    With COMPASS_KEEP_DEMO in the environment the next run takes it as it is, for those who run one test over and over.
    """
    with once_a_run(LAID, tmp_path_factory, worker_id) as first:
        if first:
            if not os.environ.get("COMPASS_KEEP_DEMO"):
                cluster.drop_database(LAID)
            cluster.ensure_database(LAID)
            engine = connect(cluster.url(LAID))
            migrate(engine)
            if not seeded_today(engine, now()):
                seed_demo(engine, cluster.url(LAID), now())
            engine.dispose()
    return LAID


@pytest.fixture(scope="session")
def demo_database(cluster, laid):
    """The demo with its thirteen months, in a database of this process' own."""
    name = f"compass_test_{secrets.token_hex(6)}"
    cluster.copy_database(laid, name)
    engine = connect(cluster.url(name))
    yield engine
    engine.dispose()
    cluster.drop_database(name)
