"""Properties of events as columns: each distinct set of them is parsed once, whatever asks for them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import chain
from typing import Any, ClassVar

import numpy as np
import polars as pl

from upper_compass.core.dataset.coded_hits import Bools, Codes, Dictionary, Floats
from upper_compass.core.dataset.parsed_texts import ParsedTexts
from upper_compass.core.definitions.hit_match import NUMBER_TESTS, PropTest
from upper_compass.core.definitions.text_tests import prop_text, text_test


@dataclass(frozen=True)
class Property:
    """One property: the sets that have it (ascending codes), its label in each, and its number there, NaN where it is none."""

    sets: Codes
    labels: Codes
    numbers: Floats


class Properties(ParsedTexts):
    """A row per set and key in the order of the sets (objects in JSON; the empty text is the empty set).

    | column of `rows` | type | is |
    |---|---|---|
    | set | u32 | code in the dictionary of sets |
    | key | u32 | code in `keys` |
    | label | u32 | code in the labels, of the value as a text (rules, chapter 5) |
    | number | f64 | the value, NaN where it is a text or a boolean |
    """

    schema: ClassVar[dict[str, pl.DataType]] = {"set": pl.UInt32(), "key": pl.UInt32(), "label": pl.UInt32(), "number": pl.Float64()}
    nothing = "{}"

    def __init__(self, sets: Dictionary, labels: Dictionary) -> None:
        super().__init__(sets)
        self._labels = labels
        self.keys = Dictionary()

    def of(self, key: str) -> Property:
        """One property by its key."""
        rows = self.rows
        code = self.keys.find(key)
        found = rows.filter(pl.col("key") == (0 if code is None else code))
        return Property(found["set"].to_numpy(), found["label"].to_numpy(), found["number"].to_numpy())

    def by_set(self, key: str) -> Codes:
        """The label (u32) of one property by code of the set, 0 where it is missing."""
        found = self.of(key)
        by_set = np.zeros(self._length, np.uint32)
        by_set[found.sets] = found.labels
        return by_set

    def passing(self, tests: Sequence[PropTest]) -> Bools:
        """Whether each set passes all tests, by its code (rules, chapter 5): *is not* and ≠ hold where there is no value."""
        passing = np.ones(len(self._texts), bool)
        for test in tests:
            found = self.of(test.key)
            parsed = np.full(len(passing), test.test in ("is not", "≠"))
            parsed[found.sets] = self._holds(test, found)
            passing &= parsed
        return passing

    def _holds(self, test: PropTest, found: Property) -> Bools:
        if isinstance(test.value, float):
            # Not a number passes ≠ alone, and so does NaN.
            compared: Bools = NUMBER_TESTS[test.test](found.numbers, test.value)
            return compared
        distinct, places = np.unique(found.labels, return_inverse=True)
        passing: Bools = text_test(self._labels.decode(distinct), test.test, test.value).to_numpy()
        return passing[places]

    def _read(self, parsed: list[Any], first: int) -> pl.DataFrame:
        keys = list(chain.from_iterable(parsed))
        values = list(chain.from_iterable(one.values() for one in parsed))
        sets = np.repeat(np.arange(first, first + len(parsed), dtype=np.uint32), [len(one) for one in parsed])
        numbers = [float(value) if isinstance(value, int | float) and not isinstance(value, bool) else np.nan for value in values]
        columns = {
            "set": sets,
            "key": self.keys.encode(pl.Series(keys, dtype=pl.String)),
            "label": self._labels.encode(pl.Series([prop_text(value) for value in values], dtype=pl.String)),
            "number": np.array(numbers, np.float64),
        }
        return pl.DataFrame(columns, schema=self.schema)
