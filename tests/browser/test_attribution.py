"""Attribution: models side by side, a channel opened into campaigns, columns added, changed, moved and removed, a credit opened down to one visit."""

import re

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import follow, serious


@pytest.fixture
def credit(analyst):
    follow(analyst, "/s/mill/explain/attribution")
    rows(analyst).nth(3).wait_for()
    return analyst


def rows(page):
    return page.get_by_role("table", name="Credit").locator("tbody tr")


def row(page, name):
    return page.locator(f"tbody[aria-label='{name}'] tr").first


def credits(line):
    """The credit of each column."""
    return [float(one.replace(",", "")) for one in line.locator("td.font-semibold").all_inner_texts()]


def models(page):
    heads = page.get_by_role("button", name=re.compile(r"^Model of column \d: ")).all()
    return [one.inner_text() for one in heads]


def choose(page, label, option):
    page.get_by_role("button", name=re.compile(f"^{label}: ")).click()
    page.get_by_role("menuitemradio", name=option, exact=True).click()


def test_models_stand_side_by_side_and_add_up(credit):
    assert models(credit) == ["First touch", "Linear", "Position-based", "Last touch"]
    credit.get_by_role("button", name="Add a column").click()
    expect(credit.get_by_role("button", name="Model of column 5: Start-heavy")).to_be_visible()
    expect(row(credit, "Email").locator("td.font-semibold").nth(4)).to_have_text(re.compile(r"\d"))
    totals = [float(one) for one in credit.locator("tfoot td span").all_inner_texts()]
    assert len(set(totals)) == 1 and totals[0] > 50
    lines = [credits(one) for one in rows(credit).all()]
    for column in range(5):  # as far as one digit goes
        assert sum(line[column] for line in lines) == pytest.approx(totals[0], abs=0.05 * len(lines) + 0.01)
    heading = credit.get_by_role("heading", level=1)
    expect(heading).to_have_text(re.compile(r"^Email closes what others begin: \d+ bookings by first touch, \d+ by last\. .+ begins \d+ and closes \d+\."))
    first, *_, last, _ = credits(row(credit, "Email"))
    expect(heading).to_contain_text(f"{first:.0f} bookings by first touch, {last:.0f} by last")


def test_a_channel_opens_into_campaigns_that_add_up_to_it(credit):
    whole = credits(row(credit, "Email"))
    credit.get_by_role("button", name="Email: open into campaign").click()
    below = credit.locator("tbody[aria-label='Email'] tr[data-level='2']")
    below.nth(2).wait_for()
    for column, amount in enumerate(whole):
        assert sum(credits(one)[column] for one in below.all()) == pytest.approx(amount, abs=0.05 * below.count() + 0.05)
    asked = []
    credit.route("**/reports/table", lambda route: asked.insert(0, route))
    choose(credit, "Below Email", "last touch")
    expect(below.first).to_have_attribute("aria-busy", "true")  # until the others come the rows of before stand there, paler
    expect(below.first).to_have_css("opacity", "0.5")
    for one in asked:
        one.continue_()
    credit.unroute_all()
    expect(below.first).to_have_attribute("aria-busy", "false")
    expect(credit).to_have_url(re.compile("below"))
    # What the channel has by first touch is shared out as the last touches are.
    changed = [credits(one) for one in below.all()]
    assert sum(line[0] for line in changed) == pytest.approx(whole[0], abs=0.05 * len(changed) + 0.05)
    expect(below.first.locator("td.font-semibold").first).to_have_text(f"{changed[0][3] * whole[0] / whole[3]:.1f}")
    choose(credit, "Below Email", "the model of each column")
    choose(credit, "Opened into", "source")
    expect(below.first).to_contain_text("letter")
    choose(credit, "Between", "page")
    expect(row(credit, "/courses/sourdough/book")).to_contain_text("closes")
    credit.reload()
    expect(row(credit, "/courses/sourdough/book")).to_contain_text("closes")


