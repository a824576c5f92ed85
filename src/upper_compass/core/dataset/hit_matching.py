"""Which hits of a shard match (rules, chapters 5 and 7)."""

from __future__ import annotations

import numpy as np
import polars as pl

from upper_compass.core.dataset.coded_hits import Bools
from upper_compass.core.dataset.lookups import DimensionLookups
from upper_compass.core.dataset.money import money
from upper_compass.core.dataset.site_fields import field_of_hits, field_of_visits
from upper_compass.core.dataset.visits import NO_VISIT, DerivedVisits, Rows
from upper_compass.core.definitions.hit_match import NUMBER_TESTS, FieldTest, HitMatch, PageTest
from upper_compass.core.definitions.hits import Kind

KINDS = {"view": Kind.view, "event": Kind.event, "order": Kind.order}


def matching(match: HitMatch, hits: pl.DataFrame, derived: DerivedVisits, lookups: DimensionLookups, rows: Rows | None = None) -> Rows:
    """Rows (i32, ascending) of the hits of some visit that match, among `rows` or among all. Repeated orders match nothing (rules, chapter 5)."""
    kind = derived.kind == KINDS[match.kind] if rows is None else derived.kind[rows] == KINDS[match.kind]
    found = np.flatnonzero(kind).astype(np.int32) if rows is None else rows[kind]
    found = found[derived.visit_of[found] != NO_VISIT]
    if match.names:
        meant = np.zeros(len(lookups.dictionaries["name"]), bool)
        meant[lookups.events_called(match.names, match.name_test)] = True
        found = found[meant[hits["name"].to_numpy()[found]]]
    if match.page is not None:
        found = found[_on_page(match.page, lookups)[hits["url"].to_numpy()[found]]]
    if match.props:
        found = found[lookups.properties.passing(match.props)[hits["props"].to_numpy()[found]]]
    if match.value is not None:
        found = found[NUMBER_TESTS[match.value.test](money(hits, found, lookups), match.value.than)]
    for test in match.fields:
        found = found[_field_holds(test, hits, derived, found, lookups)]
    return found


def _on_page(test: PageTest, lookups: DimensionLookups) -> Bools:
    """Whether the page of each address passes, by code of the address."""
    return lookups.labels.passing(lookups["page"], test.test, test.value)


def _field_holds(test: FieldTest, hits: pl.DataFrame, derived: DerivedVisits, rows: Rows, lookups: DimensionLookups) -> Bools:
    """Which rows pass a condition on a field; a field that the site no longer has has no value anywhere."""
    field = next((one for one in lookups.rules.fields if one.key == test.field), None)
    if field is None:
        codes = np.zeros(len(rows), np.uint32)
    elif field.of == "hit":
        codes = field_of_hits(field, hits, lookups, rows)
    else:
        codes = field_of_visits(field, hits, derived, lookups)[derived.visit_of[rows]]
    return lookups.labels.passing(codes, test.test, test.value)
