"""The site script on three small sites written as such sites are: pages with a strict content policy, a router that changes address, then title,
then content, and one behind `#/`. Under host names of their own, in a browser that finds all of them on this machine."""

import json
import re
import secrets
import threading
from http.server import SimpleHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path

import pytest

from tests.browser.conftest import CHROMIUM, PERSON, QUIET
from tests.browser.telling import hits, until, wait_for
from tests.conftest import IN_ONE, PASSWORD, Server
from upper_compass.core.definitions.script_settings import Tagging
from upper_compass.core.definitions.site_rules import SiteRules
from upper_compass.store import accounts, sites
from upper_compass.store.database import connect

LAST = "the very last"
FOREIGN = Path(__file__).parent / "foreign"
# host: (folder, key of its site)
HOSTS = {
    "www.lamps.test": ("pages", "lamps"), "shop.lamps.test": ("pages", "lamps"), "booking.test": ("pages", "lamps"), "elsewhere.test": ("pages", "lamps"),
    "handbook.test": ("router", "handbook"), "every.test": ("router", "every"), "board.test": ("hash", "board"),
}  # fmt: skip
SITES = {
    "lamps": SiteRules(hosts=["www.lamps.test", "shop.lamps.test", "booking.test"]),
    "handbook": SiteRules(hosts=["handbook.test"]),
    "every": SiteRules(hosts=["every.test"]),
    "board": SiteRules(hosts=["board.test"], pages_behind_hash=True),
}


class Foreign(SimpleHTTPRequestHandler):
    """Serves the sites by their host, each page with its policy and the address of the script."""

    application = 0

    def do_GET(self):
        host = self.headers["Host"].partition(":")[0]
        folder, key = HOSTS[host]
        path = self.path.partition("?")[0]
        file = FOREIGN / folder / (path.strip("/") or "index.html")
        if not file.is_file():  # a router's addresses are all of one page
            file = FOREIGN / folder / "index.html"
        compass = f"http://compass.test:{self.application}"
        body = file.read_text().replace("{SCRIPT}", f"{compass}/uc.js?site={key}").replace("{PORT}", str(self.server.server_address[1]))
        self.send_response(200)
        self.send_header("Content-Type", "text/javascript" if file.suffix == ".js" else "text/html; charset=utf-8")
        self.send_header(
            "Content-Security-Policy", f"default-src 'none'; script-src 'self' {compass}; connect-src {compass}; img-src 'self'; form-action 'self'"
        )
        self.end_headers()
        self.wfile.write(body.encode())

    def log_message(self, *_):
        """Say nothing."""


@pytest.fixture(scope="module")
def engine(database):
    """Four sites."""
    made = connect(database)
    with made.begin() as connection:
        owner = accounts.add_user(connection, "owner@mill.example", "Owner", PASSWORD)
        for key, rules in SITES.items():
            sites.add_site(connection, key, rules, owner.id, key, Tagging(every_query=key == "every"))
    yield made
    made.dispose()


@pytest.fixture(scope="module")
def port(engine, database, tmp_path_factory):
    """Where the foreign sites are served."""
    # On the machine's own clock: a tab that a page opens may run before its clock can be moved.
    application = Server(database, tmp_path_factory.mktemp("frames"), settings=IN_ONE | {"CLOCK_SHIFT": "0"}).start()
    Foreign.application = application.port
    serving = ThreadingHTTPServer(("127.0.0.1", 0), Foreign)
    threading.Thread(target=serving.serve_forever, daemon=True).start()
    yield serving.server_address[1]
    serving.shutdown()
    application.stop()


@pytest.fixture(scope="module")
def browsing(browser_type):
    """A browser that finds every host name on this machine, and keeps pages that were left."""
    rules = "--host-resolver-rules=MAP * 127.0.0.1"
    launched = browser_type.launch(executable_path=CHROMIUM, args=[*QUIET, rules], ignore_default_args=["--disable-back-forward-cache"])
    yield launched
    launched.close()


