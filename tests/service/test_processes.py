"""Collecting and reading apart, collecting in several processes: one that is killed comes back, the others go on, and no hit is lost or doubled."""

import json
import os
import re
import signal
import socket
import subprocess
import sys
import threading
import time
import urllib.error
import urllib.request
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest

from tests.conftest import PASSWORD, a_hit, fill, period, stored
from upper_compass.run.places import ROOT
from upper_compass.store.database import connect

COLLECTING = 2
# COMPASS_KILLS=20 does it as often as is asked for.
KILLS = int(os.environ.get("COMPASS_KILLS", "2"))


def ports_in_a_row(count):
    """The first of so many that nobody has; each process of the tests looks at some of its own."""
    begin = 31_000 + 400 * int(os.environ.get("PYTEST_XDIST_WORKER", "gw0").removeprefix("gw"))
    for first in range(begin, begin + 400, count):
        with socket.socket() as probe:
            if all(probe.connect_ex(("127.0.0.1", first + one)) for one in range(count)):
                return first
    raise AssertionError("no ports are free")


@pytest.fixture(scope="module")
def installation(database, tmp_path_factory):
    """(process of `./compass run`, port of the application, port that collects)."""
    fill(database)
    port = ports_in_a_row(COLLECTING + 3)
    given = {"DATABASE_URL": database, "DATA": tmp_path_factory.mktemp("data"), "PORT": port, "COLLECTING": COLLECTING, "COLLECT_PORT": port + 1}
    given |= {"READING_APART": "false", "HITS_PER_NETWORK": 10**9, "HITS_PER_SITE": 10**9}
    environment = os.environ | {"PYTHONPATH": str(ROOT / "src")} | {f"COMPASS_{name}": str(value) for name, value in given.items()}
    process = subprocess.Popen([sys.executable, "-m", "upper_compass.cli", "run"], cwd=ROOT, env=environment)
    up(process, *range(port, port + 1), *range(port + 2, port + 2 + COLLECTING))
    yield process, port, port + 1
    process.terminate()
    assert process.wait(30) == 0


def up(process, *ports):
    """Wait until all of these answer and are whole."""
    for port in ports:
        for _ in range(600):
            assert process.poll() is None
            try:
                if json.loads(read(port, "/health"))["ready"]:
                    break
            except (OSError, ValueError):
                pass
            time.sleep(0.1)
        else:
            raise AssertionError(f"port {port} does not answer")


def read(port, path, body=None, **headers):
    asked = urllib.request.Request(f"http://127.0.0.1:{port}{path}", json.dumps(body).encode() if body is not None else None, headers)
    with urllib.request.urlopen(asked, timeout=30) as answer:
        return answer.read().decode()


def collect(port, hits):
    """Send hits as the script does: again until they are answered."""
    for _ in range(1000):
        try:
            read(port, "/collect?site=mill", hits, **{"Content-Type": "text/plain"})
        except OSError:
            time.sleep(0.05)
        else:
            return len(hits)
    raise AssertionError("nobody collects")


def parts_of(process):
    """The processes below it, by the arguments that tell them apart."""
    found = {}
    for one in Path("/proc").glob("[0-9]*"):
        try:
            stat, command = (one / "stat").read_text(), (one / "cmdline").read_text().split("\0")
        except OSError:
            continue
        if int(stat.rpartition(")")[2].split()[1]) == process.pid:
            found[" ".join(command[command.index("serve") :]).strip()] = int(one.name)
    return found


def visits(port, token):
    asked = {"period": period(), "versus": "none", "dimensions": ["channel"], "columns": [{"id": "hits", "measure": "views"}]}
    headers = {"Authorization": f"Bearer {token}", "Content-Type": "application/json"}
    return json.loads(read(port, "/api/v1/sites/mill/reports/table", asked, **headers))["total"][0]["values"][0]


def test_who_collects_answers_nothing_else_and_each_tells_its_figures(installation):
    process, port, shared = installation
    assert '"mill.example"' in read(shared, "/uc.js?site=mill")
    with pytest.raises(urllib.error.HTTPError, match="404"):
        read(shared, "/api/v1/openid")
    before = [figure(shared + 1 + one) for one in range(COLLECTING)]
    for _ in range(24):  # each comes over a connection of its own
        collect(shared, [a_hit()])
    told = [figure(shared + 1 + one) - before[one] for one in range(COLLECTING)]
    assert sum(told) == 24
    assert min(told) > 0
    assert sorted(parts_of(process)) == sorted(parts(port, shared))


