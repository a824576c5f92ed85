"""Hits in and out of PostgreSQL, by COPY."""

from __future__ import annotations

import io
from collections.abc import Iterable, Iterator, Sequence
from datetime import UTC, datetime
from typing import Any

import polars as pl
import psycopg
import sqlalchemy as sa

from upper_compass.core.dataset.coded_hits import CODED, PLAIN, RAW_SCHEMA
from upper_compass.core.definitions.hits import Kind
from upper_compass.store.tables import hit_ids, hits, sites

# A row to be stored: these columns, in this order.
ROW = (
    "site_id", "id", "at", "visitor", "kind", "url", "title", "referrer", "name", "value", "currency", "order_id", "order_data",
    "engaged_ms", "props", "fields", "language", "timezone", "screen", "user_agent", "country", "robot", "internal",
)  # fmt: skip
SITE, ID, AT = 0, 1, 2
HitRow = tuple[Any, ...]

# Held by whoever stores hits until the commit, so that a hit that becomes visible has a higher number than all that are visible.
_WRITER_LOCK = 72022

_STAGING = (
    "CREATE TEMP TABLE IF NOT EXISTS arriving (ordinal integer, LIKE hits) ON COMMIT DELETE ROWS",
    "ALTER TABLE arriving ALTER COLUMN seq DROP NOT NULL, ALTER COLUMN received_at DROP NOT NULL",
)
_COPY = f"COPY arriving (ordinal, {', '.join(ROW)}) FROM STDIN"
_STORE = f"""
WITH fresh AS (
    INSERT INTO hit_ids (site_id, id)
    SELECT site_id, id FROM arriving
    WHERE NOT EXISTS (SELECT FROM hit_ids AS held WHERE held.site_id = arriving.site_id AND held.id = arriving.id)
    ORDER BY site_id, id
    RETURNING site_id, id
)
INSERT INTO hits (seq, import_id, {", ".join(ROW)})
SELECT nextval('hit_seq'), %s, {", ".join(ROW)}
FROM (SELECT arriving.* FROM arriving JOIN fresh USING (site_id, id) ORDER BY ordinal) AS ordered
"""  # noqa: S608
_OUT = f"""
COPY (
    SELECT seq, (extract(epoch FROM at) * 1000)::bigint AS at, kind, value, coalesce(engaged_ms, 0) AS engaged_ms,
           robot::integer AS robot, internal::integer AS internal, {", ".join("order_data->'items' AS items" if name == "items" else name for name in CODED)}
    FROM hits WHERE site_id = %s AND seq > %s AND seq <= %s
) TO STDOUT (FORMAT csv)
"""  # noqa: S608
_OUT_SCHEMA = {name: pl.Int8() if name in ("robot", "internal") else kind for name, kind in PLAIN.items()} | {name: pl.String() for name in CODED}
PART = 400_000
# What is older lies in one partition, so that an import of ancient times makes no more than one.
FIRST_YEAR_BY_MONTH = 2020


def first_moments(connection: sa.Connection, site_ids: Sequence[int]) -> dict[int, datetime]:
    """The time of the first hit of each of these sites that has any."""
    asked = sa.select(sites.c.id).where(sites.c.id.in_(site_ids)).subquery()
    earliest = sa.select(hits.c.at).where(hits.c.site_id == asked.c.id).order_by(hits.c.at).limit(1).lateral()
    return {row.id: row.at for row in connection.execute(sa.select(asked.c.id, earliest.c.at).join(earliest, sa.true()))}


def newest_page(connection: sa.Connection, site_id: int) -> str | None:
    """The address of the page that a person saw last."""
    views = sa.select(hits.c.url).where(hits.c.site_id == site_id, hits.c.kind == int(Kind.view), ~hits.c.robot)
    return connection.execute(views.order_by(hits.c.seq.desc()).limit(1)).scalar()


