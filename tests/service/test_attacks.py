"""What was found by attacking: each attack is run against a server of its own, which goes on collecting and saying that it is well meanwhile."""

import contextlib
import gzip
import json
import socket
import threading
import time
import urllib.error
import urllib.request
from pathlib import Path

import httpx2 as httpx
import psycopg
import pytest

from tests.conftest import IN_ONE, PASSWORD, Server, a_hit, fill, now

PATIENCE = 5.0
LARGE = "https://mill.example/" + ("a" * 30 + "%40" + "b" * 30) * 61
HEAVY = {"test": "regular expression", "pattern": r"\w{90}\W{90}N"}


@pytest.fixture(scope="module")
def server(database, tmp_path_factory):
    fill(database)
    running = Server(database, tmp_path_factory.mktemp("frames"), settings=IN_ONE | {"HEAD_SECONDS": "1", "BODY_SECONDS": "2", "MAX_CONNECTIONS": "60"}).start()
    yield running
    running.stop()


@pytest.fixture(scope="module")
def owner(server):
    """Signed in as the owner."""
    with httpx.Client(base_url=server.address, timeout=60) as client:
        signed = client.post("/api/v1/session", json={"email": "owner@mill.example", "password": PASSWORD}).json()
        client.headers["X-CSRF-Token"] = signed["csrf"]
        yield client


def post(server, path, body, **headers):
    """The status of an answer."""
    request = urllib.request.Request(
        f"{server.address}{path}", body if isinstance(body, bytes) else json.dumps(body).encode(), {"Content-Type": "application/json"} | headers, method="POST"
    )
    try:
        with urllib.request.urlopen(request, timeout=60) as answer:
            return answer.status
    except urllib.error.HTTPError as refused:
        return refused.code


@contextlib.contextmanager
def going_on(server):
    """While something else is done, the server goes on answering, each time within a few seconds."""
    done = threading.Event()
    faults, asked = [], []

    def look():
        # Not verified: reading the machine's authorities each time would take longer than what is asked.
        while not done.is_set() or not asked:
            try:
                with httpx.Client(base_url=server.address, timeout=PATIENCE, verify=False) as client:
                    answers = (client.get("/health").status_code, client.post("/collect?site=mill", json=a_hit(visitor="bystander")).status_code)
                asked.append(answers)
                if answers != (200, 204):
                    faults.append(answers)
            except httpx.HTTPError as why:
                faults.append(repr(why))
            time.sleep(0.05)

    looking = threading.Thread(target=look)
    looking.start()
    try:
        yield
    finally:
        done.set()
        looking.join()
    assert faults == []


def test_addresses_that_look_like_mail_without_end(server, owner):
    hits = [a_hit(url=LARGE, referrer=LARGE) for _ in range(7)]
    drafts = [{"address": LARGE, "source": "a" * 500, "medium": "b%40" * 100} for _ in range(20)]
    with going_on(server):
        assert post(server, "/collect?site=mill", hits) == 204
        assert owner.post("/api/v1/sites/mill/links/build", json=drafts).status_code == 200


def test_settings_full_of_patterns_that_grow(server, owner):
    site = {"name": "Mill", "rules": {"hosts": ["mill.example"], "page_groups": [{"name": f"g{i}"} | HEAVY for i in range(200)]}}
    with going_on(server):
        refused = owner.put("/api/v1/sites/mill", json=site)
    assert (refused.status_code, "grows too large" in refused.json()["errors"][0]["text"]) == (422, True)
    fitting = [{"name": f"g{i}", "test": "regular expression", "pattern": rf"\w{{10}}N{i}"} for i in range(4)]
    with going_on(server):
        assert owner.put("/api/v1/sites/mill", json=site | {"rules": {"hosts": ["mill.example"], "page_groups": fitting}}).status_code == 200
        assert owner.put("/api/v1/sites/mill", json=site | {"rules": {"hosts": ["mill.example", "127.0.0.1"]}}).status_code == 200


