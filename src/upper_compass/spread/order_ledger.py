"""What all parts must agree on: which orders are repeated. It is small, and handed to them with every question."""

from __future__ import annotations

import threading
from collections.abc import Callable
from contextlib import AbstractContextManager
from dataclasses import dataclass, field

import numpy as np
import polars as pl
import psycopg

from upper_compass.core.dataset.coded_hits import MAX_CHUNKS, Dictionary, Ints, repeated_with
from upper_compass.frames.dataset_cache import AsOf
from upper_compass.store.record import ORDERS_SCHEMA, id_of, newest, orders_between
from upper_compass.store.sites import Site
from upper_compass.store.storage import Storage


@dataclass
class _Known:
    """The orders of a site up to a hit: columns seq, at, order_id (u32: a code of `ids`)."""

    deletion_epoch: int
    seq: int
    tip: str | None
    orders: pl.DataFrame = field(default_factory=lambda: pl.DataFrame(schema=ORDERS_SCHEMA | {"order_id": pl.UInt32()}))
    repeated: Ints = field(default_factory=lambda: np.empty(0, np.int64))
    ids: Dictionary = field(default_factory=Dictionary)


class OrderLedger:
    """The orders with an id of each site that is asked about, as far as was read."""

    def __init__(self, connect: Callable[[], AbstractContextManager[psycopg.Connection]], storage: Storage | None) -> None:
        self._connect, self._storage = connect, storage
        self._known: dict[int, _Known] = {}
        self._lock = threading.Lock()

    def as_of_now(self, site: Site) -> AsOf:
        """Up to which hit the site can be read now. Raises StorageAwayError."""
        with self._lock, self._connect() as connection:
            known = self._known.get(site.id)
            seq, tip = newest(connection, site.id)
            if known is None or known.deletion_epoch != site.deletion_epoch or seq < known.seq or id_of(connection, site.id, known.seq) != known.tip:
                known = _Known(site.deletion_epoch, 0, None)
            if seq > known.seq:
                new = orders_between(connection, self._storage, site.id, known.seq, seq)
                coded = new.with_columns(pl.Series("order_id", known.ids.encode(new["order_id"]), dtype=pl.UInt32))
                known.orders = pl.concat([known.orders, coded], rechunk=known.orders.n_chunks() > MAX_CHUNKS)
                known.repeated = repeated_with(known.repeated, known.orders, coded)
                known.seq, known.tip = seq, tip
            self._known[site.id] = known
            return AsOf(known.seq, known.tip, known.repeated)

    def forget(self, site_id: int) -> None:
        """Keep nothing of a site."""
        with self._lock:
            self._known.pop(site_id, None)
