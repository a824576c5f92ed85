"""Paths: centred, a step opened, a way made a segment of and read in Overview; the same nodes as a table; by keys alone."""

import re

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import follow, opened_one_by_one, serious


@pytest.fixture
def ways(analyst):
    follow(analyst, "/s/mill/explain/paths?centre=page:/courses")
    nodes(analyst).first.wait_for()
    return analyst


def nodes(page):
    return page.locator("[data-node]")


def node(page, words):
    return page.get_by_role("button", name=re.compile(f"^{re.escape(words).replace('/', '.')}: "))


def said(button):
    return button.locator(".sr-only").text_content()


def count(button):
    return int(re.search(r": ([\d,]+) visits", said(button)).group(1).replace(",", ""))


def names(page):
    return [said(one).partition(": ")[0] for one in nodes(page).all()]


def test_what_follows_a_page_is_said_and_adds_up(ways):
    heading = ways.get_by_role("heading", level=1)
    expect(heading).to_have_text(
        re.compile(r"^Of [\d,]+ visits that saw /courses, .+ went on to /courses/.+, and \d+ of \d+ bookings come that way; .+ left at once\.")
    )
    whole = int(re.search(r"Of ([\d,]+) visits", heading.inner_text()).group(1).replace(",", ""))
    after = [one for one in nodes(ways).all() if re.match(r"/courses, then [^,]+: ", said(one))]
    before = [one for one in nodes(ways).all() if re.match(r"[^,]+, then /courses: ", said(one))]
    assert sum(map(count, after)) == sum(map(count, before)) == whole


def test_a_step_is_opened_closed_and_more_of_it_shown(ways):
    shown = names(ways)
    ways.get_by_role("button", name="Open step: First after").click()
    expect(ways.get_by_role("button", name="Open step: First after")).to_have_count(0)
    assert len(names(ways)) > len(shown)
    more = ways.get_by_role("button", name=re.compile(r"^.courses, then \d+ more pages: "))
    listed = len([one for one in names(ways) if one.count(", then ") == 1])
    more.click()
    ways.get_by_role("menuitem", name="Show more of them").click()
    expect(more).to_have_count(0)
    assert len([one for one in names(ways) if one.count(", then ") == 1]) > listed
    branch = node(ways, "/courses, then /courses/sourdough")
    branch.click()
    ways.get_by_role("menuitem", name="Close branch").click()
    expect(branch).to_have_attribute("aria-expanded", "false")
    ways.reload()
    nodes(ways).first.wait_for()
    expect(branch).to_have_attribute("aria-expanded", "false")
    ways.get_by_role("button", name="Begin again").click()
    expect(branch).to_have_attribute("aria-expanded", "true")


def test_a_way_becomes_a_segment_and_is_read_in_overview(ways):
    way = node(ways, "/courses, then /courses/sourdough")
    visits = count(way)
    way.click()
    ways.get_by_role("menuitem", name="Make a segment of this way").click()
    expect(ways.get_by_role("heading", level=1)).to_have_text(re.compile("^Visits that saw /courses and directly next saw /courses/sourdough"))
    ways.go_back()
    nodes(ways).first.wait_for()
    way.click()
    ways.get_by_role("menuitem", name="Only these visits").click()
    expect(ways.locator("[data-chip]")).to_contain_text("came to /courses and went on to /courses/sourdough")
    ways.get_by_role("link", name="Read").click()
    total = ways.get_by_role("region", name="Channels").locator("tfoot").get_by_role("button", name=re.compile(", Visits: "))
    expect(total).to_have_text(f"{visits:,}")


