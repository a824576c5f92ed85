"""Lists that ship with the application: referrers by host, click ids, continents, and the country of a time zone (from the tz database)."""

from __future__ import annotations

import csv
from functools import cache
from importlib import resources

from upper_compass.core.definitions.reference import KnownHost, Reference


def _rows(name: str) -> list[dict[str, str]]:
    with resources.files(__package__).joinpath(name).open(encoding="utf-8") as file:
        return list(csv.DictReader(file))


@cache
def shipped() -> Reference:
    """The lists as shipped."""
    hosts = {row["host"]: KnownHost(row["name"], row["kind"]) for row in _rows("referrers.csv")}
    clicks = [(row["key"], row["source"]) for row in _rows("click_ids.csv")]
    continents = {row["country"]: row["continent"] for row in _rows("continents.csv")}
    return Reference(hosts, clicks, _zone_countries(), continents)


def _zone_countries() -> dict[str, str]:
    """Country by IANA time zone, older names of a zone included."""
    folder = resources.files("tzdata").joinpath("zoneinfo")
    countries: dict[str, str] = {}
    for line in folder.joinpath("zone.tab").read_text(encoding="utf-8").splitlines():
        if line and not line.startswith("#"):
            country, _, zone, *_ = line.split("\t")
            countries[zone] = country
    for line in folder.joinpath("tzdata.zi").read_text(encoding="utf-8").splitlines():
        if line.startswith("L "):
            _, target, alias = line.split()
            if target in countries:
                countries.setdefault(alias, countries[target])
    return countries
