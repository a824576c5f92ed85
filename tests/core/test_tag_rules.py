"""Tag rules as data: what may stand in one, what the script is told of them, what changed between two versions."""

import re

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from upper_compass.core.tagging.inserted_html import strange_in, tidied_html
from upper_compass.core.tagging.tag_rules import RuleSet, changes_between, for_script, inserts, parts_for

EVENT = {"kind": "event", "name": "read"}
HTML = {"kind": "html", "html": "<p>Hello</p>", "selector": "main"}


def a_rule(number=1, **changes):
    return {"id": f"rule{number}", "name": f"Rule {number}", "when": {"kind": "page shown"}, "then": [EVENT]} | changes


def rules(*given):
    return RuleSet.model_validate({"rules": list(given)}).rules


def refused(rule):
    with pytest.raises(ValidationError) as why:
        rules(rule)
    [first] = why.value.errors()
    return ".".join(str(part) for part in first["loc"])


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"when": {"kind": "clicked"}}, "rules.0.when.clicked"),
        ({"when": {"kind": "in view", "selector": ""}}, "rules.0.when.in view.selector"),
        ({"when": {"kind": "scrolled", "percent": 101}}, "rules.0.when.scrolled.percent"),
        ({"when": {"kind": "seconds passed", "seconds": "soon"}}, "rules.0.when.seconds passed.seconds"),
        ({"then": []}, "rules.0.then"),
        ({"only_if": [{"kind": "share", "percent": 0}]}, "rules.0.only_if.0.share.percent"),
        ({"only_if": [{"kind": "page", "test": "regular expression", "value": "(a+)+"}]}, "rules.0.only_if.0.page.test"),
        ({"then": [EVENT | {"value": {"kind": "variable", "path": "alert(1)"}}]}, "rules.0.then.0.event.value.variable.path"),
        ({"then": [{"kind": "field", "key": "Not a key", "value": {"kind": "query", "key": "a"}}]}, "rules.0.then.0.field.key"),
        ({"then": [HTML | {"html": "<script>steal()</script>"}]}, "rules.0.then.0.html"),
        ({"id": "x"}, "rules.0.id"),
        ({"name": ""}, "rules.0.name"),
    ],
)
def test_what_makes_no_sense_is_refused_by_its_place(change, field):
    assert refused(a_rule(**change)) == field


def test_two_rules_have_two_ids():
    with pytest.raises(ValidationError, match="same id"):
        rules(a_rule(), a_rule())


@pytest.mark.parametrize(
    ("html", "strange"),
    [
        ('<p class="a" style="color: red" data-uc-event="x">Good <b>day</b> &amp; night</p>', []),
        ('<a href="https://mill.example/?a=1&amp;b=ä ö" target="_blank">There</a><img src="/a.png" alt="">', []),
        ("<script>1</script><p onclick='x()'>", ["<script>", "onclick"]),
        ('<a href="javascript:x()">a</a><a href="/fine">b</a>', ['href="javascript:x()"']),
        ('<a href="&#106;avascript:x()">a</a>', ['href="javascript:x()"']),
        ('<img src="data:image/svg+xml,x">', ['src="data:image/svg+xml,x"']),
        ("<svg><animate onbegin=x></svg>", ["<svg>", "<animate>", "onbegin"]),
        ("<iframe srcdoc='x'></iframe><form action='/'><input name=a></form>", ["<iframe>", "srcdoc", "<form>", "action", "<input>", "name"]),
        ("<style>p{}</style><link rel=x><base href='https://bad.example/'>", ["<style>", "<link>", "rel", "<base>", 'href="https://bad.example/"']),
    ],
)
def test_html_that_runs_or_sends_is_named(html, strange):
    assert strange_in(html) == strange
    assert not strange_in(tidied_html(html))


def test_the_script_is_told_no_more_than_it_needs():
    held = rules(a_rule(1), a_rule(2, paused=True), a_rule(3, then=[HTML]), a_rule(4, then=[EVENT, HTML]))
    event = {"kind": "event", "name": "read", "props": []}
    shown = {"when": {"kind": "page shown"}, "only_if": []}
    assert for_script(held, html=False) == [{"id": "rule1", **shown, "then": [event]}, {"id": "rule4", **shown, "then": [event]}]
    assert [one["id"] for one in for_script(held, html=True)] == ["rule1", "rule3", "rule4"]
    tried = for_script(held, html=False, trying=True)
    assert [(one["name"], one["paused"]) for one in tried] == [("Rule 1", False), ("Rule 2", True), ("Rule 3", False), ("Rule 4", False)]
    assert tried[2]["then"] == [{"kind": "html", "refused": True}]


