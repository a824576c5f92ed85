"""The record: all hits, read and erased wherever they lie, in PostgreSQL or in the files that it handed on.

Whoever reads does so over a connection that sees one state of the database: then each hit is found in one of the two, and in one alone.
"""

from __future__ import annotations

import io
from collections.abc import Iterator, Sequence
from datetime import UTC, date, datetime
from typing import Any

import polars as pl
import psycopg
import sqlalchemy as sa

from upper_compass.core.dataset.coded_hits import CODED, PLAIN, RAW_SCHEMA
from upper_compass.core.definitions.hits import Kind
from upper_compass.store import record_files as files
from upper_compass.store.record_files import Chosen, VisitorPart
from upper_compass.store.storage import Storage
from upper_compass.store.tables import hit_ids, hits, record_files, sites

_OUT = f"""
COPY (
    SELECT seq, (extract(epoch FROM at) * 1000)::bigint AS at, kind, value, coalesce(engaged_ms, 0) AS engaged_ms,
           robot::integer AS robot, internal::integer AS internal, {", ".join("order_data->'items' AS items" if name == "items" else name for name in CODED)}
    FROM hits WHERE site_id = %s AND seq > %s AND seq <= %s{{part}}
) TO STDOUT (FORMAT csv)
"""  # noqa: S608
_ORDERS = "SELECT seq, (extract(epoch FROM at) * 1000)::bigint, order_id FROM hits WHERE site_id = %s AND seq > %s AND seq <= %s AND order_id IS NOT NULL"
_NEWEST = """
(SELECT seq, id::text FROM hits WHERE site_id = %s ORDER BY seq DESC LIMIT 1)
UNION ALL (SELECT last_seq, last_id::text FROM record_files WHERE site_id = %s AND replaced_at IS NULL ORDER BY last_seq DESC LIMIT 1)
ORDER BY 1 DESC LIMIT 1
"""
_ID_OF = """
SELECT id::text FROM hits WHERE site_id = %s AND seq = %s
UNION ALL SELECT last_id::text FROM record_files WHERE site_id = %s AND last_seq = %s AND replaced_at IS NULL
"""
_OUT_SCHEMA = {name: pl.Int8() if name in ("robot", "internal") else kind for name, kind in PLAIN.items()} | {name: pl.String() for name in CODED}
ORDERS_SCHEMA = {"seq": pl.Int64(), "at": pl.Int64(), "order_id": pl.String()}
PART = 400_000


def first_moments(connection: sa.Connection, site_ids: Sequence[int]) -> dict[int, datetime]:
    """The time of the first hit of each of these sites that has any."""
    asked = sa.select(sites.c.id).where(sites.c.id.in_(site_ids)).subquery()
    earliest = sa.select(hits.c.at).where(hits.c.site_id == asked.c.id).order_by(hits.c.at).limit(1).lateral()
    here = sa.select(asked.c.id, earliest.c.at).join(earliest, sa.true())
    counting = sa.select(record_files.c.site_id, record_files.c.first_at).where(record_files.c.site_id.in_(site_ids), record_files.c.replaced_at.is_(None))
    both = sa.union_all(here, counting).subquery()
    return {row[0]: row[1] for row in connection.execute(sa.select(both.c[0], sa.func.min(both.c[1])).group_by(both.c[0]))}


def newest_page(connection: sa.Connection, storage: Storage | None, site_id: int) -> str | None:
    """The address of the page that a person saw last; where all hits were handed on, of the last month. Raises StorageAwayError."""
    views = sa.select(hits.c.url).where(hits.c.site_id == site_id, hits.c.kind == int(Kind.view), ~hits.c.robot)
    found: str | None = connection.execute(views.order_by(hits.c.seq.desc()).limit(1)).scalar()
    if found is not None:
        return found
    counting = sa.select(sa.func.max(record_files.c.month)).where(record_files.c.site_id == site_id, record_files.c.replaced_at.is_(None))
    month: date | None = connection.execute(counting).scalar()
    if month is None:
        return None
    last: tuple[int, str | None] = (0, None)
    for rows in files.rows_of(connection, storage, site_id, Chosen(month=month)):
        seen = rows.filter((pl.col("kind") == int(Kind.view)) & ~pl.col("robot")).sort("seq").tail(1)
        last = max(last, *seen.select("seq", "url").iter_rows())
    return last[1]


def newest(connection: psycopg.Connection[Any], site_id: int) -> tuple[int, str | None]:
    """(number, id) of the site's newest visible hit, (0, None) when it has none."""
    found = connection.execute(_NEWEST, [site_id, site_id]).fetchone()
    return (int(found[0]), str(found[1])) if found else (0, None)


def id_of(connection: psycopg.Connection[Any], site_id: int, seq: int) -> str | None:
    """The id of a site's hit by its number; None too for one that was handed on, unless it was the newest of its file."""
    found = connection.execute(_ID_OF, [site_id, seq, site_id, seq]).fetchone()
    return str(found[0]) if found else None


def orders_between(connection: psycopg.Connection[Any], storage: Storage | None, site_id: int, after: int, until: int) -> pl.DataFrame:
    """The site's orders that have an id, with after < seq ≤ until: columns seq (i64), at (i64, milliseconds), order_id (text). Raises StorageAwayError."""
    rows = connection.execute(_ORDERS, [site_id, after, until]).fetchall()
    handed_on = files.orders_between(connection, storage, site_id, after, until)
    return pl.concat([pl.DataFrame(rows, ORDERS_SCHEMA, orient="row"), *handed_on])


