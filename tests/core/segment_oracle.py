"""Segments once more, slow and plain: written from the text of the rules (chapter 7), for tests only."""

from __future__ import annotations

import json
import operator
import re

from tests.core.oracle import page_of

NUMBERS = {"=": operator.eq, "≠": operator.ne, "<": operator.lt, "≤": operator.le, ">": operator.gt, "≥": operator.ge}
DIMENSIONS_OF_VISIT = {
    "source": lambda v: v.source[0],
    "medium": lambda v: v.source[1],
    "entry_page": lambda v: page_of(v.views[0]["url"]) if v.views else "",
    "visitor_kind": lambda v: "new" if v.number == 1 else "returning",
}
DIMENSIONS_OF_HIT = {"page": lambda hit: page_of(hit["url"]), "event": lambda hit: hit.get("name") or ""}


def text_holds(test, text, value):
    return {
        "is": text == value,
        "is not": text != value,
        "starts with": text.startswith(value),
        "contains": value in text,
        "regular expression": test == "regular expression" and re.search(value, text) is not None,
    }[test]


def prop_holds(test, held):
    denies = test["test"] in ("is not", "≠")
    if test["key"] not in held:
        return denies
    value = held[test["key"]]
    if test["test"] in NUMBERS:
        return NUMBERS[test["test"]](value, test["value"]) if isinstance(value, int | float) else denies
    return text_holds(test["test"], value if isinstance(value, str) else f"{value:g}", test["value"])


def matches(match, hit):
    if hit["kind"] != match["kind"] or hit.get("repeated"):
        return False
    if match["kind"] == "event":
        starts = match.get("name_test", "is") == "starts with"
        if not any(hit["name"].startswith(name) if starts else hit["name"] == name for name in match["names"]):
            return False
    page = match.get("page")
    if page and not text_holds(page["test"], page_of(hit["url"]), page["value"]):
        return False
    held = json.loads(hit.get("props") or "{}")
    return all(prop_holds(test, held) for test in match.get("props", []))


def _dimension_holds(condition, visit, looked_at=None):
    """Of a dimension of the hit: of all hits of the visit, or of the one that is looked at."""
    test, values = condition["test"], condition["values"]

    def holds(text):
        if test == "is empty":
            return text == ""
        return text in values if test == "one of" else text_holds(test, text, values[0])

    if condition["dimension"] in DIMENSIONS_OF_VISIT:
        return holds(DIMENSIONS_OF_VISIT[condition["dimension"]](visit))
    found = [DIMENSIONS_OF_HIT[condition["dimension"]](hit) for hit in visit.hits if hit is looked_at or looked_at is None]
    if looked_at is not None:
        return any(holds(one) for one in found)
    return all(holds(one) for one in found) if test == "is not" else not any(found) if test == "is empty" else any(holds(one) for one in found)


def _number(of, visit, goal):
    return {
        "views": len(visit.views),
        "duration": (visit.end - visit.start) / 1000,
        "engaged": sum(hit.get("engaged_ms") or 0 for hit in visit.hits if hit["kind"] == "engage") / 1000,
        "number": visit.number,
        "value": sum(value for _, value in goal(visit)),
    }[of]


def _in_order(condition, hits):
    def further(place, steps, until):
        """Whether the steps follow a hit at the place before this one."""
        if not steps:
            return True
        for i, hit in enumerate(hits[place:], place):
            if matches(steps[0], hit) and (until is None or hit["at"] <= until) and further(i + 1, steps[1:], until):
                return True
            if condition.get("directly_next") and hit["kind"] == "view":
                return False
        return False

    first, *others = condition["steps"]
    within = condition.get("within_minutes")
    return any(matches(first, hit) and further(i + 1, others, hit["at"] + within * 60_000 if within else None) for i, hit in enumerate(hits))


def holds(condition, visits, hits, goal, within):
    """Whether a condition holds for a visit (`visits`: itself alone), or for a person. `within`: whether one of the unit's visits is in another segment."""
    kind = condition.get("kind", "group")
    if kind == "segment":
        return within(condition["segment"])
    if kind == "group" and condition.get("of") == "one hit":
        every = [(visit, hit) for visit in visits for hit in visit.hits]
        return not condition["conditions"] or any(all(_dimension_holds(one, *pair) for one in condition["conditions"]) for pair in every)
    if kind == "group":
        inner = [holds(one, visits, hits, goal, within) for one in condition["conditions"]]
        return {"all": all(inner), "any": any(inner), "none": not any(inner)}[condition.get("of", "all")]
    if kind == "dimension":
        return any(_dimension_holds(condition, visit) for visit in visits)
    if kind == "number":
        return any(NUMBERS[condition["test"]](_number(condition["of"], visit, goal), condition["than"]) for visit in visits)
    if kind == "did":
        count = sum(matches(condition["match"], hit) for hit in hits)
        return {"at least": count >= condition["times"], "at most": count <= condition["times"], "exactly": count == condition["times"]}[condition["test"]]
    return _in_order(condition, hits)


def fitting(segment, visits, start, stop, goal):
    """The visits that are in the segment, of those with a hit in the period; robots and own people are in none."""
    counted = [visit for visit in visits if not visit.excluded and any(start <= hit["at"] < stop for hit in visit.hits)]

    def within(looked_at, looked_at_by_people):
        def found(other):
            theirs = looked_at if other.get("of", "visits") == "visits" else looked_at_by_people
            return any(visit is one for one in fitting(other, visits, start, stop, goal) for visit in theirs)

        return found

    if segment.get("of", "visits") == "visits":
        return [visit for visit in counted if holds(segment["where"], [visit], visit.hits, goal, within([visit], [visit]))]
    found = []
    for person in {visit.visitor for visit in counted}:
        theirs = [visit for visit in counted if visit.visitor == person]
        hits = [hit for visit in theirs for hit in visit.hits if start <= hit["at"] < stop]
        began = [visit for visit in theirs if start <= visit.start < stop]
        if holds(segment["where"], began, hits, goal, within(began, theirs)):
            found += theirs
    return found