def test_goals_conditions_and_fields_full_of_patterns_that_grow(server, owner):
    heavy = {"key": "k", "test": "regular expression", "value": HEAVY["pattern"]}
    goal = {"match": {"kind": "event", "names": ["book"], "props": [heavy] * 10}}
    with going_on(server):
        assert owner.post("/api/v1/sites/mill/goals", json={"name": "x", "goal": goal}).status_code == 422
        assert owner.post("/api/v1/sites/mill/goals/preview", json={"goal": goal}).status_code == 422
        field = {"key": "f", "title": "F", "read": {"kind": "page", "pattern": rf"({HEAVY['pattern']})"}}
        assert owner.put("/api/v1/sites/mill/fields/f", json=field).status_code == 422


def test_segments_full_of_patterns_deep_and_long_ones(server, owner):
    def condition(i):
        return {"kind": "dimension", "dimension": "page", "test": "regular expression", "values": [rf"\w{{9}}N{i}"]}

    def ask(*segments):
        columns = [{"id": str(i), "measure": "visits", "segment": {"where": {"conditions": found}}} for i, found in enumerate(segments)]
        table = {"period": {"first": "2026-11-01", "last": "2026-11-24"}, "columns": columns}
        return owner.post("/api/v1/sites/mill/reports/table", json=table)

    deep = {"kind": "group", "conditions": []}
    for _ in range(400):
        deep = {"kind": "group", "conditions": [deep]}

    def steps(k):
        return {"kind": "in order", "steps": [{"kind": "view", "page": {"test": "is", "value": f"/{k}"}}] * 10}

    with going_on(server):
        together = ask(*([condition(60 * k + i) for i in range(60)] for k in range(30)))
        assert (together.status_code, "too large together" in together.text) == (422, True)
        assert ask([deep]).status_code == 422
        many = ask(*([steps(k)] * 6 for k in range(30)))
        assert (many.status_code, "120 conditions together" in many.text) == (422, True)
        # One that several columns have is judged once.
        assert ask(*([steps(k % 2)] * 6 for k in range(30))).status_code == 200


def test_funnels_and_paths_at_their_limits(server, owner):
    period = {"first": "2017-01-01", "last": "2026-11-24"}
    step = {"kind": "view", "page": {"test": "regular expression", "value": HEAVY["pattern"]}}
    plain = [{"kind": "view", "page": {"test": "contains", "value": "a"}}] * 10
    chains = [{"chain": [{"value": f"/p/p/p/p{i}"}] * 12, "most": 200} for i in range(60)]
    centre = {"dimension": "page", "value": "/" + "p" * 3_900}
    with going_on(server):
        refused = owner.post("/api/v1/sites/mill/reports/funnel", json={"period": period, "funnel": {"steps": [step] * 10}})
        assert refused.status_code == 422
        suggested = owner.post("/api/v1/sites/mill/reports/funnel-suggestion", json={"period": period, "last": step})
        assert suggested.status_code == 422
        for more in ({"units": "people", "window_minutes": 1e7}, {"units": "visits", "directly_next": True}):
            asked = {"period": period, "funnel": {"steps": plain} | more, "dimension": "page", "limit": 1000, "beside": [{"where": {}}] * 4}
            assert owner.post("/api/v1/sites/mill/reports/funnel", json=asked).status_code == 200
        fine = {"period": period, "funnel": {"steps": plain}, "bucket": "hour"}
        assert owner.post("/api/v1/sites/mill/reports/funnel-series", json=fine).status_code == 422
        wide = {"period": period, "centre": centre, "forward": chains, "backward": chains, "steps": "pages and events"}
        assert owner.post("/api/v1/sites/mill/reports/paths", json=wide).status_code == 200
        ways = [{"kind": "way", "centre": centre, "forward": [{"value": "/x"}] * 12}] * 60
        table = {"period": period, "columns": [{"id": "v", "measure": "visits"}], "segment": {"where": {"conditions": ways}}}
        assert owner.post("/api/v1/sites/mill/reports/table", json=table).status_code == 200
        kept = owner.post("/api/v1/sites/mill/funnels", json={"name": "x" * 101, "funnel": {"steps": plain}})
        assert kept.status_code == 422
        assert owner.post("/api/v1/sites/mill/funnels", json={"name": "x", "funnel": {"steps": [step] * 10}}).status_code == 422


