"""The kit that every view is made of, on a page of its own as it is served to whoever works on it."""

import contextlib
import os
import re
import socket
import subprocess
import time
import urllib.request

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import serious
from upper_compass.run.places import ROOT


@pytest.fixture(scope="module")
def kit_address():
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    command = ["npx", "vite", "--port", str(port), "--strictPort", "--host", "127.0.0.1", "--logLevel", "error"]
    process = subprocess.Popen(command, cwd=ROOT / "web", start_new_session=True)
    address = f"http://127.0.0.1:{port}/kit"
    for _ in range(600):
        assert process.poll() is None, "the development server ended by itself"
        asked = urllib.request.Request(address, headers={"Accept": "text/html"})
        with contextlib.suppress(OSError), urllib.request.urlopen(asked, timeout=5):
            break
        time.sleep(0.1)
    yield address
    os.killpg(process.pid, 15)
    process.wait()


@pytest.fixture(scope="module")
def kit_page(browser, kit_address):
    context = browser.new_context(viewport={"width": 1280, "height": 800})
    yield context.new_page()
    context.close()


@pytest.fixture
def kit(kit_page, kit_address):
    page = kit_page
    page.set_viewport_size({"width": 1280, "height": 800})
    page.goto(kit_address)
    page.get_by_role("heading", name="The kit").wait_for()
    return page


@pytest.mark.parametrize("light", ["light", "dark"])
def test_every_piece_can_be_read_by_everyone(kit, light):
    kit.emulate_media(color_scheme=light)
    assert serious(kit) == []
    for name in ("What can be done", "A small form"):
        kit.get_by_role("button", name=name).click()
        assert serious(kit) == []
        kit.keyboard.press("Escape")
        expect(kit.get_by_role("button", name=name)).to_be_focused()
    kit.get_by_role("button", name="Delete").click()
    assert serious(kit) == []
    kit.get_by_role("button", name="Cancel").last.click()
    kit.set_viewport_size({"width": 360, "height": 800})
    expect(kit.locator("html")).to_have_js_property("scrollWidth", 360)  # charts are drawn anew for their width


def test_a_known_value_is_taken_by_the_arrow_keys_and_is_never_in_the_way_of_tab(kit):
    medium = kit.get_by_label("Medium")
    medium.click()
    expect(kit.get_by_role("option")).to_have_count(2)  # those that hold what stands there
    medium.press("Tab")
    expect(kit.get_by_role("option")).to_have_count(0)
    expect(kit.get_by_role("checkbox", name="Downloads")).to_be_focused()
    medium.focus()
    medium.press("Enter")  # nothing was gone to, nothing is taken
    expect(medium).to_have_value("mail")
    medium.press("ArrowDown")
    medium.press("ArrowDown")
    expect(kit.get_by_role("option", name=re.compile("^e-mail"))).to_have_attribute("aria-selected", "true")
    medium.press("Enter")
    expect(medium).to_have_value("e-mail")
    expect(medium).to_be_focused()
    medium.fill("news 7")  # a text of one's own, with a digit in it
    expect(medium).to_have_value("news 7")


def test_one_of_a_few_is_chosen_by_its_letters_and_the_empty_one_too(kit):
    test = kit.get_by_label("Test", exact=True)
    test.focus()
    test.press("c")
    expect(test).to_have_text("contains")
    test.press("Enter")
    kit.get_by_role("option", name="any").click()
    expect(test).to_have_text("any")


def test_what_was_done_is_said_and_taken_back(kit):
    kit.get_by_role("button", name="Tell").click()
    kit.get_by_role("listitem").filter(has_text="was deleted").get_by_role("button", name="Undo").click()
    expect(kit.get_by_text("It is back.", exact=True).first).to_be_visible()
    expect(kit.get_by_text("was deleted")).to_have_count(0)


def test_what_is_wrong_and_what_is_meant_are_both_told(kit):
    address = kit.get_by_label("Address")
    expect(address).to_have_attribute("aria-invalid", "true")
    expect(address).to_have_accessible_description("with https:// This is no address of a page.")


def test_a_chart_is_read_point_by_point_with_the_arrow_keys(kit):
    bars = kit.get_by_role("slider", name="Bookings by device")
    bars.focus()
    for key, said in (("ArrowDown", "phone: 61"), ("ArrowDown", "desktop: 48"), ("ArrowUp", "phone: 61"), ("ArrowUp", "phone: 61")):
        bars.press(key)
        expect(bars).to_have_attribute("aria-valuetext", said)
    bars.press("End")
    expect(bars).to_have_attribute("aria-valuenow", "2")
    bars.press("Tab")
    expect(bars).to_have_attribute("aria-valuetext", "Up and down read it one by one")