@pytest.fixture
def visiting(browsing):
    """A new visitor."""
    context = browsing.new_context(user_agent=PERSON)
    yield context
    context.close()


@pytest.fixture
def here(visiting, port, engine):
    """Opens an address of a site; what arrived of this visitor is asked from the store."""
    with engine.begin() as connection:
        # Which hits were there stays known: a page that is left may send one twice, and the second may come late.
        connection.exec_driver_sql("TRUNCATE hits")
    return visiting, lambda host, path="/": f"http://{host}:{port}{path}"


def arrived(page, engine, count, where="kind IN (1, 2, 3)"):
    """The hits, once so many are there, and no more than these."""
    where = f"{where} AND name IS DISTINCT FROM '{LAST}'"
    wait_for(page, engine, where, count)
    all_sent(page, engine)
    found = hits(engine, where)
    assert len(found) == count, found
    return found


def all_sent(page, engine):
    """Wait until all is stored that the page sends: it goes out in order, so one more hit comes behind it. Pages without the script send nothing."""
    if page.evaluate("Boolean(window.uc)"):
        mark = secrets.token_hex(8)
        page.evaluate(f"uc.event('{LAST}', {{ mark: '{mark}' }})")
        wait_for(page, engine, f"props ->> 'mark' = '{mark}'")


def titles(engine):
    with engine.connect() as connection:
        return connection.exec_driver_sql("SELECT title FROM hits WHERE kind = 1 ORDER BY at, seq").scalars().all()


def path_of(hit):
    return re.sub(r"^http://[^/]+", "", hit["url"])


def test_typing_into_a_filter_and_taking_tags_out_of_the_address_is_no_view(here, engine):
    context, at = here
    page = context.new_page()
    page.goto(at("handbook.test", "/start?utm_source=letter&utm_medium=email"))
    until(page, "!location.search")
    page.locator("#filter").press_sequentially("lamps", delay=30)
    found = arrived(page, engine, 2)
    assert [(hit["kind"], path_of(hit), hit["props"]) for hit in found] == [
        (1, "/start?utm_source=letter&utm_medium=email", None), (2, "/start?utm_source=letter&utm_medium=email", {"term": "lamps"}),
    ]  # fmt: skip


def test_where_the_site_says_so_every_change_of_the_query_is_a_view(here, engine):
    context, at = here
    page = context.new_page()
    page.goto(at("every.test", "/start"))
    page.evaluate("history.pushState({}, '', '?page=2')")
    all_sent(page, engine)
    page.evaluate("history.replaceState({}, '', '?page=2#there')")
    assert [path_of(hit) for hit in arrived(page, engine, 2, "kind = 1")] == ["/start", "/start?page=2"]


def test_a_view_bears_the_title_of_its_own_page(here, engine):
    context, at = here
    page = context.new_page()
    page.goto(at("handbook.test", "/start"))
    page.get_by_role("link", name="Install").click()
    arrived(page, engine, 2, "kind = 1")
    page.get_by_role("link", name="Same").click()
    arrived(page, engine, 3, "kind = 1")
    page.evaluate("history.back()")
    arrived(page, engine, 4, "kind = 1")
    assert titles(engine) == ["Start · Handbook", "Install · Handbook", "Start · Handbook", "Install · Handbook"]


def test_a_page_that_is_left_before_its_title_came_is_told_all_the_same(here, engine):
    context, at = here
    page = context.new_page()
    page.goto(at("handbook.test", "/start"))
    arrived(page, engine, 1)
    page.evaluate("document.querySelector('a[href=\"/slow\"]').click(); location.href = '/install'")
    assert [path_of(hit) for hit in arrived(page, engine, 3, "kind = 1")] == ["/start", "/slow", "/install"]
    page.close()


