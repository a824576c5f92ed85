"""Tests on texts, the same wherever a rule asks about one. Letter case counts; a regular expression matches anywhere."""

from __future__ import annotations

import json
import re
from functools import lru_cache
from typing import Any, Literal

import numpy as np
import polars as pl
from pydantic import StringConstraints, ValidationInfo

TextTest = Literal["is", "is not", "starts with", "contains", "regular expression"]

# Said to a model that reads what was checked when it was written: patterns are then not built once more.
STORED: dict[str, Any] = {"stored": True}

# How much a pattern may weigh, and all patterns of a site together. One that weighs this much is built in about 10 ms and 1 MB.
MAX_WEIGHT, MAX_WEIGHT_TOGETHER = 1_200, 4_800
_LETTERS, _CLASS = 100, 4
_MAX_REPEATED = 10_000
_PIECES = re.compile(r"\\[pP]\{[^}]{0,40}\}|\\x\{[^}]{0,10}\}|\\.|\[\^?\]?|[()]|\{(\d{0,9})(?:,(\d{0,9}))?\}|.", re.DOTALL)


def storable(longest: int, least: int = 0) -> StringConstraints:
    """The length of a text that can be stored: one without NUL, which the store cannot hold."""
    return StringConstraints(min_length=least, max_length=longest, pattern=r"^[^\x00]*$")


def text_test(texts: pl.Series, test: str, pattern: str) -> pl.Series:
    """One test over many texts (String), a Boolean each, in their order. Regular expressions are of the linear-time kind, so none can hang a report."""
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


def weight(pattern: str) -> int:
    r"""How large a regular expression becomes when it is built, in about single characters: `\w` is 100, a class 4, and counts multiply."""
    sums = [0]  # of the groups that are open, the innermost last
    atom = 0
    in_class = False
    for piece in _PIECES.finditer(pattern):
        text = piece.group()
        if in_class:
            in_class = text != "]"
            atom = max(atom, _of_atom(text)) if in_class else atom
            sums[-1] += 0 if in_class else atom
        elif text.startswith("["):
            in_class, atom = True, _CLASS
        elif text == "(":
            sums.append(0)
        elif text == ")" and len(sums) > 1:
            atom = sums.pop()
            sums[-1] += atom
        elif text.startswith("{") and len(text) > 1:
            times = max((int(count) for count in piece.groups() if count), default=1)
            more = atom * min(times, _MAX_REPEATED) - atom
            sums[-1] += max(more, 0)
            atom += max(more, 0)
        else:
            atom = _of_atom(text)
            sums[-1] += atom
    return sum(sums) + (atom if in_class else 0)


def _of_atom(text: str) -> int:
    if text.startswith("\\") and len(text) > 1:
        return _LETTERS if text[1] in "wWpPbB" else _CLASS
    return _CLASS if text == "." else 1


def check_pattern(test: str, pattern: str, info: ValidationInfo) -> None:
    """Raise ValueError, with a sentence for people, for a regular expression that cannot be read, or is too large."""
    if test != "regular expression" or (info.context or {}).get("stored"):
        return
    if weight(pattern) > MAX_WEIGHT:
        raise ValueError("this pattern grows too large; write smaller counts, or [a-z0-9_] instead of \\w")
    fault = _fault(pattern)
    if fault:
        raise ValueError(fault)


def check_weights(given: object) -> object:
    """What was given (as it came, of dicts, lists and texts), unless its regular expressions grow too large together: then ValueError, and none is built."""
    total, left = 0, [given]
    while left:
        one = left.pop()
        if isinstance(one, dict):
            if one.get("test") == "regular expression":
                values = [one.get("value"), *(one["values"] if isinstance(one.get("values"), list) else [])]
                total += sum(weight(value) for value in values if isinstance(value, str))
            left += one.values()
        elif isinstance(one, list):
            left += one
    if total > MAX_WEIGHT_TOGETHER:
        raise ValueError("the regular expressions grow too large together; write smaller counts, or [a-z0-9_] instead of \\w")
    return given


@lru_cache(maxsize=1_000)
def _fault(pattern: str) -> str | None:
    """What is wrong with a pattern, and where; None when it can be used."""
    try:
        pl.Series([""]).str.contains(pattern)
    except pl.exceptions.ComputeError as why:
        return _described(pattern, str(why))
    return None


def _described(pattern: str, why: str) -> str:
    """The engine's message as one sentence. It draws the pattern with carets below the fault, then says what it is."""
    lines = why.splitlines()
    drawn = next((place for place, line in enumerate(lines) if line.strip() and set(line.strip()) == {"^"}), None)
    reason = next((line.removeprefix("error:").strip() for line in lines if line.startswith("error:")), "")
    if "look-around" in reason:
        reason = "patterns cannot look around ((?=, (?!, (?<), for they are read in one go"
    if drawn is None or not reason:
        return f"this is not a regular expression that can be read: {reason or 'it grows too large'}"
    above, carets = lines[drawn - 1], lines[drawn]
    start = carets.index("^") - (len(above) - len(above.lstrip()))
    part = pattern[max(start, 0) :][: carets.count("^")]
    return f"this cannot be read from character {max(start, 0) + 1} on ({part}): {reason}"


# Below this every whole number has a float of its own.
EXACT = 2**53


def prop_text(value: object) -> str:
    """A property's value as a text: a number in its shortest decimal form, however it was sent; `true`, `false` (rules, chapter 5)."""
    if isinstance(value, float) and value.is_integer() and abs(value) < EXACT:
        value = int(value)
    if isinstance(value, float):
        return np.format_float_positional(value, trim="-")
    return "" if value is None else value if isinstance(value, str) else json.dumps(value)
