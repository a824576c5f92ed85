"""What is wrong with something that was given, as a sentence for people."""

from __future__ import annotations

from typing import Any

from pydantic_core import ErrorDetails

_SENTENCES = {
    "missing": "this is missing",
    "extra_forbidden": "nothing of this name is known here",
    "string_type": "this must be a text",
    "int_type": "this must be a whole number",
    "int_parsing": "this must be a whole number",
    "int_from_float": "this must be a whole number",
    "float_type": "this must be a number",
    "float_parsing": "this must be a number",
    "finite_number": "this must be a number that ends",
    "bool_type": "this must be true or false",
    "bool_parsing": "this must be true or false",
    "list_type": "this must be a list",
    "dict_type": "this must be an object",
    "model_type": "this must be an object",
    "model_attributes_type": "this must be an object",
    "uuid_parsing": "this is not a UUID",
    "string_pattern_mismatch": "this is not written as it must be",
    "literal_error": "this must be {expected}",
    "greater_than_equal": "this must be {ge} or more",
    "less_than_equal": "this must be {le} or less",
    "greater_than": "this must be more than {gt}",
    "less_than": "this must be less than {lt}",
    "string_too_long": "this is longer than {max_length} characters",
    "too_long": "these are more than {max_length}",
    "json_invalid": "this is not JSON: {error}",
    "date_from_datetime_parsing": "this is not a day such as 2026-11-22",
    "date_parsing": "this is not a day such as 2026-11-22",
    "datetime_from_date_parsing": "this is not a time such as 2026-11-22T09:30:00.000Z",
    "datetime_parsing": "this is not a time such as 2026-11-22T09:30:00.000Z",
    "timezone_aware": "this time lacks its offset, such as Z",
}


def sentence(error: ErrorDetails) -> str:
    """What a validation error means; where no better words are known, Pydantic's own."""
    kind = error["type"]
    given: dict[str, Any] = error.get("ctx", {})
    if kind == "string_too_short":
        return "this must not be empty" if given["min_length"] == 1 else f"this must have {given['min_length']} characters or more"
    if kind == "too_short":
        return "give at least one" if given["min_length"] == 1 else f"give at least {given['min_length']}"
    if kind in _SENTENCES:
        return _SENTENCES[kind].format(**given)
    return error["msg"].removeprefix("Value error, ")