def test_columns_are_changed_moved_copied_and_removed(credit):
    choose(credit, "Model of column 2", "Own weights")
    weights = [credit.get_by_role("textbox", name=name) for name in ("First", "Between", "Last")]
    for box, weight in zip(weights, ("0", "0", "x"), strict=True):
        box.fill(weight)
    expect(credit.get_by_text("numbers, one above 0")).to_be_visible()
    weights[2].fill("1")
    weights[2].press("Enter")
    expect(credit).to_have_url(re.compile("position.based"))
    # All to the last touch is what the last column does too.
    expect(row(credit, "Email").locator("td.font-semibold").nth(1)).to_have_text(row(credit, "Email").locator("td.font-semibold").nth(3).inner_text())
    credit.get_by_role("button", name="Actions for column 2").click()
    credit.get_by_role("menuitem", name="Move it to the left").click()
    assert models(credit)[:2] == ["Own weights", "First touch"]
    credit.get_by_role("button", name="Actions for column 1").click()
    credit.get_by_role("menuitem", name="Remove").click()
    expect(credit.get_by_role("button", name=re.compile("^Model of column"))).to_have_count(3)
    credit.get_by_role("button", name="Actions for column 1").click()
    credit.get_by_role("menuitem", name="Duplicate").click()
    assert models(credit)[:2] == ["First touch", "First touch"]
    cells = row(credit, "Email").locator("td.font-semibold")
    expect(cells).to_have_text([re.compile(r"\d")] * 4)
    choose(credit, "Whose, in column 2", "On phones")
    everyone, *_ = credits(row(credit, "Email"))
    expect(cells.nth(1)).to_have_text(re.compile(rf"^(?!{everyone:.1f}$)\d"))
    assert credits(row(credit, "Email"))[1] < everyone
    choose(credit, "Reach of column 2", "own visit")
    choose(credit, "What column 2 credits", "Orders")
    expect(credit.get_by_role("button", name="What column 2 credits: Orders")).to_be_visible()


def test_a_credit_opens_down_to_one_visit(credit):
    amount = credits(row(credit, "Email"))[1]
    figure = row(credit, "Email").get_by_role("button", name=re.compile("^Email, column 2: [^ ]+; open up$"))
    figure.click()
    opened = credit.get_by_role("dialog")
    expect(opened.locator("[data-figure]")).to_have_text(f"{amount:.1f}")
    conversions = opened.get_by_role("list", name="Conversions").locator("> li")
    conversions.first.wait_for()
    shares = [float(one) for one in conversions.locator("b").evaluate_all("all => all.map(one => one.textContent.split(' ')[0])")]
    if conversions.count() < 20:
        assert sum(shares) / 100 == pytest.approx(amount, abs=0.05)
    for place in range(3):
        touches = conversions.nth(place).get_by_role("list", name="Touches").locator("li > span:last-child").all_inner_texts()
        assert sum(float(one) for one in touches) == pytest.approx(100, abs=0.1)
    parts = opened.get_by_role("region", name="Parts")
    opened.get_by_role("slider", name="Credit").wait_for()
    parts.get_by_role("listitem").first.wait_for()
    told = parts.get_by_role("listitem").all_inner_texts()
    if "more" not in parts.inner_text():
        assert sum(float(one.split("\n")[-1]) for one in told) == pytest.approx(amount, abs=0.05 * len(told) + 0.05)
    assert serious(credit, "[role=dialog]") == []
    credit.keyboard.press("Escape")
    expect(figure).to_be_focused()
    credit.get_by_role("button", name=re.compile("^All, column 1: ")).click()
    expect(conversions).to_have_count(20)
    expect(opened).to_contain_text("the 20 newest here")
    credit.keyboard.press("Escape")
    gap = row(credit, "Email").get_by_role("button", name=re.compile("^Email, column 2: .* points"))
    gap.click()
    expect(opened.locator("[data-numbers]")).to_contain_text(f"{gap.inner_text()} points against")
    credit.keyboard.press("Escape")
    figure.press("Enter")
    conversions.first.get_by_role("link").click()
    expect(credit).to_have_url(re.compile("/watch/visits/"))
    expect(credit.locator("[aria-label='Hits'] > li").first).to_be_visible()


