"""Campaign links: what is built of what was typed, and what is said of it; QR codes; sheets; what came by links."""

import io
from urllib.parse import parse_qsl, urlsplit

import numpy as np
import pytest
import zxingcpp
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image

from tests.core.asking import reading_of
from tests.core.building import DAY, HOME, REFERENCE, hit, numbered, rules, shards_of
from upper_compass.core.dataset.traffic_sources import FIELDS, tidy
from upper_compass.core.definitions.goals import Goal
from upper_compass.core.engine.selection import ReportFilter
from upper_compass.core.export.sheets import SheetError, read_sheet, write_sheet
from upper_compass.core.tagging.link_builder import Builder, LinkDraft, Word
from upper_compass.core.tagging.link_performance import RegisteredLink, link_performance, observed_values, unregistered_links
from upper_compass.core.tagging.qr_codes import MAX_DOTS, CodeRequest, UnfitCodeError, contrast, make_code

EVER = ReportFilter(0, 2**62)


def build(known=None, words=(), site=None, **draft):
    builder = Builder(site or rules(), REFERENCE, known or {}, [Word.model_validate(word) for word in words])
    return builder.build(LinkDraft.model_validate({"address": HOME + "courses"} | draft))


def said(built, field):
    return [(one.text, one.use) for one in built.remarks if one.field == field]


def test_values_are_tidied_and_stand_in_the_query_before_the_fragment():
    built = build(address=HOME + "shop?size=2&UTM_x=1#top", source=" News Letter ", medium="E_Mail", campaign="Spring+sale ä", content="top", term="rye")
    assert built.url == (
        "https://mill.example/shop?size=2&UTM_x=1&utm_source=news-letter&utm_medium=e-mail&utm_campaign=spring-sale-%C3%A4&utm_content=top&utm_term=rye#top"
    )
    assert (built.channel, said(built, "source")) == ("Email", [("becomes news-letter", "news-letter")])


def test_tags_that_were_there_are_replaced_and_a_label_alone_will_do():
    built = build(address=HOME + "?utm_source=old&utm%5Fmedium=old&a=1", source="new", medium="email")
    assert built.url == "https://mill.example/?a=1&utm_source=new&utm_medium=email"
    assert said(built, "address") == [("the tags that it had are replaced", None)]
    label = build(address=HOME + "?ref=kept", label="Card")
    assert (label.url, label.source, label.medium, label.channel) == ("https://mill.example/?ref=kept&via=card", "card", "link", "Referral")
    assert build(label="a", content="b").content == ""
    assert "read only beside" in said(build(label="a", content="b"), "content")[0][0]


@pytest.mark.parametrize(
    ("draft", "field", "text"),
    [
        ({"address": "mill.example/x", "label": "a"}, "address", "whole address"),
        ({"address": "https://mill.example:x/", "label": "a"}, "address", "whole address"),
        ({"address": "javascript:alert(1)", "label": "a"}, "address", "whole address"),
        ({"address": "https://mill.example/?email=a@b.example", "label": "a"}, "address", "personal data"),
        ({"address": "https://mill.example/" + "x" * 2000, "label": "a"}, "address", "longer than"),
        ({"source": "a&b", "medium": "email"}, "source", "leave out"),
        ({"source": "100%", "medium": "email"}, "source", "leave out"),
        ({"source": "jo@mill.example", "medium": "email"}, "source", "e-mail address"),
        ({}, "source", "give a source"),
        ({"content": "x"}, "source", "give a source"),
    ],
)
def test_what_would_break_a_link_stops_it(draft, field, text):
    built = build(**draft)
    assert built.url is None
    assert any(one.is_error and text in one.text for one in built.remarks if one.field == field)


