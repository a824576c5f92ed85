"""Tag rules, *When … then …*: what the site script does without a change to the page. They are data; nothing in them is ever run as code."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Any, Literal, Self

from pydantic import BaseModel, ConfigDict, Field, StringConstraints, model_validator

from upper_compass.core.definitions.site_rules import QueryKey, Word
from upper_compass.core.definitions.text_tests import storable
from upper_compass.core.tagging.inserted_html import strange_in, tidied_html

MAX_RULES = 100
Selector = Annotated[str, storable(300, least=1)]
Name = Annotated[str, storable(100, least=1)]
FieldKey = Annotated[str, StringConstraints(pattern=r"^[a-z0-9][a-z0-9_-]{0,39}$")]
# No regular expressions: they would run in every visitor's browser, where a careless one stops the page.
RuleTest = Literal["is", "is not", "starts with", "contains", "does not contain", "is empty", "is not empty"]


class _Part(BaseModel):
    model_config = ConfigDict(extra="forbid")


class FixedText(_Part):
    """Always the same."""

    kind: Literal["fixed"]
    text: Annotated[str, storable(500)]


class FromQuery(_Part):
    """The first value of a key of the address' query."""

    kind: Literal["query"]
    key: QueryKey


class FromCookie(_Part):
    """A cookie that the page can read."""

    kind: Literal["cookie"]
    key: QueryKey


class FromElement(_Part):
    """Text of an element, or one of its attributes. Without a selector it is the element that the rule is about: clicked, sent, seen."""

    kind: Literal["element"]
    selector: Selector | None = None
    attribute: Annotated[str, StringConstraints(pattern=r"^[A-Za-z_][A-Za-z0-9_:.-]{0,99}$")] | None = None


class FromVariable(_Part):
    """A variable of the page by its path, such as `shop.basket.total`; functions are not called."""

    kind: Literal["variable"]
    path: Annotated[str, StringConstraints(max_length=200, pattern=r"^[A-Za-z_$][\w$]*(\.[\w$]+)*$")]


class FromSource(_Part):
    """Where the visit came from, tidied and with aliases, as reports have it."""

    kind: Literal["source"]
    part: Literal["source", "medium", "campaign", "content", "term", "label", "channel"]


Value = Annotated[FixedText | FromQuery | FromCookie | FromElement | FromVariable | FromSource, Field(discriminator="kind")]


class PageShown(_Part):
    """A page is shown, also one that the page's own script puts in place."""

    kind: Literal["page shown"]


class Clicked(_Part):
    """An element is clicked: one that a selector names, one with just this text, or both."""

    kind: Literal["clicked"]
    selector: Selector | None = None
    text: Name | None = None

    @model_validator(mode="after")
    def _something(self) -> Self:
        if self.selector is None and self.text is None:
            raise ValueError("give a selector or a text, so that it is known which element is meant")
        return self


class FormSent(_Part):
    """A form is sent; any form without a selector."""

    kind: Literal["form sent"]
    selector: Selector | None = None


class InView(_Part):
    """An element comes into view: half of it, or half of the window; once a page."""

    kind: Literal["in view"]
    selector: Selector


class SecondsPassed(_Part):
    """So many seconds passed in which the page was visible; once a page."""

    kind: Literal["seconds passed"]
    seconds: Annotated[int, Field(ge=1, le=3600)]


class Scrolled(_Part):
    """The page was scrolled to this share of its height; once a page."""

    kind: Literal["scrolled"]
    percent: Annotated[int, Field(ge=1, le=100)]


class Leaving(_Part):
    """The window is about to be left: the pointer goes out at its top, or the page is hidden; once a page."""

    kind: Literal["leaving"]


class Signalled(_Part):
    """The page itself calls `uc.signal(name)`."""

    kind: Literal["signalled"]
    name: Name


When = Annotated[PageShown | Clicked | FormSent | InView | SecondsPassed | Scrolled | Leaving | Signalled, Field(discriminator="kind")]


class TextCondition(_Part):
    """The page's path, its host, or the address that it was reached from, against a text; letter case counts."""

    kind: Literal["page", "host", "referrer"]
    test: RuleTest
    value: Annotated[str, storable(500)] = ""


class KeyCondition(_Part):
    """A key of the address' query, or a site field that the page sends, against a text."""

    kind: Literal["query", "field"]
    key: QueryKey
    test: RuleTest
    value: Annotated[str, storable(500)] = ""


class DeviceCondition(_Part):
    """One of these kinds of device."""

    kind: Literal["device"]
    devices: Annotated[list[Literal["phone", "tablet", "desktop"]], Field(min_length=1, max_length=3)]


class VisitorCondition(_Part):
    """The visit is the visitor's first as far as the browser knows, or a later one."""

    kind: Literal["visitor"]
    visitor: Literal["new", "returning"]


class ShareCondition(_Part):
    """A share of all visitors; who is in stays in, for this rule."""

    kind: Literal["share"]
    percent: Annotated[int, Field(ge=1, le=99)]


Condition = Annotated[TextCondition | KeyCondition | DeviceCondition | VisitorCondition | ShareCondition, Field(discriminator="kind")]


