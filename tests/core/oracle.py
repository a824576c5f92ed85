"""The rules once more, slow and plain: one hit after the other, no columns. Written from the text of the rules, for tests only."""

from __future__ import annotations

from dataclasses import dataclass, field
from urllib.parse import parse_qsl, urlsplit

from upper_compass.core.dataset.traffic_sources import tidy
from upper_compass.core.definitions.hits import PASSIVE_EVENTS
from upper_compass.core.definitions.reference import MEDIUM_OF_KIND

TAGS = ("source", "medium", "campaign", "content", "term")


@dataclass
class OracleVisit:
    visitor: str
    number: int
    source: tuple
    source_known: bool = False
    end: int = 0
    hits: list = field(default_factory=list)

    @property
    def start(self):
        return self.hits[0]["at"]

    @property
    def views(self):
        return [hit for hit in self.hits if hit["kind"] == "view"]

    @property
    def bounce(self):
        acts = [h for h in self.hits if (h["kind"] == "order" and not h.get("repeated")) or (h["kind"] == "event" and h["name"] not in PASSIVE_EVENTS)]
        return len(self.views) == 1 and not acts

    @property
    def marked(self):
        return next((h for h in self.hits if h.get("user_agent")), self.hits[0])

    @property
    def excluded(self):
        return bool(self.marked.get("robot") or self.marked.get("internal"))


def page_of(url):
    return urlsplit(url).path.rstrip("/") or "/"


def evidence(hit, rules, reference):
    """(source, medium, campaign, content, term, label), tidied and with aliases, or None."""
    parts = urlsplit(hit["url"])
    query = {}
    for key, value in parse_qsl(parts.query, keep_blank_values=True):
        if value.strip():
            query.setdefault(key, value)
    label = next((query[key] for key in rules.label_keys if key in query), "")
    raw = None
    if any(f"utm_{name}" in query for name in TAGS[:3]):
        raw = [query.get(f"utm_{name}", "(unset)" if name in TAGS[:2] else "") for name in TAGS]
    if raw is None:
        raw = next(([source, "cpc", "", "", ""] for key, source in reference.click_ids if key in query), None)
    if raw is None and label:
        raw = [label, "link", "", "", ""]
    if raw is None and hit.get("referrer"):
        host = urlsplit(hit["referrer"]).hostname.removeprefix("www.")
        if host not in {h.removeprefix("www.") for h in [parts.hostname, *rules.hosts, *rules.ignored_hosts]}:
            known = reference.hosts.get(host)
            raw = [known.name if known else host, MEDIUM_OF_KIND.get(known.kind if known else "", "referral"), "", "", ""]
    if raw is None:
        return None
    aliases = {(a.field, tidy(a.this)): tidy(a.that) for a in rules.aliases}
    named = zip((*TAGS, "label"), (*raw, label), strict=True)
    return tuple(aliases.get((name, tidy(value)), tidy(value)) for name, value in named)


DIRECT = ("direct", "none", "", "", "", "")


def visits_of(hits, rules, reference):
    """All visits. A hit is a dict as in the rules, with `at` in ms and `seq`."""
    seen_orders = set()
    for hit in sorted(hits, key=lambda h: (h["at"], h["seq"])):
        if hit["kind"] == "order" and hit.get("order_id"):
            hit["repeated"] = hit["order_id"] in seen_orders
            seen_orders.add(hit["order_id"])
    visits = []
    for visitor in sorted({hit["visitor"] for hit in hits}):
        own = sorted((h for h in hits if h["visitor"] == visitor), key=lambda h: (h["at"], h["seq"]))
        visits += _visits_of_one(visitor, own, rules, reference)
    return visits


