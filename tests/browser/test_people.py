"""People are let in by a link, given another role and let go; everybody has their own account in hand; what was changed is found again."""

import re

import pyotp
import pytest
from playwright.sync_api import expect

from tests.browser.conftest import confirm, follow, serious
from tests.conftest import now
from upper_compass.demo.laying import COLLEAGUE

NEW = "seven loaves on a sill"


@pytest.fixture
def people(analyst):
    follow(analyst, "/s/mill/tag/people")
    analyst.get_by_role("grid", name="People").wait_for()
    return analyst


def link_for(page, note, role="analyst"):
    """A link by which somebody may come in, made on the screen."""
    form = page.get_by_role("form", name="Let somebody in")
    form.get_by_label("As", exact=True).click()
    page.get_by_role("option", name=re.compile(f"^{role}")).click()
    form.get_by_label("For whom").fill(note)
    form.get_by_role("button", name="Make a link").click()
    expect(page.get_by_role("region", name="Let somebody in").locator("code")).to_contain_text("/invited#")
    return page.get_by_role("region", name="Let somebody in").locator("code").inner_text()


def come_in(page, link, name):
    """In a browser of their own, by a link; signed in then."""
    somebody = page.context.browser.new_context(base_url=page.url.split("/s/")[0], viewport={"width": 1280, "height": 800}).new_page()
    somebody.goto(link)
    expect(somebody.get_by_role("heading", level=1)).to_contain_text("Ida Brandvold lets you in to Fennmoor Mill")
    somebody.get_by_label("Your name").fill(name)
    somebody.get_by_label("E-mail address").fill(f"{name.split()[0].lower()}@fennmoor-mill.example")
    somebody.get_by_label("Password").fill("password123")
    somebody.get_by_role("button", name="Come in").click()
    expect(somebody.get_by_role("alert")).to_have_text("Many people have this password; choose another.")
    assert serious(somebody) == []
    somebody.get_by_label("Password").fill(NEW)
    somebody.get_by_role("button", name="Come in").click()
    expect(somebody).to_have_url(re.compile("/read/overview"))
    return somebody


def test_somebody_comes_in_by_a_link_has_another_role_and_is_let_go(people):
    link = link_for(people, "Ruth of the shop")
    expect(people.get_by_role("region", name="Links that hold")).to_contain_text("Ruth of the shop")
    assert serious(people) == []
    ruth = come_in(people, link, "Ruth Okafor")
    follow(ruth, "/s/mill/tag/people")
    expect(ruth.get_by_role("heading", level=1)).to_have_text("You are an analyst of Fennmoor Mill.")
    again = ruth.context.browser.new_context(base_url=people.url.split("/s/")[0]).new_page()
    again.goto(link)
    expect(again.get_by_role("alert")).to_contain_text("holds no more")
    people.reload()
    expect(people.get_by_role("heading", level=1)).to_contain_text("1 owner, 1 analyst")
    people.get_by_role("button", name="Ruth Okafor: analyst; another role").press("Enter")
    people.get_by_role("menuitemradio", name=re.compile("^viewer")).press("Enter")
    expect(people.get_by_role("button", name="Ruth Okafor: viewer; another role")).to_be_visible()
    people.get_by_role("button", name="Undo").click()
    expect(people.get_by_role("button", name="Ruth Okafor: analyst; another role")).to_be_visible()
    people.get_by_role("button", name="Remove Ruth Okafor").click()
    people.get_by_role("dialog", name="Let Ruth Okafor in no more?").get_by_role("button", name="Remove").click()
    expect(people.get_by_role("grid", name="People")).not_to_contain_text("Ruth Okafor")
    ruth.reload()
    expect(ruth.get_by_role("heading", level=1)).to_have_text("Your first site")


def test_who_has_an_account_signs_in_on_the_way(people):
    link = link_for(people, "Tom once more", "analyst")
    tom = people.context.browser.new_context(base_url=people.url.split("/s/")[0]).new_page()
    tom.goto(link)
    tom.get_by_role("button", name="I have an account here").click()
    tom.get_by_label("E-mail address").fill(COLLEAGUE[0])
    tom.get_by_label("Password").fill(COLLEAGUE[2])
    tom.get_by_role("button", name="Sign in").click()
    tom.get_by_role("button", name="Come in as Tom Achterberg").click()
    expect(tom).to_have_url(re.compile("/s/mill/read/overview"))
    people.reload()
    people.get_by_role("button", name="Tom Achterberg: analyst; another role").click()
    people.get_by_role("menuitemradio", name=re.compile("^viewer")).click()
    expect(people.get_by_role("button", name="Tom Achterberg: viewer; another role")).to_be_visible()


