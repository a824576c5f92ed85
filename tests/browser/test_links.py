"""Links on the screen: built as one types, checked by their arrival, scanned, kept, as files."""

import io
import re

import numpy as np
import pytest
import zxingcpp
from PIL import Image
from playwright.sync_api import expect

from tests.browser.conftest import PERSON, follow
from tests.browser.telling import hits, visitor_of, wait_for


@pytest.fixture
def links(analyst):
    follow(analyst, "/s/mill/tag/links")
    analyst.get_by_role("region", name="Library").get_by_role("row").nth(1).wait_for()
    return analyst


def scanned(picture):
    return [one.text for one in zxingcpp.read_barcodes(np.asarray(Image.open(io.BytesIO(picture)).convert("L")))]


def fill(page, **fields):
    for name, value in fields.items():
        page.get_by_label(name, exact=True).fill(value)


def does(region, what):
    """Do something with the first row, by its menu."""
    region.locator("tbody tr").first.hover()
    region.get_by_role("button", name="Actions for this row").first.click()
    region.page.get_by_role("menuitem", name=what, exact=True).click()


def test_a_link_is_built_with_what_is_said_of_it_and_kept(links):
    finished = links.get_by_role("region", name="The finished link")
    expect(finished).to_contain_text("as soon as the address and the tags are complete")
    fill(links, Source="News Letter", Medium="newsleter", Address="nowhere")
    expect(links.get_by_role("alert")).to_contain_text("give the whole address of a page")
    fill(links, Address="https://fennmoor-mill.example/shop?size=2#flour")
    links.get_by_role("button", name="Use newsletter", exact=True).click()
    expect(links.get_by_text(re.compile(r"^you have newsletter [\d,]+ times$"))).to_be_visible()
    links.get_by_role("button", name="Use letter", exact=True).click()
    expect(links.get_by_label("Source", exact=True)).to_have_value("letter")
    fill(links, Source="News Letter")
    links.get_by_role("button", name="Keep my spelling").click()
    expect(links.get_by_role("button", name="Use letter", exact=True)).to_have_count(0)
    expect(links.get_by_text("becomes news-letter")).to_be_visible()
    fill(links, Content="top, foot, =x")
    expect(links.get_by_role("alert")).to_contain_text("they break links")
    fill(links, Content="top, foot")
    expect(finished.get_by_role("heading")).to_have_text("2 links at once")
    expect(finished.locator("pre")).to_contain_text("/shop?size=2&utm_source=news-letter&utm_medium=newsletter&utm_content=foot#flour")
    fill(links, **{"A note, for whoever finds it in the library": "<b>for the test</b>"})
    finished.get_by_role("button", name="Save", exact=True).click()
    expect(finished).to_contain_text("2 links saved to the library.")
    library = links.get_by_role("region", name="Library")
    library.get_by_label("Look for a link").fill("for the test foot")
    expect(library.locator("tbody tr")).to_have_count(1)
    expect(library.locator("tbody tr")).to_contain_text("<b>for the test</b>")
    does(library, "Archive")
    expect(library).to_contain_text("No row contains")
    library.get_by_role("button", name=re.compile("Archived")).click()
    library.get_by_label("Look for a link").clear()
    does(library, "Restore")
    library.get_by_role("button", name="Back to the library").click()
    library.get_by_label("Look for a link").fill("for the test foot")
    does(library, "Duplicate")
    expect(links.get_by_label("Content", exact=True)).to_have_value("foot")
    expect(finished).to_contain_text("It is in the library already, made on")
    finished.get_by_role("button", name="Save", exact=True).click()
    expect(finished.get_by_role("alert")).to_have_text("The library has this link already.")
    does(library, "Edit")
    fill(links, Content="bottom")
    links.get_by_role("button", name="Save the change").click()
    expect(links.get_by_text("The link was changed.", exact=True).first).to_be_visible()
    library.get_by_label("Look for a link").fill("for the test bottom")
    expect(library.locator("tbody tr")).to_have_count(1)


def test_a_link_is_checked_by_its_arrival(links, context, demo_database):
    here = links.url.split("/s/")[0]
    fill(links, Address=f"{here}/mill/courses", Source="letter", Medium="email", Campaign="checked")
    finished = links.get_by_role("region", name="The finished link")
    with context.expect_page():
        finished.get_by_role("button", name="Check it").click()
    expect(finished).to_contain_text(re.compile(r"Arrived \d+ s ago\. A new visitor counts as"))
    read = finished.get_by_role("list", name="How it is read").get_by_role("listitem")
    assert [" ".join(text.split()) for text in read.all_inner_texts()] == [
        "as meant Channel Email", "as meant Source letter", "as meant Medium email", "as meant Campaign checked",
    ]  # fmt: skip
    [found, *_] = hits(demo_database, "url LIKE '%%utm_campaign=checked' AND internal")
    assert found["visitor"].startswith("check")
    fill(links, Address=f"{here}/mill/go/courses")
    with context.expect_page():
        finished.get_by_role("button", name="Check it").click()
    expect(finished).to_contain_text("Arrived, but not as meant")
    expect(finished).to_contain_text("Lost on the way, most likely by a redirect: utm_source, utm_medium, utm_campaign")
    expect(read.first).to_contain_text("Direct, not Email")
    expect(finished).to_contain_text("a visit by Email / letter was under way")


