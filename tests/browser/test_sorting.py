"""Channels and aliases on the screen: what moves is seen before it is kept, and can be taken back."""

import re

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import follow


@pytest.fixture
def channels(analyst):
    follow(analyst, "/s/mill/tag/channels")
    analyst.get_by_text(re.compile("visits in 90 days fit no channel")).wait_for()
    return analyst


def test_an_alias_is_tried_saved_and_undone(channels):
    changes = channels.get_by_role("region", name="What changes")
    heading = channels.get_by_role("heading", level=1)
    before = heading.inner_text()
    channels.get_by_role("button", name="Add an alias").click()
    expect(changes).to_contain_text("This cannot be saved yet: this must not be empty.")
    channels.get_by_role("button", name="Save").click()
    expect(channels.get_by_role("region", name="Aliases").get_by_role("alert")).to_contain_text("must not be empty")
    channels.get_by_label("This").fill("Flyer Stand")
    channels.get_by_label("That").fill("print")
    expect(changes).to_contain_text(re.compile(r"\d+ visits move from Unsorted to Print and QR\."))
    channels.get_by_role("button", name="Save").click()
    expect(heading).not_to_have_text(before)
    expect(heading).to_have_text(re.compile(r"^\d+ visits in 90 days fit no channel|^Every visit"))
    history = channels.get_by_role("region", name="History")
    expect(history).to_contain_text("Ida Brandvold")
    expect(history).to_contain_text("Aliases: + medium Flyer Stand → print")
    history.get_by_role("button", name="Undo", exact=True).click()
    expect(heading).to_have_text(before)
    expect(history).to_contain_text("Aliases: − medium Flyer Stand → print")


def test_a_channel_is_added_by_keyboard_moved_up_and_left_alone(channels):
    changes = channels.get_by_role("region", name="What changes")
    channels.get_by_role("button", name="Add a channel").press("Enter")
    channels.get_by_label("Name of the channel").fill("Fairs")
    channels.get_by_label("Medium is one of").fill("flyer-stand, fair,")
    expect(changes).to_contain_text(re.compile(r"move from Unsorted to Fairs"))
    channels.get_by_label("Medium is one of").fill("email")
    expect(changes).to_contain_text("0 of ")
    for _ in range(10):
        channels.get_by_role("button", name="Move up").press("Enter")
    expect(changes).to_contain_text(re.compile(r"\d+ visits move from Email to Fairs"))
    channels.get_by_role("button", name="Cancel").click()
    expect(channels.get_by_role("button", name="Fairs")).to_have_count(0)


def test_what_is_unsorted_opens_and_is_given_a_channel(channels):
    channels.get_by_role("button", name="Unsorted", exact=True).press("Enter")
    rows = channels.get_by_role("grid", name="Unsorted visits").locator("tbody tr")
    row = rows.filter(has_text="flyer-stand")
    expect(row).to_contain_text("village-fair")
    row.get_by_role("combobox", name="Give flyer-stand a channel").click()
    channels.get_by_role("option", name="Print and QR").click()
    expect(channels.get_by_role("region", name="What changes")).to_contain_text(re.compile(r"\d+ visits move from Unsorted to Print and QR\."))
    channels.get_by_role("button", name="Save").click()
    history = channels.get_by_role("region", name="History")
    expect(history.get_by_role("listitem").first).to_contain_text("Print and QR: + flyer-stand")
    expect(row).to_have_count(0)
    history.get_by_role("button", name="Undo", exact=True).first.click()
    expect(history.get_by_role("listitem").first).to_contain_text("Print and QR: − flyer-stand")


def test_who_was_slower_is_told_and_keeps_what_was_typed(channels):
    csrf = channels.request.get("/api/v1/session").json()["csrf"]
    rules = channels.request.get("/api/v1/sites/mill").json()["rules"]
    held = {"aliases": rules["aliases"], "channels": rules["channels"]}
    faster = held | {"aliases": [{"field": "medium", "this": "faster", "that": "fast"}]}
    channels.get_by_role("button", name="Add an alias").click()
    channels.get_by_label("This").fill("slower")
    channels.get_by_label("That").fill("slow")
    for body in (faster, held):
        assert channels.request.put("/api/v1/sites/mill/sorting", data=body, headers={"X-CSRF-Token": csrf}).ok
        if body is faster:
            channels.get_by_role("button", name="Save").click()
            expect(channels.get_by_role("alert")).to_contain_text("Somebody else changed")
            expect(channels.get_by_label("This").last).to_have_value("slower")