def parts(port, shared):
    """Each process by its arguments, and the port on which it alone answers."""
    return {f"serve main {port}": port} | {f"serve main {shared} --collector {one}": shared + 1 + one for one in range(COLLECTING)}


def figure(port):
    return float(re.search(r"^compass_hits_stored_total (\S+)$", read(port, "/metrics"), re.M)[1])


def test_whichever_is_killed_the_others_collect_and_it_comes_back(installation, engine):
    process, port, shared = installation
    count, told = stored(engine), [0]
    ended = threading.Event()

    def send(visitor):
        while not ended.is_set():
            told.append(collect(shared, [a_hit(visitor=visitor) for _ in range(5)]))

    with ThreadPoolExecutor(3) as pool:
        sending = [pool.submit(send, f"v{one}") for one in range(3)]
        for name, answers in parts(port, shared).items():
            os.kill(parts_of(process)[name], signal.SIGKILL)
            before = len(told)
            up(process, answers)
            assert len(told) > before  # somebody else collected meanwhile
        ended.set()
        for one in sending:
            one.result()
    assert stored(engine) == count + sum(told)
    assert len(parts_of(process)) == COLLECTING + 1
    token = signed_in_token(port)
    assert visits(port, token) == count + sum(told)


def signed_in_token(port):
    """A token, made as a person makes one."""
    opener = urllib.request.build_opener(urllib.request.HTTPCookieProcessor())

    def sent(path, body, **headers):
        asked = urllib.request.Request(f"http://127.0.0.1:{port}{path}", json.dumps(body).encode(), {"Content-Type": "application/json"} | headers)
        with opener.open(asked, timeout=30) as answer:
            return json.load(answer)

    csrf = sent("/api/v1/session", {"email": "owner@mill.example", "password": PASSWORD})["csrf"]
    return sent("/api/v1/account/tokens", {"name": "a test", "scope": "read"}, **{"X-CSRF-Token": csrf})["secret"]


def test_a_postgresql_that_is_killed_comes_back_with_every_hit_that_was_answered(tmp_path):
    """The installation's own; it is started again by whoever watches over the processes."""
    port = ports_in_a_row(1)
    given = {"DATA": tmp_path, "PORT": port, "READING_APART": "false", "HITS_PER_NETWORK": 10**9, "HITS_PER_SITE": 10**9}
    environment = os.environ | {"PYTHONPATH": str(ROOT / "src")} | {f"COMPASS_{name}": str(value) for name, value in given.items()}
    process = subprocess.Popen([sys.executable, "-m", "upper_compass.cli", "run"], cwd=ROOT, env=environment)
    try:
        up(process, port)
        url = f"postgresql+psycopg://compass:{(tmp_path / 'postgres.password').read_text()}@127.0.0.1:{(tmp_path / 'postgres.port').read_text()}/compass_main"
        fill(url)
        answered, ended = [], threading.Event()

        def send(visitor):
            while not ended.is_set():
                hits = [a_hit(visitor=visitor) for _ in range(5)]
                collect(port, hits)
                answered.extend(hit["id"] for hit in hits)

        with ThreadPoolExecutor(3) as pool:
            sending = [pool.submit(send, f"v{one}") for one in range(3)]
            for _ in range(KILLS):
                before = len(answered)
                while len(answered) < before + 100:
                    ended.wait(0.01)
                os.kill(int((tmp_path / "postgres/data/postmaster.pid").read_text().split()[0]), signal.SIGKILL)
                before = len(answered)
                while len(answered) < before + 100:
                    ended.wait(0.01)
            ended.set()
            for one in sending:
                one.result()
        engine = connect(url)
        found = stored(engine, "array_agg(id::text)")
        engine.dispose()
        assert sorted(found) == sorted(answered)
        assert visits(port, signed_in_token(port)) == len(answered)
    finally:
        process.terminate()
        assert process.wait(60) == 0


def test_what_never_comes_up_ends_and_says_so():
    environment = os.environ | {"PYTHONPATH": str(ROOT / "src"), "COMPASS_MEMORY_MB": "none"}
    done = subprocess.run(
        [sys.executable, "-m", "upper_compass.cli", "supervise", "127.0.0.1:1 serve main 1"],
        cwd=ROOT,
        env=environment,
        capture_output=True,
        text=True,
        check=False,
        timeout=60,
    )
    assert done.returncode == 1
    assert "COMPASS_MEMORY_MB in the environment" in done.stderr
