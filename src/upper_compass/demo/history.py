"""Thirteen months of visits to Fennmoor Mill, the same for the same day on every run."""

from __future__ import annotations

import math
import random
import uuid
from collections.abc import Iterator
from dataclasses import dataclass, field
from datetime import UTC, date, datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

import orjson

from upper_compass.core.definitions.periods import midnight
from upper_compass.demo.places import (
    AGENTS,
    AUTHORS,
    COURSES,
    ELSEWHERE,
    FORMS,
    GUIDES,
    ONWARD,
    PAGE_TITLES,
    PEOPLE,
    PRODUCTS,
    PROMOTION,
    ROBOT,
    SCREENS,
    SITE,
    SLIPPED,
    SLIPS,
    STOCKISTS,
    VIDEO_ENDS,
    VIDEO_TITLES,
    VIDEOS,
    WAYS,
    Way,
)  # fmt: skip

SEED = 20_617
DAYS = 396
ZONE = ZoneInfo("Europe/Dublin")
BOOKS = 0.0215
GUIDE_CHANGED, OUTAGE, GERMAN_OPENED = 28, 17, 45
# What is wrong with the tags: how often, since when.
PERSONAL, UNSEEN, RETURNED, FROM_OWN_HOST, SILENT, MAILED = 0.06, 0.008, 0.2, 0.02, 5, 9
UNSEEN_PAGE, PAYMENT_PAGE, OWN_HOST = "/press", "https://pay.copperpot.example/done", "https://tickets.fennmoor-mill.example/"
# For how many days the rule that tells who reads a recipe has been live.
RECIPES_READ = 30
# Scripts that fail, by page: for which share of visitors, with which words, where.
STUMBLES = {
    "/stockists": (0.04, "Uncaught TypeError: map is undefined", "/site/map.js", 41),
    "/checkout/delivery": (0.09, "Unhandled: the day is not open", "/site/checkout.js", 118),
}
OUTAGE_HOURS = (10.0, 14.5)
HOURS = (1, 1, 1, 1, 1, 2, 4, 8, 11, 14, 15, 15, 14, 13, 13, 13, 14, 15, 17, 20, 22, 19, 11, 4)


@dataclass
class Person:
    """A browser that comes back."""

    visitor: str
    device: str
    agent: str
    language: str
    zone: str


