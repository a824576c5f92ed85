"""A record of as many hits as are asked for, as PostgreSQL would have handed it on: a site, Parquet files in storage by month, and their rows."""

from __future__ import annotations

import hashlib
from datetime import date

import numpy as np
import polars as pl
import pyarrow as pa
import sqlalchemy as sa

from bench.data import RULES, make
from upper_compass.store import accounts, sites
from upper_compass.store.record_files import RECORD, RECORD_SCHEMA, write_file
from upper_compass.store.storage import Storage
from upper_compass.store.tables import record_files

AT_ONCE = 6_250_000
_ID_SIGNS = 32


def lay(engine: sa.Engine, storage: Storage, count: int) -> sites.Site:
    """Make a site with so many hits, all of them in storage; what is there at once is bounded. Returns the site."""
    with engine.begin() as connection:
        owner = accounts.add_user(connection, "owner@mill.example", "Owner", "a long enough one")
        site = sites.add_site(connection, "Mill", RULES, owner.id, "mill")
    for number in range(-(-count // AT_ONCE)):
        many = min(AT_ONCE, count - number * AT_ONCE)
        rows = _as_recorded(make(many, some=number), number * AT_ONCE)
        made = [
            write_file(storage, f"{RECORD}/mill/{month:%Y-%m}/{number:04}.1.parquet", site.id, month, part.drop("month"))
            for (month,), part in rows.partition_by("month", as_dict=True, maintain_order=True).items()
            if isinstance(month, date)
        ]
        with engine.begin() as connection:
            connection.execute(record_files.insert(), made)
            connection.execute(sa.text("SELECT setval('hit_seq', :last)"), {"last": number * AT_ONCE + many})
        del rows
    return site


def _as_recorded(raw: pl.DataFrame, before: int) -> pl.DataFrame:
    """Raw hits with what the record knows besides, and their month; numbers go on after `before`, in the order of arrival: that of time."""
    visitors = raw["visitor"].unique()
    spread = pl.DataFrame({"visitor": visitors, "spread": [int(hashlib.md5(one.encode()).hexdigest()[:8], 16) for one in visitors]})
    at = pl.from_epoch("at", "ms").cast(pl.Datetime("us", "UTC"))
    rows = raw.join(spread, on="visitor", how="left").sort("at").drop("seq").with_row_index("seq", before + 1)
    rows = rows.with_columns(id=_ids(len(rows), before), at=at, received_at=at, order_data=pl.lit(None, pl.String), import_id=pl.lit(None, pl.Int64))
    empty = [pl.when(pl.col(name) != "").then(pl.col(name)).alias(name) for name, kind in RECORD_SCHEMA.items() if kind == pl.String()]
    rows = rows.with_columns(empty).select(pl.col(name).cast(kind) for name, kind in RECORD_SCHEMA.items())
    return rows.with_columns(month=pl.col("at").dt.date().dt.month_start()).sort("spread", "at", "seq")


def _ids(count: int, seed: int) -> pl.Series:
    """Ids that nothing can make shorter, as those of browsers are."""
    signs = np.random.default_rng(seed).bytes(count * _ID_SIGNS // 2).hex().encode()
    ends = np.arange(0, (count + 1) * _ID_SIGNS, _ID_SIGNS, dtype=np.int32)
    made = pa.Array.from_buffers(pa.string(), count, [None, pa.py_buffer(ends.tobytes()), pa.py_buffer(signs)])
    return pl.Series("id", made)
