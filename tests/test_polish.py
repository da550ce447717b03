"""Polish by hand: a raw reading is cleaned by keys, treated, and handed over as it is heard."""

import io
import re
from itertools import pairwise

import numpy as np
import pytest
import soundfile
from playwright.sync_api import Page, expect
from scipy.signal import correlate

import raw_reading
from harness import choose_simulated, hand_over, in_slot, new_production, read_one_take, state, treat, type_script, until
from measure import RATE
from probe import api

pytestmark = pytest.mark.browser


def told(page: Page) -> dict:
    return api(page, "GET", f"/api/productions/{page.url.split('/')[4]}/polish/")


def lines_of(page: Page) -> list[dict]:
    return api(page, "GET", f"/api/productions/{page.url.split('/')[4]}/")["lines"]


def line_of(page: Page) -> dict:
    return lines_of(page)[0]


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


def sound_of(page: Page, voice: dict) -> np.ndarray:
    """A voice as it is heard, before its level."""
    top = page.url.split("/productions/")[0]
    answer = page.request.get(f"{top}/api/voices/{voice['id']}/{voice['key']}/sound/")
    assert answer.ok
    return soundfile.read(io.BytesIO(answer.body()), dtype="float32")[0]


def placed(phrase: np.ndarray, sound: np.ndarray) -> int:
    """Where a phrase lies in a sound: the sample at which the two are most alike."""
    return int(np.argmax(correlate(sound, phrase, mode="valid", method="fft")))


def level(sound: np.ndarray) -> float:
    return float(10 * np.log10(np.mean(np.square(sound, dtype=np.float64)) + 1e-12))


def below(clean: np.ndarray, sound: np.ndarray) -> float:
    """dB by which what a sound has beside the clean one lies below that, whatever its loudness."""
    scale = float(np.dot(sound, clean) / np.dot(sound, sound))
    return level(clean) - level(sound * scale - clean)


def test_two_minutes_are_cleaned_by_keys_alone_and_the_clean_voice_is_left(desk: Page, world, tmp_path):
    page, raw = desk, raw_reading.readings(seed=61)
    assert sum(len(one.samples) for one in raw) > 105 * RATE
    new_production(page, "Two minutes")
    type_script(page, "\n\n".join(one.text for one in raw))
    page.keyboard.press("4")
    paths = [tmp_path / f"{number:02}.wav" for number in range(1, len(raw) + 1)]
    for path, one in zip(paths, raw, strict=True):
        soundfile.write(path, one.samples, RATE, subtype="PCM_24")
    page.get_by_test_id("reading-file").set_input_files(paths)
    until(lambda: all(line["voice"] for line in lines_of(page)))
    read = [sound_of(page, line["voice"]) for line in lines_of(page)]
    page.keyboard.press("5")
    page.get_by_test_id("scan").click()
    kinds = {"breath", "click", "plosive", "gap", "noise", "false start", "clipped"}
    until(lambda: {one["kind"] for one in told(page)["places"]} >= kinds)
    until(lambda: told(page)["unscanned"] == 0)
    page.reload()
    rows = page.get_by_test_id("places").get_by_role("listitem")
    for left in range(len(told(page)["places"]), 0, -1):
        expect(rows).to_have_count(left)
        page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="No suspicious place is left")).to_be_visible()
    # What is heard now, beside the voice alone: its words, and the quiet between them.
    mends, drawn_anew = told(page)["repairs"], 0
    for number, (one, line) in enumerate(zip(raw, lines_of(page), strict=True)):
        sound, before, ends = sound_of(page, line["voice"]), read[number], []
        for phrase in one.phrases:
            clean = one.voice[phrase.start : phrase.end]
            at, was = placed(clean, sound), placed(clean, before)
            now, then = below(clean, sound[at : at + len(clean)]), below(clean, before[was : was + len(clean)])
            assert now > min(25.0, then - 0.5), (one.faults, phrase, now, then)
            if any(kind == "plosive" and span.meets(phrase) for kind, span in one.faults):
                assert now > then + 6.0, (one.faults, now, then)
            if any(kind == "clipped" and span.meets(phrase) for kind, span in one.faults):
                for mend in mends:
                    if (mend["line"], mend["kind"]) != (line["id"], "clipped"):
                        continue
                    # Away from the ramps by which it is lowered, so that its tops fit.
                    tops = slice(*(place - line["voice"]["span"][0] - at for place in mend["span"]))
                    tops = slice(tops.start + RATE // 100, tops.stop - RATE // 100)
                    now, then = (
                        below(clean[tops], whole[first : first + len(clean)][tops])
                        for whole, first in ((sound, at), (before, was))
                    )
                    assert now > then + 3.0, (mend, now, then)
                    drawn_anew += 1
            ends.append((at, at + len(clean)))
        for (_, end), (start, _) in pairwise(ends):
            assert 0.3 * RATE < start - end < 0.95 * RATE, (one.faults, (start - end) / RATE)
            quiet = sound[end + RATE // 50 : start - RATE // 50]
            frames = quiet[: len(quiet) // 480 * 480].reshape(-1, 480)
            assert max(level(frame) for frame in frames) < -46.0, (number, one.faults)
        if not {kind for kind, _ in one.faults} & {"gap", "false start"}:
            # Outside of what was mended nothing is touched.
            assert len(sound) == len(before)
            own = [mend for mend in mends if mend["line"] == line["id"]]
            touched = np.zeros(len(sound), bool)
            for mend in own:
                first, last = (at - line["voice"]["span"][0] for at in mend["span"])
                touched[first:last] = True
            assert own and np.array_equal(sound[~touched], before[~touched])
    assert drawn_anew


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
