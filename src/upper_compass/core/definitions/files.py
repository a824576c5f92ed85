"""Files that tables leave in: which kinds there are, and what their columns are called."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

FileFormat = Literal["csv", "xlsx", "jsonl", "parquet"]


@dataclass(frozen=True)
class FileColumn:
    """A column of a file: its name in the frame and in formats for programs, its title for people, and the unit of its numbers ('' of texts)."""

    name: str
    title: str
    unit: str = ""
