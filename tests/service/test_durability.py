"""Kill the application while hits pour in: what was answered with 204 is there, exactly once."""

import json
import os
import threading
import urllib.error
import urllib.request

from tests.conftest import IN_ONE, Server, a_hit, fill, stored
from upper_compass.store.database import connect

ROUNDS = int(os.environ.get("COMPASS_KILLS", "2"))
SENDERS = 8


def test_every_hit_that_was_answered_is_stored_exactly_once_after_kills(database, tmp_path):
    fill(database)
    server = Server(database, tmp_path, settings=IN_ONE)
    answered: list[str] = []
    sent: list[str] = []

    def send(stop):
        waiting = []
        while not stop.is_set():
            waiting = waiting or [a_hit() for _ in range(5)]
            sent.extend(hit["id"] for hit in waiting)
            request = urllib.request.Request(f"{server.address}/collect?site=mill", json.dumps(waiting).encode(), {"Content-Type": "text/plain"})
            try:
                with urllib.request.urlopen(request, timeout=10) as answer:
                    if answer.status == 204:
                        answered.extend(hit["id"] for hit in waiting)
                        waiting = []
            except (OSError, urllib.error.HTTPError):
                stop.wait(0.02)  # killed: the same hits are sent again, with the same ids

    before = 0
    for _ in range(ROUNDS):
        server.start()
        stop = threading.Event()
        threads = [threading.Thread(target=send, args=(stop,)) for _ in range(SENDERS)]
        for thread in threads:
            thread.start()
        while len(answered) < before + 400:
            stop.wait(0.01)
        server.kill()
        stop.set()
        for thread in threads:
            thread.join()
        before = len(answered)
    engine = connect(database)
    assert len(set(answered)) == len(answered) >= 400 * ROUNDS
    found = set(stored(engine, "array_agg(id::text)"))
    assert stored(engine) == len(found)
    assert set(answered) <= found <= set(sent)
    engine.dispose()
