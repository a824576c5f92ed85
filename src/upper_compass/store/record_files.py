"""Months of hits that PostgreSQL handed on: Parquet files in storage. The table `record_files` says which of them count.

A file is never changed. What is erased in it is left out of another that takes its place; for a while the old one stays for whoever is reading it.
Columns are those of the table `hits`, times in UTC, and two more: `spread`, a hash of the visitor by which rows stand, and `items`, those of an order.
"""

from __future__ import annotations

import hashlib
import io
import re
import secrets
from collections.abc import Iterable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from pathlib import Path
from typing import Any

import polars as pl
import psycopg
import sqlalchemy as sa

from upper_compass.core.dataset.coded_hits import RAW_SCHEMA
from upper_compass.core.definitions.hits import Kind
from upper_compass.store.hits import FIRST_YEAR_BY_MONTH
from upper_compass.store.storage import Storage, StorageAwayError
from upper_compass.store.tables import hits, record_files, sites

# Below which name they lie.
RECORD = "record"
# What a file is called: of which site and month, made when, and the how manyth that takes its place.
NAME = re.compile(rf"({RECORD}/[A-Za-z0-9_-]{{1,40}}/[0-9]{{4}}-[0-9]{{2}}/[0-9A-Za-z-]{{1,60}})\.([0-9]{{1,9}})\.parquet")
ROWS, ROW_GROUP = 500_000, 50_000
# So long a file that was replaced stays for whoever reads it, and one of which nothing is known for whoever is writing it.
READ_FOR, MADE_FOR = timedelta(hours=1), timedelta(days=2)
# Held by whoever needs files to stay for longer, and by whoever removes some.
KEEPING_LOCK = 72023
# The month of all hits that are older than the first that has a partition of its own.
OLDER = date(1970, 1, 1)
HASHES = 2**32
SPREAD = "('x' || left(md5(visitor), 8))::bit(32)::bigint"

_MICROS = pl.Datetime("us", "UTC")
_TEXTS = (
    "id", "visitor", "url", "title", "referrer", "name", "currency", "order_id", "order_data", "items", "props", "fields", "language", "timezone",
    "screen", "user_agent", "country",
)  # fmt: skip
RECORD_SCHEMA: dict[str, pl.DataType] = (
    {"spread": pl.Int64(), "seq": pl.Int64(), "at": _MICROS, "received_at": _MICROS, "kind": pl.UInt8(), "value": pl.Float64(), "engaged_ms": pl.Int64()}
    | {"robot": pl.Boolean(), "internal": pl.Boolean(), "import_id": pl.Int64()}
    | {name: pl.String() for name in _TEXTS}
)
_SAID: dict[str, str] = {
    "spread": SPREAD, "at": "(extract(epoch FROM at) * 1000000)::bigint", "received_at": "(extract(epoch FROM received_at) * 1000000)::bigint",
    "robot": "robot::integer", "internal": "internal::integer", "items": "order_data->'items'",
}  # fmt: skip
_SENT: dict[str, pl.DataType] = {
    name: pl.Int64() if kind == _MICROS else pl.Int8() if kind == pl.Boolean() else kind for name, kind in RECORD_SCHEMA.items()
}  # fmt: skip
_OUT = f"""
COPY (
    SELECT {", ".join(_SAID.get(name, name) for name in RECORD_SCHEMA)} FROM hits
    WHERE site_id = %s AND at >= %s AND at < %s AND seq <= %s ORDER BY 1, at, seq
) TO STDOUT (FORMAT csv)
"""  # noqa: S608
_BETWEEN = "site_id = %s AND replaced_at IS NULL AND last_seq > %s AND first_seq <= %s"