def test_an_event_behind_a_change_of_page_comes_after_its_view(here, engine):
    context, at = here
    page = context.new_page()
    page.goto(at("handbook.test", "/start"))
    page.evaluate("document.querySelector('a[href=\"/slow\"]').click(); setTimeout(() => uc.event('read'), 50)")
    found = arrived(page, engine, 3, "kind IN (1, 2)")  # on a slow machine also how long the first was read
    assert [(hit["kind"], path_of(hit)) for hit in found] == [(1, "/start"), (1, "/slow"), (2, "/slow")]


def test_pages_behind_the_hash_are_views_and_places_on_a_page_are_none(here, engine):
    context, at = here
    page = context.new_page()
    page.goto(at("board.test", "/#/"))
    for name in ("Orders", "Top", "One", "Home"):
        page.get_by_role("link", name=name, exact=True).click()
        all_sent(page, engine)
    found = arrived(page, engine, 4, "kind = 1")
    assert [path_of(hit) for hit in found] == ["/#/", "/#/orders", "/#/orders/17?tab=items", "/#/"]


def visitors(engine):
    with engine.connect() as connection:
        return connection.exec_driver_sql("SELECT DISTINCT visitor FROM hits").scalars().all()


def test_one_visitor_on_hosts_that_share_a_domain_and_old_cookies_are_kept(here, engine):
    context, at = here
    context.add_cookies(
        [
            {"name": "uc_visitor", "value": "oldvisitor1", "url": at("www.lamps.test")},
            {"name": "uc_visitor", "value": "oldvisitor2", "url": at("shop.lamps.test")},
        ]
    )
    page = context.new_page()
    page.goto(at("www.lamps.test"))
    arrived(page, engine, 1, "kind = 1")
    page.locator("#shop").click()
    page.locator("#buy").click()
    found = arrived(page, engine, 3, "kind IN (1, 3)")
    assert [(hit["kind"], hit["visitor"], hit["value"]) for hit in found] == [(1, "oldvisitor1", None), (1, "oldvisitor1", None), (3, "oldvisitor1", 49.5)]
    assert page.url.endswith("/checkout.html#pay")
    cookies = [
        (cookie["domain"], cookie["value"]) for cookie in context.cookies([at("shop.lamps.test"), at("www.lamps.test")]) if cookie["name"] == "uc_visitor"
    ]
    assert set(cookies) == {(".lamps.test", "oldvisitor1.w")}
    with engine.connect() as connection:
        order = connection.exec_driver_sql("SELECT order_id, order_data, currency FROM hits WHERE kind = 3").one()
    assert (order.order_id, order.currency, order.order_data["items"]) == (
        "4711",
        "EUR",
        [{"sku": "lamp", "name": "", "category": "", "quantity": 2.0, "price": 24.75}],
    )


def test_the_visitor_is_handed_on_to_a_host_of_another_domain_once(here, engine):
    context, at = here
    page = context.new_page()
    page.goto(at("www.lamps.test"))
    arrived(page, engine, 1, "kind = 1")
    with page.expect_response(re.compile("/collect/handover")):
        page.locator("#booking").hover()
    with page.expect_request(re.compile("/collect/arrival")) as asked:
        page.locator("#booking").click()
    token = asked.value.post_data_json["token"]
    arrived(page, engine, 2, "kind = 1")
    assert len(visitors(engine)) == 1
    assert "#" not in page.url
    other = context.browser.new_context(user_agent=PERSON)
    thief = other.new_page()
    thief.goto(at("booking.test", f"/book.html#uc-from={token}"))  # the same link once more
    arrived(page, engine, 3, "kind = 1")
    assert len(visitors(engine)) == 2
    other.close()


