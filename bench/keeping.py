"""Keeping and bringing back: `./compass backup` and `restore` against pg_dump and pg_restore of the same database.

`./compass bench keeping [HITS]`; ten million unless said otherwise.
"""

from __future__ import annotations

import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import psycopg

from bench.laid import laid_demo
from upper_compass.run.cluster import start_cluster
from upper_compass.run.safekeeping import backup, restore, tool

HITS = 10_000_000
BAR = 2.0
COLUMNS = (
    "site_id, at, visitor, kind, url, title, referrer, name, value, currency, order_id, order_data, engaged_ms, props, fields, language, timezone, screen,"
    " user_agent, country, robot, internal"
)


def timed(do: Callable[[], object]) -> float:
    """Seconds that something takes."""
    began = time.perf_counter()
    do()
    return time.perf_counter() - began


def grow(url: str, count: int) -> int:
    """Let the demo's hits stand there as often as is needed, each time by other visitors and with other ids; how many there are then."""
    with psycopg.connect(url.replace("+psycopg", ""), autocommit=True) as connection:
        laid = connection.execute("SELECT count(*) FROM hits").fetchone()[0]  # type: ignore[index]
        for number in range(1, -(-count // laid)):
            chosen = COLUMNS.replace("visitor", f"visitor || '-{number}'")
            connection.execute(f"INSERT INTO hits (id, {COLUMNS}) SELECT gen_random_uuid(), {chosen} FROM hits WHERE seq <= {laid}")
        connection.execute("INSERT INTO hit_ids SELECT site_id, id FROM hits ON CONFLICT DO NOTHING")
        connection.execute("ANALYZE")
        return int(connection.execute("SELECT count(*) FROM hits").fetchone()[0])  # type: ignore[index]


def main() -> None:
    """Measure, and say it."""
    wanted = int(sys.argv[1]) if len(sys.argv) > 1 else HITS
    cluster = start_cluster()
    with laid_demo() as url, tempfile.TemporaryDirectory() as folder:
        hits = grow(url, wanted)
        plain, kept = Path(folder) / "plain.dump", Path(folder) / "kept.tar"
        dump, with_password = tool("pg_dump", url, "-Fc", "-Z1", "-f", str(plain))
        times = {"pg_dump": timed(lambda: subprocess.run(dump, env=with_password, check=True)), "backup": timed(lambda: backup(url, kept))}
        for name, bring in (
            ("pg_restore", lambda to: subprocess.run([*tool("pg_restore", to, "--no-owner")[0], str(plain)], env=tool("pg_restore", to)[1], check=True)),
            ("restore", lambda to: restore(to, kept)),
        ):
            cluster.drop_database("compass_bench_back")
            cluster.ensure_database("compass_bench_back")
            times[name] = timed(lambda bring=bring: bring(cluster.url("compass_bench_back")))  # type: ignore[misc]
        cluster.drop_database("compass_bench_back")
        size = plain.stat().st_size, kept.stat().st_size
    print(f"{hits:,} hits; a file of {size[0] / 1e6:,.0f} and {size[1] / 1e6:,.0f} MB")
    for ours, theirs in (("backup", "pg_dump"), ("restore", "pg_restore")):
        print(f"{ours} {times[ours]:.1f} s, {theirs} {times[theirs]:.1f} s: {times[ours] / times[theirs]:.2f} (bar {BAR})")


if __name__ == "__main__":
    main()
