"""Hits in and out of PostgreSQL, by COPY."""

from __future__ import annotations

import io
from collections.abc import Iterable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
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
# The same as columns: a frame of them holds hits that come with a file.
ROW_SCHEMA: dict[str, pl.DataType] = {name: pl.String() for name in ROW} | {
    "site_id": pl.Int64(), "at": pl.Datetime("us", "UTC"), "kind": pl.Int64(), "value": pl.Float64(), "engaged_ms": pl.Int64(), "robot": pl.Boolean(),
    "internal": pl.Boolean(),
}  # fmt: skip

# Held by whoever stores hits until the commit, so that a hit that becomes visible has a higher number than all that are visible.
_WRITER_LOCK = 72022

_KNOWN = "SELECT site_id, id::text FROM hit_ids JOIN unnest(%s::integer[], %s::uuid[]) AS given (site_id, id) USING (site_id, id)"
_REMEMBER = "INSERT INTO hit_ids (site_id, id) SELECT * FROM unnest(%s::integer[], %s::uuid[]) AS given (site_id, id) ORDER BY 1, 2"
_COPY = f"COPY hits ({', '.join(ROW)}) FROM STDIN"
_COPY_FRAME = f"COPY hits (import_id, {', '.join(ROW)}) FROM STDIN (FORMAT csv)"
_OUT = f"""
COPY (
    SELECT seq, (extract(epoch FROM at) * 1000)::bigint AS at, kind, value, coalesce(engaged_ms, 0) AS engaged_ms,
           robot::integer AS robot, internal::integer AS internal, {", ".join("order_data->'items' AS items" if name == "items" else name for name in CODED)}
    FROM hits WHERE site_id = %s AND seq > %s AND seq <= %s{{part}}
) TO STDOUT (FORMAT csv)
"""  # noqa: S608
# A visitor's hits lie in one part of so many, wherever and whenever they are read.
_OF_PART = " AND ('x' || left(md5(visitor), 8))::bit(32)::bigint %% {of} = {number}"
_ORDERS = "SELECT seq, (extract(epoch FROM at) * 1000)::bigint, order_id FROM hits WHERE site_id = %s AND seq > %s AND seq <= %s AND order_id IS NOT NULL"
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


@dataclass(frozen=True)
class PreparedHits:
    """Hits of a file: each once, their keys as texts of arrays, their months, and the text that is copied."""

    frame: pl.DataFrame
    keys: tuple[str, str]
    months: set[tuple[int, int]]
    sent: bytes


