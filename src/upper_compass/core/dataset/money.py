"""Amounts of hits in the site's currency."""

from __future__ import annotations

import numpy as np
import polars as pl

from upper_compass.core.dataset.coded_hits import Floats
from upper_compass.core.dataset.lookups import DimensionLookups
from upper_compass.core.dataset.visits import Rows


def money(hits: pl.DataFrame, rows: Rows, lookups: DimensionLookups) -> Floats:
    """Amounts (f64) of hits in the site's currency, in the order of the rows; a missing amount and a currency without a rate are 0 (rules, chapter 5)."""
    rates = lookups["rate"][hits["currency"].to_numpy()[rows]]
    amounts: Floats = np.nan_to_num(hits["value"].to_numpy()[rows] * rates, nan=0.0)
    return amounts
