"""Campaign links: what is built of what was typed, and what is said of it; QR codes; sheets; what came by links."""

import io
import re
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
from upper_compass.core.tagging.link_builder import MAX_AT_ONCE, Builder, Evidence, LinkDraft, Word, remark_unseen
from upper_compass.core.tagging.link_performance import RegisteredLink, link_performance, observed_values, unregistered_links
from upper_compass.core.tagging.link_sheets import COLUMNS, FINISHED, HEADS, finished_rows, judge_lines, lines_of, template_rows
from upper_compass.core.tagging.qr_codes import MAX_DOTS, MIN_CONTRAST, CodeRequest, UnfitCodeError, contrast, make_code

EVER = ReportFilter(0, 2**62)
KNOWN = {"source": "source", "utm_source": "source", "link": "link"}


def builder(known=None, words=(), site=None, **how):
    return Builder(site or rules(), REFERENCE, Evidence(known or {}, [Word.model_validate(word) for word in words]), **how)


def build(known=None, words=(), site=None, **draft):
    return builder(known, words, site).build(LinkDraft.model_validate({"address": HOME + "courses"} | draft))


def said(built, field):
    return [(one.text, one.use) for one in built.remarks if one.field == field]


def test_values_are_tidied_and_stand_in_the_query_before_the_fragment():
    built = build(address=HOME + "shop?size=2&UTM_x=1#top", source=" News Letter ", medium="E_Mail", campaign="Spring+sale ä", content="top", term="rye")
    assert built.url == (
        "https://mill.example/shop?size=2&UTM_x=1&utm_source=news-letter&utm_medium=e-mail&utm_campaign=spring-sale-%C3%A4&utm_content=top&utm_term=rye#top"
    )
    assert (built.channel, said(built, "source")) == ("Email", [("becomes news-letter", None)])


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
        ({"address": "mill example/x", "label": "a"}, "address", "whole address"),
        ({"address": "nowhere", "label": "a"}, "address", "whole address"),
        ({"address": "//mill.example/x", "label": "a"}, "address", "whole address"),
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
    assert said(build(words=words, source="a", medium="email"), "medium") == [("email is not in the site's vocabulary; use e-mail?", "e-mail")]
    assert "not in the site's vocabulary" in said(build(words=words, source="a", medium="radio"), "medium")[0][0]
    assert said(build(words=words, source="a", medium="e-mail"), "medium") == []


def test_one_word_is_offered_and_it_is_the_vocabularys():
    words = [{"field": "medium", "value": "Letter "}, {"field": "campaign", "value": "spring"}, {"field": "content", "value": "top"}]
    built = build({"medium": {"news-letters": 20}}, words, source="a", medium="News Letter", campaign="spring 26", content="Top")
    assert said(built, "medium")[0] == ("news-letter is not in the site's vocabulary; use letter?", "letter")
    assert [one.use for one in built.remarks if one.use] == ["letter", "spring"]
    assert [one.add for one in built.remarks if one.add] == ["news-letter", "spring-26"]
    agreed = builder(words=words, by_vocabulary=True).build(LinkDraft(address=HOME, source="a", medium="News Letter", content="other"))
    assert (agreed.medium, agreed.content) == ("letter", "other")
    assert said(agreed, "medium")[0][0] == "news-letter became letter, the word of the vocabulary"


@pytest.mark.parametrize(
    ("address", "whole", "tags"),
    [
        ("mill.example/x?a=1", HOME + "x?a=1", {}),
        (" /courses#top ", HOME + "courses#top", {}),
        ("mill.example:8080", "https://mill.example:8080", {}),
        (HOME + "?a=1&utm_source=News+Letter&utm%5Fmedium=email&b=%C3%A4#f", HOME + "?a=1&b=%C3%A4#f", {"source": "News Letter", "medium": "email"}),
        (HOME + "?via=Card", HOME, {"label": "Card"}),
        (HOME + "?utm_source=&utm_medium=", HOME + "?utm_source=&utm_medium=", {}),
    ],
)
def test_an_address_is_made_whole_and_taken_apart(address, whole, tags):
    built = build(address=address)
    assert built.draft.address == whole
    assert {name: getattr(built.draft, name) for name in FIELDS if getattr(built.draft, name)} == tags
    assert build(address=address, source="own", medium="email").draft.source == "own"


