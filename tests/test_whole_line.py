"""The whole line of work by hand and key, with the simulated reader: read, read again, hear, pick, hand over."""

from fractions import Fraction

import numpy as np
import pytest
from playwright.sync_api import Page, expect
from wavinfo import WavInfoReader

from fendo_core.audio import wav
from harness import (
    bring_in_film,
    choose_simulated,
    hand_over,
    look_at,
    new_production,
    read_one_take,
    state,
    type_script,
    until,
)
from measure import RATE, decoded, offset_of, probed

pytestmark = pytest.mark.browser


def sounding(page: Page) -> str:
    return page.get_by_test_id("timecode").inner_text()


def check_take_in_film(take, film, rate: str = "25") -> None:
    """The voice in the film lies where the take's own header says that it was read."""
    described = wav.describe(take.read_bytes()[: wav.HEADER_BYTES])
    # Ten hours of timecode are as many frames as their nominal rate counts, and last as long as those frames do.
    midnight = round(10 * 3600 * round(Fraction(rate)) / Fraction(rate) * RATE)
    start = described.tags.time_reference - midnight
    sound = decoded(take)
    loud = np.flatnonzero(np.abs(sound) > 0.05)
    part = sound[loud[0] : loud[-1]]
    off, alike = offset_of(part, decoded(film), start + int(loud[0]))
    assert alike > 0.9, alike
    assert abs(off) <= 0.010 * RATE, f"{off / 48:.2f} ms off"


def test_on_the_demo(page: Page, world, demo, tmp_path, complaints):
    page.goto(world.link())
    page.get_by_text("The Tide Mill at Orsey").first.click()
    expect(page.get_by_test_id("booth-line")).to_contain_text("The upper stone weighs")
    expect(page.get_by_role("combobox", name="microphone")).to_have_value("Simulated reader")
    read_one_take(page, 5.2)
    first = world.wavs()[-1]
    read_one_take(page, 5.2)
    second = world.wavs()[-1]
    assert first.name.endswith("t01.wav") and second.name.endswith("t02.wav")
    assert first.stat().st_mtime <= second.stat().st_mtime

    page.keyboard.press("4")
    expect(page.locator("[data-take]")).to_have_count(2)
    expect(page.locator("[data-take='1']")).to_contain_text("on cue")
    before = sounding(page)
    page.keyboard.press("ArrowDown")
    expect(page.locator("[data-take='1']")).to_have_attribute("aria-current", "true")
    until(lambda: sounding(page) != before)
    page.keyboard.press("ArrowDown")
    expect(page.locator("[data-take='2']")).to_have_attribute("aria-current", "true")
    page.keyboard.press("Enter")
    expect(page.locator("[data-take='2']")).to_contain_text("picked")

    film = hand_over(page, tmp_path)
    found = probed(film)
    assert [s["codec_name"] for s in found["streams"]] == ["h264", "aac"]
    assert abs(float(found["format"]["duration"]) - 360) < 0.1
    check_take_in_film(second, film)

    page.keyboard.press("4")
    with page.expect_download() as waited:
        page.get_by_role("button", name="file of take 2").click()
        page.get_by_role("menuitem", name="Download the WAV").click()
    path = tmp_path / "line.wav"
    waited.value.save_as(path)
    assert path.read_bytes() == second.read_bytes()
    info = WavInfoReader(str(path))
    # Somewhat less than a beat before the slot, which begins at 161.0 s of a programme that starts at 10:00:00:00.
    assert info.bext.time_reference == 10 * 3600 * RATE + round(160.15 * RATE)
    assert info.ixml.project == "The Tide Mill at Orsey"
    stream = probed(path)["streams"][0]
    assert (stream["codec_name"], stream["channels"], stream["sample_rate"]) == ("pcm_s24le", 1, "48000")
    assert complaints == []


def test_on_a_film_and_words_of_ones_own(desk: Page, world, own_film, tmp_path):
    page = desk
    new_production(page, "Creek walk")
    bring_in_film(page, own_film)
    expect(page.get_by_text("23.976 frames a second")).to_be_visible()
    type_script(page, "The path begins at the bridge.\n\nWatch the water turn.\nHome again.")
    expect(page.get_by_test_id("page").get_by_role("option")).to_have_count(3)
    expect(page.get_by_text("spare").first).to_be_visible()

    page.keyboard.press("3")
    state(page, "Ready")
    choose_simulated(page)
    page.keyboard.press("ArrowDown")
    expect(page.get_by_test_id("booth-line")).to_contain_text("Watch the water turn.")
    read_one_take(page, 2.5)
    take = world.wavs()[-1]
    assert take.parent.name == "Narration"
    assert "Watch the water turn" in take.name

    page.keyboard.press("4")
    page.get_by_role("button", name="pick", exact=True).click()
    expect(page.locator("[data-take='1']")).to_contain_text("picked")
    film = hand_over(page, tmp_path)
    assert [s["codec_name"] for s in probed(film)["streams"]] == ["h264", "aac"]
    check_take_in_film(take, film, "24000/1001")


def test_the_picture_shown_is_the_one_of_its_place(desk: Page, world, own_film):
    """Stepping and seeking draw on the canvas: another frame another picture, back again the same one."""
    page = desk
    new_production(page, "Frames")
    bring_in_film(page, own_film)
    look_at(page, "Files")
    expect(page.get_by_test_id("prepare-job")).to_have_count(0, timeout=60_000)
    look_at(page, "Shots")
    shown = lambda: page.get_by_test_id("picture").evaluate("c => c.toDataURL()")  # noqa: E731
    page.locator(".picture-shots button").nth(2).click()
    expect(page.get_by_test_id("timecode")).to_have_text("10:00:08:00")
    page.wait_for_timeout(700)
    third = shown()
    page.keyboard.press("ArrowLeft")
    expect(page.get_by_test_id("timecode")).to_have_text("10:00:07:23")
    until(lambda: shown() != third)
    page.wait_for_timeout(500)
    page.keyboard.press("ArrowRight")
    until(lambda: shown() == third)
    # Playing over the cut: the picture moves on with the sound and stops where it is told.
    page.keyboard.press("Space")
    page.wait_for_timeout(1500)
    page.keyboard.press("Space")
    page.wait_for_timeout(200)  # the hand of the clock is drawn with the next frame
    stopped = page.get_by_test_id("timecode").inner_text()
    assert stopped > "10:00:08:12"
    page.wait_for_timeout(300)
    assert page.get_by_test_id("timecode").inner_text() == stopped
