"""A reading run: line after line without a key, what is wrong is offered again, and one key ends it."""

import pytest
from playwright.sync_api import Page, expect

from harness import choose_simulated, new_production, state, type_script, until
from probe import takes_of

pytestmark = pytest.mark.browser


def test_three_lines_are_read_without_a_key_and_a_fault_is_offered_again(desk: Page):
    page = desk
    new_production(page, "A run")
    type_script(page, "Listen to the water.\nNobody at Orsey needs a clock.\nThe flour falls.")
    page.keyboard.press("3")
    choose_simulated(page)
    state(page, "Ready")
    page.keyboard.press("Shift+Enter")
    run, production = page.get_by_test_id("run"), page.url.split("/")[4]
    expect(run).to_contain_text("the next line comes by itself")
    until(lambda: len(takes_of(page, production)) == 3, seconds=150, each=0.5)
    expect(run).to_have_count(0, timeout=60_000)
    lines = [take["line"] for take in takes_of(page, production)]
    assert len(set(lines)) == 3 and all(take["state"] == "finished" for take in takes_of(page, production))
    # Each ended soon after its last word: it has its tail, and not half a minute of room.
    for take in takes_of(page, production):
        assert take["length"] < 48_000 * 15
    # What is wrong is offered again; one key ends the run.
    page.keyboard.press("ArrowUp")
    choose_simulated(page, "word left out")
    page.keyboard.press("Shift+Enter")
    expect(run).to_contain_text("again: leaves out", timeout=90_000)
    page.keyboard.press("Escape")
    expect(run).to_have_count(0)
    state(page, "Ready")
    # The server hears a moment later that the last count-in was called off.
    until(lambda: len(takes_of(page, production)) == 4, seconds=60, each=0.5)
