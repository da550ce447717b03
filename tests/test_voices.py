"""Voices by hand: what sounds until something is picked, pick-ups that join, seams and readings that are moved."""

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from harness import hand_over, in_slot, order, read_one_take, state, until
from measure import RATE
from probe import api, samples_of, takes_of

pytestmark = pytest.mark.browser


def production_of(page: Page) -> str:
    return page.url.split("/")[4]


def line_of(page: Page) -> dict:
    return api(page, "GET", f"/api/productions/{production_of(page)}/")["lines"][0]


def test_a_pick_up_joins_sounds_whole_and_its_seam_is_moved_and_taken_back(desk: Page, world):
    page = desk
    in_slot(page, "Pick-up")
    read_one_take(page)
    assert line_of(page)["voice"]["provisional"]
    for _ in range(2):
        page.keyboard.press("Shift+ArrowRight")
    page.keyboard.press("i")
    state(page, "Recording")
    page.wait_for_timeout(2_500)
    page.keyboard.press("Enter")
    state(page, "Saved")
    page.keyboard.press("4")
    comp = page.locator("[data-kind='comp']")
    expect(comp).to_have_count(1)
    expect(comp).to_contain_text("sounds now")
    told = line_of(page)["voice"]
    assert told["takes"] == [1, 2] and told["span"][0] < 4 * RATE < 6 * RATE < told["span"][1]
    # The seam goes by keys and by hand; undo brings it back, whole.
    (seam,) = takes_of(page, production_of(page))[-1]["seams"]
    comp.get_by_role("button", name="hear takes 1 + 2").click()
    page.keyboard.press("Space")
    page.keyboard.press("Alt+ArrowLeft")
    until(lambda: takes_of(page, production_of(page))[-1]["seams"] == [seam - RATE // 100])
    page.keyboard.press("Control+z")
    until(lambda: takes_of(page, production_of(page))[-1]["seams"] == [seam])
    # The rows may still find their places.
    page.wait_for_timeout(600)
    box = comp.locator("canvas").bounding_box()
    rows = takes_of(page, production_of(page))
    spans = [row["voice"]["span"] for row in rows]
    first, last = min([3.5 * RATE, *(s[0] for s in spans)]), max([9 * RATE, *(s[1] for s in spans)])
    x = box["x"] + (seam - first) / (last - first) * box["width"]
    page.mouse.move(x, box["y"] + 20)
    page.mouse.down()
    page.mouse.move(x - 12, box["y"] + 20, steps=4)
    page.mouse.up()
    until(lambda: takes_of(page, production_of(page))[-1]["seams"][0] < seam - 500)
    # Separated, the last take sounds alone; picked and joined by hand it is one again.
    comp.get_by_role("button", name="separate").click()
    expect(comp).to_have_count(0)
    page.locator("[data-take='1']").get_by_role("button", name="pick", exact=True).click()
    expect(page.locator("[data-take='1']")).to_contain_text("picked")
    page.locator("[data-take='2']").get_by_role("button", name="hear take 2").click()
    page.keyboard.press("Space")
    page.keyboard.press("j")
    expect(comp).to_contain_text("picked")


def test_a_voice_is_nudged_placed_snapped_and_dragged_and_the_file_says_where(desk: Page, world, tmp_path):
    page = desk
    in_slot(page, "Moved")
    read_one_take(page)
    page.keyboard.press("4")
    expect(page.locator("[data-take='1']")).to_contain_text("sounds now")
    speaks = lambda: line_of(page)["voice"]["speech"][0]  # noqa: E731
    begun = speaks()
    page.keyboard.press("w")
    until(lambda: speaks() == begun + RATE // 25)
    page.keyboard.press("Shift+q")
    until(lambda: speaks() == begun + RATE // 25 - RATE // 100)
    page.keyboard.press("s")
    until(lambda: speaks() == 4 * RATE)

    def to(place: str) -> None:
        page.keyboard.press("Shift+j")
        page.get_by_role("textbox", name="jump to").fill(place)
        page.keyboard.press("Enter")
        expect(page.get_by_test_id("timecode")).to_have_text(place)

    # The first word to what is seen, then one in its middle.
    to("10:00:05:00")
    page.keyboard.press("Shift+s")
    until(lambda: speaks() == 5 * RATE)
    words = lambda: takes_of(page, production_of(page))[0]["read"]["words"]  # noqa: E731
    word = until(lambda: next((one for one in words()[2:] if one["span"]), None))
    frame = (word["span"][0] + word["span"][1]) // 2 * 25 // RATE
    to(f"10:00:0{frame // 25}:{frame % 25:02}")
    page.keyboard.press("[")
    page.keyboard.press("]")
    to("10:00:07:00")
    page.keyboard.press("Shift+s")
    until(lambda: next(one for one in words() if one["ordinal"] == word["ordinal"])["span"][0] == 7 * RATE)
    page.keyboard.press("Control+z")
    until(lambda: speaks() == 5 * RATE)
    page.keyboard.press("Escape")
    # A sync point stays in the picture; the first word goes there from wherever it is.
    to("10:00:05:20")
    page.keyboard.press("Shift+m")
    points = lambda: api(page, "GET", f"/api/productions/{production_of(page)}/")["sync_points"]  # noqa: E731
    until(lambda: points() == [{"at": 5 * RATE + 20 * RATE // 25, "called": ""}])
    to("10:00:09:00")
    page.keyboard.press("Alt+s")
    until(lambda: speaks() == points()[0]["at"])
    page.get_by_label("timecode of the first word").fill("10:00:05:10")
    page.keyboard.press("Enter")
    until(lambda: speaks() == 5 * RATE + 10 * RATE // 25)
    page.get_by_label("timecode of the first word").fill("half past nine")
    page.keyboard.press("Enter")
    expect(page.get_by_text("is no place in time")).to_be_visible()
    # By hand on the strip; near its slot's start the first word is drawn to it.
    strip = page.get_by_test_id("strip").bounding_box()
    span = line_of(page)["voice"]["span"]
    per_point = 2400
    x = strip["x"] + 20 + (span[0] + span[1]) / 2 / per_point
    page.mouse.move(x, strip["y"] + 100)
    page.mouse.down()
    page.mouse.move(x - (speaks() - 4 * RATE) / per_point + 4, strip["y"] + 100, steps=6)
    page.mouse.up()
    until(lambda: speaks() == 4 * RATE)
    (take,) = takes_of(page, production_of(page))
    sound, at = samples_of(hand_over(page, tmp_path, "The whole voice", " voice.wav"))
    assert at == 10 * 3600 * RATE, "its time reference is the programme's start"
    voice = sound[4 * RATE - 4_800 : 8 * RATE]
    assert np.max(np.abs(voice)) > 0.05 and np.max(np.abs(sound[: 3 * RATE])) < 0.01
    assert take["start"] + 0 == takes_of(page, production_of(page))[0]["start"]


def test_what_sounds_is_told_and_picked_at_once(desk: Page):
    page = desk
    in_slot(page, "Provisional")
    read_one_take(page)
    order(page, "Each line as a file")
    expect(page.get_by_test_id("findings")).to_contain_text("has no pick: what was read last is handed over.")
    expect(page.get_by_role("checkbox", name="The film with the voice")).to_be_disabled()
    expect(page.get_by_test_id("write")).to_be_enabled()
    page.keyboard.press("4")
    expect(page.get_by_test_id("provisional")).to_contain_text("One line sounds with the take to try first")
    page.keyboard.press("Shift+Enter")
    expect(page.get_by_test_id("provisional")).to_have_count(0)
    assert line_of(page)["pick"] == line_of(page)["voice"]["id"]
    page.keyboard.press("Control+z")
    expect(page.get_by_test_id("provisional")).to_be_visible()


def test_a_line_is_settled_by_a_key_its_other_takes_fold_away_and_it_is_opened_again(desk: Page):
    page = desk
    in_slot(page, "Settled")
    read_one_take(page, 2.0)
    read_one_take(page, 2.0)
    page.keyboard.press("4")
    rows = page.locator(".take-row")
    expect(rows).to_have_count(2)
    page.keyboard.press("ArrowDown")
    page.keyboard.press("Enter")
    until(lambda: line_of(page)["pick"])
    page.keyboard.press("Alt+Enter")
    expect(page.get_by_test_id("settled")).to_contain_text("this pick is final")
    expect(rows).to_have_count(1)
    page.keyboard.press("Shift+z")
    expect(rows).to_have_count(2)
    pick = line_of(page)["pick"]
    page.locator(".take-row:not(.picked)").get_by_role("button", name="pick").click()
    expect(page.get_by_text("is settled: its pick is final")).to_be_visible()
    assert line_of(page)["pick"] == pick
    page.keyboard.press("c")
    expect(page.get_by_test_id("compared")).to_contain_text("it takes four lines")
    expect(page.get_by_test_id("first-picked")).to_contain_text("Of 1 line with a choice")
    page.keyboard.press("Escape")
    expect(page.get_by_test_id("compared")).to_have_count(0)
    page.get_by_role("button", name="Open it again").click()
    expect(page.get_by_test_id("settled")).to_have_count(0)
    page.keyboard.press("Control+z")
    expect(page.get_by_test_id("settled")).to_be_visible()
