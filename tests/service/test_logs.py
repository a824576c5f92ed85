"""Server logs through the import door: what is a page, a download or neither; visitors, robots, referrers and tags; bad lines by number; nobody's address kept."""

import gzip
import json
from datetime import timedelta

import pytest
import sqlalchemy as sa

from tests.conftest import now, period, sign_in
from upper_compass.collect.logs import LogColumns, UnreadableLogError, decided, log_format
from upper_compass.core.definitions.log_reading import LogReading

PATH = "/api/v1/sites/mill/import/hits"
FIREFOX = "Mozilla/5.0 (X11; Linux x86_64; rv:139.0) Gecko/20100101 Firefox/139.0"
READING = LogReading(host="mill.example")


def line(asked="/", address="203.0.113.9", agent=FIREFOX, referrer="-", status=200, at=None, method="GET"):
    moment = at or now() - timedelta(hours=1)
    return f'{address} - - [{moment:%d/%b/%Y:%H:%M:%S %z}] "{method} {asked} HTTP/1.1" {status} 512 "{referrer}" "{agent}"'


def kinds(*lines, kind="ncsa", reading=READING):
    found, _ = LogColumns(kind, reading).read(lines)
    return decided(found, reading).select("kind", "url", "fault").rows()


def send(client, text, packed=False):
    body = text.encode() if isinstance(text, str) else text
    return client.post(PATH, content=gzip.compress(body) if packed else body, headers=sign_in(client, "owner")).json()


def table(client, dimension, measure="visits", **more):
    asked = {"period": period(), "versus": "none", "dimensions": [dimension], "columns": [{"id": "m", "measure": measure}]} | more
    found = client.post("/api/v1/sites/mill/reports/table", json=asked, headers=sign_in(client, "viewer")).json()
    return {row[0]: value for row, value in zip(found["rows"], found["columns"][0]["values"], strict=True)}


@pytest.mark.parametrize(
    ("asked", "status", "method", "kind"),
    [
        ("/", 200, "GET", "view"),
        ("/courses/", 200, "GET", "view"),
        ("/a.b/shop?q=x.css", 200, "GET", "view"),
        ("/index.PHP", 206, "GET", "view"),
        ("/courses", 304, "GET", "view"),
        ("/courses", 301, "GET", None),
        ("/courses", 404, "GET", None),
        ("/courses", 500, "GET", None),
        ("/courses", 200, "POST", None),
        ("/courses", 200, "HEAD", None),
        ("/mill.css", 200, "GET", None),
        ("/loaf.jpeg?v=2", 200, "GET", None),
        ("/favicon.ico", 200, "GET", None),
        ("/feed/", 200, "GET", None),
        ("/news/atom", 200, "GET", None),
        ("/sitemap.xml", 200, "GET", None),
        ("/guides/starter.pdf#page=2", 200, "GET", "download"),
        ("/guides/starter.PDF", 304, "GET", "download"),
    ],
)
def test_what_is_a_page_a_download_and_what_only_belongs_to_one(asked, status, method, kind):
    [(found, _, fault)] = kinds(line(asked, status=status, method=method))
    assert (found, fault) == (kind, None)


def test_what_counts_can_be_set():
    reading = LogReading(host="mill.example", pages=("css",), downloads=("php",), feeds=(), not_modified=False)
    lines = [line("/a.css"), line("/a.php"), line("/feed"), line("/", status=304)]
    assert [kind for kind, _, _ in kinds(*lines, reading=reading)] == ["view", "download", "view", None]


def test_the_common_form_absolute_addresses_quotes_and_what_is_no_request():
    common = '::1 - ida smith [26/Nov/2026:10:00:00 +0100] "GET /a HTTP/2" 200 -'
    absolute = 'h - - [26/Nov/2026:10:00:00 +0100] "GET https://Shop.mill.example/b?c=1#d HTTP/1.1" 200 5'
    quoted = r'h - - [26/Nov/2026:10:00:00 +0100] "GET /q HTTP/1.1" 200 5 "https://a.example/?q=\"rye\"" "Agent \"x\""'
    junk = r'h - - [26/Nov/2026:10:00:00 +0100] "\x16\x03\x01" 400 0 "-" "-"'
    assert kinds(common, absolute, quoted, junk, "no log") == [
        ("view", "https://mill.example/a", None),
        ("view", "https://shop.mill.example/b?c=1", None),
        ("view", "https://mill.example/q", None),
        (None, None, None),
        (None, None, "this is no line of such a log"),
    ]
    found, _ = LogColumns("ncsa", READING).read([common, quoted])
    assert found["at"].dt.to_string("%H:%M:%S").to_list() == ["09:00:00", "09:00:00"]
    assert found["agent"].to_list() == [None, 'Agent "x"']
    assert found["referrer"].to_list() == [None, 'https://a.example/?q="rye"']