class PropGiven(_Part):
    """A property of an event and its value."""

    key: Name
    value: Value


class RecordEvent(_Part):
    """Record an event, with properties, and a value that is read as a number."""

    kind: Literal["event"]
    name: Name
    props: Annotated[list[PropGiven], Field(max_length=32)] = []
    value: Value | None = None


class CountGoal(_Part):
    """Call a goal by name: an event of this name, which the goal counts."""

    kind: Literal["goal"]
    name: Name
    value: Value | None = None


class SetField(_Part):
    """Set a site field for this page's hits."""

    kind: Literal["field"]
    key: FieldKey
    value: Value


class InsertHtml(_Part):
    """Insert HTML at an element. Only what shows something is taken: no scripts, no frames, no forms, nothing that runs."""

    kind: Literal["html"]
    html: Annotated[str, storable(20_000, least=1)]
    place: Literal["before", "at the start", "at the end", "after", "instead"] = "at the end"
    selector: Selector

    @model_validator(mode="after")
    def _harmless(self) -> Self:
        strange = strange_in(self.html)
        if strange:
            raise ValueError(f"this is not inserted into a page: {', '.join(strange)}")
        return self


Action = Annotated[RecordEvent | CountGoal | SetField | InsertHtml, Field(discriminator="kind")]


class Rule(_Part):
    """When something happens, and only if all conditions hold, then all of these are done, in order. A rule that rests does nothing."""

    id: Annotated[str, StringConstraints(pattern=r"^[a-z0-9]{4,16}$")]
    name: Word
    when: When
    only_if: Annotated[list[Condition], Field(max_length=20)] = []
    then: Annotated[list[Action], Field(min_length=1, max_length=20)]
    paused: bool = False


class RuleSet(_Part):
    """The rules of a site, in the order in which they are tried."""

    rules: Annotated[list[Rule], Field(max_length=MAX_RULES)]

    @model_validator(mode="after")
    def _apart(self) -> Self:
        if len({rule.id for rule in self.rules}) < len(self.rules):
            raise ValueError("two rules have the same id")
        return self


RulePart = Literal["name", "when", "only_if", "then", "paused"]


class RuleChange(BaseModel):
    """What became of one rule between two versions; `parts`: what of it is another."""

    what: Literal["added", "changed", "removed"]
    parts: list[RulePart]
    was: Rule | None
    becomes: Rule | None


def changes_between(before: Sequence[Rule], after: Sequence[Rule]) -> list[RuleChange]:
    """What is another in `after` than in `before`, rules of `after` first, in their order."""
    old, new = ({rule.id: rule for rule in rules} for rules in (before, after))
    parts: tuple[RulePart, ...] = ("name", "when", "only_if", "then", "paused")
    found = []
    for rule in after:
        was = old.get(rule.id)
        if was is None:
            found.append(RuleChange(what="added", parts=[], was=None, becomes=rule))
        elif was != rule:
            found.append(RuleChange(what="changed", parts=[part for part in parts if getattr(was, part) != getattr(rule, part)], was=was, becomes=rule))
    return found + [RuleChange(what="removed", parts=[], was=rule, becomes=None) for rule in before if rule.id not in new]


def inserts(rules: Sequence[Rule]) -> set[tuple[str, str]]:
    """All HTML that rules insert, as (rule, action), those that rest left out; a set with more of it than another needs the owner's role."""
    awake = [(rule, rule.model_dump_json(exclude={"name"})) for rule in rules if not rule.paused]
    return {(text, action.model_dump_json()) for rule, text in awake for action in rule.then if action.kind == "html"}


def for_script(rules: Sequence[Rule], *, html: bool, trying: bool = False) -> list[dict[str, Any]]:
    """Rules as the site script reads them: without those that rest and without what is empty.

    HTML is left out unless the site allows it. Who is trying them out also gets their names, and is told what is left out (`refused`).
    """
    event_names = []
    for rule in rules:
        if rule.paused and not trying:
            continue
        plain = rule.model_dump(exclude_none=True, exclude=None if trying else {"name", "paused"})
        plain["then"] = [found for action in rule.then if (found := _action(action, html=html, trying=trying))]
        if plain["then"]:
            event_names.append(plain)
    return event_names


def _action(action: RecordEvent | CountGoal | SetField | InsertHtml, *, html: bool, trying: bool) -> dict[str, Any] | None:
    plain = action.model_dump(exclude_none=True)
    if isinstance(action, InsertHtml):
        if not html:
            return {"kind": "html", "refused": True} if trying else None
        plain["html"] = tidied_html(action.html)
    return plain


def parts_for(rules: Sequence[dict[str, Any]]) -> list[str]:
    """Parts of the script that rules, as it reads them, need besides the one that obeys them.

    `visit`: where the visit came from, or whether the visitor was there before. `seen`: what comes into view.
    """

    def within(part: object, *kinds: str) -> bool:
        if isinstance(part, dict):
            return part.get("kind") in kinds or any(within(one, *kinds) for one in part.values())
        return isinstance(part, list) and any(within(one, *kinds) for one in part)

    needed = {"visit": within(list(rules), "source", "visitor"), "seen": within(list(rules), "in view")}
    return [part for part, needs in needed.items() if needs]