@dataclass
class Visit:
    """A visit while it is told: hits pile up and the clock goes on."""

    person: Person
    at: int
    rng: random.Random
    referrer: str | None
    by_itself: random.Random
    days_ago: int = DAYS
    hits: list[dict[str, Any]] = field(default_factory=list)
    page: str = ""
    url: str = ""

    def _hit(self, kind: str, **more: Any) -> None:  # noqa: ANN401
        context = {"language": self.person.language, "timezone": self.person.zone, "screen": SCREENS[self.person.device], "user_agent": self.person.agent}
        author = AUTHORS.get(self.page.removeprefix("/recipes/"))
        carried = {"fields": {"author": author}} if author else {}
        record = {"id": str(uuid.UUID(int=self.rng.getrandbits(128), version=4)), "at": self.at, "visitor": self.person.visitor, "kind": kind, "url": self.url}
        self.hits.append(record | carried | more | context)

    def view(self, page: str, query: str = "", seconds: float = 0.0, came_from: str | None = None) -> None:
        """Show a page and stay on it a while."""
        form, following = FORMS.get(self.page, ("", ""))
        if following == page:
            self.aside("form start", ago=8_000 + self.at % 50_000, form=form)
            self.aside("form submit", form=form)
        if page == "/courses/booked" and self.by_itself.random() < PERSONAL:
            query = "?email=baker%40post.example"
        before, self.page, self.url = self.url, page, SITE + page + query
        if before and self.by_itself.random() < UNSEEN:
            before = SITE + UNSEEN_PAGE
        self._hit("view", title=_title(page), referrer=came_from or before or self.referrer)
        if page in FORMS:
            self.aside("form view", form=FORMS[page][0])
        elif page == "/" and self.by_itself.random() < 0.45:
            self.aside("promo view", promo=PROMOTION)
            if self.by_itself.random() < 0.06 and self.days_ago > SILENT:
                self.aside("promo click", promo=PROMOTION)
        elif page == "/videos" and self.by_itself.random() < 0.6:
            self._watch(self.by_itself.choice(list(VIDEOS)))
        if page in STUMBLES:
            self._stumble(*STUMBLES[page])
        stay = seconds or self.rng.lognormvariate(3.1, 0.8)
        if page.startswith("/recipes/") and self.days_ago <= RECIPES_READ and stay > 60:
            self._by_rule(60_000, "recipe read", recipe=_title(page).removesuffix(" · Fennmoor Mill"))
        self.at += int(min(stay, 900) * 1000)
        self._hit("engage", engaged_ms=int(min(stay, 900) * self.rng.uniform(550, 950)))
        self.at += self.rng.randint(60, 900)

    def event(self, name: str, value: float | None = None, **props: Any) -> None:  # noqa: ANN401
        """Something named happens on the page."""
        more: dict[str, Any] = {"name": name} | ({"value": value} if value is not None else {}) | ({"props": props} if props else {})
        self._hit("event", **more)
        self.at += self.rng.randint(200, 3000)

    def _watch(self, media: str) -> None:
        title, length = VIDEO_TITLES[media], VIDEOS[media]
        self.aside("media start", media=media, title=title)
        until = self.by_itself.choices((0, 25, 50, 75, 100), VIDEO_ENDS[media])[0]
        for percent in (25, 50, 75, 100):
            if percent <= until:
                self.aside("media progress", media=media, title=title, position_s=round(length * percent / 100), duration_s=length, percent=percent)

    def aside(self, name: str, ago: int = 0, **props: Any) -> None:  # noqa: ANN401
        """Something that the script tells by itself, so many ms ago on the same page. It takes neither time nor chance from the course of the visit."""
        shown = next((hit["at"] for hit in reversed(self.hits) if hit["kind"] == "view"), self.at)
        outer, now = self.rng, self.at
        self.rng, self.at = self.by_itself, max(now - ago, min(shown + 1_000, now))
        self._hit("event", name=name, props=props)
        self.rng, self.at = outer, now

    def _by_rule(self, later: int, name: str, **props: Any) -> None:  # noqa: ANN401
        """Something that a rule records, so many ms from now; it leaves the course of the visit and its chances as they are."""
        outer, self.rng = (self.rng, self.at), random.Random(f"{name} {self.person.visitor} {self.at}")
        self.at += later
        self._hit("event", name=name, props=props)
        self.rng, self.at = outer

    def _stumble(self, share: float, message: str, file: str, line: int) -> None:
        """A script of the page fails for a share of its visitors, by a chance of its own that leaves all else as it is."""
        outer, self.rng = self.rng, random.Random(f"{self.person.visitor} {self.at}")
        if self.rng.random() < share:
            self._hit("event", name="script error", props={"message": message, "file": f"{SITE}{file}", "line": line})
        self.rng = outer

    def order(self, number: str, items: list[tuple[str, int]]) -> None:
        """A purchase."""
        lines = [{"sku": sku, "name": sku.replace("-", " "), "quantity": count, "price": PRODUCTS[sku]} for sku, count in items]
        total = sum(PRODUCTS[sku] * count for sku, count in items) + 4.9
        self._hit("order", value=round(total, 2), currency="EUR", order={"id": number, "items": lines, "shipping": 4.9})
        self.at += 1000


def _title(page: str) -> str:
    last = page.rpartition("/")[2].replace("-", " ")
    return PAGE_TITLES.get(page) or f"{last[:1].upper()}{last[1:]} · Fennmoor Mill"


def volume(day: date, before_today: int) -> float:
    """How many visits a day has on average."""
    weekday = (0.94, 0.92, 0.92, 0.95, 1.0, 1.1, 1.24)[day.weekday()]
    growth = 1.0 + 0.22 * (1 - before_today / DAYS)
    season = 1 + 0.1 * math.cos((day.timetuple().tm_yday - 20) / 365 * 2 * math.pi)
    december = 1.45 if day.month == 12 and day.day < 22 else 0.6 if day.month == 12 else 1.0
    return 127 * weekday * growth * season * december