@dataclass(frozen=True)
class VisitorPart:
    """Those visitors of a site who belong to one of so many parts; `number` counts from 0."""

    number: int
    of: int

    @property
    def in_database(self) -> str:
        """A condition on the table of hits."""
        return f"({SPREAD} * {self.of}) >> 32 = {self.number}"

    @property
    def in_file(self) -> pl.Expr:
        """A condition on rows of a file, by which groups of them are passed over unread."""
        low, high = (-(-edge * HASHES // self.of) for edge in (self.number, self.number + 1))
        return (pl.col("spread") >= low) & (pl.col("spread") < high)

    def may_be_in(self, low: int, high: int) -> bool:
        """Whether a file with visitors between these hashes may hold some."""
        return (low * self.of) >> 32 <= self.number <= (high * self.of) >> 32


@dataclass(frozen=True)
class Chosen:
    """Hits of a site: of a visitor, from before a moment, of an import (its number, after and up to which `seq` it was), of a month."""

    visitor: str | None = None
    before: datetime | None = None
    of_import: tuple[int, int, int] | None = None
    month: date | None = None

    def in_database(self) -> Iterator[sa.ColumnElement[bool]]:
        """Conditions on the table of hits."""
        if self.visitor is not None:
            yield hits.c.visitor == self.visitor
        if self.before is not None:
            yield hits.c.at < self.before
        if self.of_import is not None:
            number, after, until = self.of_import
            yield from (hits.c.seq > after, hits.c.seq <= until, hits.c.import_id == number)
        if self.month is not None:
            yield from (hits.c.at >= bounds_of(self.month)[0], hits.c.at < bounds_of(self.month)[1])

    def files(self) -> Iterator[sa.ColumnElement[bool]]:
        """Conditions on the files that may hold some."""
        if self.visitor is not None:
            yield from (record_files.c.low <= spread_of(self.visitor), record_files.c.high >= spread_of(self.visitor))
        if self.before is not None:
            yield record_files.c.first_at < self.before
        if self.of_import is not None:
            yield from (record_files.c.last_seq > self.of_import[1], record_files.c.first_seq <= self.of_import[2])
        if self.month is not None:
            yield record_files.c.month == self.month

    def in_file(self) -> pl.Expr:
        """A condition on the rows of a file."""
        found = pl.lit(True)
        if self.visitor is not None:
            found &= (pl.col("spread") == spread_of(self.visitor)) & (pl.col("visitor") == self.visitor)
        if self.before is not None:
            found &= pl.col("at") < self.before
        if self.of_import is not None:
            number, after, until = self.of_import
            found &= (pl.col("seq") > after) & (pl.col("seq") <= until) & (pl.col("import_id") == number).fill_null(value=False)
        return found


@dataclass(frozen=True)
class StoredFile:
    """A file, its length and its digest, how many hits it holds and whether they count."""

    name: str
    bytes: int
    sha256: str
    hits: int
    counts: bool


def spread_of(visitor: str) -> int:
    """Where a visitor stands between 0 and 2³²; SPREAD says the same in SQL."""
    return int(hashlib.md5(visitor.encode(), usedforsecurity=False).hexdigest()[:8], 16)


def needed(storage: Storage | None) -> Storage:
    """The storage, where there are files in it. Raises StorageAwayError where none is set."""
    if storage is None:
        raise StorageAwayError("Months of hits were handed on to a storage that is not set any more.")
    return storage


def write_file(storage: Storage, name: str, site_id: int, month: date, rows: pl.DataFrame) -> dict[str, Any]:
    """Write hits (columns of RECORD_SCHEMA, in the order of `spread`) to a file; its row in `record_files`. Raises StorageAwayError."""
    with storage.making(name) as file:
        rows.write_parquet(file, compression="zstd", row_group_size=ROW_GROUP)
        return _row_of(name, site_id, month, rows, file)


def _row_of(name: str, site_id: int, month: date, rows: pl.DataFrame, file: Path) -> dict[str, Any]:
    with file.open("rb") as written:
        digest = hashlib.file_digest(written, "sha256").hexdigest()
    last = rows["seq"].arg_max() or 0
    edges: dict[str, Any] = rows.select(
        low=pl.col("spread").min(), high=pl.col("spread").max(), first_seq=pl.col("seq").min(), last_seq=pl.col("seq").max(),
        first_at=pl.col("at").min(), last_at=pl.col("at").max(),
    ).row(0, named=True)  # fmt: skip
    of_it = {"hits": len(rows), "bytes": file.stat().st_size, "sha256": digest, "last_id": rows["id"][last]}
    return {"name": name, "site_id": site_id, "month": month} | of_it | edges


def _new_name(site_key: str, month: date) -> str:
    return f"{RECORD}/{site_key}/{month:%Y-%m}/{datetime.now(UTC):%Y%m%dT%H%M%S}-{secrets.token_hex(8)}.1.parquet"


def _stem_and_number(name: str) -> tuple[str, int]:
    """What a file has in common with those that take its place, and the how manyth of them it is; a name that is none has nothing in common."""
    found = NAME.fullmatch(name)
    return (found[1], int(found[2])) if found else (name, 0)


def hand_on(engine: sa.Engine, storage: Storage, site_id: int, month: date) -> int:
    """Let the hits of a site's month lie in storage, and in the database no more; how many they were. Raises StorageAwayError.

    Nothing is handed on where some were erased meanwhile; the next time finds what is left. Ids stay in the database, so that nothing is stored twice.
    """
    first, following = bounds_of(month)
    made: list[dict[str, Any]] = []
    try:
        with engine.begin() as connection:
            key = connection.execute(sa.select(sites.c.key).where(sites.c.id == site_id)).scalar_one()
            chosen = (hits.c.site_id == site_id, *Chosen(month=month).in_database())
            last = connection.execute(sa.select(sa.func.max(hits.c.seq)).where(*chosen)).scalar()
            if last is None:
                return 0
            for rows in _out(connection.connection.driver_connection, (site_id, first, following, last)):
                made.append(write_file(storage, _new_name(key, month), site_id, month, rows))
            gone = connection.execute(hits.delete().where(*chosen, hits.c.seq <= last)).rowcount
            if gone != sum(one["hits"] for one in made):
                raise _ChangedError
            connection.execute(record_files.insert(), made)
            return int(gone)
    except BaseException as why:
        with _leftovers_stay():
            storage.remove(*(one["name"] for one in made))
        if isinstance(why, _ChangedError):
            return 0
        raise


class _ChangedError(Exception):
    """Some of the hits were erased while they were written down."""


@contextmanager
def _leftovers_stay() -> Iterator[None]:
    """What cannot be removed now is found later by `tidy`."""
    try:
        yield
    except (StorageAwayError, OSError):
        return


def bounds_of(month: date) -> tuple[datetime, datetime]:
    """From when up to before when the hits of a month are."""
    if month == OLDER:
        return datetime(1, 1, 1, tzinfo=UTC), datetime(FIRST_YEAR_BY_MONTH, 1, 1, tzinfo=UTC)
    first = datetime(month.year, month.month, 1, tzinfo=UTC)
    return first, datetime(month.year + month.month // 12, month.month % 12 + 1, 1, tzinfo=UTC)


def _out(connection: Any, asked: Sequence[object]) -> Iterator[pl.DataFrame]:  # noqa: ANN401
    buffer, count = io.BytesIO(), 0
    with connection.cursor() as cursor, cursor.copy(_OUT, asked) as copy:
        for row in copy:
            buffer.write(row)
            count += 1
            if count == ROWS:
                yield _of_csv(buffer)
                buffer, count = io.BytesIO(), 0
    if count:
        yield _of_csv(buffer)


def _of_csv(buffer: io.BytesIO) -> pl.DataFrame:
    buffer.seek(0)
    sent = pl.read_csv(buffer, has_header=False, schema=_SENT)
    return sent.with_columns(pl.col(name).cast(kind) for name, kind in RECORD_SCHEMA.items() if kind != _SENT[name])


@dataclass(frozen=True)
class _Stored:
    name: str
    low: int
    high: int


def _between(connection: psycopg.Connection[Any], site_id: int, after: int, until: int) -> list[_Stored]:
    found = connection.execute(f"SELECT name, low, high FROM record_files WHERE {_BETWEEN} ORDER BY name", [site_id, after, until])  # noqa: S608
    return [_Stored(*row) for row in found.fetchall()]


def _scan(storage: Storage, names: Iterable[str], condition: pl.Expr, columns: Sequence[pl.Expr]) -> Iterator[pl.DataFrame]:
    """What files hold under a condition, each with rows, file by file. Raises StorageAwayError, also for a file that is not there."""
    for name in names:
        try:
            with storage.near(name) as file:
                found = pl.scan_parquet(file).filter(condition).select(columns).collect()
        except (FileNotFoundError, pl.exceptions.PolarsError) as why:
            raise StorageAwayError(f"{name} is not in {storage.url}, or cannot be read: {str(why)[:200]}") from why
        if len(found):
            yield found


# As the database gives them (`record.hits_between`): the nearest millisecond.
_AT_MS = ((pl.col("at").cast(pl.Int64) + 500) // 1000).alias("at")
_RAW = [
    _AT_MS if name == "at" else pl.col(name).fill_null(0) if name == "engaged_ms" else pl.col(name) for name in RAW_SCHEMA
]  # fmt: skip


def raw_between(
    connection: psycopg.Connection[Any], storage: Storage | None, site_id: int, after: int, until: int, part: VisitorPart | None
) -> Iterator[pl.DataFrame]:
    """The hits in files with after < seq ≤ until, only those of one part where it is named, in frames of RAW_SCHEMA. Raises StorageAwayError."""
    stored = [one for one in _between(connection, site_id, after, until) if part is None or part.may_be_in(one.low, one.high)]
    condition = (pl.col("seq") > after) & (pl.col("seq") <= until)
    if part is not None:
        condition &= part.in_file
    if stored:
        yield from _scan(needed(storage), (one.name for one in stored), condition, _RAW)


def orders_between(connection: psycopg.Connection[Any], storage: Storage | None, site_id: int, after: int, until: int) -> Iterator[pl.DataFrame]:
    """The orders in files that have an id: columns seq (i64), at (i64, milliseconds), order_id (text). Raises StorageAwayError."""
    stored = _between(connection, site_id, after, until)
    named = (pl.col("kind") == int(Kind.order)) & pl.col("order_id").is_not_null() & (pl.col("seq") > after) & (pl.col("seq") <= until)
    if stored:
        yield from _scan(needed(storage), (one.name for one in stored), named, [pl.col("seq"), _AT_MS, pl.col("order_id")])


def rows_of(connection: sa.Connection, storage: Storage | None, site_id: int, chosen: Chosen) -> Iterator[pl.DataFrame]:
    """Those hits in files, with all columns of RECORD_SCHEMA. Raises StorageAwayError."""
    names = connection.execute(sa.select(record_files.c.name).where(*_counting(site_id), *chosen.files()).order_by(record_files.c.name)).scalars().all()
    if names:
        yield from _scan(needed(storage), names, chosen.in_file(), [pl.col(name) for name in RECORD_SCHEMA])


def _counting(site_id: int) -> tuple[sa.ColumnElement[bool], ...]:
    return record_files.c.site_id == site_id, record_files.c.replaced_at.is_(None)


def erase(connection: sa.Connection, storage: Storage | None, site_id: int, chosen: Chosen) -> Iterator[list[str]]:
    """Leave those hits out of the files from now on; their ids, file by file. Raises StorageAwayError."""
    # Whoever erases meanwhile waits, and finds the files that take the place of these.
    stored = connection.execute(sa.select(record_files).where(*_counting(site_id), *chosen.files()).order_by(record_files.c.name).with_for_update()).all()
    for one in stored:
        [rows, *_] = [*_scan(needed(storage), [one.name], pl.lit(True), [pl.col(name) for name in RECORD_SCHEMA])]
        gone, left = rows.filter(chosen.in_file()), rows.filter(~chosen.in_file())
        if not len(gone):
            continue
        connection.execute(record_files.update().where(record_files.c.name == one.name).values(replaced_at=sa.func.now()))
        if len(left):
            stem, number = _stem_and_number(one.name)
            connection.execute(record_files.insert().values(write_file(needed(storage), f"{stem}.{number + 1}.parquet", site_id, one.month, left)))
        yield gone["id"].to_list()


def erase_all(connection: sa.Connection, site_id: int) -> int:
    """Let no file of a site count any more; how many hits they held."""
    count = connection.execute(sa.select(sa.func.coalesce(sa.func.sum(record_files.c.hits), 0)).where(*_counting(site_id))).scalar_one()
    connection.execute(record_files.update().where(*_counting(site_id)).values(replaced_at=sa.func.now()))
    return int(count)


def stored_files(connection: sa.Connection) -> list[StoredFile]:
    """All files that count, or may be read by whoever began a while ago; none in a database of before there were any."""
    if not sa.inspect(connection).has_table(record_files.name):
        return []
    told = record_files.c.name, record_files.c.bytes, record_files.c.sha256, record_files.c.hits, record_files.c.replaced_at.is_(None)
    return [StoredFile(*row) for row in connection.execute(sa.select(*told).order_by(record_files.c.name))]


def missing(storage: Storage, names: Iterable[str]) -> dict[str, str | None]:
    """Those files that are not in storage, each with the last of those that took its place, if there is one. Raises StorageAwayError."""
    present = set(storage.names(RECORD))
    last: dict[str, int] = {}
    for stem, number in map(_stem_and_number, present):
        last[stem] = max(number, last.get(stem, 0))
    gone = [(name, *_stem_and_number(name)) for name in names if name not in present]
    return {name: f"{stem}.{last[stem]}.parquet" if last.get(stem, 0) > number else None for name, stem, number in gone}


def adopt(connection: sa.Connection, storage: Storage) -> int:
    """After an older state of the database came back: let the files count that took the place of those it knows; how many. Raises StorageAwayError.

    What was erased since stays so. A file without any in its place counts no more.
    """
    rows = {row.name: row for row in connection.execute(sa.select(record_files).where(record_files.c.replaced_at.is_(None)))}
    found = missing(storage, rows)
    for name, successor in found.items():
        connection.execute(record_files.delete().where(record_files.c.name == name))
        if successor is not None:
            with storage.near(successor) as file:
                read = _row_of(successor, rows[name].site_id, rows[name].month, pl.read_parquet(file), file)
            connection.execute(record_files.insert().values(read))
    changed = {rows[name].site_id for name in found}
    connection.execute(sites.update().where(sites.c.id.in_(changed)).values(deletion_epoch=sites.c.deletion_epoch + 1))
    return len(found)


def tidy(engine: sa.Engine, storage: Storage) -> int:
    """Remove files that count no more, and those of which nothing came; how many. None while somebody needs them. Raises StorageAwayError."""
    with engine.begin() as connection:
        if not connection.execute(sa.select(sa.func.pg_try_advisory_xact_lock(KEEPING_LOCK))).scalar_one():
            return 0
        over = record_files.c.replaced_at < sa.func.now() - READ_FOR
        names = list(connection.execute(record_files.delete().where(over).returning(record_files.c.name)).scalars())
        known = set(connection.execute(sa.select(record_files.c.name)).scalars())
        names += [name for name in orphans(storage, connection.execute(sa.select(sites.c.key)).scalars(), known) if name not in names]
        storage.remove(*names)
    return len(names)


def orphans(storage: Storage, keys: Iterable[str], known: set[str]) -> Iterator[str]:
    """Files of sites that nobody knows and nobody can be writing any more. Raises StorageAwayError."""
    oldest = f"{datetime.now(UTC) - MADE_FOR:%Y%m%dT%H%M%S}"
    for key in keys:
        yield from (name for name in storage.names(f"{RECORD}/{key}") if name not in known and name.rpartition("/")[2] < oldest)