def memory_of(server):
    lines = Path(f"/proc/{server.process.pid}/status").read_text().splitlines()
    return next(int(line.split()[1]) / 1024 for line in lines if line.startswith("VmRSS"))


def test_previews_of_goals_that_somebody_is_still_writing_are_not_kept(server, owner):
    before = memory_of(server)
    with going_on(server):
        for i in range(60):
            goal = {"match": {"kind": "view", "page": {"test": "regular expression", "value": rf"\w{{9}}N{i}"}}}
            assert owner.post("/api/v1/sites/mill/goals/preview", json={"goal": goal}).status_code == 200
    assert memory_of(server) - before < 400


def test_bodies_without_end_are_refused_before_they_are_read(server, owner):
    before = memory_of(server)
    large = b"[" + b"1," * 30_000_000 + b"1]"
    with going_on(server):
        for path in ("/api/v1/session", "/api/v1/sites/mill/reports/table", "/api/v1/sites", "/collect?site=mill", "/collect/source?site=mill"):
            with contextlib.suppress(urllib.error.URLError):  # the connection may be closed in the midst of it
                assert post(server, path, large) == 413

        def endless():
            for _ in range(60):
                yield b"[" * 1_000_000

        with contextlib.suppress(httpx.HTTPError):
            assert owner.post("/api/v1/sites/mill/goals/preview", content=endless(), headers={"Content-Type": "application/json"}).status_code == 413
    assert memory_of(server) - before < 100


def test_who_may_not_call_is_told_before_the_body_is_read(server):
    with socket.create_connection(("127.0.0.1", server.port), timeout=PATIENCE) as caller:
        head = f"POST /api/v1/sites/mill/import/hits HTTP/1.1\r\nHost: 127.0.0.1:{server.port}\r\nContent-Length: 1000000\r\n\r\n"
        caller.sendall(head.encode())
        assert caller.recv(100).startswith(b"HTTP/1.1 401")


def test_sixty_guesses_at_once_pass_no_more_than_the_limit_and_the_owner_still_gets_in(server, owner):
    statuses = []

    def guess():
        statuses.append(post(server, "/api/v1/session", {"email": "owner@mill.example", "password": "guess"}))

    with going_on(server):
        guessing = [threading.Thread(target=guess) for _ in range(60)]
        for one in guessing:
            one.start()
        for one in guessing:
            one.join()
    assert (statuses.count(401), statuses.count(429)) == (10, 50)
    right = {"email": "owner@mill.example", "password": PASSWORD}
    assert httpx.post(f"{server.address}/api/v1/session", json=right).status_code == 429  # a stranger's browser, even with the right password
    known = owner.post("/api/v1/session", json=right)  # one that the account knows
    assert known.status_code == 200
    owner.headers["X-CSRF-Token"] = known.json()["csrf"]
    for _ in range(10):
        owner.post("/api/v1/session", json=right | {"password": "guess"})
    assert owner.post("/api/v1/session", json=right | {"password": "guess"}).status_code == 429


def test_slow_senders_are_cut_off_and_leave_room_for_others(server):
    slow = []
    try:
        with going_on(server):
            for i in range(150):  # more than there may be connections
                one = socket.create_connection(("127.0.0.1", server.port), timeout=PATIENCE)
                one.sendall(b"POST /collect?site=mill HTTP/1.1\r\nHost: x\r\n" if i % 2 else b"GET / HT")
                slow.append(one)
            body = socket.create_connection(("127.0.0.1", server.port), timeout=30)
            slow.append(body)
            body.sendall(b"POST /collect?site=mill HTTP/1.1\r\nHost: x\r\nContent-Length: 100\r\n\r\n{")
            assert body.recv(100).startswith(b"HTTP/1.1 408")
            for one in slow[-20:-1]:
                with contextlib.suppress(ConnectionError):
                    assert one.recv(10) == b""  # closed
    finally:
        for one in slow:
            one.close()


def test_a_head_without_end(server):
    with socket.create_connection(("127.0.0.1", server.port), timeout=PATIENCE) as caller, contextlib.suppress(ConnectionError):
        caller.sendall(b"GET / HTTP/1.1\r\n" + b"X-Long: " + b"a" * 300_000)
        assert caller.recv(10) == b""