def test_by_keys_one_walks_opens_and_opens_up(ways):
    first = node(ways, "/courses, then /courses/children")
    first.focus()
    ways.keyboard.press("+")
    expect(first).to_have_attribute("aria-expanded", "true")
    expect(first).to_be_focused()
    ways.keyboard.press("ArrowRight")
    expect(ways.locator("[data-node]:focus .sr-only")).to_have_text(re.compile("^.courses, then [^,]+, then "))
    ways.keyboard.press("ArrowLeft")
    ways.keyboard.press("ArrowDown")
    expect(ways.locator("[data-node]:focus .sr-only")).to_have_text(re.compile("^.courses, then [^,]+: "))
    first.focus()
    ways.keyboard.press("o")
    opened = ways.get_by_role("dialog")
    expect(opened.locator("[data-figure]")).to_have_text(str(count(first)))
    expect(opened.get_by_text("Shaded: between what each day was expected")).to_be_visible()
    ways.keyboard.press("Escape")
    expect(first).to_be_focused()
    ways.keyboard.press("-")
    expect(first).to_have_attribute("aria-expanded", "false")


def test_the_centre_moves_and_the_same_is_a_table(ways):
    node(ways, "/courses, then /stockists").click()
    ways.get_by_role("menuitem", name="Centre here").click()
    expect(ways).to_have_url(re.compile("centre=page:/stockists"))
    expect(ways.get_by_role("heading", level=1)).to_contain_text("that saw /stockists")
    shown = names(ways)
    ways.get_by_role("button", name="As a table").click()
    rows = ways.get_by_role("grid", name="Ways").locator("tbody tr")
    expect(rows).to_have_count(len(shown))
    assert serious(ways, "main") == []
    more = ways.get_by_role("grid", name="Ways").get_by_role("row", name=re.compile(r"\d+ more page")).first
    for row in (rows.first, more):
        figures = row.locator("[data-opens]").all()
        assert len(figures) == 5
        opened_one_by_one(ways, figures)
    ways.get_by_role("button", name=re.compile("^Centre: the page .stockists")).click()
    form = ways.get_by_role("dialog", name="The centre")
    form.get_by_role("button", name="What it is: the page").click()
    ways.get_by_role("menuitemradio", name="the channel").click()
    form.get_by_role("button", name="Centre here").click()
    expect(form.get_by_role("alert")).to_have_text("Say which.")
    form.get_by_role("combobox", name="Value").fill("Email")
    form.get_by_role("button", name="Centre here").click()
    expect(ways.get_by_role("heading", level=1)).to_contain_text("visits that came by Email")
    follow(ways, "/s/mill/explain/paths?centre=page:/nowhere")
    expect(ways.locator("[data-empty]")).to_contain_text("another centre")


def test_steps_are_events_or_groups_and_the_strip_narrows_them(ways):
    whole = int(re.search(r"Of ([\d,]+) visits", ways.get_by_role("heading", level=1).inner_text()).group(1).replace(",", ""))
    ways.get_by_role("button", name="Steps: pages").click()
    ways.get_by_role("menuitemradio", name="events", exact=True).click()
    expect(ways).to_have_url(re.compile("along=events"))
    ways.locator("[data-node]", has_text="form view").first.wait_for()
    ways.get_by_role("button", name="Steps: events").click()
    ways.get_by_role("menuitemradio", name="page groups", exact=True).click()
    ways.locator("[data-node]", has_text="Guides").first.wait_for()
    follow(ways, "/s/mill/explain/paths?centre=page:/courses&only=device:phone")
    nodes(ways).first.wait_for()
    phones = int(re.search(r"Of ([\d,]+) visits", ways.get_by_role("heading", level=1).inner_text()).group(1).replace(",", ""))
    assert 0 < phones < whole


def test_a_way_is_broken_down_and_its_visits_are_those_behind_it(ways):
    way = node(ways, "/courses, then /courses/sourdough")
    visits = count(way)
    way.click()
    expect(ways.get_by_role("menu")).to_contain_text(re.compile(r"of the centre; \d+\s% from"))
    ways.get_by_role("menuitem", name="Break it down").click()
    expect(ways).to_have_url(re.compile("/read/sources"))
    total = ways.locator("[data-ledger] tfoot").first.get_by_role("button", name=re.compile(", Visits: "))
    expect(total).to_have_text(f"{visits:,}")
    ways.go_back()
    nodes(ways).first.wait_for()
    way.click()
    ways.get_by_role("menuitem", name="The visits behind it").click()
    expect(ways.get_by_role("heading", level=1)).to_contain_text(f"{visits:,} visits")