class HitWriter:
    """Stores rows over one connection; each call is one transaction, durable when it returns. `import_id`: of the import that they come with."""

    def __init__(self, connection: psycopg.Connection[Any], import_id: int | None = None) -> None:
        self._connection, self._import_id = connection, import_id
        self._months: set[tuple[int, int]] = set()
        for statement in _STAGING:
            connection.execute(statement)
        connection.commit()

    def store(self, rows: Sequence[HitRow]) -> int:
        """Store what is not there yet, in the order given, and commit. Returns how many were new."""
        unique: dict[tuple[Any, Any], HitRow] = {}
        for row in rows:  # of copies in one batch the first stays, at its place
            unique.setdefault((row[SITE], row[ID]), row)
        ordered = list(unique.values())
        try:
            return self._store(ordered)
        except BaseException:
            self._months.clear()  # partitions that were made are gone with the transaction
            raise

    def _store(self, ordered: Sequence[HitRow]) -> int:
        with self._connection.transaction(), self._connection.cursor() as cursor:
            cursor.execute("SELECT pg_advisory_xact_lock(%s)", [_WRITER_LOCK])
            self._make_partitions(cursor, (row[AT] for row in ordered))
            with cursor.copy(_COPY) as copy:
                for ordinal, row in enumerate(ordered):
                    copy.write_row((ordinal, *row))
            cursor.execute(_STORE, [self._import_id])
            return cursor.rowcount

    def _make_partitions(self, cursor: psycopg.Cursor[Any], moments: Iterable[datetime]) -> None:
        for year, month in {(at.year, at.month) for at in moments if at.year >= FIRST_YEAR_BY_MONTH} - self._months:
            name = f"hits_{year:04}_{month:02}"
            first = datetime(year, month, 1, tzinfo=UTC)
            following = datetime(year + month // 12, month % 12 + 1, 1, tzinfo=UTC)
            if not cursor.execute("SELECT to_regclass(%s) IS NOT NULL", [name]).fetchone()[0]:  # type: ignore[index]
                cursor.execute(f"CREATE TABLE {name} PARTITION OF hits FOR VALUES FROM ('{first.isoformat()}') TO ('{following.isoformat()}')")
            # Known only for this transaction until it commits; asking once more costs little.
            self._months.add((year, month))

    def close(self) -> None:
        """Close the connection."""
        self._connection.close()


def newest(connection: psycopg.Connection[Any], site_id: int) -> tuple[int, str | None]:
    """(number, id) of the site's newest visible hit, (0, None) when it has none."""
    found = connection.execute("SELECT seq, id::text FROM hits WHERE site_id = %s ORDER BY seq DESC LIMIT 1", [site_id]).fetchone()
    return (int(found[0]), str(found[1])) if found else (0, None)


def id_of(connection: psycopg.Connection[Any], site_id: int, seq: int) -> str | None:
    """The id of a site's hit by its number."""
    found = connection.execute("SELECT id::text FROM hits WHERE site_id = %s AND seq = %s", [site_id, seq]).fetchone()
    return str(found[0]) if found else None


def hits_between(connection: psycopg.Connection[Any], site_id: int, after: int, until: int) -> Iterator[pl.DataFrame]:
    """The site's hits with after < seq ≤ until in frames of RAW_SCHEMA, in parts of bounded size."""
    for low in range(after, until, PART):
        buffer = io.BytesIO()
        with connection.cursor() as cursor, cursor.copy(_OUT, [site_id, low, min(low + PART, until)]) as copy:
            for chunk in copy:
                buffer.write(chunk)
        if buffer.tell():
            buffer.seek(0)
            frame = pl.read_csv(buffer, has_header=False, schema=_OUT_SCHEMA)
            yield frame.with_columns(pl.col("robot", "internal").cast(pl.Boolean)).select(list(RAW_SCHEMA))


def erase(connection: sa.Connection, site_id: int, *which: sa.ColumnElement[bool]) -> int:
    """Delete those hits of a site; how many they were. What was derived of them is derived anew."""
    gone = sa.delete(hits).where(hits.c.site_id == site_id, *which).returning(hits.c.id).cte("gone")
    ids = sa.delete(hit_ids).where(hit_ids.c.site_id == site_id, hit_ids.c.id.in_(sa.select(gone.c.id)))
    count = connection.execute(ids.add_cte(gone)).rowcount
    if count:
        connection.execute(sites.update().where(sites.c.id == site_id).values(deletion_epoch=sites.c.deletion_epoch + 1))
    return count


def delete_hits(connection: psycopg.Connection[Any], site_id: int) -> None:
    """Remove all hits of a site; the demo does this before it is laid anew."""
    connection.execute("DELETE FROM hits WHERE site_id = %s", [site_id])
    connection.execute("DELETE FROM hit_ids WHERE site_id = %s", [site_id])
    # Frames and snapshots of the hits that were there would otherwise be brought up to date with those that come, and hold both.
    connection.execute("UPDATE sites SET deletion_epoch = deletion_epoch + 1 WHERE id = %s", [site_id])
    connection.commit()
