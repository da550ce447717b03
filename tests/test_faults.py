"""Killed in the middle: what was acknowledged is there afterwards."""

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from fendo_core.audio import wav
from harness import alive, choose_simulated, new_production, state, type_script, until
from measure import RATE, decoded

pytestmark = pytest.mark.browser


def booth_of_ones_own(page: Page, name: str) -> None:
    new_production(page, name)
    type_script(
        page, "Eleven tonnes of elm, moving no faster than a person walks, and after that a while of quiet.\nListen."
    )
    page.keyboard.press("3")
    choose_simulated(page)
    state(page, "Ready")


def safe(world, name: str) -> int:
    """Samples of the growing take that are on the server's disk."""
    parts = list(world.data.glob(f"media/{name}/*/*.part"))
    return (parts[0].stat().st_size - wav.HEADER_BYTES) // 3 if parts else 0


def finished(world, name: str):
    return list(world.data.glob(f"media/{name}/*/*.wav"))


def test_killing_the_web_server_in_mid_take_loses_nothing_at_all(desk: Page, world):
    page = desk
    booth_of_ones_own(page, "Killed server")
    page.keyboard.press("Enter")
    state(page, "Recording")
    until(lambda: safe(world, "Killed server") > 2 * RATE)
    world.kill("web")
    page.wait_for_timeout(2500)
    expect(page.get_by_test_id("safety")).to_contain_text("Server not reached")
    page.wait_for_timeout(500)
    page.keyboard.press("Enter")
    state(page, "Saving")
    before = safe(world, "Killed server")
    assert not finished(world, "Killed server")
    world.begin("web")
    until(lambda: alive(world.address))
    state(page, "Saved")
    take = finished(world, "Killed server")[0]
    info = wav.describe(take.read_bytes()[: wav.HEADER_BYTES])
    # What was read while there was no server is there too, and the second after the stop, without a hole.
    assert info.samples > before + RATE
    assert info.tags.notes["FENDO_CUT_OFF"] == "no"
    sound = decoded(take)
    longest_silence = max(np.diff(np.flatnonzero(np.abs(sound) > 0)), default=0)
    assert longest_silence < RATE // 10, "a stretch of digital silence: sound is missing"


def test_killing_the_worker_in_mid_job_only_delays_it(page: Page, world, demo):
    page.goto(world.link())
    page.get_by_text("The Tide Mill at Orsey").first.click()
    state(page, "Ready")
    page.keyboard.press("5")
    expect(page.get_by_test_id("write-film")).to_be_enabled()
    # The list may still be on its way, and what was written earlier is in it.
    expect(page.get_by_test_id("jobs")).to_have_attribute("aria-busy", "false")
    before = page.get_by_test_id("job").count()
    page.get_by_test_id("write-film").click()
    job = page.get_by_test_id("job").first
    expect(page.get_by_test_id("job")).to_have_count(before + 1)
    until(lambda: job.get_attribute("data-state") == "running", each=0.02)
    until(lambda: list(world.data.glob("making/*")), each=0.02)
    world.kill("worker")
    handed = lambda: sorted(world.data.glob("media/The Tide Mill at Orsey/Handover/*.mp4"))  # noqa: E731
    known = handed()
    assert job.get_attribute("data-state") == "running"
    world.begin("worker")
    expect(job).to_have_attribute("data-state", "done", timeout=240_000)
    assert len(handed()) == len(known) + 1
    expect(job.get_by_test_id("download")).to_be_visible()
