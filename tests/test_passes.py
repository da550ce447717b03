"""One long pass: read on from line to line, stumble, say it again; the takes are cut out of the one recording."""

import numpy as np
import pytest
import soundfile
from playwright.sync_api import Page, expect

import probe
from fendo_core.reader import narrator
from fendo_core.timebase import SAMPLE_RATE
from harness import bring_in, choose_simulated, hand_over, new_production, state, type_script, until
from probe import api, takes_of

pytestmark = pytest.mark.browser

LINES = (
    "The heron waits below the weir until the water turns.",
    "Each spring the carpenter replaced three paddles of the wheel.",
    "Nobody ever paid him for the nails.",
    "In the evening the boats came up with barley.",
)


def test_a_pass_is_read_by_keys_and_cut_into_the_takes_of_its_lines(desk: Page):
    page = desk
    new_production(page, "Weir")
    type_script(page, "\n\n".join(LINES))
    page.keyboard.press("3")
    state(page, "Ready")
    with page.expect_response(lambda one: "fault=reads" in one.url, timeout=120_000) as asked:
        choose_simulated(page, "reads on")
        page.keyboard.press("Enter")
    read = len(asked.value.body()) / 4 / SAMPLE_RATE
    state(page, "Recording")
    words = page.get_by_test_id("booth-line")
    for text in LINES[1:]:
        page.keyboard.press("ArrowDown")
        expect(words).to_contain_text(text.split()[1])
        state(page, "Recording")
    # The reader begins with the words there, late on a slow machine, and comes to the end of them.
    clock = page.locator(".booth-clock")
    seconds = lambda: float(said.split()[0]) if (said := clock.inner_text())[:1].isdigit() else 0.0  # noqa: E731
    begun = seconds()
    until(lambda: seconds() >= begun + read + 1, seconds=180)
    page.keyboard.press("Enter")
    state(page, "Saved")
    verdict = page.get_by_test_id("verdict")
    expect(verdict).to_contain_text("cut it into the lines that you read", timeout=60_000)
    page.keyboard.press("k")
    expect(verdict.get_by_test_id("cut")).to_contain_text("takes of 4 lines", timeout=120_000)
    production = page.url.split("/")[4]

    def by_line():
        found = takes_of(page, production)
        return [[take for take in found if take["line"] == line] for line in dict.fromkeys(t["line"] for t in found)]

    found = by_line()
    assert [len([take for take in takes if not take["aside"]]) for takes in found] == [1, 1, 1, 1]
    assert found[0][0]["aside"] and found[0][0]["number"] == 1, "the pass itself is put away, and kept"
    until(lambda: all(take["read"]["state"] == "checked" for takes in by_line() for take in takes if not take["aside"]))
    assert [
        take["faults"] for takes in by_line() for take in takes if not take["aside"] and "leaves" in str(take["faults"])
    ] == []
    page.keyboard.press("4")
    page.keyboard.press("PageDown")
    expect(page.locator("[data-take]")).to_have_count(len(found[1]))
    page.keyboard.press("Control+z")
    until(lambda: not by_line()[0][0]["aside"])


def test_a_pass_recorded_elsewhere_is_brought_in_cut_and_one_of_its_lines_is_edited_outside(
    desk: Page, world, tmp_path, name
):
    page = desk
    new_production(page, name)
    type_script(page, "\n\n".join(LINES[:3]))
    page.keyboard.press("4")
    quiet = np.zeros(SAMPLE_RATE, np.float32)
    spoken = [part for text in LINES[:3] for part in (quiet, narrator._spoken(text, narrator.VOICES[2], 1.0) * 0.5)]
    sound = np.concatenate([*spoken, quiet])
    sound += np.random.default_rng(3).standard_normal(len(sound)).astype(np.float32) * 0.0008
    path = tmp_path / "whole pass.flac"
    soundfile.write(path, np.stack([sound, sound * 0.02], axis=1), SAMPLE_RATE)
    page.get_by_test_id("reading-file").set_input_files(path)
    expect(page.get_by_text("Take 1 of line 1 was brought in.")).to_be_visible(timeout=90_000)
    expect(page.locator("[data-take='1']")).to_contain_text("brought in")
    page.keyboard.press("k")
    expect(page.get_by_test_id("cut")).to_contain_text("takes of 3 lines", timeout=120_000)
    page.keyboard.press("PageDown")
    expect(page.locator("[data-take='1']")).to_contain_text("brought in")
    page.keyboard.press("y")
    expect(page.get_by_text("comes back as a take")).to_be_visible()
    (sent,) = world.data.glob(f"media/{name}/Outside/*.wav")
    samples, rate = soundfile.read(sent)
    soundfile.write(sent, samples * 0.5, rate, subtype="PCM_24")
    expect(page.locator("[data-take='2']")).to_contain_text("take 1, edited outside", timeout=90_000)
    # Its end, cut by ear: heard, stopped, "ends here"; taken back again.
    rows = page.locator("[data-take]")
    before = rows.count()
    page.keyboard.press("ArrowDown")
    page.wait_for_timeout(900)
    page.keyboard.press("Space")
    page.keyboard.press("Alt+]")
    expect(page.locator("[data-take='take 1, trimmed']")).to_have_attribute("aria-current", "true")
    page.keyboard.press("Control+z")
    expect(rows).to_have_count(before)
    # Found among all takes by what its note says, from another line.
    page.keyboard.press("PageUp")
    page.keyboard.press("/")
    page.get_by_label("find takes").get_by_role("textbox").fill("edited outside")
    found = page.get_by_test_id("found-takes").get_by_role("listitem")
    expect(found).to_have_count(1)
    page.keyboard.press("Enter")
    expect(page.locator("[data-take='2']")).to_contain_text("take 1, edited outside")
    page.keyboard.press("Escape")
    expect(page.get_by_test_id("page")).to_be_visible()


