"""What can be understood of a hit that is not written as it must be.

A script that sends hits is watched by nobody, so a key too many must not cost an order. What is not understood is left out and told; only what
makes a hit meaningless (its id, time, visitor, kind, address, an event's name) is left as it is, for the model to refuse.
"""

from __future__ import annotations

import math
import re
from collections.abc import Callable
from typing import Any

from upper_compass.core.definitions.hits import MAX_FIELDS, MAX_ITEMS, MAX_PROPS
from upper_compass.core.definitions.text_tests import prop_text

Clean = Callable[[Any], Any]
_CURRENCY = re.compile(r"[A-Z]{3}")
MAX_TOLD = 10


def _text(longest: int) -> Clean:
    def clean(value: object) -> str | None:
        if isinstance(value, bool) or not isinstance(value, str | int | float):
            return None
        text = value if isinstance(value, str) else prop_text(value)
        return text.replace("\x00", "")[:longest]

    return clean


def _number(low: float, high: float) -> Clean:
    def clean(value: object) -> float | None:
        if isinstance(value, str) and len(value) <= 40:
            try:
                value = float(value)
            except ValueError:
                return None
        if isinstance(value, bool) or not isinstance(value, int | float) or not math.isfinite(value) or not low <= value <= high:
            return None
        return float(value)

    return clean


def _currency(value: object) -> str | None:
    code = value.strip().upper() if isinstance(value, str) and len(value) <= 10 else ""
    return code if _CURRENCY.fullmatch(code) else None


def _milliseconds(value: object) -> int | None:
    number = _number(0, 86_400_000)(value)
    return None if number is None else round(number)


def _prop(value: object) -> object:
    if isinstance(value, int | float):  # a whole number stays one
        return value if isinstance(value, bool) or _amount(value) is not None else None
    return _text(1000)(value)


def _pairs(most: int, clean_value: Clean) -> Clean:
    def clean(value: object) -> dict[str, Any] | None:
        if not isinstance(value, dict):
            return None
        kept: dict[str, Any] = {}
        for key, one in value.items():
            name, fitting = key.replace("\x00", "")[:100], clean_value(one)
            if name and fitting is not None and len(kept) < most:
                kept[name] = fitting
        return kept

    return clean


_amount = _number(-1e12, 1e12)
_short = _text(200)
_ITEM: dict[str, Clean] = {
    "sku": _short, "name": _short, "category": _short, "quantity": _number(0, 1e9), "price": _amount, "unit_cost": _amount,
}  # fmt: skip
# What shops call these elsewhere.
ITEM_NAMES = {"id": "sku", "product_id": "sku", "qty": "quantity", "unit_price": "price"}
_ORDER: dict[str, Clean] = {"id": _short, "shipping": _amount, "tax": _amount, "discount": _amount}
_HIT: dict[str, Clean] = {
    "title": _text(500), "referrer": _text(4000), "value": _amount, "currency": _currency, "engaged_ms": _milliseconds,
    "props": _pairs(MAX_PROPS, _prop), "fields": _pairs(MAX_FIELDS, _text(500)),
    "language": _text(35), "timezone": _text(64), "screen": _text(20), "user_agent": _text(1000),
}  # fmt: skip
_NEEDED = ("id", "at", "visitor", "kind", "url", "name")


def understood(raw: dict[str, Any], *, more: tuple[str, ...] = ()) -> tuple[dict[str, Any], list[str]]:
    """A hit as JSON gave it, with what can be understood; and the fields of which something was left out, the first ten.

    `more`: keys that are kept as they are besides those that every hit needs.
    """
    left: list[str] = []
    hit = {key: raw[key] for key in (*_NEEDED, *more) if key in raw}
    rest = {key: value for key, value in raw.items() if key not in hit and key != "order"}
    hit |= _cleaned(rest, _HIT, "", left)
    if isinstance(raw.get("name"), str | int | float) and not isinstance(raw["name"], bool):
        _keep(hit, "name", _text(100)(raw["name"]), raw["name"], "name", left)
    if raw.get("order") is not None:
        order = _order(raw["order"], left)
        if order is not None:
            hit["order"] = order
        else:
            left.append("order")
    for key, kind in (("name", "event"), ("order", "order")):
        if hit.get("kind") != kind and hit.pop(key, None) is not None:
            left.append(key)
    return hit, list(dict.fromkeys(left))[:MAX_TOLD]


def _keep(into: dict[str, Any], key: str, fitting: object, given: object, parsed: str, left: list[str]) -> None:
    """Keep what fits; tell when something of it is missing. A number written as text, or a text as a number, is all there."""
    if fitting is not None:
        into[key] = fitting
    if fitting is None or (isinstance(given, str | dict) and isinstance(fitting, type(given)) and len(fitting) < len(given)):
        left.append(parsed)


def _cleaned(given: dict[str, Any], known: dict[str, Clean], where: str, left: list[str]) -> dict[str, Any]:
    kept: dict[str, Any] = {}
    for key, value in given.items():
        if key not in known:
            left.append(f"{where}{key[:60]}")
        elif value is not None:
            _keep(kept, key, known[key](value), value, f"{where}{key}", left)
    return kept


def _order(given: object, left: list[str]) -> dict[str, Any] | None:
    if not isinstance(given, dict):
        return None
    order = _cleaned({key: value for key, value in given.items() if key != "items"}, _ORDER, "order.", left)
    items = given.get("items")
    if isinstance(items, list):
        found = [_item(item, left) for item in items[:MAX_ITEMS] if isinstance(item, dict)]
        order["items"] = found
        if len(found) < len(items):
            left.append("order.items")
    elif items is not None:
        left.append("order.items")
    return order


def _item(given: dict[str, Any], left: list[str]) -> dict[str, Any]:
    renamed = {ITEM_NAMES.get(key, key): value for key, value in given.items() if key in ITEM_NAMES}
    return _cleaned(renamed | {key: value for key, value in given.items() if key not in ITEM_NAMES}, _ITEM, "order.items.", left)