def test_the_last_owner_stays_and_a_link_is_taken_back(people):
    people.get_by_role("button", name="Remove Ida Brandvold").click()
    confirm(people, "Remove")
    expect(people.get_by_role("alert")).to_have_text("A site needs an owner. Make somebody else one first.")
    link_for(people, "Nobody in the end", "owner")
    people.get_by_role("button", name="Take back the link: Nobody in the end").click()
    expect(people.get_by_role("region", name="Let somebody in").locator("code")).to_have_count(0)
    expect(people.get_by_text("Nobody in the end")).to_have_count(0)


def test_ones_account_is_in_ones_own_hands(people):
    max_ = come_in(people, link_for(people, "Max", "viewer"), "Max Lind")
    max_.get_by_role("button", name=re.compile("signed in as Max Lind$")).click()
    max_.get_by_role("menuitem", name="Your account").click()
    expect(max_.get_by_role("heading", level=1)).to_have_text("You are Max Lind, max@fennmoor-mill.example.")
    max_.get_by_label("Name", exact=True).fill("Max Lind-Sørensen")
    max_.get_by_role("form", name="Your name").get_by_role("button", name="Save").click()
    expect(max_.get_by_role("heading", level=1)).to_contain_text("Max Lind-Sørensen")
    form = max_.get_by_role("form", name="Password")
    form.get_by_label("As it is").fill("not it at all")
    form.get_by_label("As it shall be").fill("flour, water, salt and time")
    form.get_by_role("button", name="Change it").click()
    expect(form.get_by_role("alert")).to_have_text("This is not your password.")
    form.get_by_label("As it is").fill(NEW)
    form.get_by_role("button", name="Change it").click()
    expect(form.get_by_role("status")).to_contain_text("Changed.")
    form = max_.get_by_role("form", name="A new token")
    form.get_by_role("button", name="Make a token").click()
    expect(form.get_by_role("alert")).to_contain_text("Say what it is for")
    form.get_by_label("What it is for").fill("Monday's sheet")
    form.get_by_role("button", name="Make a token").click()
    secret = max_.get_by_role("region", name="Tokens").locator("code").inner_text()
    bearer = {"Authorization": f"Bearer {secret}"}
    base = max_.url.split("/s/")[0]
    program = max_.context.browser.new_context()
    assert program.request.get(f"{base}/api/v1/sites/mill", headers=bearer).ok
    assert program.request.put(f"{base}/api/v1/account", headers=bearer, data={"name": "x"}).status == 403
    assert serious(max_) == []
    max_.reload()
    told = max_.get_by_role("grid", name="Tokens").locator("tbody tr").filter(has_text="Monday's sheet")
    expect(told).to_contain_text(re.compile(r"read.*Fennmoor Mill"))
    expect(told).not_to_contain_text("never")  # it was used, and it ends
    told.get_by_role("button", name="Revoke Monday's sheet").click()
    confirm(max_, "Revoke")
    expect(told).to_have_count(0)
    assert program.request.get(f"{base}/api/v1/sites/mill", headers=bearer).status == 401


def test_one_is_signed_out_elsewhere(people):
    nora = come_in(people, link_for(people, "Nora", "viewer"), "Nora Vey")
    elsewhere = people.context.browser.new_context(base_url=people.url.split("/s/")[0])
    signed = {"email": "nora@fennmoor-mill.example", "password": NEW}
    assert elsewhere.request.post("/api/v1/session", data=signed).ok
    follow(nora, "/s/mill/account")
    sessions = nora.get_by_role("region", name="Where you are signed in")
    expect(sessions.get_by_role("listitem")).to_have_count(2)
    sessions.get_by_role("button", name="Sign out everywhere else").click()
    expect(sessions.get_by_role("listitem")).to_have_count(1)
    assert elsewhere.request.get("/api/v1/session").status == 401


def test_what_was_changed_is_found_again_and_taken_away(people):
    link_for(people, "A note for the history", "viewer")
    follow(people, "/s/mill/tag/changes")
    changes = people.get_by_role("list", name="Changes").locator("> li")
    expect(changes.first).to_contain_text("A note for the history")
    people.get_by_label("Look for a change").fill("note for the hist")
    expect(changes).to_have_count(1)
    expect(changes).to_contain_text(re.compile("Ida Brandvold.*Invitation.*role: viewer", re.DOTALL))
    assert serious(people) == []
    with people.expect_download() as taken:
        people.get_by_role("button", name="Export").click()
        people.get_by_role("menuitem", name="CSV").click()
    assert "A note for the history" in taken.value.path().read_text()
    people.get_by_label("Look for a change").fill("/basket")
    expect(changes.filter(has_text="Funnel Checkout")).to_contain_text("steps: /basket, then /checkout/address, then")
    people.get_by_label("Look for a change").fill("nothing like it")
    expect(people.get_by_role("heading", level=1)).to_have_text("No change has this in it.")