def test_nothing_is_handed_on_to_other_sites(here, engine):
    context, at = here
    page = context.new_page()
    page.goto(at("www.lamps.test"))
    asked = []
    page.on("request", lambda request: asked.append(request.url) if "/handover" in request.url else None)
    page.locator("#elsewhere").hover()
    all_sent(page, engine)
    page.locator("#elsewhere").click()
    page.wait_for_url(re.compile("elsewhere.test"))
    assert asked == []
    assert "uc-from" not in page.url
    wait_for(page, engine, "name = 'outbound click'")  # what is still under way would count in the next test


def test_forms_that_search_are_no_forms_and_what_a_page_shadows_loses_nothing(here, engine):
    context, at = here
    context.add_init_script("JSON.stringify = () => { throw new Error('not here'); }; Array.prototype.toJSON = () => 'odd';")
    page = context.new_page()
    errors = []
    page.on("pageerror", lambda error: errors.append(str(error)))
    page.goto(at("www.lamps.test"))
    page.locator(".finder input").fill("shade")
    page.get_by_label("Address").fill("x")
    found = arrived(page, engine, 3)
    assert [(hit["name"], hit["props"]) for hit in found] == [(None, None), ("form view", {"form": "letter"}), ("form start", {"form": "letter"})]
    assert titles(engine) == ["Lamps and shades"]
    page.get_by_role("button", name="Find").click()
    found = arrived(page, engine, 5)
    assert [(hit["name"], hit["props"]) for hit in found[3:]] == [(None, None), ("site search", {"term": "shade"})]
    assert errors == []


def test_half_a_sign_in_a_title_loses_no_hit(here, engine):
    context, at = here
    page = context.new_page()
    page.goto(at("handbook.test", "/start"))
    page.evaluate(r"uc.event('half', { text: 'a\ud83d' }); uc.event('whole', { text: 'a\ud83d\ude00\"\\' + String.fromCharCode(1) })")
    found = arrived(page, engine, 3)
    assert [hit["props"] for hit in found[1:]] == [{"text": "a\ufffd"}, {"text": 'a\U0001f600"\\\x01'}]


def test_coming_back_by_the_browsers_memory_a_double_submit_and_a_new_tab(here, engine):
    context, at = here
    page = context.new_page()
    page.goto(at("www.lamps.test"))
    page.get_by_role("link", name="A lamp").click()
    page.wait_for_url(re.compile("lamp.html"))
    page.evaluate("setTimeout(() => history.back(), 50)")
    assert [path_of(hit) for hit in arrived(page, engine, 3, "kind = 1")] == ["/", "/lamp.html", "/"]
    with context.expect_page() as opened:
        page.get_by_role("link", name="A lamp").click(modifiers=["Control"])
    opened.value.bring_to_front()  # a tab behind another one is given little time
    opened.value.wait_for_load_state()
    arrived(opened.value, engine, 4, "kind = 1")
    page.bring_to_front()
    page.evaluate("document.getElementById('letter').addEventListener('submit', (event) => event.preventDefault())")
    page.get_by_role("button", name="Send").dblclick()
    assert len(arrived(page, engine, 2, "name = 'form submit'")) == 2  # as often as it was sent
    assert len(visitors(engine)) == 1


def test_a_page_closed_in_the_midst_of_a_request_and_a_clock_that_is_wrong(here, engine, port):
    context, at = here
    context.add_init_script(
        "{ const real = Date.now; Date.now = () => real() - 3600000; const Old = Date; Date = class extends Old { constructor(...a) { a.length ? super(...a) : super(Old.now()); } }; }"
    )
    page = context.new_page()
    page.goto(at("handbook.test", "/start"))
    page.evaluate("for (let i = 0; i < 30; i++) uc.event('burst ' + i)")
    page.close()
    other = context.new_page()
    other.goto(at("handbook.test", "/install"))
    found = arrived(other, engine, 32)
    assert sorted(hit["name"] for hit in found if hit["name"]) == sorted(f"burst {i}" for i in range(30))
    assert json.dumps([hit["id"] for hit in found]).count("-") == 32 * 4