@pytest.mark.parametrize(
    ("draft", "field", "text", "use"),
    [
        ({"source": "letter"}, "medium", "read as (unset)", None),
        ({"source": "x", "medium": "flyer"}, "medium", "Unsorted", None),
        ({"address": "https://other.example/", "label": "a"}, "address", "not a host of the site", None),
        ({"source": "letter", "medium": "newsletter"}, "medium", "you have newsletter 14 times", None),
        ({"source": "letter", "medium": "news letter"}, "medium", "you have newsletter 14 times; use that?", "newsletter"),
        ({"source": "leter", "medium": "email"}, "source", "you have letter 1,200 times; use that?", "letter"),
        ({"source": "letter", "medium": "email", "campaign": "sale-25"}, "campaign", "", None),
        ({"source": "letter", "medium": "mail"}, "medium", "an alias reads it as email", "email"),
    ],
)
def test_what_is_there_already_is_said(draft, field, text, use):
    known = {"medium": {"newsletter": 14, "cpc": 3}, "source": {"letter": 1200, "ledger": 1}, "campaign": {"sale-24": 9}}
    built = build(known, site=rules(aliases=[{"field": "medium", "this": "mail", "that": "email"}]), **draft)
    assert built.url
    remarks = said(built, field)
    assert any(text in one and to == use for one, to in remarks) if text else remarks == []


def test_the_owners_vocabulary_comes_first():
    words = [{"field": "medium", "value": "E-Mail", "meaning": "Letters"}, {"field": "medium", "value": "print"}]
    assert said(build(words=words, source="a", medium="email"), "medium") == [("it is not in the site's vocabulary; use e-mail?", "e-mail")]
    assert "not in the site's vocabulary" in said(build(words=words, source="a", medium="radio"), "medium")[0][0]
    assert said(build(words=words, source="a", medium="e-mail"), "medium") == []


@settings(max_examples=40)
@given(
    st.fixed_dictionaries({name: st.text("aB ä+_-.", max_size=8) for name in ("source", "medium", "campaign", "content", "term", "label")}),
    st.sampled_from(["", "?x=1", "?utm_source=old#f", "?via=old&y=%C3%A4#f"]),
)
def test_any_link_is_read_as_it_was_said_to_be(values, query):
    built = build(address=HOME + "courses" + query, **values)
    if built.url is None:
        assert not any(tidy(values[name]) for name in ("source", "medium", "campaign", "label"))
        return
    shard = shards_of(numbered([hit(0, url=built.url)]))[0]
    traffic_source = shard.visit("traffic_source")[0]
    read = {name: shard.lookups.labels.decode(shard.lookups[name][[traffic_source]])[0] for name in (*FIELDS, "channel")}
    if not tidy(values["label"]):
        read["label"] = ""  # the address may have had one
    assert read == {name: getattr(built, name) for name in read}
    kept = [pair for pair in parse_qsl(urlsplit(built.url).query) if pair[0] in "xy"]
    assert kept == [pair for pair in parse_qsl(urlsplit(HOME + query).query) if pair[0] in "xy"]
    assert urlsplit(built.url).fragment == urlsplit(HOME + query).fragment


def decoded(picture):
    return [one.text for one in zxingcpp.read_barcodes(np.asarray(picture.convert("L")))]


@pytest.mark.parametrize(
    "more", [{}, {"correction": "H", "quiet": 2}, {"caption": "Zur Mühle & <zurück>"}, {"dark": "#1F6F78", "light": "#F5F1E6", "millimetres": 50}]
)
def test_a_code_says_its_link_and_has_the_size_that_was_asked_for(more):
    made = make_code(CodeRequest(text=HOME + "?via=bag", **more))
    picture = Image.open(io.BytesIO(made.png))
    assert decoded(picture) == [HOME + "?via=bag"]
    wide = more.get("millimetres", 30)
    assert picture.width / picture.info["dpi"][0] * 25.4 == pytest.approx(wide, rel=0.01)
    assert f'width="{wide}mm"' in made.svg
    assert ("<text" in made.svg) == ("caption" in more)
    assert "<zur" not in made.svg
    assert (picture.height > picture.width) == ("caption" in more)


@pytest.mark.parametrize(
    ("more", "field"),
    [
        ({"dark": "#777777", "light": "#AAAAAA"}, "dark"),
        ({"dark": "#FFFFFF", "light": "#000000"}, "dark"),
        ({"text": "x" * 2000, "correction": "H"}, "text"),
    ],
)
def test_a_code_that_would_not_scan_is_refused(more, field):
    with pytest.raises(UnfitCodeError) as refused:
        make_code(CodeRequest(**({"text": HOME} | more)))
    assert refused.value.field == field


