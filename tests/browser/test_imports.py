"""Tag → Import: a file is looked at, read, listed with what was refused, and taken back."""

import re

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import follow, serious

ODD = "#Fields: date x-time x-page c-ip\n" + "".join(f"2026-11-2{i} 10:00:00 /odd/{i} 192.0.2.{i}\n" for i in range(5))


def line(path, number=1):
    return f'192.0.2.{number} - - [20/Nov/2026:10:00:{number:02} +0000] "GET {path} HTTP/1.1" 200 5 "-" "A browser"'


def given(name, text):
    return {"name": name, "mimeType": "text/plain", "buffer": text.encode()}


@pytest.fixture
def imports(analyst):
    follow(analyst, "/s/mill/tag/import")
    expect(analyst.get_by_role("heading", level=1)).to_contain_text("Fennmoor Mill")
    return analyst


def test_a_log_is_looked_at_read_listed_and_taken_back(imports):
    name = "a log with a rather long name, as servers call them when they turn them over every night.log"
    text = "\n".join([*(line(f"/imported/{i}", i) for i in range(1, 8)), line("/mill.css"), "broken"])
    imports.get_by_label("A file with hits").set_input_files(given(name, text))
    expect(imports.get_by_role("status").filter(has_text="server log")).to_contain_text(
        "Of its first 9 lines: 7 page views, 1 that only belong to a page, or failed and 1 that is refused."
    )
    lines = imports.get_by_role("grid", name="First lines of the file")
    expect(lines.get_by_role("row", name=re.compile("^9 refused this is no line of such a log"))).to_be_visible()
    assert serious(imports) == []
    imports.get_by_role("button", name=f"Import {name}").press("Enter")
    row = imports.get_by_role("grid", name="Imported files").get_by_role("row").filter(has_text=name)
    expect(row.get_by_role("gridcell").nth(2)).to_have_text("7")
    expect(imports.get_by_role("heading", level=1)).to_contain_text("7 hits of Fennmoor Mill came from 1 file.")
    row.get_by_role("button", name=name).click()
    expect(imports.get_by_role("grid", name="Refused lines").get_by_role("row").nth(1)).to_contain_text("this is no line of such a log")
    imports.get_by_role("button", name="Actions for this row").first.click()
    imports.get_by_role("menuitem", name="Undo …").click()
    asked = imports.get_by_role("dialog")
    expect(asked).to_contain_text("7 hits that came with it are deleted")
    asked.get_by_role("button", name="Undo the import").click()
    expect(row).to_contain_text("undone")
    expect(imports.get_by_role("heading", level=1)).to_contain_text("No file of Fennmoor Mill was imported yet.")


def test_what_counts_is_set_as_one_looks_and_kept(imports):
    imports.get_by_label("A file with hits").set_input_files(given("odd.log", ODD))
    expect(imports.get_by_role("status").filter(has_text="odd.log is")).to_contain_text(
        "cannot be read as it is: a W3C log needs the fields time and cs-uri-stem"
    )
    expect(imports.get_by_role("button", name="Import odd.log")).to_be_disabled()
    for field, meaning in (("x-time", "time"), ("x-page", "path of the page")):
        imports.get_by_role("combobox", name=f"What {field} is").click()
        imports.get_by_role("option", name=meaning, exact=True).click()
    expect(imports.get_by_role("status").filter(has_text="odd.log is")).to_contain_text("5 page views")
    downloads = imports.get_by_label("Downloads end with")
    downloads.fill("pdf, .e*pub")
    expect(downloads).to_have_accessible_description(re.compile("each becomes an event, file download .+"))
    expect(imports.get_by_role("button", name="Import odd.log")).to_be_disabled()
    downloads.fill("pdf, .epub")
    expect(imports.get_by_text("What counts is kept for the logs that follow.")).to_be_visible()
    imports.get_by_role("button", name="Import odd.log").click()
    expect(imports.get_by_role("grid", name="Imported files").get_by_role("row").filter(has_text="odd.log")).to_contain_text("done")
    imports.get_by_label("A file with hits").set_input_files(given("odd.log", ODD + "2026-11-24 11:00:00 /more.epub 192.0.2.1\n"))
    expect(imports.get_by_role("status").filter(has_text="odd.log is")).to_contain_text("5 page views, 1 download")
    imports.get_by_role("button", name="What counts in it").click()
    imports.get_by_role("button", name="As is usual").click()
    expect(imports.get_by_role("status").filter(has_text="odd.log is")).to_contain_text("cannot be read as it is")


def test_what_cannot_be_sent_or_read_is_said_and_can_be_tried_again(imports):
    imports.route("**/import/hits?*", lambda route: route.abort())
    imports.get_by_label("A file with hits").set_input_files(given("gone.log", line("/gone")))
    imports.get_by_role("button", name="Import gone.log").click()
    expect(imports.get_by_role("alert")).to_contain_text("The server went away")
    imports.unroute("**/import/hits?*")
    imports.route("**/import/hits?*", lambda route: None)  # it waits
    imports.get_by_role("button", name="Import gone.log").click()
    imports.get_by_role("button", name="Cancel").click()
    expect(imports.get_by_role("alert")).to_contain_text("Cancelled.")
    imports.get_by_label("A file with hits").set_input_files(given("a picture.png", "\x89PNG\x00\x00"))
    expect(imports.get_by_text("None of its first lines is a hit.")).to_be_visible()
    expect(imports.get_by_role("button", name="Import a picture.png")).to_be_disabled()


def test_a_file_chosen_while_another_is_read_is_looked_at_by_what_counts_now_and_stays(imports):
    held = []
    imports.route("**/import/hits?*", lambda route: route.continue_() if held else held.append(route))
    imports.get_by_label("A file with hits").set_input_files(given("night.log", line("/shop/list.midi")))
    imports.get_by_role("button", name="What counts in it").click()
    imports.get_by_label("Downloads end with").fill("midi")
    expect(imports.get_by_text("What counts is kept for the logs that follow.")).to_be_visible()
    with imports.expect_request("**/import/hits?*"):
        imports.get_by_role("button", name="Import night.log").click()
    day = "\n".join(line(f"/day/{name}") for name in ("a.midi", "b.midi", "page"))
    imports.get_by_label("A file with hits").set_input_files(given("day.log", day))
    seen = imports.get_by_role("status").filter(has_text="day.log is")
    expect(seen).to_contain_text("2 downloads")
    held[0].continue_()
    expect(imports.get_by_role("grid", name="Imported files").get_by_role("row").filter(has_text="night.log")).to_contain_text("done")
    expect(seen).to_contain_text("2 downloads")
    imports.get_by_role("button", name="What counts in it").click()
    imports.get_by_role("button", name="As is usual").click()
    expect(seen).not_to_contain_text("2 downloads")
    with imports.expect_response("**/import/reading") as kept:
        imports.get_by_role("button", name="Import day.log").click()
    assert kept.value.ok
    expect(imports.get_by_role("grid", name="Imported files").get_by_role("row").filter(has_text="day.log")).to_contain_text("done")
