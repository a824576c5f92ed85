"""Texts in JSON as columns: each distinct one is parsed once, whatever asks for it."""

from __future__ import annotations

import threading
from abc import ABC, abstractmethod
from typing import ClassVar

import orjson
import polars as pl

from upper_compass.core.dataset.coded_hits import MAX_CHUNKS, Dictionary


class ParsedTexts(ABC):
    """Rows made of the texts of a dictionary, in the order of their codes, grown with it. The empty text is `nothing`."""

    schema: ClassVar[dict[str, pl.DataType]]
    nothing: ClassVar[str]

    def __init__(self, texts: Dictionary) -> None:
        self._texts = texts
        self._rows = pl.DataFrame(schema=self.schema)
        self._length = 0
        self._growing = threading.Lock()

    @property
    def rows(self) -> pl.DataFrame:
        """All rows, those of new texts too."""
        with self._growing:
            fresh = self._texts.since(self._length)
            if len(fresh):
                parsed = orjson.loads(f"[{','.join(text or self.nothing for text in fresh)}]")
                self._rows = pl.concat([self._rows, self._read(parsed, self._length)], rechunk=self._rows.n_chunks() > MAX_CHUNKS)
                self._length += len(fresh)
            return self._rows

    @abstractmethod
    def _read(self, parsed: list[object], first: int) -> pl.DataFrame:
        """The rows (of `schema`) of parsed texts, whose codes begin with `first`."""
