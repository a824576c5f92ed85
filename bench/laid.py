"""The demo's history in a database of its own, for what is measured on it."""

from __future__ import annotations

import secrets
from collections.abc import Iterator
from contextlib import contextmanager

from upper_compass.demo.laying import seed_demo
from upper_compass.run.cluster import start_cluster
from upper_compass.settings import Clock
from upper_compass.store.database import connect, migrate


@contextmanager
def laid_demo() -> Iterator[str]:
    """Address of the database, which is dropped afterwards."""
    cluster = start_cluster()
    name = f"compass_bench_{secrets.token_hex(4)}"
    cluster.ensure_database(name)
    try:
        engine = connect(cluster.url(name))
        migrate(engine)
        seed_demo(engine, cluster.url(name), Clock().now())
        engine.dispose()
        yield cluster.url(name)
    finally:
        cluster.drop_database(name)