def test_a_poster_is_drawn_with_no_more_dots_than_it_needs():
    made = make_code(CodeRequest(text=HOME, millimetres=1000, caption="Come\x07 in"))
    picture = Image.open(io.BytesIO(made.png))
    assert (picture.width <= MAX_DOTS, decoded(picture)) == (True, [HOME])
    assert picture.width / picture.info["dpi"][0] * 25.4 == pytest.approx(1000, rel=0.01)
    assert ">Come in<" in made.svg


def test_small_modules_and_little_room_are_minded():
    assert contrast("#000000", "#FFFFFF") == pytest.approx(21)
    remarks = make_code(CodeRequest(text=HOME + "x" * 200, millimetres=10, quiet=1)).remarks
    assert [remark.split()[0] for remark in remarks] == ["A", "Readers"]


def test_a_sheet_comes_back_as_it_went_and_no_cell_is_a_formula():
    text = write_sheet(["source", "link"], [["a,b", "=1+1"], ['say "x"', "@x"], ["line\nbreak", None]])
    assert read_sheet(text, ["source", "link"], ["link"], 10) == [
        (2, {"source": "a,b", "link": "'=1+1"}), (3, {"source": 'say "x"', "link": "'@x"}), (5, {"source": "line\nbreak", "link": ""}),
    ]  # fmt: skip
    assert read_sheet("\ufeffUTM_Source;Link\n\n x ; y\n", ["source", "link"], [], 10) == [(3, {"source": "x", "link": "y"})]


@pytest.mark.parametrize(
    ("text", "line"), [("smell\nx", 1), ("source\nx", 1), ("link,source\na,b,c", 2), ("link\n1\n2\n3\n4", 5), ('link\nok\n"open', 3), ("", 1)]
)
def test_a_bad_sheet_is_named_by_its_line(text, line):
    with pytest.raises(SheetError) as bad:
        read_sheet(text, ["source", "link"], ["link"], 3)
    assert bad.value.line == line


LETTER = "?utm_source=letter&utm_medium=E-Mail&utm_content=top"
CAME = [
    hit(0, url=HOME + "courses" + LETTER), hit(1, "event", name="book", value=7), hit(DAY, url=HOME + "courses" + LETTER), hit(2 * DAY, url=HOME + LETTER),
    hit(3 * DAY, url=HOME + "?via=card"), hit(4 * DAY, url=HOME + "?swid=1"), hit(5 * DAY, referrer="https://blog.example/"), hit(6 * DAY, url=HOME + LETTER, internal=True, user_agent="x"),
]  # fmt: skip


def link(number, page, made=0, **read):
    return RegisteredLink(number, dict.fromkeys(FIELDS, "") | read, page, made)


@pytest.mark.parametrize("count", [1, 3])
def test_visits_of_a_link_count_since_it_was_made_on_its_page_with_its_tags(count):
    read = reading_of(numbered([*CAME, hit(9 * DAY, visitor="b", url=HOME + "courses" + LETTER)]), rules(), count)
    goal = Goal.model_validate({"match": {"kind": "event", "names": ["book"]}, "value": {"kind": "hit"}})
    letter = {"source": "letter", "medium": "e-mail", "content": "top"}
    links = [link(1, "/courses", **letter), link(2, "/courses", DAY, **letter), link(3, "/", source="card", medium="link", label="card"), link(4, "/never")]
    found = link_performance(read, ReportFilter(0, 2**62, goal=goal), links)
    assert {number: (one.visits, one.conversions, one.value) for number, one in found.items()} == {1: (3, 1, 7), 2: (2, 0, 0), 3: (1, 0, 0)}
    unmade = unregistered_links(read, EVER, links)
    assert [(one.source, one.page, one.visits) for one in unmade] == [("letter", "/", 1)]
    assert {(one.source, one.page) for one in unregistered_links(read, EVER, [])} == {("letter", "/courses"), ("letter", "/"), ("card", "/")}


def test_values_that_visits_were_tagged_with_are_known_before_their_aliases():
    known = observed_values(reading_of(numbered(CAME), rules(aliases=[{"field": "medium", "this": "e-mail", "that": "email"}])), EVER)
    assert known["medium"] == {"e-mail": 3, "link": 1, "cpc": 1, "referral": 1}
    assert known["source"]["letter"] == 3
    assert known["content"] == {"top": 3}