def test_the_extended_form_says_itself_what_its_lines_hold():
    columns = LogColumns("w3c", READING)
    first, silent = columns.read(["#Version: 1.0", "#Fields: date time c-ip cs-method cs-uri-stem cs-uri-query sc-status cs(User-Agent) cs(Referer) cs-host",
        "2026-11-26 10:00:00 1.2.3.4 GET /a.html q=1 200 Mozilla/5.0+(X11) https://b.example/ Mill.example", "2026-11-26 10:00:00 too short", ""])  # fmt: skip
    assert silent.to_list() == [True, True, False, False, True]
    told = decided(first, READING).row(2, named=True)
    assert (told["kind"], told["url"], told["agent"], told["referrer"]) == (
        "view",
        "https://mill.example/a.html?q=1",
        "Mozilla/5.0 (X11)",
        "https://b.example/",
    )
    assert decided(first, READING)["fault"].to_list()[3] == "this is no line of such a log"
    second, _ = columns.read(["#Fields: time cs-uri-stem", "#Date: 2026-11-27 00:00:00", "11:00:00 /b"])
    assert decided(second, READING).row(2, named=True)["kind"] == "view"
    assert second["at"].dt.to_string("%F %T").to_list()[2] == "2026-11-27 11:00:00"
    for lines in (["11:00:00 /b"], ["#Fields: date c-ip"]):
        with pytest.raises(UnreadableLogError):
            LogColumns("w3c", READING).read(lines)
    assert [log_format(text) for text in ("#Fields: time", "# a remark", '{"id": 1}', line(), "x" * 10_000)] == ["w3c", None, None, "ncsa", None]


def test_a_site_without_tags_is_read_from_its_log(client):
    robot = "Mozilla/5.0 (compatible; examplebot/2.1)"
    start = now() - timedelta(hours=2)
    lines = [
        line("/courses?utm_source=letter&utm_medium=email", at=start),
        line("/mill.css", at=start),
        line("/guides/starter.pdf", at=start + timedelta(minutes=1)),
        line("/shop", address="203.0.113.10", referrer="https://baker-blog.example/rye?mail=ida@mill.example", at=start),
        line("/shop", address="203.0.113.10", agent="Other/1.0", at=start),
        line("/shop", agent=robot, at=start),
        "broken",
        line("/far", at=now() + timedelta(days=2)),
        'h - - [26/Nov/2020:10:00:00 +0100] "GET https://elsewhere.example/x HTTP/1.1" 200 5',
    ]
    report = send(client, "\n".join(lines), packed=True)
    assert (report["lines"], report["stored"], report["bad"], report["broken_off"]) == (9, 5, 3, None)
    assert [one["line"] for one in report["refused"]] == [7, 8, 9]
    assert "future" in report["refused"][1]["text"]
    assert "'elsewhere.example'" in report["refused"][2]["text"] or "elsewhere.example" in report["refused"][2]["text"]
    assert table(client, "channel") == {"Email": 1, "Referral": 1, "Direct": 1}
    assert table(client, "file", "times") == {"starter.pdf": 1}
    assert table(client, "entry_page") == {"/courses": 1, "/shop": 2}
    again = send(client, "\n".join(lines))
    assert (again["stored"], again["already_there"]) == (0, 5)


def test_of_whoever_asked_nothing_is_kept_but_a_hash_of_this_import(client, engine):
    send(client, "\n".join([line("/kept"), line("/kept/again"), line("/kept", address="203.0.113.77", at=now() - timedelta(hours=3))]))
    with engine.connect() as connection:
        rows = connection.execute(sa.text("SELECT hits::text, visitor FROM hits WHERE url LIKE '%/kept%'")).all()
    assert len({row.visitor for row in rows}) == 2
    assert not any("203.0.113" in row[0] for row in rows)
    assert not any("ida@" in row[0] for row in rows)


def test_every_tenth_line_broken_keeps_all_good_ones_and_another_kind_of_file_is_given_up(client):
    good = [line(f"/tenth/{number}", at=now() - timedelta(seconds=60 + number)) for number in range(900)]
    mixed = [text for place, one in enumerate(good) for text in ([one, "\x00broken"] if place % 9 == 8 else [one])]
    report = send(client, "\n".join(mixed))
    assert (report["lines"], report["stored"], report["bad"], report["broken_off"]) == (1000, 900, 100, None)
    assert [one["line"] for one in report["refused"][:3]] == [10, 20, 30]
    other = send(client, "\n".join([line(), *["nothing of the kind"] * 25_000]))
    assert "another kind of file" in other["broken_off"]
    assert other["bad"] > 10_000 and len(other["refused"]) == 1000


def test_strange_lines_cost_a_refusal_and_no_more(client):
    strange = [
        line("/first"),
        line("/" + "x" * 5000),
        "y" * 300_000,
        "\x00" * 50,
        line("/a b"),
        line("/%00%zz?q=\u00e4\u2028"),
        line(agent="a" * 5000, asked="/long-agent"),
    ]
    report = send(client, "\n".join(strange).encode("utf-8", "surrogatepass") + b'\n\xff\xfe - - [x] "')
    assert report["broken_off"] is None
    assert report["stored"] == 2
    assert {one["line"] for one in report["refused"]} >= {2, 3}
    longest = table(client, "page", "views")
    assert "/long-agent" in longest


def test_requests_alike_in_one_second_are_told_apart_and_over_batches(client, monkeypatch):
    monkeypatch.setattr("upper_compass.collect.log_hits.TOGETHER", 3)
    same = [line("/alike", at=now() - timedelta(minutes=5))] * 7
    assert send(client, "\n".join(same))["stored"] == 7
    assert send(client, "\n".join(same))["already_there"] == 7


def test_json_lines_are_what_they_were(client):
    text = json.dumps({"id": "not one"})
    assert send(client, text)["refused"][0]["field"] == "id"


def test_of_a_log_that_breaks_off_all_that_came_before_stays(client):
    text = "\n".join(line(f"/cut/{number}", at=now() - timedelta(seconds=60 + number)) for number in range(3000))
    packed = gzip.compress(text.encode())
    report = client.post(PATH, content=packed[: len(packed) // 2], headers=sign_in(client, "owner")).json()
    assert report["broken_off"].startswith("The file breaks off after line") and 500 < report["stored"] < 3000