def test_several_words_make_several_links_each_judged_by_itself():
    drafts = [LinkDraft(address=HOME, source="letter, card,", medium="email", content="top, =x"), LinkDraft(address=HOME + "new", label="a")]
    built = builder().build_all(drafts, MAX_AT_ONCE)
    assert [(one.place, one.source, one.content, one.url is None) for one in built] == [
        (0, "letter", "top", False), (0, "letter", "=x", True), (0, "card", "top", False), (0, "card", "=x", True), (1, "a", "", False),
    ]  # fmt: skip
    assert [one.page for one in built] == ["/", "", "/", "", "/new"]
    remark_unseen(built, frozenset({"/"}))
    assert [one.text for one in built[-1].remarks if "nobody has seen /new" in one.text]
    assert not any("nobody has seen" in one.text for link in built[:-1] for one in link.remarks)
    many = LinkDraft(address=HOME, source=",".join("s" * 200), content=",".join("c" * 200))
    assert len(builder().build_all([many] * 20, 7)) == 7
    assert [one.url for one in builder().build_all([LinkDraft(address=HOME, source=" , ", medium="email")], 7)] == [HOME + "?utm_medium=email"]


def test_a_copy_counts_under_the_pages_of_the_original():
    site = rules(copies=[{"at": "https://www.next.example:8080/mill/", "counts_as": "mill.example"}, {"at": "shop.example", "counts_as": "mill.example/shop"}])
    urls = [
        "https://next.example/mill",
        "https://www.next.example/mill/a?x=1",
        "https://next.example/miller",
        "https://shop.example/",
        "https://shop.example/b",
    ]
    built = [build(site=site, address=url, source="a", medium="b") for url in urls]
    pages = [one.page for one in builder(site=site).build_all([one.draft for one in built], 9)]
    assert pages == ["/", "/a", "/miller", "/shop", "/shop/b"]
    shard = shards_of(numbered([hit(0, url=urls[1]), hit(1, url=HOME + "b", referrer=urls[0])]), site)[0]
    assert shard.lookups.labels.decode(shard.lookups["host"][shard.hit("url")]).to_list() == ["mill.example", "mill.example"]
    with pytest.raises(ValueError, match="give a host"):
        rules(copies=[{"at": "next.example/?x", "counts_as": "mill.example"}])


def test_a_sheet_of_links_is_judged_as_the_form_does():
    head = "URL;utm_source;Medium;utm_content;Notes;channel"
    lines = ["mill.example/;A B;email;top, foot;=why;x", "https://other.example/;a;;;;", f"{HOME};{'x' * 501};email;;;", "", f"{HOME};a=b;email"]
    read = lines_of(read_sheet("\r\n".join([head, *lines]), HEADS, ["address"], 9))
    assert [(one.line, one.wrong) for one in read if one.wrong] == [(4, "source: this is longer than 500 characters")]
    links = judge_lines(read, builder(), 9)
    assert [(one.place, one.url is None) for one in links] == [(0, False), (0, False), (1, False), (3, True)]
    assert links[:2] == [one.model_copy() for one in builder().build_all([read[0].draft], 9)]
    sheet = write_sheet([*COLUMNS, *FINISHED], finished_rows(read, links))
    assert "'=why" in sheet
    again = lines_of(read_sheet(sheet, HEADS, ["address"], 9))
    assert [one.draft.content for one in again] == ["top", "foot", "", "", ""]
    assert again[0].draft.note == "=why"
    assert [one.url for one in judge_lines(again[:3], builder(), 9)] == [one.url for one in links[:3]]
    shown = judge_lines(lines_of(read_sheet(write_sheet(COLUMNS, template_rows(rules())), HEADS, ["address"], 9)), builder(), 9)
    assert [one.channel for one in shown] == ["Email", "Email", "Referral"]
    assert all(one.url for one in shown)