class HitWriter:
    """Stores hits over one connection; each call is one transaction, durable when it returns. `import_id`: of the import that frames come with.

    What is there already is not stored twice, and of copies that come together the first stays, at its place. Each way returns how many were new.
    """

    def __init__(self, connection: psycopg.Connection[Any], import_id: int | None = None) -> None:
        self._connection, self._import_id = connection, import_id
        self._months: set[tuple[int, int]] = set()

    def store(self, rows: Sequence[HitRow]) -> int:
        """Store rows, in the order given."""
        unique: dict[tuple[Any, Any], HitRow] = {}
        for row in rows:
            unique.setdefault((row[SITE], row[ID]), row)
        if not unique:
            return 0
        with self._storing() as cursor:
            known = self._known(cursor, unique)
            fresh = [row for key, row in unique.items() if key not in known] if known else list(unique.values())
            if fresh:
                self._make_partitions(cursor, {(row[AT].year, row[AT].month) for row in fresh})
                cursor.execute(_REMEMBER, _arrays((row[SITE], row[ID]) for row in fresh))
                with cursor.copy(_COPY) as copy:
                    for row in fresh:
                        copy.write_row(row)
        return len(fresh)

    def prepare(self, frame: pl.DataFrame) -> PreparedHits:
        """Hits (columns of ROW_SCHEMA, in their order) as they are sent to the store; this takes no connection, so that it can be done meanwhile."""
        unique = frame.unique(["site_id", "id"], keep="first", maintain_order=True)
        months = unique.select(pl.col("at").dt.year().alias("year"), pl.col("at").dt.month().alias("month")).unique()
        sent = unique.select(pl.lit(self._import_id, pl.Int64).alias("import_id"), *ROW).write_csv(include_header=False).encode()
        return PreparedHits(unique, _arrays(unique.select("site_id", "id").iter_rows()) if len(unique) else ("{}", "{}"), set(months.iter_rows()), sent)

    def store_prepared(self, hits: PreparedHits) -> int:
        """Store hits of a file."""
        if not len(hits.frame):
            return 0
        with self._storing() as cursor:
            if not self._are_new(cursor, hits):
                hits = self.prepare(self._fresh(cursor, hits.frame))
                if len(hits.frame):
                    cursor.execute(_REMEMBER, hits.keys)
            if len(hits.frame):
                self._make_partitions(cursor, hits.months)
                with cursor.copy(_COPY_FRAME) as copy:
                    copy.write(hits.sent)
        return len(hits.frame)

    @contextmanager
    def _storing(self) -> Iterator[psycopg.Cursor[Any]]:
        try:
            with self._connection.transaction(), self._connection.cursor() as cursor:
                cursor.execute("SELECT pg_advisory_xact_lock(%s)", [_WRITER_LOCK])
                yield cursor
        except BaseException:
            self._months.clear()  # partitions that were made are gone with the transaction
            raise

    @staticmethod
    def _known(cursor: psycopg.Cursor[Any], keys: Iterable[tuple[int, str]]) -> set[tuple[int, str]]:
        """Which of them are there already. Under the lock nobody else stores, so what is not known now is still not known when it is stored."""
        return set(cursor.execute(_KNOWN, _arrays(keys)).fetchall())

    def _are_new(self, cursor: psycopg.Cursor[Any], hits: PreparedHits) -> bool:
        """Remember the ids of hits if all of them are new, which is likely for a file and cheaper than to ask first."""
        with self._connection.transaction() as trial:
            cursor.execute(f"{_REMEMBER} ON CONFLICT DO NOTHING", hits.keys)
            if cursor.rowcount == len(hits.frame):
                return True
            raise psycopg.Rollback(trial)
        return False

    def _fresh(self, cursor: psycopg.Cursor[Any], frame: pl.DataFrame) -> pl.DataFrame:
        """Those hits that are not there yet."""
        keys = frame.select("site_id", "id")
        known = self._known(cursor, keys.iter_rows())
        return frame.join(pl.DataFrame(list(known), keys.schema, orient="row"), on=keys.columns, how="anti", maintain_order="left")

    def _make_partitions(self, cursor: psycopg.Cursor[Any], months: set[tuple[int, int]]) -> None:
        for year, month in {one for one in months if one[0] >= FIRST_YEAR_BY_MONTH} - self._months:
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


def _arrays(keys: Iterable[tuple[int, str]]) -> tuple[str, str]:
    """Sites and ids as texts of arrays, which cost a tenth of lists."""
    sites_, ids = zip(*keys, strict=True)
    return f"{{{','.join(map(str, sites_))}}}", f"{{{','.join(ids)}}}"


def newest(connection: psycopg.Connection[Any], site_id: int) -> tuple[int, str | None]:
    """(number, id) of the site's newest visible hit, (0, None) when it has none."""
    found = connection.execute("SELECT seq, id::text FROM hits WHERE site_id = %s ORDER BY seq DESC LIMIT 1", [site_id]).fetchone()
    return (int(found[0]), str(found[1])) if found else (0, None)


def id_of(connection: psycopg.Connection[Any], site_id: int, seq: int) -> str | None:
    """The id of a site's hit by its number."""
    found = connection.execute("SELECT id::text FROM hits WHERE site_id = %s AND seq = %s", [site_id, seq]).fetchone()
    return str(found[0]) if found else None


@dataclass(frozen=True)
class VisitorPart:
    """Those visitors of a site who belong to one of so many parts; `number` counts from 0."""

    number: int
    of: int


def orders_between(connection: psycopg.Connection[Any], site_id: int, after: int, until: int) -> pl.DataFrame:
    """The site's orders that have an id, with after < seq ≤ until: columns seq (i64), at (i64, milliseconds), order_id (text)."""
    rows = connection.execute(_ORDERS, [site_id, after, until]).fetchall()
    return pl.DataFrame(rows, {"seq": pl.Int64(), "at": pl.Int64(), "order_id": pl.String()}, orient="row")


def hits_between(connection: psycopg.Connection[Any], site_id: int, after: int, until: int, part: VisitorPart | None = None) -> Iterator[pl.DataFrame]:
    """The site's hits with after < seq ≤ until, only those of one part where it is named, in frames of RAW_SCHEMA, a bounded number at once."""
    out = _OUT.format(part=_OF_PART.format(of=part.of, number=part.number) if part else "")
    for low in range(after, until, PART):
        buffer = io.BytesIO()
        with connection.cursor() as cursor, cursor.copy(out, [site_id, low, min(low + PART, until)]) as copy:
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
