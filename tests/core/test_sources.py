"""Where hits came from: evidence, tidying, aliases, channels; pages."""

from unittest.mock import patch

import polars as pl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.building import HOME, REFERENCE, hit, numbered, rules, shards_of
from upper_compass.core.dataset.traffic_sources import TrafficSources, ViewReader, query_values, split_addresses, tidy, value_of
from upper_compass.core.definitions.site_rules import Alias, ChannelRule, ChannelTest, PageGroup
from upper_compass.core.engine.dimensions import DIMENSIONS


def read(dimension, *hits, **changes):
    """Values of a dimension: of each visit, or of each hit."""
    shard = shards_of(numbered(hits), rules(**changes))[0]
    rows = shard.derived.visits.with_row_index()["index"] if DIMENSIONS[dimension].of == "visit" else shard.hits.with_row_index()["index"]
    return shard.lookups.labels.decode(DIMENSIONS[dimension].read(shard, rows.to_numpy().astype("int32"))).to_list()


def traffic_source(query="", referrer=None, **changes):
    one = hit(0, url=HOME + query, referrer=referrer)
    return tuple(read(name, one, **changes)[0] for name in ("source", "medium", "campaign", "channel"))


@pytest.mark.parametrize(
    ("query", "referrer", "expected"),
    [
        ("", None, ("direct", "none", "", "Direct")),
        ("?utm_source=Letter&utm_medium=E-Mail", None, ("letter", "e-mail", "", "Email")),
        ("?utm_campaign=Spring+Sale_2", None, ("(unset)", "(unset)", "spring-sale-2", "Unsorted")),
        ("?utm_source=&utm_source=b&utm_medium=cpm", None, ("b", "cpm", "", "Display")),
        ("?utm_source=(masked)&utm_medium=email", None, ("(unset)", "email", "", "Email")),
        ("?utm_source=to-%28masked%29&via=card", None, ("card", "link", "", "Referral")),
        ("?utm_campaign=(masked)", "https://list.example", ("the-list", "referral", "", "Referral")),
        ("?UTM_SOURCE=x", None, ("direct", "none", "", "Direct")),
        ("?utm_source=+&via=card", None, ("card", "link", "", "Referral")),
        ("?swid=1&via=card", "https://murmur.example/", ("seekwell", "cpc", "", "Paid search")),
        ("?mid=1", None, ("murmur", "cpc", "", "Paid social")),
        ("?ref=b&via=a", None, ("a", "link", "", "Referral")),
        ("?utm%5Fsource=x", None, ("x", "(unset)", "", "Unsorted")),
        ("", "https://www.seekwell.example/s?q=1", ("seekwell", "organic", "", "Organic search")),
        ("", "https://murmur.example", ("murmur", "social", "", "Organic social")),
        ("", "https://post.example/inbox", ("postroom", "email", "", "Email")),
        ("", "https://reels.example", ("reels", "video", "", "Video")),
        ("", "https://sage.example", ("sage", "assistant", "", "AI assistants")),
        ("", "https://list.example", ("the-list", "referral", "", "Referral")),
        ("", "https://sub.seekwell.example", ("sub.seekwell.example", "referral", "", "Referral")),
        ("", "https://WWW.Blog.example:81/x", ("blog.example", "referral", "", "Referral")),
        ("", "https://mill.example/x", ("direct", "none", "", "Direct")),
        ("", "https://shop.example/x", ("direct", "none", "", "Direct")),
        ("", "https://www.pay.example/x", ("direct", "none", "", "Direct")),
        ("?utm_source=seekwell&utm_medium=cpc", None, ("seekwell", "cpc", "", "Paid search")),
        ("?utm_source=x&utm_medium=ppc", None, ("x", "ppc", "", "Paid, other")),
        ("?utm_source=x&utm_medium=QR", None, ("x", "qr", "", "Print and QR")),
        ("?utm_source=x&utm_medium=podcast", None, ("x", "podcast", "", "Audio")),
        ("?utm_source=x&utm_medium=partner", None, ("x", "partner", "", "Affiliate")),
        ("?utm_source=postroom&utm_medium=x", None, ("postroom", "x", "", "Email")),
    ],
)
def test_evidence_in_its_order(query, referrer, expected):
    assert traffic_source(query, referrer) == expected


def test_aliases_join_spellings_once_and_leave_direct_alone():
    aliases = [
        Alias(field="medium", this="E-Mail", that="email"),
        Alias(field="source", this="direct", that="x"),
        Alias(field="medium", this="email", that="y"),
    ]
    assert traffic_source("?utm_source=a&utm_medium=e-mail", aliases=aliases)[1] == "email"
    assert traffic_source(aliases=aliases)[:2] == ("direct", "none")
    assert traffic_source("?utm_source=Direct&utm_medium=z", aliases=aliases)[0] == "x"


def test_the_kind_is_looked_up_after_aliases_but_a_referrer_keeps_its_hosts_kind():
    aliases = [Alias(field="source", this="sw", that="Seekwell"), Alias(field="source", this="murmur", that="mm")]
    assert traffic_source("?utm_source=SW&utm_medium=cpc", aliases=aliases)[3] == "Paid search"
    assert traffic_source(referrer="https://murmur.example", aliases=aliases) == ("mm", "social", "", "Organic social")


def test_the_label_and_the_raw_text_stay_where_something_else_wins():
    one = hit(0, url=HOME + "?utm_source=News_Letter&utm_medium=email&via=Card")
    assert [read(name, one)[0] for name in ("label", "raw_source", "source")] == ["card", "News_Letter", "news-letter"]