def test_a_comment_is_spoken_freely_and_becomes_lines(desk: Page, world, tmp_path):
    page = desk
    new_production(page, "Comment")
    page.keyboard.press("3")
    page.get_by_test_id("speak-freely").click()
    expect(page.get_by_test_id("booth-line")).to_contain_text("Speak freely")
    page.keyboard.press("4")
    quiet = np.zeros(SAMPLE_RATE, np.float32)
    spoken = [part for text in LINES[:3] for part in (quiet, narrator._spoken(text, narrator.VOICES[0], 1.0) * 0.5)]
    sound = np.concatenate([*spoken, quiet])
    sound += np.random.default_rng(4).standard_normal(len(sound)).astype(np.float32) * 0.0008
    path = tmp_path / "comment.wav"
    soundfile.write(path, sound, SAMPLE_RATE)
    page.get_by_test_id("reading-file").set_input_files(path)
    expect(page.locator("[data-take='1']")).to_be_visible(timeout=90_000)
    expect(page.get_by_text("make lines of what is said")).to_be_visible()
    page.keyboard.press("k")
    expect(page.get_by_test_id("cut")).to_contain_text("3 takes of 3 lines", timeout=90_000)
    expect(page.get_by_test_id("page").get_by_role("option")).to_have_count(3)


def test_an_interpreter_is_told_the_delay_and_the_whole_leaves_as_long_as_the_original(page: Page, world, tmp_path):
    """The microphone hears the original two seconds late, as an interpreter would render it."""
    page.add_init_script(probe.script("25", delay=2 * SAMPLE_RATE))
    page.goto(world.link("interpreter"))
    new_production(page, "Over an original")
    rng, parts = np.random.default_rng(8), [np.zeros(SAMPLE_RATE, np.float32)]
    for number in range(40):
        said = narrator._spoken(LINES[number % len(LINES)], narrator.VOICES[number % 3], 1.0) * 0.5
        parts += [said, np.zeros(int(rng.uniform(0.5, 3.0) * SAMPLE_RATE), np.float32)]
        if sum(map(len, parts)) > 56 * SAMPLE_RATE:
            break
    original = np.concatenate(parts)[: 58 * SAMPLE_RATE]
    soundfile.write(tmp_path / "talk.wav", original, SAMPLE_RATE, subtype="PCM_24")
    bring_in(page, tmp_path / "talk.wav")
    address = f"/api/productions/{page.url.split('/')[4]}/"
    until(lambda: api(page, "GET", address)["picture"]["laid"])
    type_script(page, "What the speaker said.")
    whole = api(page, "GET", address)
    slot = {"kind": "set_slot", "line": whole["lines"][0]["id"], "slot": [SAMPLE_RATE, 56 * SAMPLE_RATE]}
    api(page, "POST", f"{address}edits/", slot | {"revision": whole["revision"]})
    microphone = {"device": "probe", "label": "Probe microphone", "channel": 0}
    api(page, "PATCH", address, {"headphones": True, "input": microphone, "monitor": "original"})
    page.goto(page.url.rsplit("/", 1)[0] + "/booth")
    state(page, "Ready")
    page.keyboard.press("Enter")
    state(page, "Recording")
    shown = page.get_by_test_id("behind")
    expect(shown).to_contain_text("behind the original", timeout=120_000)
    assert float(shown.inner_text().split()[0]) == pytest.approx(2.0, abs=0.4)
    page.keyboard.press("Enter")
    state(page, "Saved")
    production = page.url.split("/")[4]
    # A long take is measured by a job.
    said = lambda: [one for one in takes_of(page, production)[0]["remarks"] if "behind the original" in one]  # noqa: E731
    (remark,) = until(said)
    assert float(remark.split()[0]) == pytest.approx(2.0, abs=0.4)
    file = soundfile.info(hand_over(page, tmp_path, "The whole voice", " voice.wav"))
    assert (file.frames, file.samplerate, file.channels, file.subtype) == (len(original), SAMPLE_RATE, 1, "PCM_24")
