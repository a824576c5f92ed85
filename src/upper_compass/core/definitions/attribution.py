"""How conversions are credited to the values of a dimension (rules, chapter 11): so far what needs nothing but the conversion's own visit."""

from __future__ import annotations

from typing import Literal

CreditModel = Literal["every touch", "on the spot"]
Reach = Literal["own visit"]