def test_the_visit_is_asked_for_only_where_a_rule_needs_it():
    source = {"kind": "source", "part": "channel"}
    needs = (
        a_rule(only_if=[{"kind": "visitor", "visitor": "new"}]),
        a_rule(then=[EVENT | {"value": source}]),
        a_rule(then=[EVENT | {"props": [{"key": "a", "value": source}]}]),
        a_rule(then=[{"kind": "field", "key": "a", "value": source}]),
    )
    for rule in needs:
        assert "visit" in parts_for(for_script(rules(rule), html=True))
        assert "visit" not in parts_for(for_script(rules({**rule, "paused": True}), html=True))
    assert "visit" not in parts_for(for_script(rules(a_rule(then=[{"kind": "event", "name": "source"}])), html=True))


def test_what_changed_between_two_versions():
    before = rules(a_rule(1), a_rule(2), a_rule(3))
    after = rules(a_rule(4), a_rule(2, name="Two", paused=True), a_rule(1))
    found = changes_between(before, after)
    assert [(one.what, one.parts, (one.becomes or one.was).id) for one in found] == [
        ("added", [], "rule4"),
        ("changed", ["name", "paused"], "rule2"),
        ("removed", [], "rule3"),
    ]
    assert changes_between(after, after) == []


def test_html_is_the_same_only_in_the_same_rule():
    held = rules(a_rule(1, then=[HTML]))
    assert inserts(rules(a_rule(1, name="Other", then=[HTML]), a_rule(2, paused=True, then=[HTML]))) == inserts(held)
    assert inserts(rules(a_rule(1, then=[HTML], when={"kind": "leaving"}))) != inserts(held)
    assert inserts(rules(a_rule(1))) == set()


NAMES = st.sampled_from(["Read", "Sent", "Left"])
WHENS = st.sampled_from([{"kind": "page shown"}, {"kind": "leaving"}, {"kind": "scrolled", "percent": 50}])
ONLY = st.lists(st.sampled_from([{"kind": "share", "percent": 5}, {"kind": "visitor", "visitor": "new"}]), max_size=2)
THENS = st.lists(st.sampled_from([EVENT, HTML, {"kind": "goal", "name": "Bought"}]), min_size=1, max_size=3)
SETS = st.lists(
    st.builds(lambda number, name, when, filters, then, paused: a_rule(number, name=name, when=when, only_if=filters, then=then, paused=paused),
              st.integers(1, 6), NAMES, WHENS, ONLY, THENS, st.booleans()),
    max_size=6, unique_by=lambda rule: rule["id"],
)  # fmt: skip


@settings(max_examples=200)
@given(before=SETS, after=SETS)
def test_any_changes_lead_from_one_version_to_the_other(before, after):
    old, new = rules(*before), rules(*after)
    held = {rule.id: rule for rule in old}
    for change in changes_between(old, new):
        if change.becomes is None:
            assert held.pop(change.was.id) == change.was
            continue
        assert held.get(change.becomes.id) == change.was
        if change.was is not None:
            assert change.parts
            unchanged = {"id", "name", "when", "only_if", "then", "paused"} - set(change.parts)
            assert all(getattr(change.was, part) == getattr(change.becomes, part) for part in unchanged)
        held[change.becomes.id] = change.becomes
    assert held == {rule.id: rule for rule in new}


@settings(max_examples=200)
@given(held=SETS, html=st.booleans(), trying=st.booleans())
def test_of_any_rules_the_script_is_told_just_those_that_do_something(held, html, trying):
    script = for_script(rules(*held), html=html, trying=trying)
    for one in script:
        rule = next(rule for rule in held if rule["id"] == one["id"])
        kinds = [action["kind"] for action in rule["then"] if html or trying or action["kind"] != "html"]
        assert [action["kind"] for action in one["then"]] == kinds
        assert ("name" in one) == trying
        assert html or not any("html" in action for action in one["then"])
        assert trying or not rule["paused"]
    silent = {rule["id"] for rule in held} - {one["id"] for one in script}
    assert all(rule["paused"] or {action["kind"] for action in rule["then"]} == {"html"} for rule in held if rule["id"] in silent)


PIECES = st.sampled_from([
    "<p>", "</p>", "<b class='a'>", "</b>", "text", "&amp;", "&lt;script&gt;", "<script>", "</script>", "<img src=x onerror=y>", '<a href="javascript:x">', "</a>",
    "<svg onload=x>", "<!-- c -->", "<!--", "-->", "<style>", "</style>", "<table><tr><td>", "<a href=' java\tscript:x'>", "<math><mi//xlink:href='data:x'>",
    "<p style='x:y' onclick=z", ">", '"', "'", "<", "<textarea>", "</textarea>", "<noscript>", "<template>", "<iframe srcdoc='<b>'>", "\u00e4", "<plaintext>", "<title>",
])  # fmt: skip


@settings(max_examples=300)
@given(st.lists(PIECES, max_size=12).map("".join))
def test_whatever_is_written_what_is_inserted_runs_nothing(html):
    made = tidied_html(html)
    assert tidied_html(made) == made
    assert strange_in(made) == []
    assert not re.search(
        r"<(script|iframe|svg|math|style|template|noscript|form|input|textarea|title)\b|<[^>]*\son\w+\s*=|<[^>]*javascript:", made, re.IGNORECASE
    )