def _visits_of_one(visitor, hits, rules, reference):
    visits = []
    gap = rules.visit_gap_minutes * 60_000
    for hit in hits:
        now = visits[-1] if visits else None
        pause = now is not None and hit["at"] - now.end > gap
        if hit["kind"] == "engage":
            if now is not None:
                now.hits.append(hit)
                if not pause:
                    now.end = hit["at"]
            continue
        found = evidence(hit, rules, reference) if hit["kind"] == "view" else None
        elsewhere = now is not None and found is not None and now.views and found[:3] != now.source[:3]
        if now is None or pause or elsewhere:
            now = OracleVisit(visitor, len(visits) + 1, DIRECT)
            visits.append(now)
        if hit["kind"] == "view" and not now.views:
            now.source = found or DIRECT
        now.hits.append(hit)
        now.end = hit["at"]
    return visits


def conversions_of(visit, matches, once, value=lambda hit: 0.0):
    """(hit, value) of each conversion."""
    found = [(hit, value(hit)) for hit in visit.hits if matches(hit)]
    return found[:1] if once else found


def figures(visits, start, stop, goal=None, key_of_visit=None, keys_of_hit=None, bucket_of=None):
    """Additive measures by key: {key: {measure: number}}. Exactly one of the key functions is used; none: everything is one row."""
    visits = [visit for visit in visits if not visit.excluded]
    inside = lambda at: start <= at < stop  # noqa: E731
    rows = {}

    def row(key):
        return rows.setdefault(key, {name: set() if name in SETS else 0 for name in (*SETS, *SUMS)})

    for visit in visits:
        converted = goal(visit) if goal else []
        began = inside(visit.start)
        values = [keys_of_hit(hit) for hit in visit.hits] if keys_of_hit else [key_of_visit(visit) if key_of_visit else ""] * len(visit.hits)
        for key in {value for value in values if value is not None}:
            first = next(i for i, value in enumerate(values) if value == key)
            later = {id(hit) for hit in visit.hits[first:]}
            counted = [(hit, value) for hit, value in converted if id(hit) in later]
            if began:
                got = row(key)
                got["visits"] += 1
                got["bounces"] += visit.bounce
                got["bounced_engaged"] += visit.bounce * sum(hit.get("engaged_ms") or 0 for hit in visit.hits if hit["kind"] == "engage")
                got["visit_views"] += len(visit.views)
                got["duration"] += visit.end - visit.start
                got["engaged"] += sum(h.get("engaged_ms") or 0 for h in visit.hits if h["kind"] == "engage")
                got["new_visitors"] += visit.number == 1
                got["converting_visits"] += bool(counted)
                got["seen"] += any(h["kind"] == "view" and v == key for h, v in zip(visit.hits, values, strict=True))
            for hit, value in counted:
                if inside(hit["at"]):
                    got = row(key)
                    got["conversions"] += 1
                    got["value"] += value
                    got["converters"].add(visit.visitor)
        for hit, key in zip(visit.hits, values, strict=True):
            if key is not None and inside(hit["at"]):
                got = row(key)
                got["visitors"].add(visit.visitor)
                got["views"] += hit["kind"] == "view"
                got["times"] += hit["kind"] == "event"
                got["page_engaged"] += (hit.get("engaged_ms") or 0) if hit["kind"] == "engage" else 0
                if hit["kind"] == "event":
                    got["people"].add(visit.visitor)
                    got["event_value"] += hit.get("value") or 0
                if hit["kind"] == "order" and not hit.get("repeated"):
                    got["orders"] += 1
                    got["revenue"] += hit.get("value") or 0
        if began and visit.views:
            ends = [values[next(i for i, h in enumerate(visit.hits) if h is view)] for view in (visit.views[0], visit.views[-1])]
            for name, key in zip(("entries", "exits"), ends, strict=True):
                if key is not None:
                    row(key)[name] += 1
    return {key: {name: len(v) if isinstance(v, set) else v for name, v in row.items()} for key, row in rows.items()}


SETS = ("visitors", "people", "converters")
SUMS = (
    "visits",
    "bounces",
    "bounced_engaged",
    "visit_views",
    "duration",
    "engaged",
    "new_visitors",
    "spend",
    "converting_visits",
    "seen",
    "conversions",
    "value",
    "views",
    "times",
    "event_value",
    "page_engaged",
    "orders",
    "revenue",
    "entries",
    "exits",
)
