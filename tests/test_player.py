"""What is played is what is handed over: the loudspeaker's samples against the film's sound."""

import base64
from pathlib import Path

import numpy as np
import pytest
from playwright.sync_api import Page, expect
from scipy.signal import correlate

import probe
from harness import hand_over, in_slot, read_one_take, state, until
from launcher import serve
from measure import RATE
from probe import api

pytestmark = pytest.mark.browser

TAP = """(() => {
  const tap = { blocks: [], on: false }
  window.__tap = tap
  const connect = AudioNode.prototype.connect
  AudioNode.prototype.connect = function (to, ...more) {
    if (to instanceof AudioDestinationNode && !tap.node) {
      tap.node = this.context.createScriptProcessor(16384, 2, 2)
      tap.node.onaudioprocess = ({ inputBuffer }) =>
        tap.on && tap.blocks.push([0, 1].map((side) => new Float32Array(inputBuffer.getChannelData(side))))
      connect.call(this, tap.node)
      connect.call(tap.node, to)
    }
    return connect.call(this, to, ...more)
  }
})()"""
"""Everything that goes to the loudspeaker, kept; it stands outside of the application."""

TAKEN = """() => window.__tap.blocks.splice(0).map((sides) => sides.map((side) => {
  const bytes = new Uint8Array(side.buffer)
  let text = ''
  for (let at = 0; at < bytes.length; at += 8192) text += String.fromCharCode(...bytes.subarray(at, at + 8192))
  return btoa(text)
}))"""


def played(page: Page, seconds: float) -> np.ndarray:
    """Some seconds of what is played from the position on, shape (n, 2)."""
    page.evaluate("window.__tap.on = true")
    page.keyboard.press("Space")
    wanted = int(seconds * RATE / 16384)
    until(lambda: page.evaluate("window.__tap.blocks.length") >= wanted, seconds=seconds * 20 + 60, each=0.5)
    page.evaluate("window.__tap.on = false")
    page.keyboard.press("Space")
    blocks = page.evaluate(TAKEN)
    sides = [[np.frombuffer(base64.b64decode(side), np.float32) for side in block] for block in blocks]
    return np.stack([np.stack(block, axis=1) for block in sides])


MIX = """
import numpy as np, sys
from fendo_core.audio.ceiling import Ceiling
from fendo_server.handover import programme
from fendo_server.productions import state
from fendo_server.productions.models import Production
production = Production.objects.get(pk="{production}")
present = state.load(production)
with open("{target}", "wb") as file:
    for block in programme.programme_sound(production, present, programme.spoken(production, present), Ceiling()):
        file.write(block.astype("<f4").tobytes())
        if file.tell() > 8 * 48_000 * 60:
            break
"""


def mixed(world, production: str, target: Path) -> np.ndarray:
    """The first minute of what goes into the film, before its codec rounds it; shape (n, 2)."""
    serve.manage("shell", "-c", MIX.format(production=production, target=target), env=world.env)
    return np.fromfile(target, np.float32).reshape(-1, 2)


def level(sound: np.ndarray) -> np.ndarray:
    """dBFS (RMS) of each side."""
    found: np.ndarray = 10 * np.log10(np.mean(sound.astype(float) ** 2, axis=0) + 1e-12)
    return found


def compared(blocks: np.ndarray, written: np.ndarray) -> tuple[int, float]:
    """Blocks of what was played that lie in one row in what was written, and the largest difference of their levels in dB.

    Where the machine's sound stood still a block is missing, or holds a jump: what lies beside such a place says nothing.
    """
    loud = next(n for n, block in enumerate(blocks) if np.abs(block).max() > 1e-3) + 1
    size = blocks.shape[1]
    start = int(np.argmax(correlate(written[:, 0], np.concatenate(blocks[loud : loud + 8])[:, 0], "valid", "fft")))
    lies, at = [], start
    for block in blocks[loud:-2]:
        window = written[at - 4_800 : at + size + 4_800, 0]
        at = at - 4_800 + int(np.argmax(correlate(window, block[:, 0], "valid", "fft")))
        lies.append(at)
        at += size
    steps = np.diff(lies)
    whole = [n for n in range(1, len(steps)) if steps[n - 1] == steps[n] == size]
    differences = [np.abs(level(blocks[loud + n]) - level(written[lies[n] : lies[n] + size])).max() for n in whole]
    return len(whole), float(max(differences, default=np.inf))


def test_the_player_sounds_like_the_film(page: Page, world, demo, tmp_path, request):
    """Half a minute of the demo: three voices at their level, the film's sound ducked under them, the ceiling over all."""
    page.add_init_script(TAP)
    page.goto(world.link())
    page.get_by_text("The Tide Mill at Orsey").first.click()
    state(page, "Ready")
    production = page.url.split("/")[4]
    whole = api(page, "GET", f"/api/productions/{production}/")
    # The film falls silent under the second line, in both.
    silent = {"kind": "set_silences", "line": whole["lines"][1]["id"], "silences": True, "revision": whole["revision"]}
    api(page, "POST", f"/api/productions/{production}/edits/", silent)
    request.addfinalizer(lambda: api(page, "POST", f"/api/productions/{production}/undo/", {}))
    page.reload()
    state(page, "Ready")
    hand_over(page, tmp_path, "The mix", " mix.wav")
    expect(page.get_by_test_id("handover").first).to_contain_text("ceiling")
    written = mixed(world, production, tmp_path / "mix.f32")

    worst, count = np.inf, 0
    for _ in range(3):
        page.keyboard.press("4")
        for _ in range(20):
            page.keyboard.press("PageUp")
        expect(page.get_by_test_id("page").locator("[data-line='1']")).to_have_attribute("aria-selected", "true")
        page.keyboard.press("6")
        expect(page.get_by_test_id("write")).to_be_visible()
        steal = probe.stolen()
        count, worst = compared(played(page, 26), written)
        print(f"{count} blocks, {worst:.3f} dB")
        if count >= 40:
            break
        assert probe.stolen() - steal > 0.5, "what is played lies elsewhere than in the film"
    if count < 40:
        pytest.skip("the machine's sound stood still in most of three half minutes: nothing can be said")
    assert worst <= 0.1, f"player and film differ by {worst:.2f} dB"


def test_a_take_is_heard_again_and_again_until_it_is_stopped(desk: Page):
    page = desk
    in_slot(page, "Again")
    read_one_take(page, 3.0)
    page.keyboard.press("4")
    expect(page.locator("[data-take]")).to_have_count(1)
    page.evaluate(
        """() => {
            window.rounds = []
            const place = document.querySelector('[data-testid="timecode"]')
            let last = ''
            const look = () => {
                if (place.textContent < last) window.rounds.push([last, place.textContent, performance.now()])
                last = place.textContent
            }
            new MutationObserver(look).observe(place, { characterData: true, childList: true, subtree: true })
        }"""
    )
    page.keyboard.press("l")
    expect(page.get_by_test_id("loop")).to_contain_text("until Space")
    until(lambda: len(page.evaluate("window.rounds")) >= 3, seconds=90)
    page.keyboard.press("Space")
    rounds = len(page.evaluate("window.rounds"))
    page.wait_for_timeout(6_000)
    assert len(page.evaluate("window.rounds")) <= rounds + 1, "stopped is stopped"
    page.keyboard.press("l")
    expect(page.get_by_test_id("loop")).to_contain_text("again and again")
