"""Personal data that strays into addresses and properties is masked before anything is stored."""

from __future__ import annotations

from upper_compass.core.definitions.hits import Hit, PropValue
from upper_compass.core.definitions.personal_data import MASK, mask_address, mask_text, names_a_person


def _mask_value(key: str, value: PropValue) -> PropValue:
    if isinstance(value, bool) or value == "":
        return value
    return MASK if names_a_person(key) else mask_text(value) if isinstance(value, str) else value


def masked_props(props: dict[str, PropValue]) -> dict[str, PropValue]:
    """Properties without personal data."""
    return {key: _mask_value(key, value) for key, value in props.items()}


def masked_fields(fields: dict[str, str]) -> dict[str, str]:
    """Fields of the site's own without personal data."""
    return {key: str(_mask_value(key, value)) for key, value in fields.items()}


def mask(hit: Hit) -> None:
    """Mask what is personal in a hit."""
    hit.url = mask_address(hit.url)
    if hit.referrer:
        hit.referrer = mask_address(hit.referrer)
    if hit.title:
        hit.title = mask_text(hit.title)
    if hit.name:
        hit.name = mask_text(hit.name)
    if hit.props:
        hit.props = masked_props(hit.props)
    if hit.fields:
        hit.fields = masked_fields(hit.fields)
