"""Tests on texts, the same wherever a rule asks about one. Letter case counts; a regular expression matches anywhere."""

from __future__ import annotations

from typing import Literal

import polars as pl
from pydantic import StringConstraints

TextTest = Literal["is", "is not", "starts with", "contains", "regular expression"]


def storable(longest: int, least: int = 0) -> StringConstraints:
    """The length of a text that can be stored: one without NUL, which the store cannot hold."""
    return StringConstraints(min_length=least, max_length=longest, pattern=r"^[^\x00]*$")


def text_test(texts: pl.Series, test: str, pattern: str) -> pl.Series:
    """One test over many texts, as booleans. Regular expressions are of the linear-time kind, so none can hang a report."""
    match test:
        case "is":
            return texts == pattern
        case "is not":
            return texts != pattern
        case "starts with":
            return texts.str.starts_with(pattern)
        case "contains":
            return texts.str.contains(pattern, literal=True)
        case "regular expression":
            return texts.str.contains(pattern)
    raise ValueError(f"no such test: {test}")


def check_pattern(test: str, pattern: str) -> None:
    """Raise ValueError, with a sentence for people, for a regular expression that cannot be read."""
    if test == "regular expression":
        try:
            pl.Series([""]).str.contains(pattern)
        except pl.exceptions.ComputeError as why:
            raise ValueError("this is not a regular expression that can be read") from why
