"""What was ordered, as columns: the lines of orders, each distinct list of them parsed once."""

from __future__ import annotations

from itertools import chain
from typing import Any, ClassVar

import numpy as np
import polars as pl

from upper_compass.core.dataset.coded_hits import Bools, Dictionary, Floats
from upper_compass.core.dataset.parsed_texts import ParsedTexts


class OrderItems(ParsedTexts):
    """A row per line of an order, in the order of the lists (arrays in JSON; the empty text is the empty list).

    | column of `rows` | type | is |
    |---|---|---|
    | list | u32 | code in the dictionary of lists |
    | product | u32 | code in the labels, of the line's `sku`, or of its `name` where it has none |
    | amount | f64 | quantity × price, in the currency of the order |
    """

    schema: ClassVar[dict[str, pl.DataType]] = {"list": pl.UInt32(), "product": pl.UInt32(), "amount": pl.Float64()}
    nothing = "[]"

    def __init__(self, lists: Dictionary, labels: Dictionary) -> None:
        super().__init__(lists)
        self._labels = labels

    def holding(self, product: str) -> tuple[Bools, Floats]:
        """By code of the list, whether it holds the product, and the sum of its lines that do."""
        rows, code = self.rows, self._labels.find(product)
        found = rows.filter(pl.col("product") == code) if code else rows.clear()  # 0 is a line that does not say what it is
        held = np.zeros(self._length, bool)
        held[found["list"].to_numpy()] = True
        amounts: Floats = np.bincount(found["list"].to_numpy(), weights=found["amount"].to_numpy(), minlength=self._length).astype(np.float64)
        return held, amounts

    def _read(self, parsed: list[Any], first: int) -> pl.DataFrame:
        lines: list[dict[str, Any]] = list(chain.from_iterable(parsed))
        products = [line.get("sku") or line.get("name") or "" for line in lines]
        columns = {
            "list": np.repeat(np.arange(first, first + len(parsed), dtype=np.uint32), [len(one) for one in parsed]),
            "product": self._labels.encode(pl.Series(products, dtype=pl.String)),
            "amount": np.array([line.get("quantity", 1) * line.get("price", 0) for line in lines], np.float64),
        }
        return pl.DataFrame(columns, schema=self.schema)