def hits_between(
    connection: psycopg.Connection[Any], storage: Storage | None, site_id: int, after: int, until: int, part: VisitorPart | None = None
) -> Iterator[pl.DataFrame]:
    """The site's hits with after < seq ≤ until, only those of one part where it is named, in frames of RAW_SCHEMA, a bounded number at once.

    Raises StorageAwayError.
    """
    yield from files.raw_between(connection, storage, site_id, after, until, part)
    out = _OUT.format(part=f" AND {part.in_database}" if part else "")
    # Numbers are those of all sites, and of what was handed on: where there are none of this site's, none are looked for.
    low = max(after, _first_here(connection, site_id, after) - 1)
    while low < until:
        buffer = io.BytesIO()
        with connection.cursor() as cursor, cursor.copy(out, [site_id, low, min(low + PART, until)]) as copy:
            for chunk in copy:
                buffer.write(chunk)
        low += PART
        if buffer.tell():
            buffer.seek(0)
            frame = pl.read_csv(buffer, has_header=False, schema=_OUT_SCHEMA)
            yield frame.with_columns(pl.col("robot", "internal").cast(pl.Boolean)).select(list(RAW_SCHEMA))
        else:
            low = max(low, _first_here(connection, site_id, low) - 1)


def _first_here(connection: psycopg.Connection[Any], site_id: int, after: int) -> int:
    """The number of the first hit behind one that is in the database; a very large one without any."""
    found = connection.execute("SELECT seq FROM hits WHERE site_id = %s AND seq > %s ORDER BY seq LIMIT 1", [site_id, after]).fetchone()
    return int(found[0]) if found else 2**62


def erase(connection: sa.Connection, storage: Storage | None, site_id: int, chosen: Chosen) -> int:
    """Delete those hits of a site; how many they were. What was derived of them is derived anew. Raises StorageAwayError."""
    # What is being handed on is waited for by this, and found among the files then.
    gone = sa.delete(hits).where(hits.c.site_id == site_id, *chosen.in_database()).returning(hits.c.id).cte("gone")
    ids = sa.delete(hit_ids).where(hit_ids.c.site_id == site_id, hit_ids.c.id.in_(sa.select(gone.c.id)))
    count = int(connection.execute(ids.add_cte(gone)).rowcount)
    for erased in files.erase(connection, storage, site_id, chosen):
        connection.execute(sa.delete(hit_ids).where(hit_ids.c.site_id == site_id, hit_ids.c.id == sa.any_(sa.cast(erased, sa.ARRAY(hit_ids.c.id.type)))))
        count += len(erased)
    if count:
        _read_anew(connection, site_id)
    return count


def erase_all(connection: sa.Connection, site_id: int) -> int:
    """Delete all hits of a site; how many they were."""
    count = connection.execute(hits.delete().where(hits.c.site_id == site_id)).rowcount + files.erase_all(connection, site_id)
    connection.execute(hit_ids.delete().where(hit_ids.c.site_id == site_id))
    _read_anew(connection, site_id)
    return count


def _read_anew(connection: sa.Connection, site_id: int) -> None:
    """Frames and snapshots of what was there would otherwise be brought up to date with what comes, and hold both."""
    connection.execute(sites.update().where(sites.c.id == site_id).values(deletion_epoch=sites.c.deletion_epoch + 1))


def months_before(connection: sa.Connection, moment: datetime) -> list[tuple[str, date]]:
    """The partitions (name, month) whose hits all lie before a moment, the oldest first."""
    names = connection.execute(sa.text("SELECT inhrelid::regclass::text FROM pg_inherits WHERE inhparent = 'hits'::regclass ORDER BY 1")).scalars()
    found = [(name, date(int(name[5:9]), int(name[10:12]), 1) if name != "hits_older" else files.OLDER) for name in names]
    return sorted(((name, month) for name, month in found if files.bounds_of(month)[1] <= moment), key=lambda one: one[1])


def sites_in(connection: sa.Connection, partition: str) -> list[int]:
    """The sites that have hits in a partition."""
    return list(connection.execute(sa.text(f"SELECT DISTINCT site_id FROM {partition} ORDER BY 1")).scalars())  # noqa: S608 (a name of the catalogue)


def give_back(engine: sa.Engine, partition: str) -> None:
    """Let the disk have again what a partition took of which all was handed on. Whoever still reads an earlier state finds it."""
    with engine.connect().execution_options(isolation_level="AUTOCOMMIT") as connection:
        size = sa.text("SELECT pg_relation_size(CAST(:name AS regclass))")
        if connection.execute(size, {"name": partition}).scalar_one():
            connection.execute(sa.text(f"VACUUM {partition}"))
            if not connection.execute(size, {"name": partition}).scalar_one():
                connection.execute(sa.text(f"REINDEX TABLE {partition}"))


def this_month(now: datetime, back: int) -> datetime:
    """When the month began that was so many months before now, in UTC."""
    months = now.astimezone(UTC).year * 12 + now.astimezone(UTC).month - 1 - back
    return datetime(months // 12, months % 12 + 1, 1, tzinfo=UTC)