def test_a_link_that_is_pasted_is_taken_apart_and_one_word_will_do(links):
    fill(links, Address="fennmoor-mill.example/courses?size=2&utm_source=letter&utm_medium=email#top")
    expect(links.get_by_label("Source", exact=True)).to_have_value("letter")
    expect(links.get_by_label("Medium", exact=True)).to_have_value("email")
    expect(links.get_by_label("Address", exact=True)).to_have_value("https://fennmoor-mill.example/courses?size=2#top")
    fill(links, Address="/never-seen")
    expect(links.get_by_text("nobody has seen /never-seen in the last 90 days")).to_be_visible()
    links.get_by_label("Address", exact=True).blur()
    expect(links.get_by_label("Address", exact=True)).to_have_value("https://fennmoor-mill.example/never-seen")
    links.get_by_role("radio", name="One word").click()
    expect(links.get_by_label("Source", exact=True)).to_have_count(0)
    expect(links.get_by_role("alert")).to_contain_text("only a link label")
    fill(links, **{"Link label": "Card"})
    expect(links.get_by_text("?via=card; its visits count as Referral")).to_be_visible()
    expect(links.get_by_role("region", name="The finished link").locator("pre")).to_have_text("https://fennmoor-mill.example/never-seen?via=card")


def test_the_library_counts_links_to_a_copy_of_the_site(links, context, demo_database):
    here = links.url.split("/s/")[0]
    fill(links, Address=f"{here}/mill/recipes", Source="copy", Medium="email")
    links.get_by_role("button", name="Save", exact=True).click()
    row = links.get_by_role("region", name="Library").locator("tbody tr").filter(has_text="Email / copy")
    row.wait_for()  # what came before it was made is not counted
    visitor = context.browser.new_context(user_agent=PERSON)
    page = visitor.new_page()
    page.goto(f"{here}/mill/recipes?utm_source=copy&utm_medium=email")
    wait_for(page, demo_database, f"visitor = '{visitor_of(page)}' AND kind = 1")
    visitor.close()
    for _ in range(20):
        links.reload()
        row.wait_for()
        if row.get_by_role("gridcell").nth(3).inner_text() == "1":
            return
    raise AssertionError(row.inner_text())


def test_the_code_on_the_screen_and_both_files_scan(links):
    fill(links, Address="https://fennmoor-mill.example/", Medium="", Source="")
    links.get_by_role("radio", name="One word").click()
    fill(links, **{"Link label": "Flour Bag"})
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
    code.get_by_role("button", name=re.compile("Use #")).click()
    expect(code.get_by_role("button", name="PNG")).to_be_enabled()


def test_a_file_is_looked_at_line_by_line_before_its_links_are_saved(links, tmp_path):
    part = links.get_by_role("region", name="Links of a CSV file")
    with links.expect_download() as made:
        part.get_by_role("button", name="Template").click()
    assert made.value.path().read_text().splitlines()[0] == "address,source,medium,campaign,content,term,label,note"
    given = tmp_path / "links.csv"
    lines = ["url;utm_source;medium;content;note", "/courses;Bäcker;email;top, foot;For the bakers", "/shop;News Letter;email;;", "/shop;a=b;email;;"]
    given.write_bytes("\n".join(lines).encode("cp1252"))
    part.get_by_label("A CSV file with links").set_input_files(given)
    expect(part.get_by_role("status")).to_have_text("3 lines of links.csv, read as Windows-1252, make 4 links: 0 good, 3 with remarks, 1 wrong.")
    rows = part.get_by_role("grid", name="Lines of the file").locator("tbody tr")
    expect(rows).to_have_count(4)
    expect(rows.last).to_contain_text("they break links")
    part.get_by_role("checkbox", name="Use the vocabulary’s words where one is near").click()
    expect(rows.nth(2)).to_contain_text("news-letter became letter, the word of the vocabulary")
    with links.expect_download() as made:
        part.get_by_role("button", name="Save as a CSV file").click()
    assert "utm_source=letter&utm_medium=email,Email" in made.value.path().read_text()
    part.get_by_role("button", name="Save 3 links to the library").click()
    expect(links.get_by_text("3 links of links.csv are in the library.").first).to_be_visible()
    library = links.get_by_role("region", name="Library")
    expect(library.get_by_role("button", name="For the bakers")).to_have_count(2)
    given.write_text("address,smell\nhttps://fennmoor-mill.example/,x\n")
    part.get_by_label("A CSV file with links").set_input_files(given)
    expect(part.get_by_role("alert")).to_contain_text("Line 1: there is no column 'smell'")
    fill(links, Source="letter", Medium="email", Content="a, b")
    expect(links.get_by_role("heading", name="2 links at once")).to_be_visible()
    with links.expect_download() as made:
        links.get_by_role("region", name="The finished link").get_by_role("button", name="Save as a CSV file").click()
    assert made.value.path().read_text().count("utm_source=letter") == 2


