"""Amounts of hits in the site's currency; what has none, and what has a currency without a rate, is 0 (rules, chapter 5)."""

from __future__ import annotations

import numpy as np
import polars as pl

from upper_compass.core.dataset.coded_hits import Floats
from upper_compass.core.dataset.lookups import DimensionLookups
from upper_compass.core.dataset.visits import Rows


def money(hits: pl.DataFrame, rows: Rows, lookups: DimensionLookups) -> Floats:
    """What the hits are worth (f64), in the order of the rows."""
    return exchanged(hits["value"].to_numpy()[rows], hits, rows, lookups)


def exchanged(amounts: Floats, hits: pl.DataFrame, rows: Rows, lookups: DimensionLookups) -> Floats:
    """Amounts (f64) in the currencies of these hits, exchanged."""
    rates = lookups["rate"][hits["currency"].to_numpy()[rows]]
    own: Floats = np.nan_to_num(amounts * rates, nan=0.0)
    return own
