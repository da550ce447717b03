"""The Script room by the real interface: writing while watching, parting and joining, readers, find and replace, slots."""

import re

import pytest
from playwright.sync_api import Page, expect

from harness import bring_in_film, new_production, type_script
from probe import api

pytestmark = pytest.mark.browser
S = 48_000


def production(page: Page) -> dict:
    return api(page, "GET", f"/api/productions/{page.url.split('/')[4]}/")


def words(page: Page) -> list[str]:
    return [line["text"] for line in production(page)["lines"]]


def editor(page: Page):
    return page.locator(".words-editor textarea")


def rows(page: Page):
    return page.get_by_test_id("page").get_by_role("option")


def test_words_are_typed_while_watching_and_get_their_slots(desk: Page, own_film, complaints):
    page = desk
    new_production(page, "Watching")
    bring_in_film(page, own_film)
    page.keyboard.press("2")
    expect(page.get_by_role("heading", name="No words yet")).to_be_visible()
    page.get_by_role("button", name="write line by line").click()
    expect(editor(page)).to_be_focused()
    page.keyboard.type("The path begins at the bridge")
    page.keyboard.press("Alt+[")
    expect(page.get_by_test_id("page").locator(".page-note").first).not_to_have_text("no slot")
    # Enter makes the next line, and Enter in an empty one ends the writing.
    page.keyboard.press("Enter")
    expect(rows(page)).to_have_count(2)
    expect(editor(page)).to_be_focused()
    page.keyboard.type("Watch the water [and the wheel]")
    page.keyboard.press("Enter")
    expect(rows(page)).to_have_count(3)
    page.keyboard.press("Enter")
    expect(rows(page)).to_have_count(2)
    expect(editor(page)).to_have_count(0)
    assert words(page) == ["The path begins at the bridge", "Watch the water [and the wheel]"]

    # Marks while the picture plays: start and end of the current line, then on to the next.
    page.keyboard.press("ArrowUp")
    page.keyboard.press("ArrowDown")
    for _ in range(3):
        page.keyboard.press("Shift+ArrowRight")
    page.keyboard.press("[")
    expect(page.locator("[data-line='2'] .page-note")).to_contain_text("10:00:03:00")
    page.keyboard.press("Space")
    page.wait_for_timeout(1200)
    page.keyboard.press("]")
    page.keyboard.press("Space")
    first, second = (line["slot"] for line in production(page)["lines"])
    assert first[0] == 0 and abs(second[0] - 3 * S) < 200 and second[1] > 3 * S + S // 2
    assert complaints == []


def test_lines_are_parted_joined_numbered_and_a_forgotten_one_comes_between(desk: Page):
    page = desk
    new_production(page, "Parts")
    type_script(page, "One two. Three four.\nFive.\nSix.")
    expect(rows(page)).to_have_count(3)
    page.keyboard.press("Enter")
    expect(editor(page)).to_be_focused()
    page.keyboard.press("Home")
    for _ in range(len("One two. ")):
        page.keyboard.press("ArrowRight")
    page.keyboard.press("Control+Enter")
    expect(rows(page)).to_have_count(4)
    assert [(line["number"], line["text"]) for line in production(page)["lines"]][:2] == [
        ("1", "One two."),
        ("1a", "Three four."),
    ]
    # Backspace at the very beginning joins with the line above, and the caret stands at the seam.
    expect(page.get_by_label("words of line 1a")).to_be_focused()
    page.keyboard.press("Backspace")
    expect(rows(page)).to_have_count(3)
    expect(page.get_by_label("words of line 1", exact=True)).to_be_focused()
    page.keyboard.type("and ")
    page.keyboard.press("Escape")
    expect(editor(page)).to_have_count(0)
    assert words(page)[0] == "One two. and Three four."
    page.keyboard.press("n")
    expect(editor(page)).to_be_focused()
    page.keyboard.type("Forgotten.")
    page.keyboard.press("Escape")
    expect(editor(page)).to_have_count(0)
    expect(page.locator("[data-line='1a']")).to_contain_text("Forgotten.")
    page.keyboard.press("j")
    expect(page.locator("[data-line='1a']")).to_contain_text("Forgotten. Five.")
    page.keyboard.press("Control+z")
    expect(page.locator("[data-line='2']")).to_contain_text("Five.")
    page.get_by_text("Script", exact=True).last.click()
    page.get_by_role("button", name="Number anew").click()
    expect(page.locator("[data-line='4']")).to_contain_text("Six.")