def test_the_note_of_a_link_is_written_anew_in_its_place(links):
    library = links.get_by_role("region", name="Library")
    mine = library.locator("tbody tr").filter(has_text="crust-talk")
    mine.get_by_role("button", name="Read out in the programme").click()
    library.get_by_label("Note").fill("nothing")
    library.get_by_label("Note").press("Escape")
    asked = []
    links.on("request", lambda request: asked.append(request.url.split("?")[0].split("/sites/mill/")[-1]))
    for note in ("Read out twice", "Read out in the programme"):
        mine.get_by_role("button").first.press("Enter")
        library.get_by_label("Note").fill(note)
        with links.expect_response(lambda answer: answer.url.split("?")[0].endswith("/links")):
            library.get_by_label("Note").press("Enter")
        expect(library.get_by_role("button", name=note)).to_be_visible()
    assert {one.split("/")[0] for one in asked} == {"links", "vocabulary"}  # what a note of a link touches
    links.reload()
    expect(library.get_by_role("button", name="Read out in the programme")).to_be_visible()


def test_a_seen_link_is_built_on_and_a_word_is_agreed_on(links):
    unmade = links.get_by_role("region", name="Links that nobody made here")
    row = unmade.locator("tbody tr").first
    source = row.locator("th").inner_text().split(" / ")[0]
    row.get_by_role("button", name="Build on it").click()
    expect(links.get_by_label("Source", exact=True)).to_have_value(source)
    expect(links.get_by_role("region", name="The finished link")).to_contain_text("It is read as")  # and nothing moves any more
    words = links.get_by_role("region", name="Vocabulary")
    words.get_by_role("button", name="Add a word").click()
    words.get_by_role("button", name="Save the vocabulary").click()
    expect(words.get_by_role("alert").first).to_contain_text("must not be empty")
    words.get_by_label("Word", exact=True).last.fill("radio")
    words.get_by_role("button", name="Save the vocabulary").click()
    expect(words).to_contain_text("Saved.")
    fill(links, Medium="radi")
    expect(links.get_by_role("button", name="Use radio")).to_be_visible()
    fill(links, Medium="Town Crier")
    links.get_by_role("button", name="Add town-crier to the vocabulary").click()
    expect(words.get_by_label("Word", exact=True).last).to_have_value("town-crier")
    words.get_by_role("button", name="Remove town-crier").click()
    words.get_by_role("button", name="Remove radio").click()
    words.get_by_role("button", name="Save the vocabulary").click()
    expect(words.get_by_role("button", name="Remove radio")).to_have_count(0)


def test_of_very_many_words_the_newest_are_shown_and_the_others_are_looked_for(links):
    headers = {"X-CSRF-Token": links.request.get("/api/v1/session").json()["csrf"]}
    path = "/api/v1/sites/mill/vocabulary"
    before = links.request.get(path).json()
    many = [{"field": "content", "value": f"word-{number}", "meaning": "odd" if number % 2 else "even"} for number in range(900)]
    assert links.request.put(path, data=before + many, headers=headers).ok
    links.reload()
    words = links.get_by_role("region", name="Vocabulary")
    lines = words.get_by_label("Word", exact=True)
    expect(lines).to_have_count(12)
    expect(lines.last).to_have_value("word-899")
    words.get_by_role("button", name=f"{888 + len(before):,} earlier words").click()
    expect(lines).to_have_count(112)
    words.get_by_label("Look for words").fill("word-77")
    expect(lines).to_have_count(11)  # 77 and 770 to 779
    lines.first.fill("")  # stays where it is while it is changed
    words.get_by_label("Look for words").fill("odd")
    words.get_by_role("button", name="Add a word").click()
    expect(lines.last).to_have_value("")
    lines.last.fill("new")
    words.get_by_role("button", name="Save the vocabulary").click()
    wrong = words.locator("[aria-invalid=true]").first
    expect(wrong).to_be_visible()  # wherever it stands
    wrong.fill("word-77")
    words.get_by_role("button", name="Save the vocabulary").click()
    expect(words).to_contain_text("Saved.")
    kept = links.request.get(path).json()
    assert kept[-1]["value"] == "new" and len(kept) == len(before) + 901
    assert links.request.put(path, data=before, headers=headers).ok