class HistoryGenerator:
    """Tells the visits day by day, each from the seed of the run."""

    def __init__(self, today: date) -> None:
        self._today = today
        self._rng = random.Random(SEED)
        self._by_itself = random.Random(SEED + 1)
        self._known: list[Person] = []
        self._orders = 0

    def lines(self) -> Iterator[bytes]:
        """Hits as JSON Lines, ordered by day."""
        for before in range(DAYS, 0, -1):
            hits = [hit for visit in self._day(before) for hit in visit.hits]
            end = midnight(self._today, ZONE)
            for hit in sorted(hits, key=lambda one: one["at"]):
                if hit["at"] < end:
                    hit["at"] = datetime.fromtimestamp(hit["at"] / 1000, UTC).isoformat(timespec="milliseconds")
                    yield orjson.dumps(hit) + b"\n"

    def _day(self, before: int) -> Iterator[Visit]:
        rng = self._rng
        day = self._today - timedelta(days=before)
        start = midnight(day, ZONE)
        ways = [way for way in WAYS if way.to_day < before <= way.from_day]
        usual = sum(way.weight for way in WAYS if way.from_day > DAYS)
        count = round(rng.gauss(1, 0.05) * volume(day, before) * sum(way.weight for way in ways) / usual)
        for way in rng.choices(ways, [_strength(way, before) for way in ways], k=count):
            at = start + int((rng.choices(range(24), HOURS)[0] + rng.random()) * 3_600_000)
            hour = (at - start) / 3_600_000
            if before == OUTAGE and OUTAGE_HOURS[0] <= hour < OUTAGE_HOURS[1]:
                continue
            yield self._visit(way, at, before, day)
        for _ in range(max(0, round(rng.gauss(2, 1)))):
            yield self._robot(start + rng.randrange(86_000_000))
        if before == MAILED:
            yield from self._mailing(start + 10 * 3_600_000)

    def _person(self, way: Way) -> Person:
        rng = self._rng
        if self._known and rng.random() < way.loyal:
            return self._known[max(len(self._known) - 1 - int(rng.expovariate(1 / 900)), 0)]
        device = "phone" if rng.random() < way.phone else "tablet" if rng.random() < 0.1 else "desktop"
        language, zone, _ = rng.choices(PEOPLE, [weight for *_, weight in PEOPLE])[0]
        if way.name == "german search":
            language, zone = rng.choice((("de-DE", "Europe/Berlin"), ("de-DE", "Europe/Berlin"), ("de-AT", "Europe/Vienna"), ("de-CH", "Europe/Zurich")))
        person = Person(f"{rng.getrandbits(80):020x}", device, rng.choice(AGENTS[device]), language, zone)
        self._known.append(person)
        return person

    def _mailing(self, sent: int) -> Iterator[Visit]:
        """A mail goes out; the links in its text are tagged, those in its pictures are not."""
        rng = self._by_itself
        for number in range(64):
            person = Person(f"{rng.getrandbits(80):020x}", "phone", rng.choice(AGENTS["phone"]), "en-IE", "Europe/Dublin")
            visit = Visit(person, sent + int(rng.expovariate(1 / 2_400_000)), rng, None, rng, MAILED)
            tagged = number % 2 == 0
            visit.view(rng.choice(("/gift-vouchers", "/shop")), "?utm_source=letter&utm_medium=email&utm_campaign=winter-offer" if tagged else "")
            yield visit

    def _robot(self, at: int) -> Visit:
        visit = Visit(Person(f"r{self._rng.getrandbits(60):015x}", "desktop", ROBOT, "en", ""), at, self._rng, None, self._by_itself)
        for page in self._rng.sample(ELSEWHERE, 3):
            visit.view(page, seconds=1)
        return visit

    def _visit(self, way: Way, at: int, before: int, day: date) -> Visit:
        rng = self._rng
        visit = Visit(self._person(way), at, rng, rng.choice(way.referrers) if way.referrers else None, self._by_itself, before)
        if way.name == "direct" and self._by_itself.random() < FROM_OWN_HOST:
            visit.referrer = OWN_HOST
        query = rng.choice(way.queries) if way.queries else ""
        week = day.isocalendar().week
        query = query.format(id=f"{rng.getrandbits(48):012x}", week=f"{day.year}-{week:02}", month=f"{day.year}-{day.month:02}")
        for right, typed in SLIPS.get(way.name, ()):
            if self._by_itself.random() < SLIPPED:
                query = query.replace(right, typed)
        landing = rng.choices([page for page, _ in way.lands], [weight for _, weight in way.lands])[0]
        visit.view(landing, query)
        course = landing.startswith(("/courses", "/letter", "/de/kurse"))
        guide = landing == "/guides/starter"
        books = BOOKS * way.books * (1.9 if course else 1.6 if guide else 0.72)
        if guide:
            books *= 1.9 if before <= GUIDE_CHANGED else 0.62
        if day.month == 12 and landing == "/gift-vouchers":
            books *= 2.5
        fate = rng.random()
        if fate < books:
            self._book(visit)
        elif fate < books + 0.034:
            self._buy(visit)
        elif fate < books + 0.034 + 0.03:
            self._fetch_guide(visit, before)
        elif fate < books + 0.066:
            self._ask_for_wholesale(visit)
        elif rng.random() < 0.55:
            self._wander(visit)
        return visit

    def _wander(self, visit: Visit) -> None:
        rng = self._rng
        for _ in range(min(int(rng.expovariate(1 / 1.7)) + 1, 12)):
            visit.view(rng.choice(ONWARD.get(visit.page, ELSEWHERE)))
            chance = rng.random()
            if visit.page.startswith("/recipes/") and chance < 0.5:
                visit.event("scroll depth", percent=rng.choice((50, 75, 90)))
            elif visit.page == "/stockists" and chance < 0.3:
                host = rng.choice(STOCKISTS)
                visit.event("outbound click", host=host, href=f"https://{host}/")
            elif visit.page == "/recipes" and chance < 0.12:
                visit.event("site search", term=rng.choice(("rye", "starter", "gluten free", "spelt", "pizza")))

    def _book(self, visit: Visit) -> None:
        rng = self._rng
        if rng.random() < 0.5:
            self._wander(visit)
        name = rng.choices(list(COURSES), (52, 22, 16, 10))[0]
        if visit.page != "/courses" and rng.random() < 0.7:
            visit.view("/courses")
        visit.view(f"/courses/{name}")
        visit.view(f"/courses/{name}/book", seconds=rng.uniform(40, 160))
        places = rng.choices((1, 2, 3), (70, 26, 4))[0]
        visit.event("course booked", value=COURSES[name] * places, course=name, places=places)
        visit.view("/courses/booked", seconds=8)

    def _buy(self, visit: Visit) -> None:
        rng = self._rng
        skus = rng.sample(list(PRODUCTS), rng.choice((1, 1, 2, 3)))
        for sku in skus:
            visit.view(f"/shop/{sku}")
        visit.view("/basket", seconds=15)
        visit.view("/checkout/address", seconds=50)
        visit.view("/checkout/delivery", seconds=25)
        if visit.person.device == "phone" and rng.random() < 0.55:
            return
        visit.view("/checkout/pay", seconds=40)
        if rng.random() < 0.12:
            return
        self._orders += 1
        paid = PAYMENT_PAGE if self._by_itself.random() < RETURNED else None
        visit.view("/checkout/thanks", seconds=6, came_from=paid)
        items = [(sku, rng.choice((1, 1, 2, 3))) for sku in skus]
        visit.order(f"FM-{10_000 + self._orders}", items)
        if rng.random() < 0.02:  # the page was loaded again: the same order is sent twice
            visit.order(f"FM-{10_000 + self._orders}", items)

    def _fetch_guide(self, visit: Visit, before: int) -> None:
        name = self._rng.choices(list(GUIDES), (6, 2, 1))[0]
        if visit.page != f"/guides/{name}":
            visit.view("/guides")
            visit.view(f"/guides/{name}")
        if self._rng.random() < (0.8 if before <= GUIDE_CHANGED else 0.4):
            visit.event("file download", file=GUIDES[name], extension="pdf")

    def _ask_for_wholesale(self, visit: Visit) -> None:
        visit.view("/wholesale", seconds=70)
        visit.event("form start", form="wholesale")
        visit.at += 20_000 + visit.at % 100_000
        if self._rng.random() < 0.6:
            visit.event("form submit", form="wholesale")
        else:
            visit.aside("form leave", form="wholesale", field=("quantity", "telephone", "telephone")[visit.at % 3])


def _strength(way: Way, before: int) -> float:
    """How much of the traffic a way has on a day: the German part grows from its opening on, the letter goes out on Thursdays."""
    if way.name == "german search":
        return way.weight * min(1.0, (GERMAN_OPENED - before) / 30 + 0.15)
    if way.name == "pinwheel":
        return way.weight * (1.0 if before <= 30 else 0.55)
    return way.weight
