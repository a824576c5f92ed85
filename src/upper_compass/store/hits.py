"""Hits into PostgreSQL, by COPY."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

import polars as pl
import psycopg

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
# What is older lies in one partition, so that an import of ancient times makes no more than one.
FIRST_YEAR_BY_MONTH = 2020


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
