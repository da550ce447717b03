"""Polish by hand: a raw reading is cleaned by keys, treated, and handed over as it is heard."""

import re

import numpy as np
import pytest
import soundfile
from playwright.sync_api import Page, expect

from harness import choose_simulated, hand_over, in_slot, new_production, read_one_take, state, treat, type_script, until
from measure import RATE
from probe import api

pytestmark = pytest.mark.browser


def told(page: Page) -> dict:
    return api(page, "GET", f"/api/productions/{page.url.split('/')[4]}/polish/")


def line_of(page: Page) -> dict:
    return api(page, "GET", f"/api/productions/{page.url.split('/')[4]}/")["lines"][0]


def test_a_reading_is_scanned_and_cleaned_by_keys_and_everything_is_taken_back(desk: Page, world):
    page = desk
    in_slot(page, "Polish")
    page.keyboard.press("5")
    expect(page.get_by_role("heading", name="Nothing was read yet")).to_be_visible()
    page.keyboard.press("3")
    state(page, "Ready")
    read_one_take(page)
    page.keyboard.press("5")
    expect(page.get_by_role("heading", name="Not scanned yet")).to_be_visible()
    page.get_by_test_id("scan").click()
    # The simulated reader takes a breath before the first word.
    expect(page.get_by_test_id("polish-tally")).to_contain_text("breath", timeout=90_000)
    breath = next(place for place in told(page)["places"] if place["kind"] == "breath")
    page.locator("body").click(position={"x": 640, "y": 20})
    while page.get_by_test_id("place-what").inner_text().split(",")[0] != "breath":
        page.keyboard.press("ArrowDown")
    # Deeper, a little longer, and yes.
    page.keyboard.press("d")
    page.keyboard.press("Alt+Shift+ArrowRight")
    expect(page.get_by_test_id("place-mend")).to_have_text("Lower it by 15 dB.")
    before = line_of(page)["voice"]["key"]
    page.keyboard.press("Enter")
    expect(page.get_by_test_id("settled")).to_contain_text("breath lowered by 15 dB")
    (mend,) = told(page)["repairs"]
    assert mend["source"] == [breath["source"][0], breath["source"][1] + RATE // 200]
    assert line_of(page)["voice"]["key"] != before
    page.keyboard.press("Control+z")
    expect(page.get_by_test_id("settled")).to_have_count(0)
    expect(page.get_by_test_id("place-what")).to_contain_text("breath")
    assert line_of(page)["voice"]["key"] == before
    # Left as it is, it is settled too, and can be asked for again.
    page.keyboard.press("x")
    expect(page.get_by_test_id("settled")).to_contain_text("left as it is")
    assert line_of(page)["voice"]["key"] == before
    page.get_by_role("button", name="take back").first.click()
    expect(page.get_by_test_id("polish-tally")).to_contain_text("breath")
    # All of this stands there after the page was loaded anew.
    page.reload()
    expect(page.get_by_test_id("polish-tally")).to_contain_text("breath")


def test_a_treated_voice_is_heard_and_handed_over_treated(desk: Page, world, tmp_path):
    page = desk
    new_production(page, "Treated")
    type_script(page, "Twice a day the sea comes up the creek, and waits.")
    page.keyboard.press("3")
    state(page, "Ready")
    choose_simulated(page)
    read_one_take(page)
    page.keyboard.press("5")
    treat(page, "High voice")
    until(lambda: (said := line_of(page)["voice"]) and said["measured"] and said["key"] != said["bare"])
    voice = line_of(page)["voice"]
    page.get_by_text("Levels", exact=True).click()
    expect(page.get_by_test_id("levels").locator("tbody tr")).to_have_count(1)
    whole = hand_over(page, tmp_path, "The whole voice", " voice.wav")
    written = soundfile.read(whole, dtype="float32")[0]
    heard = page.evaluate(
        """async ([id, key]) => {
          const answer = await fetch(`/api/voices/${id}/${key}/sound/`)
          const context = new OfflineAudioContext(1, 1, 48000)
          return Array.from((await context.decodeAudioData(await answer.arrayBuffer())).getChannelData(0))
        }""",
        [voice["id"], voice["key"]],
    )
    at, gain = max(0, voice["span"][0]), 10 ** (voice["gain"] / 20)
    cut = at - voice["span"][0]
    part = written[at : voice["span"][1]]
    expected = np.array(heard[cut : cut + len(part)], np.float32) * gain
    # Where the ceiling had nothing to do both are one.
    quiet = np.abs(expected) < 0.5
    assert np.max(np.abs(part[quiet] - expected[quiet])) < 0.02
    page.keyboard.press("5")
    page.get_by_test_id("untreated").click()
    until(lambda: line_of(page)["voice"]["key"] == line_of(page)["voice"]["bare"])


def test_a_place_is_marked_by_keys_and_a_treatment_is_suggested_kept_and_chosen_elsewhere(desk: Page, world):
    page = desk
    in_slot(page, "By hand")
    page.keyboard.press("3")
    state(page, "Ready")
    read_one_take(page)
    page.keyboard.press("5")
    hand = page.get_by_test_id("by-hand")
    wave = hand.get_by_role("img")
    box = wave.bounding_box()
    page.mouse.click(box["x"] + box["width"] * 0.4, box["y"] + 20)
    page.keyboard.press("[")
    page.mouse.click(box["x"] + box["width"] * 0.5, box["y"] + 20)
    page.keyboard.press("]")
    expect(hand).to_contain_text("take it out")
    page.keyboard.press("g")
    expect(page.get_by_test_id("place-mend")).to_have_text("Lower it by 6 dB.")
    page.keyboard.press("Shift+d")
    page.keyboard.press("Shift+d")
    page.keyboard.press("Shift+d")
    expect(page.get_by_test_id("place-mend")).to_have_text("Lift it by 3 dB.")
    page.keyboard.press("Enter")
    expect(page.get_by_test_id("settled")).to_contain_text("level changed")
    (mend,) = told(page)["repairs"]
    length = line_of(page)["voice"]["length"]
    assert mend["decibel"] == 3.0 and mend["source"][1] - mend["source"][0] == pytest.approx(
        0.1 * length, abs=0.02 * length
    )
    page.get_by_test_id("suggest").click()
    expect(page.get_by_test_id("reasons")).to_contain_text("of this voice")
    expect(page.get_by_role("img", name="spectrum of line 1")).to_be_visible()
    page.get_by_role("button", name="hear what it takes away").first.click()
    page.get_by_role("button", name="Compare blind").click()
    blind = page.get_by_test_id("blind")
    better = blind.get_by_role("button", name="A is better")
    for side in "ab":
        expect(better).to_be_disabled()
        with page.expect_response("**/treatment/compared/**") as answer:
            page.keyboard.press(side)
        assert answer.value.ok
    better.click()
    expect(blind.get_by_test_id("told")).to_have_text(
        re.compile(r"^A was as it (is now|was read), B was as it (was read|is now)\.$")
    )
    page.keyboard.press("Escape")
    page.get_by_role("button", name="keep under a name").click()
    page.get_by_label("keep it as").fill("By hand, mine")
    page.keyboard.press("Enter")
    expect(page.get_by_text("“By hand, mine” is kept")).to_be_visible()
    page.get_by_label("what is shown").get_by_text("Levels").click()
    page.get_by_test_id("measure").click()
    expect(page.get_by_test_id("measure")).to_have_text("Measure again", timeout=90_000)
    meter = page.get_by_test_id("loudness-now")

    def since():
        return float((re.search(r"over ([\d.]+) s", meter.inner_text()) or [0, 0])[1])

    # What was compared plays to its end; then the meter begins anew, and hears the line at its own loudness.
    def over():
        before = since()
        page.wait_for_timeout(600)
        return since() == before

    until(over)
    page.keyboard.press("Shift+r")
    expect(meter).to_contain_text("as soon as it does")
    voice = line_of(page)["voice"]
    page.keyboard.press("l")
    until(lambda: since() > 0.9 * (voice["span"][1] - voice["span"][0]) / RATE)
    integrated = float(meter.locator("dd").nth(2).inner_text().replace("−", "-"))
    assert integrated == pytest.approx(voice["loudness"] + voice["gain"], abs=1.0)
    page.goto(page.url.split("/productions/")[0] + "/")
    in_slot(page, "Another")
    page.keyboard.press("5")
    page.get_by_role("combobox", name="start from").click()
    page.get_by_role("option", name="By hand, mine").click()
    until(lambda: [one["chain"]["name"] for one in told(page)["treatments"]] == ["By hand, mine"])