def test_long_lines_are_looked_at_before_they_are_parted(desk: Page):
    page = desk
    new_production(page, "Long lines")
    sentence = "The sea comes up the creek twice a day and fills the pond behind the wall. "
    type_script(page, f"{sentence * 4}\nShort.")
    page.get_by_text("Script", exact=True).last.click()
    page.get_by_role("button", name="Part long lines").click()
    sheet = page.get_by_role("dialog")
    expect(sheet).to_contain_text("One line becomes 2.")
    sheet.get_by_label("letters in a line, at most").fill("80")
    expect(sheet).to_contain_text("One line becomes 4.")
    assert len(words(page)) == 2
    sheet.get_by_role("button", name="Part this line").click()
    expect(rows(page)).to_have_count(5)
    assert words(page) == [sentence.strip()] * 4 + ["Short."]


def test_notes_readers_stress_and_how_words_are_said_stand_on_the_page_and_in_the_booth(desk: Page):
    page = desk
    new_production(page, "For the reader")
    type_script(page, "The mill at Orsey.\nIt grinds by the tide.")
    page.keyboard.press("o")
    expect(page.get_by_label("notes for the reader of line 1")).to_be_focused()
    page.keyboard.type("slowly, as if asleep")
    page.keyboard.press("Escape")
    expect(page.locator("[data-line='1']")).to_contain_text("slowly, as if asleep")
    page.keyboard.press("Enter")
    page.keyboard.press("Home")
    for _ in range(6):
        page.keyboard.press("ArrowRight")
    page.keyboard.press("Alt+s")
    page.keyboard.press("Escape")
    expect(page.locator("[data-line='1'] .stress")).to_have_text("mill")
    page.get_by_text("Page", exact=True).last.click()
    page.get_by_label("word", exact=True).fill("orsey")
    page.get_by_label("how it is said").fill("OR-zee")
    page.keyboard.press("Enter")
    expect(page.locator("[data-line='1'] ruby rt")).to_have_text("OR-zee")
    page.get_by_label("name of another reader").fill("Second Voice")
    page.keyboard.press("Enter")
    expect(page.get_by_text("no takes yet")).to_have_count(2)
    page.get_by_text("Line", exact=True).last.click()
    rows(page).nth(1).click()
    page.get_by_role("combobox", name="read by").click()
    page.get_by_role("option", name="Second Voice", exact=True).click()
    expect(page.locator("[data-line='2']")).to_contain_text("read by Second Voice")
    # One reader's page, in the Booth too.
    page.get_by_text("Page", exact=True).last.click()
    page.get_by_role("combobox", name="the page shows the lines of").click()
    page.get_by_role("option", name="Second Voice", exact=True).click()
    expect(rows(page)).to_have_count(1)
    page.keyboard.press("3")
    expect(page.get_by_test_id("booth-line")).to_have_text("It grinds by the tide.")
    expect(page.get_by_text("read by Second Voice")).to_be_visible()
    page.keyboard.press("ArrowUp")
    expect(page.get_by_test_id("booth-line")).to_have_text("It grinds by the tide.")
    page.goto(page.url.replace("booth", "script"))
    expect(rows(page)).to_have_count(2)
    page.goto(page.url.replace("script", "print"))
    for said in ("slowly, as if asleep", "OR-zee", "read by Second Voice"):
        expect(page.locator("main")).to_contain_text(said)


