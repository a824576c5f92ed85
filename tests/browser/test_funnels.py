"""Funnels: the checkout is found, built, moved and split; who was lost is opened, made a segment of, and read elsewhere."""

import json
import re

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import follow, opened_one_by_one, serious

PAGES = ("/basket", "/checkout/address", "/checkout/delivery", "/checkout/pay")


@pytest.fixture
def checkout(analyst):
    """The funnel that suggests itself for orders."""
    follow(analyst, "/s/mill/read/overview")
    analyst.get_by_role("button", name=re.compile("^Steer by: ")).click()
    analyst.get_by_role("menuitemradio", name="Orders", exact=True).click()
    follow(analyst, analyst.url.replace("read/overview", "explain/funnels"))
    step(analyst, 5).wait_for()
    analyst.locator("[aria-busy=true]").first.wait_for(state="detached")  # its steps stand before their figures
    return analyst


def step(page, number):
    return page.locator(f"[data-step='{number}']")


def names(page):
    buttons = page.locator("[data-step]").get_by_role("button", name=re.compile("^Edit step")).all()
    return [button.get_attribute("aria-label").partition(": ")[2] for button in buttons]


def number(text):
    return int(re.sub(r"\D", "", text))


def reached(page):
    page.locator("[aria-busy=true]").first.wait_for(state="detached")
    return [number(one) for one in page.get_by_role("button", name=re.compile(r"^Step \d.*reached: .*open up")).all_inner_texts()]


def test_the_checkout_of_the_site_is_found_and_loses_phones_at_delivery(checkout):
    assert names(checkout) == [*PAGES, "order"]
    counts = reached(checkout)
    assert counts == sorted(counts, reverse=True) and counts[-1] > 50
    heading = checkout.get_by_role("heading", level=1)
    expect(heading).to_have_text(re.compile(rf"^Of {counts[0]} visits that saw /basket, {counts[-1]} ordered\."))
    expect(heading).to_contain_text(re.compile(r"From /checkout/delivery to /checkout/pay go \d\d in 100 of those who used the device phone"))
    lost = step(checkout, 4).get_by_role("button", name=re.compile("^Lost before step 4"))
    assert number(lost.inner_text().split(" lost")[0]) == counts[2] - counts[3]
    shares = {one.split("\n")[0]: one.split("\n")[-1] for one in step(checkout, 4).locator("ul li").all_inner_texts()}
    assert int(shares["phone"]) < 60 < int(shares["desktop"])
    expect(checkout.get_by_role("region", name="The course of a step")).to_contain_text("From /checkout/delivery on to /checkout/pay")


def test_each_figure_of_a_step_opens_up_with_its_numbers(checkout):
    told = [one for one in step(checkout, 4).get_by_role("button", name=re.compile("^Step 4,.*open up$")).all() if one.is_visible()]
    assert len(told) == 4  # reached, before, of step 1, took
    opened_one_by_one(checkout, told)
    counts, dialog = reached(checkout), checkout.get_by_role("dialog")
    step(checkout, 4).get_by_role("button", name=re.compile("of step 1: ")).click()
    expect(dialog.locator("[data-numbers]")).to_have_text(f"= {counts[3]} ÷ {counts[0]} = {100 * counts[3] / counts[0]:.2f} %")
    checkout.keyboard.press("Escape")
    phone = step(checkout, 4).get_by_role("button", name=re.compile(r"^phone: (\d+) of (\d+) went on"))
    here, before = (int(one) for one in re.findall(r"\d+", phone.get_attribute("aria-label"))[:2])
    phone.click()
    expect(dialog.locator("[data-numbers]")).to_have_text(f"= {here} ÷ {before} = {100 * here / before:.2f} %")
    checkout.reload()
    expect(dialog.get_by_role("region", name="The course of a step")).to_be_visible()
    dialog.get_by_role("button", name=re.compile("^By: ")).click()
    checkout.get_by_role("menuitemradio", name="browser", exact=True).click()
    parts = dialog.get_by_role("region", name="Parts").get_by_role("listitem")
    parts.first.wait_for()
    told = [[int(one.replace(",", "")) for one in re.findall(r"([\d,]+) of ([\d,]+),", text)[0]] for text in parts.all_inner_texts()]
    assert [sum(counts) for counts in zip(*told, strict=True)] == [here, before]
    assert serious(checkout, "[role=dialog]") == []
    checkout.keyboard.press("Escape")
    step(checkout, 4).get_by_role("button", name=re.compile(r"^Step 4,.* took")).click()
    expect(dialog.get_by_role("region", name="The course of a step")).to_contain_text("median, min")
    expect(parts.first).to_have_text(re.compile(r"\d (s|min)"))
    checkout.keyboard.press("Escape")
    phone.click()
    dialog.get_by_role("link", name="The visits behind it").click()
    expect(checkout.get_by_role("heading", level=1)).to_have_text(re.compile(f"^{here} visits"))


