"""A line of the film is replaced by keys: fitted to the old one, words woven in; a reading is made as long as wanted."""

import pytest
from playwright.sync_api import Page, expect

from harness import state, until
from probe import api, takes_of

pytestmark = pytest.mark.browser


def line_of(page: Page, number: int) -> dict:
    return api(page, "GET", f"/api/productions/{page.url.split('/')[4]}/")["lines"][number - 1]


def the_pick(page: Page, number: int) -> dict:
    line = line_of(page, number)
    rows = api(page, "GET", f"/api/lines/{line['id']}/takes/")
    return next(row for row in rows if row["id"] == line["pick"])


@pytest.fixture
def takes(page: Page, world, demo):
    """The demo's third line in Takes; what is done to it is taken back."""
    page.goto(world.link())
    page.get_by_text("The Tide Mill at Orsey").first.click()
    state(page, "Ready")
    production = page.url.split("/")[4]
    until(lambda: all(take["read"]["state"] != "waiting" for take in takes_of(page, production) if take["read"]))
    before = api(page, "GET", f"/api/productions/{production}/")["revision"]
    page.keyboard.press("4")
    page.get_by_test_id("page").get_by_text("The reeds lean one way").click()
    expect(page.locator(".take-row")).to_have_count(3)
    yield page
    while api(page, "GET", f"/api/productions/{production}/")["undo"]:
        api(page, "POST", f"/api/productions/{production}/undo/", {})
    assert before <= api(page, "GET", f"/api/productions/{production}/")["revision"]


def test_an_old_reading_in_the_film_is_replaced_where_it_sat_and_words_are_woven_in(takes: Page):
    page, rows = takes, takes.locator(".take-row")
    # What somebody thinks of the chosen take: a mark with one key, a note.
    page.keyboard.press("m")
    expect(rows.nth(2).get_by_test_id("mark")).to_contain_text("keep")
    page.keyboard.press("o")
    page.keyboard.type("the calmest of the three")
    page.keyboard.press("Enter")
    expect(rows.nth(2).locator(".take-note")).to_have_text("the calmest of the three")
    page.keyboard.press("t")
    phrases = page.get_by_test_id("fit").locator(".fit-phrases li")
    # The old one had a pause behind the comma; the new one, read in one breath, is parted there.
    expect(phrases).to_have_count(2)
    expect(phrases.first).to_contain_text("The reeds lean one way in the morning,")
    expect(phrases.nth(1)).to_contain_text("later")
    page.keyboard.press("Enter")
    expect(rows).to_have_count(4)
    expect(rows.nth(3)).to_contain_text("fitted to the film")
    expect(rows.nth(3)).to_contain_text("picked")
    expect(page.get_by_test_id("film-silent")).to_be_visible()
    fitted = the_pick(page, 3)
    slot = line_of(page, 3)["slot"]
    assert line_of(page, 3)["silence"] == slot and len(fitted["voice"]["phrases"]) == 2
    # What was made is heard at once; words are chosen while another take plays, or with the mouse.
    rows.first.locator(".take-hear").click()
    page.keyboard.press("Space")
    expect(rows.first).to_have_attribute("aria-current", "true")
    words = rows.first.locator(".take-words button")
    start, end = words.get_by_text("one", exact=True).bounding_box(), words.get_by_text("in", exact=True).bounding_box()
    page.mouse.move(start["x"] + 3, start["y"] + 6)
    page.mouse.down()
    page.mouse.move(end["x"] + 3, end["y"] + 6, steps=12)
    page.mouse.up()
    chosen = page.get_by_test_id("chosen-words")
    expect(chosen).to_contain_text("“one way in” of take 1")
    expect(chosen).to_contain_text("into take 3, fitted to the film")
    page.keyboard.press("v")
    expect(rows).to_have_count(5)
    expect(rows.nth(4)).to_contain_text("picked")
    woven = the_pick(page, 3)
    assert woven["name"] == "takes 3 + 1 + 3" and [word["text"] for word in woven["read"]["words"]][:4] == [
        "The", "reeds", "lean", "one",
    ]  # fmt: skip
    for pick in (fitted["id"], None):
        page.keyboard.press("Control+z")
        until(lambda pick=pick: line_of(page, 3)["pick"] == pick if pick else line_of(page, 3)["silence"] is None)
    expect(page.get_by_test_id("film-silent")).to_have_count(0)
    expect(rows).to_have_count(3)


def test_a_line_is_made_as_long_as_it_must_be(takes: Page):
    page = takes
    page.keyboard.press("5")
    box = page.get_by_test_id("length")
    expect(box).to_contain_text("Line 3 lasts")
    speech = line_of(page, 3)["voice"]["speech"]
    wanted = (speech[1] - speech[0]) / 48_000 * 1.03
    page.keyboard.press("n")
    page.keyboard.type(f"{wanted:.3f}")
    page.keyboard.press("Enter")
    expect(box).to_contain_text("Then its")
    box.get_by_role("button", name="Make it so").click()
    until(lambda: line_of(page, 3)["voice"]["kind"] == "comp")
    speech = line_of(page, 3)["voice"]["speech"]
    assert abs(speech[1] - speech[0] - round(wanted, 3) * 48_000) <= 1
    page.keyboard.press("n")
    page.keyboard.type("9")
    page.keyboard.press("Enter")
    expect(box).to_contain_text("6 % are allowed")
    expect(box.get_by_role("button", name="Make it so")).to_be_disabled()
