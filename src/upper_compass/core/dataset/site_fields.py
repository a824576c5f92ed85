"""Site fields: the site's own dimensions of the hit and of the visit (rules, chapters 1 and 3)."""

from __future__ import annotations

import numpy as np
import polars as pl

from upper_compass.core.dataset.coded_hits import Codes
from upper_compass.core.dataset.lookups import DimensionLookups
from upper_compass.core.dataset.visits import DerivedVisits, Marks, Rows
from upper_compass.core.definitions.site_rules import SiteField


def field_of_hits(field: SiteField, hits: pl.DataFrame, lookups: DimensionLookups, rows: Rows | None = None) -> Codes:
    """The labels (u32) of a field for rows of hits, in their order, all of them without `rows`; 0 is no value."""
    column, words = lookups.field(field)
    codes = hits[column].to_numpy()
    return words[codes if rows is None else codes[rows]]


def field_of_visits(field: SiteField, hits: pl.DataFrame, derived: DerivedVisits, lookups: DimensionLookups) -> Codes:
    """The labels (u32) of a field for all visits: the last value of each that is not empty."""
    values = field_of_hits(field, hits, lookups)
    first, last = (derived.visits[name].to_numpy() for name in ("first_row", "last_row"))
    if not len(first):
        return np.empty(0, np.uint32)
    rows = Marks((values > 0) & (derived.visit_of >= 0)).last(first, last)
    return np.where(rows >= 0, values[rows], 0).astype(np.uint32)