def test_who_was_lost_is_opened_and_becomes_a_segment_that_is_read_in_overview(checkout):
    lost = step(checkout, 4).get_by_role("button", name=re.compile("^Lost before step 4"))
    count = number(lost.inner_text().split(" lost")[0])
    lost.click()
    expect(checkout.get_by_role("dialog").locator("[data-figure]")).to_have_text(str(count))
    checkout.keyboard.press("Escape")
    said = re.search(r"Of the (\d+) who used the device phone", checkout.get_by_text("came no further than").inner_text()).group(1)
    checkout.get_by_role("link", name="Make a segment of them").click()
    expect(checkout.get_by_role("heading", level=1)).to_contain_text("and never saw /basket and later saw /checkout/address")
    checkout.get_by_role("button", name="Use without saving").click()
    expect(checkout).to_have_url(re.compile("/read/overview"))
    phones = checkout.get_by_role("region", name="Channels").locator("tfoot").get_by_role("button", name=re.compile(", Visits: "))
    expect(phones).to_have_text(said)


def test_a_funnel_is_built_moved_by_key_and_counted_otherwise(checkout):
    checkout.get_by_role("button", name="Add a step").click()
    form = checkout.get_by_role("dialog", name="A new step")
    form.get_by_role("button", name="Save").click()
    expect(form.get_by_role("alert")).to_have_text("Say which page.")
    form.get_by_role("combobox", name="Page", exact=True).fill("/checkout/tha")
    checkout.get_by_role("option", name=re.compile("^.checkout.thanks")).click()
    form.get_by_role("button", name="Save").click()
    expect(step(checkout, 6)).to_contain_text("/checkout/thanks")
    expect(step(checkout, 6)).not_to_contain_text("–––")  # what grows while a step is in the hand moves the places under it
    handle = step(checkout, 6).get_by_role("button", name=re.compile("move it$"))
    handle.focus()
    for key, said in (("Space", "Step 6 is taken up."), ("ArrowUp", "Step 6 is at the place of step 5."), ("Space", "Step 6 was put")):
        checkout.keyboard.press(key)
        expect(checkout.locator("[aria-live=assertive]")).to_contain_text(said)
    expect(step(checkout, 5)).to_contain_text("/checkout/thanks")
    step(checkout, 2).get_by_role("button", name="Actions for step 2").click()
    checkout.get_by_role("menuitem", name="Remove").click()
    expect(checkout.locator("[data-step]")).to_have_count(5)
    assert names(checkout) == ["/basket", "/checkout/delivery", "/checkout/pay", "/checkout/thanks", "order"]
    by_visits = reached(checkout)
    checkout.get_by_role("button", name="Between the steps: anything between the steps").click()
    checkout.get_by_role("menuitemradio", name="no other page between the steps").click()
    expect(checkout.get_by_role("button", name="Between the steps: no other page between the steps")).to_be_visible()
    expect(step(checkout, 2)).to_contain_text("nobody" if by_visits[1] == 0 else "lost")
    assert reached(checkout)[1] == 0  # the address lies between the basket and the delivery
    checkout.reload()
    step(checkout, 5).wait_for()
    assert reached(checkout)[1] == 0


def test_a_step_is_dragged_to_the_place_of_another(checkout):
    before = names(checkout)
    handle = step(checkout, 2).get_by_role("button", name=re.compile("move it$"))
    handle.hover()
    checkout.mouse.down()
    checkout.mouse.move(*middle_of(handle, 10), steps=4)  # from here on it is dragged
    expect(checkout.locator("[aria-live=assertive]")).to_contain_text("Step 2 is")
    checkout.mouse.move(*middle_of(step(checkout, 3).get_by_role("button", name=re.compile("move it$"))), steps=8)
    expect(checkout.locator("[aria-live=assertive]")).to_contain_text("Step 2 is at the place of step 3.")
    checkout.mouse.up()
    expect(step(checkout, 2)).to_contain_text(before[2])
    assert names(checkout) == [before[0], before[2], before[1], *before[3:]]


def middle_of(one, below=0):
    box = one.bounding_box()
    return box["x"] + box["width"] / 2, box["y"] + box["height"] / 2 + below


def test_a_funnel_is_saved_changed_and_archived_and_each_can_be_taken_back(checkout):
    checkout.get_by_role("button", name="Save", exact=True).click()
    form = checkout.get_by_role("dialog", name="Save the funnel")
    form.get_by_role("button", name="Save", exact=True).click()
    expect(form.get_by_role("alert")).to_be_visible()
    form.get_by_label("Name").fill("Till")
    form.get_by_role("button", name="Save", exact=True).click()
    expect(checkout.get_by_role("button", name="Funnel: Till")).to_be_visible()
    expect(checkout).to_have_url(re.compile(r"funnel=\d+"))
    checkout.get_by_role("button", name="Counted by: visits").click()
    checkout.get_by_role("menuitemradio", name="people").click()
    expect(checkout.get_by_role("button", name="Funnel: Till, changed")).to_be_visible()
    checkout.get_by_role("button", name="Save", exact=True).click()
    checkout.get_by_role("dialog", name="Save the funnel").get_by_role("button", name="Save", exact=True).click()
    expect(checkout.get_by_role("button", name="Counted by: people")).to_be_visible()
    checkout.get_by_role("button", name="Archive", exact=True).click()
    expect(checkout.get_by_role("button", name="Funnel: as your visits walk it")).to_be_visible()
    checkout.get_by_role("button", name="Undo").click()
    expect(checkout.get_by_role("button", name="Funnel: Till")).to_be_visible()