def test_a_sites_own_channels_replace_the_list():
    channels = [ChannelRule(channel="Letters", any_of=[ChannelTest(mediums=["E-Mail"], campaigns=["autumn"])])]
    assert traffic_source("?utm_source=a&utm_medium=e_mail&utm_campaign=Autumn", channels=channels)[3] == "Letters"
    assert traffic_source("?utm_source=a&utm_medium=e_mail", channels=channels)[3] == "Unsorted"


def test_pages_are_paths_without_trailing_slashes_and_with_the_keys_that_are_kept():
    urls = ["https://mill.example", HOME + "a//", HOME + "A%2fb/?q=1#x", HOME + "s?page=2&lang=de&lang=en", HOME + "s?page="]
    hits = [hit(i, url=url) for i, url in enumerate(urls)]
    assert read("page", *hits, kept_query_keys=["lang", "page"]) == ["/", "/a", "/A%2fb", "/s?lang=de&page=2", "/s"]
    groups = [PageGroup(name="Lists", pattern="/s"), PageGroup(name="All", test="contains", pattern="/")]
    assert read("page_group", *hits, page_groups=groups) == ["All", "All", "All", "Lists", "Lists"]


def test_hosts_have_no_port_and_small_letters():
    parts = split_addresses(pl.Series(["https://user:pw@WWW.Mill.example:8443/x", "http://[::1]:80/", "android-app://com.x/y"]))
    assert parts["host"].to_list() == ["www.mill.example", "[::1]", "com.x"]


def test_first_channel_is_that_of_visit_number_one():
    hits = [hit(0, url=HOME + "?via=a"), hit(1, url=HOME + "?via=b"), hit(0, visitor="b")]
    assert read("first_source", *hits) == ["a", "a", "direct"]


@given(st.text())
def test_tidied_texts_have_no_space_plus_or_underline(text):
    tidied = tidy(text)
    assert not any(letter.isspace() or letter in "+_" for letter in tidied)


@given(st.lists(st.tuples(st.sampled_from(["utm_source", "via", "x"]), st.text(max_size=4)), max_size=5))
@settings(max_examples=30)
def test_queries_are_read_as_forms_are(pairs):
    from urllib.parse import urlencode

    found = query_values(pl.Series([urlencode(pairs)]), ["utm_source", "via"])
    for key in ("utm_source", "via"):
        expected = next((value for name, value in pairs if name == key and value.strip()), "")
        assert found[value_of(key)][0] == expected.encode("utf-8", "replace").decode()


@pytest.mark.parametrize("key", ["row", "key", "value", "raw", "raw utm_source", "value of via", "*", "^.*$", "_label", "found", "host", "utm_source"])
def test_a_query_key_may_be_called_anything(key):
    from urllib.parse import quote

    one = hit(0, url=f"{HOME}?{quote(key)}=Card&x=1")
    kept = f"/?{key}=Card"
    assert read("page", one, kept_query_keys=[key]) == [kept]
    assert read("source", one, label_keys=["x", key]) == ["1" if key != "utm_source" else "card"]
    assert read("source", hit(0, url=f"{HOME}?{quote(key)}=Card"), label_keys=[key]) == ["card"]


def test_the_kind_of_a_tagged_source_does_not_mind_www():
    assert traffic_source("?utm_source=www.murmur.example&utm_medium=cpc") == ("www.murmur.example", "cpc", "", "Paid social")


def test_pages_behind_a_hash_are_pages_where_the_site_says_so():
    urls = [HOME + "app#/a/b/", HOME + "#!/a?q=1", HOME + "#/", HOME + "app#top", HOME + "app?lang=de#/x"]
    hits = [hit(i, url=url) for i, url in enumerate(urls)]
    assert read("page", *hits, pages_behind_hash=True, kept_query_keys=["lang"]) == ["/app#/a/b", "/#!/a", "/", "/app", "/app#/x?lang=de"]
    assert read("page", *hits) == ["/app", "/", "/", "/app", "/app"]


def test_channels_with_many_words_are_tidied_once():
    words = [f"Source {i}" for i in range(500)]
    channels = [ChannelRule(channel=f"c{i}", any_of=[ChannelTest(sources=words)]) for i in range(9)]
    with patch("upper_compass.core.dataset.traffic_sources.tidy", wraps=tidy) as tidied:
        traffic_sources = TrafficSources(rules(channels=channels), REFERENCE)
        before = tidied.call_count
        for i in range(50):
            assert traffic_sources.traffic_source({"source": f"Source {i}", "medium": "x"}, None)["channel"] == "c0"
    assert tidied.call_count - before <= 50 * 6


def test_direct_has_its_channel_by_the_rules_too():
    assert TrafficSources(rules(), REFERENCE).direct()["channel"] == "Direct"


def test_a_view_alone_is_read_as_in_a_visit():
    site = rules(aliases=[{"field": "medium", "this": "e-mail", "that": "email"}])
    reader, traffic_sources = ViewReader(site, REFERENCE), TrafficSources(site, REFERENCE)
    views = [
        ("https://mill.example/a/b?utm_medium=E+Mail&utm_source=Letter#top", "https://seekwell.example/find?q=1"),
        ("https://mill.example", "https://www.seekwell.example/"),
        ("https://mill.example//x//", "android-app://com.murmur/y"),
        ("https://www.mill.example/?via=Card", ""),
        ("http://localhost:8000/?a=b", "http://localhost:8000/c"),
        ("https://mill.example/#via=card", "https://mill.example/other"),
    ]
    for url, referrer in views * 2:
        found, told = reader.traffic_source(url, referrer), traffic_sources.explain(url, referrer)
        assert (found.channel, found.evidence) == (told.channel, told.evidence != "none")
        used = {one.field: one.used for one in told.spellings}
        assert {name: getattr(found, name) for name in used} == used
    assert reader.traffic_source(*views[0]).medium == "email"
    assert reader.traffic_source(*views[4]).channel == "Direct"
