"""Files into the store: a million lines of a server log, gzipped, and hits as JSON Lines. Run: ./compass bench importing [lines].

The log is in the combined form, of 30,000 addresses; three in four lines are pictures, styles and scripts. Told: lines a second that are read and made
into rows (one core), and that are stored; how the memory of the process grew from a tenth of the lines to all of them. Hits as JSON Lines against a raw
COPY of the same rows, without ids being looked up, into a table of the same columns and indexes.
"""

from __future__ import annotations

import gzip
import io
import json
import resource
import secrets
import sys
import tempfile
import time
from datetime import UTC, datetime, timedelta
from pathlib import Path

import numpy as np
import psycopg

from bench.data import RULES
from upper_compass.collect.importing import ImportReport, import_hits, into_site
from upper_compass.collect.log_hits import LogHits
from upper_compass.core.definitions.site_rules import SiteRules
from upper_compass.demo.history import HistoryGenerator
from upper_compass.run.cluster import start_cluster
from upper_compass.store import accounts, sites
from upper_compass.store.database import connect, migrate
from upper_compass.store.hits import ROW, HitWriter

START = datetime(2026, 10, 1, tzinfo=UTC)
ASSETS = ("/mill.css", "/mill.js", "/loaf.jpg", "/favicon.ico", "/fonts/serif.woff2")


def log_of(count: int, to: Path) -> None:
    """A gzipped log of so many lines."""
    dice = np.random.default_rng(3)
    address, page, asset = dice.integers(0, 30_000, count), dice.integers(0, 2_000, count), dice.integers(0, len(ASSETS), count)
    is_page = dice.random(count) < 0.25
    agents = [f"Mozilla/5.0 (X11; Linux x86_64; rv:{100 + one}.0) Gecko/20100101 Firefox/{100 + one}.0" for one in range(40)]
    with gzip.open(to, "wt", compresslevel=1) as out:
        for i in range(count):
            at = START + timedelta(seconds=i * 2_000_000 / count)
            asked = f"/p{page[i]}?utm_source=letter&utm_medium=email" if is_page[i] and page[i] < 200 else f"/p{page[i]}" if is_page[i] else ASSETS[asset[i]]
            who = address[i]
            referrer = "https://mill.example/" if i % 3 else "https://seekwell.example/find"
            out.write(
                f"10.{who >> 16}.{who >> 8 & 255}.{who & 255} - - [{at:%d/%b/%Y:%H:%M:%S +0000}] "
                f'"GET {asked} HTTP/1.1" 200 5120 "{referrer}" "{agents[who % 40]}"\n'
            )


def main() -> None:
    """Measure."""
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 1_000_000
    cluster = start_cluster()
    name = "compass_bench_importing"
    cluster.drop_database(name)
    cluster.ensure_database(name)
    engine = connect(cluster.url(name))
    migrate(engine)
    rules = SiteRules(hosts=RULES.hosts)
    with engine.begin() as connection:
        owner = accounts.add_user(connection, "owner@mill.example", "Owner", secrets.token_hex(8))
        site = sites.add_site(connection, "Mill", rules, owner.id)
    into = into_site(site, datetime(2027, 1, 1, tzinfo=UTC))
    plain = cluster.url(name).replace("+psycopg", "")
    with tempfile.TemporaryDirectory() as folder, psycopg.connect(plain) as connection:
        few, many = Path(folder) / "few.gz", Path(folder) / "many.gz"
        log_of(count // 10, few)
        log_of(count, many)
        began = time.process_time()
        reading = LogHits("ncsa", into)
        with gzip.open(many, "rb") as opened:
            lines = iter(opened)
            while batch := [line for line, _ in zip(lines, range(20_000), strict=False)]:
                reading.read(batch, 1)
        read = time.process_time() - began
        report, _ = _imported(few, into, connection)
        small = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
        report, seconds = _imported(many, into, connection)
        grown = (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - small) / 1024
        told = {
            "lines": count,
            "read a second and core": round(count / read),
            "stored a second": round(count / seconds),
            "stored": report.stored,
            "memory grew, MB": round(grown, 1),
        }
        print(json.dumps({"log": told}), flush=True)
        print(json.dumps({"json lines": _json_lines(into, connection, 300_000)}), flush=True)
    engine.dispose()
    cluster.drop_database(name)


def _imported(path: Path, into: object, connection: psycopg.Connection) -> tuple[ImportReport, float]:
    began = time.perf_counter()
    with path.open("rb") as opened:
        report = import_hits(opened, into, HitWriter(connection))  # type: ignore[arg-type]
    return report, time.perf_counter() - began


def _json_lines(into: object, connection: psycopg.Connection, count: int) -> dict[str, float]:
    lines = []
    for line in HistoryGenerator(datetime(2026, 11, 26, tzinfo=UTC).date()).lines():
        lines.append(line.replace(b"fennmoor-mill.example", b"mill.example"))
        if len(lines) == count:
            break
    began = time.perf_counter()
    report = import_hits(io.BufferedReader(io.BytesIO(b"".join(lines))), into, HitWriter(connection))  # type: ignore[arg-type]
    seconds = time.perf_counter() - began
    connection.execute("CREATE TABLE raw_copy (LIKE hits INCLUDING INDEXES)")
    connection.execute(f"CREATE TEMP TABLE those AS SELECT * FROM hits ORDER BY seq DESC LIMIT {report.stored}")
    columns = ", ".join(("seq", "received_at", *ROW))
    out = io.BytesIO()
    with connection.cursor() as cursor, cursor.copy(f"COPY (SELECT {columns} FROM those ORDER BY seq) TO STDOUT") as copy:
        for chunk in copy:
            out.write(chunk)
    began = time.perf_counter()
    with connection.cursor() as cursor, cursor.copy(f"COPY raw_copy ({columns}) FROM STDIN") as copy:
        copy.write(out.getvalue())
    connection.commit()
    raw = time.perf_counter() - began
    return {
        "hits": report.stored,
        "a second": round(report.stored / seconds),
        "raw COPY, a second": round(report.stored / raw),
        "ratio": round(raw / seconds, 3),
    }


if __name__ == "__main__":
    main()
