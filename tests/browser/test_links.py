"""Links on the screen: built as one types, checked by their arrival, scanned, kept, as files."""

import io
import re

import numpy as np
import pytest
import zxingcpp
from PIL import Image
from playwright.sync_api import expect

from upper_compass.demo.laying import ACCOUNT, PASSWORD


@pytest.fixture
def links(page):
    assert page.request.post("/api/v1/session", data={"email": ACCOUNT, "password": PASSWORD}).ok
    page.goto("/s/mill/tag/links")
    page.get_by_role("region", name="Library").get_by_role("row").nth(1).wait_for()
    return page


def scanned(picture):
    return [one.text for one in zxingcpp.read_barcodes(np.asarray(Image.open(io.BytesIO(picture)).convert("L")))]


def fill(page, **fields):
    for name, value in fields.items():
        page.get_by_label(name, exact=True).fill(value)


def test_a_link_is_built_with_what_is_said_of_it_and_kept(links):
    finished = links.get_by_role("region", name="The finished link")
    expect(finished).to_contain_text("as soon as the address and the tags are whole")
    fill(links, Source="News Letter", Medium="newsleter", Address="nowhere")
    expect(links.get_by_role("alert")).to_contain_text("give the whole address of a page")
    fill(links, Address="https://fennmoor-mill.example/shop?size=2#flour")
    links.get_by_role("button", name="Use newsletter", exact=True).click()
    expect(links.get_by_text(re.compile(r"^you have newsletter [\d,]+ times$"))).to_be_visible()
    links.get_by_role("button", name="Use news-letter").click()
    fill(links, Content="top, foot, =x")
    expect(links.get_by_role("alert")).to_contain_text("they break links")
    fill(links, Content="top, foot")
    expect(finished.get_by_role("heading")).to_have_text("2 links at once")
    expect(finished.locator("pre")).to_contain_text("/shop?size=2&utm_source=news-letter&utm_medium=newsletter&utm_content=foot#flour")
    fill(links, **{"A note, for whoever finds it in the library": "<b>for the test</b>"})
    finished.get_by_role("button", name="Save").click()
    expect(finished).to_contain_text("2 links kept in the library.")
    library = links.get_by_role("region", name="Library")
    library.get_by_label("Look for a link").fill("for the test foot")
    expect(library.locator("tbody tr")).to_have_count(1)
    expect(library.locator("tbody tr")).to_contain_text("<b>for the test</b>")
    library.get_by_role("button", name="Archive", exact=True).press("Enter")
    expect(library).to_contain_text("No link fits.")
    library.get_by_role("button", name=re.compile("The archive")).click()
    library.get_by_role("button", name="Restore").click()
    library.get_by_role("button", name="Back to those in use").click()
    library.get_by_role("button", name="Open", exact=True).click()
    expect(links.get_by_label("Content", exact=True)).to_have_value("foot")


def test_a_link_is_checked_by_its_arrival(links, context):
    here = links.url.split("/s/")[0]
    fill(links, Address=f"{here}/mill/courses", Source="letter", Medium="email", Campaign="checked")
    links.get_by_role("button", name="Check it").click()
    check = links.locator(".check")
    with context.expect_page():
        check.get_by_role("button", name="Open it in another tab").click()
    expect(check).to_contain_text(re.compile(r"Arrived: Email / letter / checked, \d+ s ago"))
    fill(links, Address=f"{here}/mill/go/courses")
    with context.expect_page():
        check.get_by_role("button", name="Open it in another tab").click()
    expect(check).to_contain_text("Arrived, but not as meant")
    expect(check).to_contain_text("Lost on the way, most likely by a redirect: utm_source, utm_medium, utm_campaign")


def test_the_code_on_the_screen_and_both_files_scan(links):
    fill(links, Address="https://fennmoor-mill.example/", **{"Or only a link label": "Flour Bag"})
    links.get_by_role("button", name="QR code").click()
    code = links.get_by_role("group", name="QR code")
    expect(code).to_contain_text("Read again by a decoder")
    url = "https://fennmoor-mill.example/?via=flour-bag"
    fill(links, **{"Caption beneath it": "Zur Mühle"})
    picture = code.get_by_role("img", name=f"QR code for {url}")
    expect(picture).to_have_attribute("src", re.compile("M%C3%BChle"))
    assert scanned(picture.screenshot()) == [url]
    with links.expect_download() as png:
        code.get_by_role("button", name="PNG").click()
    assert scanned(png.value.path().read_bytes()) == [url]
    with links.expect_download() as svg:
        code.get_by_role("button", name="SVG").click()
    assert svg.value.path().read_text().startswith("<svg")
    code.get_by_label("Modules", exact=True).fill("#cccccc")
    expect(code.get_by_role("alert").first).to_contain_text("contrast")
    expect(code.get_by_role("button", name="PNG")).to_be_disabled()


def test_links_come_and_go_as_files(links, tmp_path):
    given = tmp_path / "links.csv"
    given.write_text("address,source,medium\nhttps://fennmoor-mill.example/,A B,email\n")
    with links.expect_download() as made:
        links.get_by_label("A CSV file with links").set_input_files(given)
    assert "utm_source=a-b&utm_medium=email,Email" in made.value.path().read_text()
    given.write_text("address,smell\nhttps://fennmoor-mill.example/,x\n")
    links.get_by_label("A CSV file with links").set_input_files(given)
    expect(links.get_by_role("alert")).to_contain_text("Line 1: there is no column 'smell'")
    fill(links, Source="letter", Medium="email", Content="a, b")
    expect(links.get_by_role("heading", name="2 links at once")).to_be_visible()
    with links.expect_download() as made:
        links.get_by_role("button", name="As a CSV file").click()
    assert made.value.path().read_text().count("utm_source=letter") == 2


def test_the_note_of_a_link_is_written_anew_in_its_place(links):
    library = links.get_by_role("region", name="Library")
    library.get_by_label("Look for a link").fill("crust-talk")
    library.get_by_role("button", name="Read out in the programme").click()
    library.get_by_label("Note").fill("nothing")
    library.get_by_label("Note").press("Escape")
    for note in ("Read out twice", "Read out in the programme"):
        library.locator("button.note").press("Enter")
        library.get_by_label("Note").fill(note)
        library.get_by_label("Note").press("Enter")
        expect(library.get_by_role("button", name=note)).to_be_visible()
    links.reload()
    expect(library.get_by_role("button", name="Read out in the programme")).to_be_visible()


def test_a_seen_link_is_built_on_and_a_word_is_agreed_on(links):
    unmade = links.get_by_role("region", name="Links that nobody made here")
    row = unmade.locator("tbody tr").first
    source = row.locator("td").first.inner_text().split(" / ")[0]
    row.get_by_role("button", name="Build on it").click()
    expect(links.get_by_label("Source", exact=True)).to_have_value(source)
    words = links.get_by_role("region", name="Vocabulary")
    words.get_by_role("button", name="Add a word").click()
    words.get_by_role("button", name="Save the vocabulary").click()
    expect(words.get_by_role("alert").first).to_contain_text("must not be empty")
    words.get_by_label("Word", exact=True).last.fill("radio")
    words.get_by_role("button", name="Save the vocabulary").click()
    expect(words).to_contain_text("Saved.")
    fill(links, Medium="radi")
    expect(links.get_by_role("button", name="Use radio")).to_be_visible()
    words.get_by_role("button", name="Remove radio").click()
    words.get_by_role("button", name="Save the vocabulary").click()
    expect(words.get_by_role("button", name="Remove radio")).to_have_count(0)