def test_slots_are_moved_by_hand_mended_and_spread(desk: Page, own_film):
    page = desk
    new_production(page, "By hand")
    bring_in_film(page, own_film)
    page.keyboard.press("2")
    page.get_by_label("words, one line a paragraph").fill("One line here.\nAnother one.\nA third.")
    page.get_by_role("button", name="Make 3 lines").click()
    expect(page.get_by_text("spare").first).to_be_visible()
    cuts = production(page)["picture"]["shots"]
    strip = page.get_by_test_id("strip").get_by_role("img")
    box = strip.bounding_box()

    def x(sample: int) -> float:
        # The strip begins 16 points before the programme at the scale that it opens with.
        return box["x"] + (sample + S) / 2400

    slot = production(page)["lines"][0]["slot"]
    y = box["y"] + 100
    page.mouse.move(x(slot[1]), y)
    expect(strip).to_have_css("cursor", "ew-resize")
    page.mouse.down()
    page.mouse.move(x(cuts[1][0]) - 20, y, steps=4)
    page.mouse.move(x(cuts[1][0]) + 4, y, steps=2)
    page.mouse.up()
    # Near a cut the end goes to it.
    expect(page.get_by_role("button", name="undo")).to_be_enabled()
    page.wait_for_timeout(300)
    assert production(page)["lines"][0]["slot"] == [slot[0], cuts[0][1]]
    # With Alt held it stays where the hand leaves it, on a whole frame; here that runs into the next line.
    page.mouse.move(x(cuts[0][1]), y)
    page.mouse.down()
    page.keyboard.down("Alt")
    second = production(page)["lines"][1]["slot"]
    page.mouse.move(x(second[0]) + 8, y, steps=4)
    page.mouse.up()
    page.keyboard.up("Alt")
    expect(page.get_by_text("begins before the line above ends")).to_be_visible()
    page.keyboard.press("m")
    expect(page.get_by_text("begins before the line above ends")).to_have_count(0)
    assert production(page)["lines"][0]["slot"][1] == second[0]
    # A slot taken away, and spread again over the hole that it left.
    rows(page).nth(1).click()
    page.keyboard.press("Backspace")
    expect(page.locator("[data-line='2'] .page-note")).to_have_text("no slot")
    page.keyboard.press("w")
    expect(page.locator("[data-line='2'] .page-note")).to_have_text("wild")
    page.keyboard.press("w")
    expect(page.locator("[data-line='2'] .page-note")).to_have_text("no slot")
    page.keyboard.press("s")
    expect(page.locator("[data-line='2'] .page-note")).to_have_text(re.compile("s$"))
    lines = production(page)["lines"]
    assert lines[0]["slot"][1] <= lines[1]["slot"][0] < lines[1]["slot"][1] <= lines[2]["slot"][0]


def test_1200_lines_are_scrolled_searched_replaced_and_taken_back(desk: Page, complaints):
    page = desk
    new_production(page, "Long")
    address = f"/api/productions/{page.url.split('/')[4]}/edits/"
    text = "\n".join(f"Line {n} is about the {'tide' if n % 3 else 'mill'}, and nothing else." for n in range(1, 1201))
    api(page, "POST", address, {"kind": "add_lines", "text": text, "revision": 0})
    page.goto(page.url.replace("picture", "script"))
    expect(page.locator("[data-line='1']")).to_be_visible()
    assert rows(page).count() < 40
    page.get_by_test_id("page").evaluate("page => page.scrollTo(0, page.scrollHeight)")
    expect(page.locator("[data-line='1200']")).to_be_visible()
    page.keyboard.press("f")
    page.get_by_label("find", exact=True).fill("MILL")
    expect(page.get_by_text("400 places in 400 lines")).to_be_visible()
    page.keyboard.press("Enter")
    expect(page.locator("[data-line='3'][aria-selected='true'] mark")).to_have_text("mill")
    page.get_by_label("capitals and small letters as typed").check()
    expect(page.get_by_text("0 places in 0 lines")).to_be_visible()
    page.get_by_label("find", exact=True).fill("mill")
    expect(page.get_by_text("400 places in 400 lines")).to_be_visible()
    page.get_by_label("write instead").fill("wheel")
    page.get_by_role("button", name="In this line").click()
    expect(page.get_by_text("399 places in 399 lines")).to_be_visible()
    expect(page.locator("[data-line='6'][aria-selected='true']")).to_be_visible()
    page.get_by_role("button", name="Everywhere").click()
    expect(page.get_by_text("0 places in 0 lines")).to_be_visible(timeout=15_000)
    assert sum("wheel" in said for said in words(page)) == 400
    page.get_by_role("button", name="close", exact=True).click()
    page.keyboard.press("Control+z")
    expect(page.get_by_text("399 places replaced").first).to_be_visible()
    assert sum("wheel" in said for said in words(page)) == 1
    assert complaints == []


def test_lines_are_moved_by_keys_and_taken_back(desk: Page):
    page = desk
    new_production(page, "Order")
    type_script(page, "One.\nTwo.\nThree.")
    said = page.get_by_test_id("page").locator(".page-words")
    page.locator("[data-line='3']").click()
    page.keyboard.press("Alt+ArrowUp")
    page.keyboard.press("Alt+ArrowUp")
    expect(said).to_have_text(["Three.", "One.", "Two."])
    page.keyboard.press("Alt+ArrowDown")
    expect(said).to_have_text(["One.", "Three.", "Two."])
    for _ in range(3):
        page.keyboard.press("Control+z")
    expect(said).to_have_text(["One.", "Two.", "Three."])