def test_the_removal_effect_says_what_it_rests_on_and_shares_have_intervals(credit):
    choose(credit, "Model of column 3", "Removal effect")
    figure = row(credit, "Email").get_by_role("button", name=re.compile("^Email, column 3: [^ ]+; open up$"))
    figure.wait_for()
    credit.locator("[aria-busy=true]").first.wait_for(state="detached")
    whole = float(credit.get_by_role("button", name=re.compile("^All, column 3: ")).inner_text())
    assert sum(credits(line)[2] for line in rows(credit).all()) == pytest.approx(whole, abs=0.05 * rows(credit).count())
    figure.click()
    opened = credit.get_by_role("dialog")
    expect(opened).to_contain_text(re.compile(r"Without it [\d.]+ % less would convert. That rests on [\d,]+ touches"))
    expect(opened.get_by_role("list", name="Conversions").locator("> li").first).to_be_visible()
    credit.keyboard.press("Escape")
    with credit.expect_response("**/reports/table"):
        choose(credit, "Intervals", "with their 95 % intervals")
    credit.locator("[aria-busy=true]").first.wait_for(state="detached")
    row(credit, "Email").get_by_role("button", name=re.compile("^Email, column 2: [^ ]+; open up$")).click()
    share = float(re.search(r"= ([\d.]+) %", opened.locator("[data-numbers]").inner_text()).group(1))
    credit.keyboard.press("Escape")
    choose(credit, "Told as", "a share of its column")
    figure = row(credit, "Email").get_by_role("button", name=re.compile("^Email, column 2: [^ ]+; open up$"))
    expect(figure).to_have_text(f"{share:.2f}")
    assert sum(float(line.locator("td.font-semibold").nth(1).inner_text()) for line in rows(credit).all()) == pytest.approx(100, abs=0.1)
    figure.click()
    expect(opened).to_contain_text(re.compile(r"between [\d.]+ and [\d.]+ %"))
    low, high = (float(one) for one in re.search(r"between ([\d.]+) and ([\d.]+) %", opened.inner_text()).groups())
    assert low < share < high
    assert serious(credit, "[role=dialog]") == []


def test_a_row_of_credit_leads_on_as_any_other(credit):
    row(credit, "Email").get_by_role("button", name="Actions for Email").press("Enter")
    expect(credit.get_by_role("menuitem")).to_have_text(
        ["Only these", "Without these", "Add to the filter", "The visits behind it", "Compare with the rest", "Make a segment of it", "Note in the logbook"]
    )
    credit.get_by_role("menuitem", name="Compare with the rest").click()
    expect(credit).to_have_url(re.compile("explain/compare.*only=channel"))


def test_direct_visits_may_count_and_days_without_conversions_say_so(credit):
    direct = credits(row(credit, "Direct"))[0]
    choose(credit, "Direct visits", "count as others do")
    expect(row(credit, "Direct").locator("td.font-semibold").first).not_to_have_text(f"{direct:.1f}")
    assert credits(row(credit, "Direct"))[0] > direct
    follow(credit, "/s/mill/explain/attribution?from=2020-01-01&to=2020-01-07")
    expect(credit.get_by_role("heading", level=1)).to_have_text(re.compile("^No bookings in these days"))
    expect(credit.locator("[data-empty]")).to_contain_text("There were no conversions in these days.")


def test_every_touch_a_half_life_value_and_a_product_are_columns_too(credit):
    choose(credit, "Model of column 1", "Every touch")
    expect(credit.get_by_text("By every touch the rows add up to more than there were")).to_be_visible()
    choose(credit, "Model of column 2", "Time decay")
    linear = row(credit, "Email").locator("td.font-semibold").nth(1)
    credit.get_by_role("textbox", name="Half-life, days").fill("0.01")
    credit.get_by_role("textbox", name="Half-life, days").press("Enter")
    # Nearly all goes to the last touch then.
    expect(linear).to_have_text(row(credit, "Email").locator("td.font-semibold").nth(3).inner_text())
    choose(credit, "What column 3 credits", "value of Course bookings")
    credit.get_by_role("button", name="What column 3 credits: value of Course bookings").wait_for()
    expect(row(credit, "Email").locator("td.font-semibold").nth(2)).to_have_text(re.compile(r"\d,?\d{3}"))
    choose(credit, "What column 4 credits", "a product that was bought")
    credit.get_by_role("combobox", name="Product").fill("no such thing")
    credit.get_by_role("combobox", name="Product").press("Enter")
    expect(credit.locator("tfoot td").nth(3)).to_contain_text("0.0")


def test_whole_ways_of_touches_and_their_number_stand_below(credit):
    ways = credit.get_by_role("region", name="Ways of touches")
    expect(ways).to_contain_text(
        re.compile(r"\d+ of the \d+ bookings had one touch only, and every model agrees about those\. What models argue over is the other \d+\.")
    )
    one, of, several = (int(number) for number in re.findall(r"\d+", ways.locator("p").first.inner_text())[:3])
    assert one + several <= of == float(credit.locator("tfoot td span").first.inner_text())
    listed = ways.get_by_role("list", name="The commonest ways").get_by_role("listitem")
    counts = [int(text) for text in listed.locator("b").all_inner_texts()]
    assert counts == sorted(counts, reverse=True) and 0 < sum(counts) <= of
    choose(credit, "Between", "page")
    expect(listed.first).to_contain_text("/courses")
    expect(listed.first).to_contain_text("→")