@pytest.mark.parametrize(("dark", "light"), [("#cccccc", "#ffffff"), ("#ffffff", "#000000"), ("#eeaa11", "#ffee99"), ("#ff0000", "#fefefe")])
def test_a_colour_that_does_not_scan_comes_with_one_that_does(dark, light):
    with pytest.raises(UnfitCodeError) as why:
        make_code(CodeRequest(text=HOME, dark=dark, light=light))
    if why.value.field == "dark":
        assert contrast(why.value.use, light) >= MIN_CONTRAST
    made = {"dark": dark, "light": light} | {why.value.field: why.value.use}
    if why.value.field == "dark":
        assert make_code(CodeRequest(text=HOME, **made)).modules


@settings(max_examples=40)
@given(
    st.fixed_dictionaries({name: st.text("aB ä+_-.", max_size=8) for name in ("source", "medium", "campaign", "content", "term", "label")}),
    st.sampled_from(["", "?x=1", "?utm_source=old#f", "?via=old&y=%C3%A4#f"]),
)
def test_any_link_is_read_as_it_was_said_to_be(values, query):
    built = build(address=HOME + "courses" + query, **values)
    if built.url is None:
        assert not any(tidy(values[name]) for name in ("source", "medium", "campaign", "label"))
        assert not re.search("=old", query) or any(values.values())
        return
    shard = shards_of(numbered([hit(0, url=built.url)]))[0]
    traffic_source = shard.visit("traffic_source")[0]
    read = {name: shard.lookups.labels.decode(shard.lookups[name][[traffic_source]])[0] for name in (*FIELDS, "channel")}
    if not tidy(values["label"]) and any(values.values()):
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
        ({"dark": "#FFFFFF", "light": "#000000"}, "light"),
        ({"text": "x" * 2000, "correction": "H"}, "text"),
    ],
)
def test_a_code_that_would_not_scan_is_refused(more, field):
    with pytest.raises(UnfitCodeError) as refused:
        make_code(CodeRequest(**({"text": HOME} | more)))
    assert refused.value.field == field


@pytest.mark.parametrize(
    "caption", ["Brot für 4,50 € – jetzt", "Łódź, Οδός, Улица", "w" * 80, "a course in sourdough for everybody who ever wanted to bake at home"]
)
def test_a_caption_is_printed_whole_in_a_font_that_ships(caption):
    made = make_code(CodeRequest(text=HOME, caption=caption))
    assert caption.replace(" ", "") == "".join(re.findall(r">([^<>]*)</text>", made.svg)).replace(" ", "").replace("&amp;", "&")
    widths = [float(found) for found in re.findall('textLength="([0-9.]+)"', made.svg)]
    assert widths
    assert max(widths) <= 30
    picture = Image.open(io.BytesIO(made.png)).convert("L")
    below = np.asarray(picture)[picture.width :]
    for edge in (below[:, 0], below[:, -1], below[-1]):
        assert edge.min() > 200  # nothing is cut at an edge
    assert (below < 100).any()


def test_signs_that_no_font_has_are_told_and_print_no_boxes():
    with pytest.raises(UnfitCodeError, match="cannot be printed: 漢 🍞") as refused:
        make_code(CodeRequest(text=HOME, caption="漢 bread 🍞"))
    assert refused.value.field == "caption"


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
    assert ("'=1+1" in text, "'@x" in text) == (True, True)
    assert read_sheet(text, KNOWN, ["link"], 10) == [
        (2, {"source": "a,b", "link": "=1+1"}), (3, {"source": 'say "x"', "link": "@x"}), (5, {"source": "line\nbreak", "link": ""}),
    ]  # fmt: skip
    assert read_sheet("\ufeffUTM_Source;Link\n\n x ; y\n", KNOWN, [], 10) == [(3, {"source": "x", "link": "y"})]


@pytest.mark.parametrize(
    ("text", "line"), [("smell\nx", 1), ("source\nx", 1), ("link,source\na,b,c", 2), ("link\n1\n2\n3\n4", 5), ('link\nok\n"open', 3), ("", 1)]
)
def test_a_bad_sheet_is_named_by_its_line(text, line):
    with pytest.raises(SheetError) as bad:
        read_sheet(text, KNOWN, ["link"], 3)
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