def imported(owner, body):
    return owner.post("/api/v1/sites/mill/import/hits", content=body).json()


def test_files_that_unpack_without_end_are_broken_or_begin_with_a_mark(server, owner):
    hit = (json.dumps(a_hit(at="2026-11-01T10:00:00Z")) + "\n").encode()
    with going_on(server):
        bad = imported(owner, gzip.compress(b"x\n" * 2_000_000))
        assert "more than 10,000 lines are bad" in bad["broken_off"]
        same = imported(owner, gzip.compress((b" " * 200_000 + hit) * 500))
        assert "more than a hundred times its size" in same["broken_off"]
    whole = gzip.compress(b"".join((json.dumps(a_hit(title=str(i))) + "\n").encode() for i in range(2000)))
    broken = whole[:2000] + bytes(byte ^ 0x55 for byte in whole[2000:2100]) + whole[2100:]
    found = imported(owner, broken)
    assert found["broken_off"].startswith("The file breaks off after line")
    marked = imported(owner, b"\xef\xbb\xbf" + hit.replace(b"2026-11-01", b"2026-11-02"))
    assert (marked["lines"], marked["bad"]) == (1, 0)


def test_an_import_from_all_of_history_makes_few_partitions_and_none_in_the_future(server, owner, database):
    lines = [a_hit(at=f"{year}-{month:02}-01T00:00:00Z") for year in range(1996, 2100) for month in range(1, 13)]
    with going_on(server):
        found = imported(owner, "\n".join(json.dumps(line) for line in lines))
    past = sum(line["at"] < now().isoformat() for line in lines)
    assert (found["stored"], found["bad"]) == (past, len(lines) - past)
    assert {line["text"] for line in found["refused"]} == {"this is in the future"}
    with psycopg.connect(database.replace("+psycopg", "")) as connection:
        months = connection.execute("SELECT count(*) FROM pg_partition_tree('hits') WHERE isleaf").fetchone()[0]
    assert months <= (now().year - 2020 + 1) * 12 + 1


def test_hits_of_other_hosts_are_refused_in_files_as_they_are_when_collected(owner):
    found = imported(owner, json.dumps(a_hit(url="https://elsewhere.example/", at="2026-11-01T10:00:00Z")))
    assert (found["stored"], found["refused"][0]["field"]) == (0, "url")


def test_without_an_origin_only_pages_of_the_site_are_told(server):
    assert post(server, "/collect?site=mill", a_hit(url="https://elsewhere.example/")) == 422
    assert post(server, "/collect?site=mill", a_hit()) == 204


def test_a_surge_is_held_back_told_and_leaves_other_sites_alone(database, tmp_path):
    limits = IN_ONE | {"HITS_PER_NETWORK": "50", "HITS_PER_SITE": "1000"}
    server = Server(database, tmp_path, settings=limits).start()
    try:
        answers = [httpx.post(f"{server.address}/collect?site=mill", json=[a_hit(visitor="flood") for _ in range(10)]) for _ in range(8)]
        assert [answer.status_code for answer in answers] == [204] * 5 + [429] * 3
        assert 0 < int(answers[-1].headers["Retry-After"]) <= 60
        with httpx.Client(base_url=server.address) as viewer:
            viewer.post("/api/v1/session", json={"email": "viewer@mill.example", "password": PASSWORD})
            [surge] = [one for one in viewer.get("/api/v1/sites/mill/findings").json() if one["kind"] == "surge"]
        assert (surge["title"], surge["count"]) == ("More hits came than one network may send", 3)
    finally:
        server.stop()


def test_a_thousand_requests_at_once(server):
    statuses = []

    def send(count):
        for _ in range(count):
            statuses.append(client.post("/collect?site=mill", json=a_hit(visitor="crowd")).status_code)

    with httpx.Client(base_url=server.address, timeout=60) as client:
        crowd = [threading.Thread(target=send, args=(25,)) for _ in range(40)]
        for one in crowd:
            one.start()
        for one in crowd:
            one.join()
    assert statuses == [204] * 1000