def test_a_figure_of_a_goal_leads_to_how_they_got_there(overview):
    row = overview.get_by_role("region", name="Channels").get_by_role("row").filter(has_text="Email")
    row.get_by_role("button", name=re.compile("Email, Bookings: .*; open up|Email, Rate: .*; open up")).first.click()
    overview.get_by_role("dialog").get_by_role("link", name="How did they get there?").click()
    expect(overview).to_have_url(re.compile("/explain/funnels.*only=channel:Email"))
    expect(overview.get_by_role("heading", level=1)).to_contain_text("did course booked")


def test_segments_side_by_side_and_days_without_anybody(analyst):
    steps = [{"kind": "view", "names": [], "props": [], "fields": [], "name_test": "is", "page": {"test": "is", "value": page}} for page in PAGES[:2]]
    phones = {"of": "visits", "where": {"of": "all", "conditions": [{"kind": "dimension", "dimension": "device", "test": "is", "values": ["phone"]}]}}
    funnel = json.dumps({"steps": steps, "units": "visits"})
    follow(analyst, "/s/mill/explain/funnels?" + f"by=none&funnel={funnel}&beside={json.dumps(phones)}")
    expect(step(analyst, 2).locator("ul li")).to_have_text(re.compile("^Visits that used the device phone"))
    follow(analyst, f"/s/mill/explain/funnels?funnel={funnel}&from=2020-01-01&to=2020-01-02")
    expect(analyst.get_by_role("heading", level=1)).to_contain_text("No visits that saw /basket in these days.")
    expect(analyst.locator("[data-empty]")).to_contain_text("Nobody came to the first step")
    follow(analyst, "/s/mill/explain/funnels?from=2020-01-01&to=2020-01-02")
    expect(analyst.get_by_role("heading", level=1)).to_contain_text("in these days")


def test_a_window_of_ones_own_and_another_split_stay_in_the_address(checkout):
    before = reached(checkout)
    checkout.get_by_role("button", name="Within: any time").click()
    checkout.get_by_role("menuitemradio", name="so many minutes …").click()
    typed = checkout.get_by_role("textbox", name="Within how many minutes")
    typed.fill("x")
    expect(checkout.get_by_text("(a number above 0)")).to_be_visible()
    typed.fill("1")
    typed.press("Enter")
    expect(checkout.get_by_role("button", name="Within: 1 minutes")).to_be_visible()
    after = reached(checkout)
    assert after[0] == before[0] and after[-1] < before[-1]
    checkout.get_by_role("button", name="Split by: device").click()
    checkout.get_by_role("menuitemradio", name="channel", exact=True).click()
    expect(step(checkout, 2).locator("ul li").first).to_contain_text(re.compile("Organic search|Direct|Email|Paid search"))
    checkout.reload()
    step(checkout, 5).wait_for()
    assert reached(checkout) == after
    expect(checkout.get_by_role("button", name="Split by: channel")).to_be_visible()
    checkout.get_by_role("button", name="Split by: channel").click()
    checkout.get_by_role("menuitemradio", name="nothing", exact=True).click()
    expect(checkout.locator("[data-step] ul")).to_have_count(0)


def test_the_course_of_another_step_and_a_part_are_chosen_where_they_stand(checkout):
    step(checkout, 1).get_by_role("button", name="Actions for step 1").click()
    checkout.get_by_role("menuitem", name="Its course").click()
    expect(checkout.get_by_role("region", name="The course of a step")).to_contain_text("Who came to /basket")
    counts = reached(checkout)
    step(checkout, 4).get_by_role("button", name="phone", exact=True).click()
    expect(checkout.locator("[data-chip]")).to_have_text("Only device phone")
    expect(checkout.get_by_role("heading", level=1)).not_to_contain_text(f"Of {counts[0]} visits")
    assert reached(checkout)[0] < counts[0]
    checkout.keyboard.press("Control+z")
    expect(checkout.locator("[data-chip]")).to_have_count(0)


def test_a_viewer_reads_funnels_and_keeps_none(viewer):
    viewer.goto("/s/mill/explain/funnels?funnel=1")
    step(viewer, 5).wait_for()
    expect(viewer.get_by_role("button", name="Funnel: Checkout")).to_be_visible()
    expect(viewer.get_by_role("button", name="Save", exact=True)).to_have_count(0)
    expect(viewer.get_by_role("button", name="Archive", exact=True)).to_have_count(0)