def test_a_viewer_sees_neither_people_nor_changes(viewer):
    viewer.goto("/s/mill/tag/people")
    expect(viewer.get_by_role("heading", level=1)).to_have_text("You are a viewer of Fennmoor Mill.")
    follow(viewer, "/s/mill/tag/changes")
    expect(viewer.get_by_role("heading", level=1)).to_have_text("Who changed what is for the owners of Fennmoor Mill.")
    viewer.goto("/invited#short")
    expect(viewer.get_by_role("heading", level=1)).to_have_text("This link lets nobody in.")


def test_a_site_is_deleted_by_its_name_and_brought_back(people):
    follow(people, "/s/mill/new-site")
    form = people.get_by_role("form", name="A new site")
    form.get_by_label("Name").fill("Short-lived")
    form.get_by_label("Hosts").fill("short.example")
    form.get_by_role("button", name="Add the site").click()
    people.get_by_role("heading", level=1).wait_for()
    expect(people).to_have_url(re.compile("/start"))
    key = people.url.split("/s/")[1].split("/")[0]
    follow(people, f"/s/{key}/tag/settings")
    people.get_by_role("button", name="Delete the site …").click()
    dialog = people.get_by_role("dialog", name="Delete Short-lived?")
    dialog.get_by_label("Type its name").fill("Fennmoor Mill")
    dialog.get_by_role("button", name="Delete", exact=True).click()
    expect(dialog.get_by_role("alert")).to_contain_text("Type the name of the site")
    assert serious(people) == []
    dialog.get_by_label("Type its name").fill("Short-lived")
    dialog.get_by_role("button", name="Delete", exact=True).click()
    expect(people).to_have_url(re.compile("/s/mill/read/overview"))
    people.get_by_role("listitem").filter(has_text="Short-lived was deleted.").get_by_role("button", name="Undo").focus()
    people.go_back()
    expect(people.get_by_role("heading", level=1)).to_have_text("There is no such site here")
    people.get_by_role("button", name="Undo").click()
    expect(people).to_have_url(re.compile(f"/s/{key}/read/overview"))
    follow(people, f"/s/{key}/tag/settings")
    people.get_by_role("button", name="Delete the site …").click()
    dialog.get_by_label("Type its name").fill("Short-lived")
    dialog.get_by_role("button", name="Delete", exact=True).click()
    expect(people.get_by_text("Short-lived was deleted.").first).to_be_visible()
    follow(people, "/s/mill/account")
    people.get_by_role("button", name="Bring back Short-lived").click()
    expect(people).to_have_url(re.compile(f"/s/{key}/read/overview"))


def test_a_code_of_a_device_is_asked_for_too_and_recovery_codes_help_once(people):
    vera = come_in(people, link_for(people, "Vera", "viewer"), "Vera Lund")
    follow(vera, "/s/mill/account")
    part = vera.get_by_role("region", name="Second factor")
    part.get_by_role("button", name="Begin …").click()
    part.get_by_label("Your password").fill("not it at all")
    part.get_by_role("button", name="Go on").click()
    expect(part.get_by_role("alert")).to_have_text("This is not your password.")
    part.get_by_label("Your password").fill(NEW)
    part.get_by_role("button", name="Go on").click()
    device = pyotp.TOTP(part.locator("code").inner_text().replace(" ", ""))
    expect(part.get_by_role("img")).to_be_visible()
    assert serious(vera) == []
    part.get_by_label("Code", exact=True).fill("12")
    part.get_by_role("button", name="Ask for codes from now on").click()
    expect(part.get_by_role("alert")).to_contain_text("not what the device shows now")
    part.get_by_label("Code", exact=True).fill(device.at(now()))
    part.get_by_role("button", name="Ask for codes from now on").click()
    expect(part).to_contain_text("10 recovery codes are left")
    spare = part.locator("code").inner_text().split()
    assert len(spare) == 10
    expect(vera.get_by_role("region", name="What was changed of your account")).to_contain_text("Second factor")

    vera.context.clear_cookies()
    vera.reload()
    vera.get_by_label("E-mail address").fill("vera@fennmoor-mill.example")
    vera.get_by_label("Password").fill(NEW)
    vera.get_by_role("button", name="Sign in").click()
    expect(vera.get_by_label("Code", exact=True)).to_be_focused()
    assert serious(vera) == []
    vera.get_by_label("Code", exact=True).fill("no code")
    vera.get_by_role("button", name="Sign in").click()
    expect(vera.get_by_role("alert")).to_contain_text("neither what your device shows now nor a recovery code")
    vera.get_by_label("Code", exact=True).fill(spare[3])
    vera.get_by_role("button", name="Sign in").click()
    expect(part).to_contain_text("9 recovery codes are left")
    part.get_by_role("button", name="End it …").click()
    part.get_by_label("Your password").fill(NEW)
    part.get_by_label("Code", exact=True).fill(spare[4])
    part.get_by_role("button", name="End it", exact=True).click()
    expect(part).to_contain_text("Your password alone lets you in")
