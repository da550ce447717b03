"""A probe for sync that does not trust the application: a film that says its own frame number, and somebody who answers it.

Two kinds. *Ear*: what is sent to the loudspeaker comes back into the microphone after a known delay, so the film's beeps
must lie in the take where they lie in the film. *Eye*: the canvas is read after each tick, and each flash is answered by a
click a known while later, so the clicks must lie where the flash was seen.
"""

import hashlib
import json
import os
import subprocess
import time
from dataclasses import dataclass, field
from fractions import Fraction
from pathlib import Path

import numpy as np
from playwright.sync_api import Page, expect
from scipy.signal import correlate, hilbert

from fendo_core.audio import wav
from harness import state, until
from measure import RATE

HERE = Path(__file__).parent
DELAY = 1987
"""Samples from loudspeaker to microphone."""
REACTION = 0.1
ANSWER = 10**6
"""Seed of the click with which a flash is answered."""
SLOT = (4 * RATE, 10 * RATE)
LATE_SLOT = (round(11.5 * RATE), round(14.5 * RATE))
RATES = ("24000/1001", "24", "25", "30000/1001", "30", "50")
MS = RATE / 1000


@dataclass(frozen=True)
class Flashes:
    """A film: its seconds, those at which it flashes, and the slots of the two lines that are laid on it."""

    seconds: int = 15
    at: tuple[float, ...] = (4.3, 4.91, 5.77, 6.3, 7.18, 7.9, 8.53, 9.37, 12.2, 13.1, 14.3)
    slots: tuple[tuple[int, int], ...] = (SLOT, LATE_SLOT)

    def frames(self, rate: str) -> list[int]:
        """Numbers of the white frames."""
        return [int(Fraction(rate) * Fraction(str(s))) for s in self.at]


def long_film(minutes: int) -> Flashes:
    """A film with flashes all the way, some seconds apart, and a first line that lasts nearly as long as it does."""
    end = 60 * minutes + 2
    at = 4.3 + np.cumsum(np.random.default_rng(11).uniform(1.5, 4, end))
    slots = ((4 * RATE, (end - 4) * RATE), ((end - 3) * RATE, (end - 1) * RATE))
    return Flashes(end, tuple(round(float(s), 2) for s in at if s < end - 5), slots)


SHORT = Flashes()


def burst(seed: int) -> np.ndarray:
    """Six milliseconds of noise, like no other: sharp to find."""
    noise = np.random.default_rng([seed, 77]).standard_normal(288)
    return (noise * np.hanning(288) * 0.35).astype(np.float32)


def first_sample(frame: int, rate: str) -> float:
    return float(frame * RATE / Fraction(rate))


def make_film(path: Path, rate: str, film: Flashes = SHORT) -> Path:
    """Each frame carries its number as sixteen black or white fields; at the flashes it is white, and a burst sounds."""
    if path.exists():
        return path
    width, height, count = 320, 180, int(Fraction(rate) * film.seconds)
    flashes = film.frames(rate)
    sound = np.zeros(film.seconds * RATE, np.float32)
    for n, frame in enumerate(flashes):
        at = round(first_sample(frame, rate))
        sound[at : at + 288] += burst(n)
    voice = path.with_suffix(".f32")
    voice.write_bytes(sound.tobytes())
    command = ["ffmpeg", "-y", "-v", "error", "-f", "rawvideo", "-pix_fmt", "gray", "-s", f"{width}x{height}", "-r", rate]
    command += ["-i", "pipe:0", "-f", "f32le", "-ar", str(RATE), "-ac", "1", "-i", str(voice), "-map", "0:v", "-map", "1:a"]
    command += ["-c:v", "libx264", "-preset", "veryfast", "-pix_fmt", "yuv420p", "-g", "12", "-bf", "0"]
    command += ["-c:a", "flac", "-strict", "-2", "-movflags", "+faststart", str(path)]
    with subprocess.Popen(command, stdin=subprocess.PIPE) as ffmpeg:
        for n in range(count):
            picture = np.full((height, width), 235 if n in flashes else 40, np.uint8)
            for bit in range(16):
                value = 235 if n >> (15 - bit) & 1 else 16
                picture[: height // 4, bit * width // 16 : (bit + 1) * width // 16] = value
            ffmpeg.stdin.write(picture.tobytes())
        ffmpeg.stdin.close()
    assert ffmpeg.returncode == 0
    voice.unlink()
    return path


def script(rate: str, film: Flashes = SHORT, delay: int = DELAY) -> str:
    """What is injected before the page loads; `delay`: samples from loudspeaker to microphone, five seconds at most."""
    text = (HERE / "probe.js").read_text()
    answer = [float(x) for x in burst(ANSWER)]
    values = {"DELAY": delay, "REACTION": REACTION, "FLASHES": film.frames(rate), "BURST": answer}
    for name, value in values.items():
        text = text.replace(f"__{name}__", json.dumps(value))
    return text


def stolen() -> float:
    """Ticks of the machine that its host took, since it began, and all ticks."""
    values = [int(x) for x in Path("/proc/stat").read_text().split("\n", 1)[0].split()[1:9]]
    return values[7] / os.sysconf("SC_CLK_TCK")


@dataclass
class Taken:
    """A take as the probe saw it. Errors in milliseconds; positive: it lies later than it should."""

    rate: str
    mode: str
    errors: list[float] = field(default_factory=list)
    raw: list[float] = field(default_factory=list)
    floor: list[float] = field(default_factory=list)
    drift: float = 0.0
    trusted: bool = True
    within: float = 0.0
    said: list[str] = field(default_factory=list)
    steal: float = 0.0
    breaks: int = 0
    missed: int = 0
    path: Path | None = None
    take: str = ""
    places: list[float] = field(default_factory=list)

    @property
    def healthy(self) -> bool:
        return self.trusted and not self.breaks and not self.missed


def takes_of(page: Page, production: str) -> list[dict]:
    """All takes of a production, asked for line by line as the interface does."""
    lines = api(page, "GET", f"/api/productions/{production}/")["lines"]
    return [take for line in lines for take in page.request.get(_base(page) + f"/api/lines/{line['id']}/takes/").json()]


def _base(page: Page) -> str:
    return "/".join(page.url.split("/", 3)[:3])


def api(page: Page, method: str, path: str, body=None, data: bytes | None = None) -> dict:
    """A request of the signed-in browser."""
    base = _base(page)
    token = next((c["value"] for c in page.context.cookies() if c["name"] == "csrftoken"), "")
    kind = "application/octet-stream" if data is not None else "application/json"
    answer = page.request.fetch(
        base + path,
        method=method,
        headers={"X-CSRFToken": token, "Content-Type": kind, "Referer": base},
        data=data if data is not None else json.dumps(body or {}),
    )
    assert answer.ok, f"{method} {path}: {answer.status} {answer.text()[:300]}"
    return answer.json() if answer.status != 204 else {}


def send_file(page: Page, production: str, path: Path) -> dict:
    """A file brought in by plain requests; what it has become."""
    body = path.read_bytes()
    told = {"name": path.name, "size": len(body), "digest": hashlib.sha256(body).hexdigest()}
    arrival = api(page, "POST", f"/api/productions/{production}/arrivals/", told)["id"]
    for at in range(0, len(body), 4 << 20):
        api(page, "PUT", f"/api/arrivals/{arrival}/?at={at}", data=body[at : at + (4 << 20)])
    return api(page, "POST", f"/api/arrivals/{arrival}/finish/")


def prepare(page: Page, world, path: Path, rate: str, headphones: bool, account: str, film: Flashes = SHORT) -> str:
    """A production with the film and two lines on its flashes; the Booth is open, the probe is its microphone."""
    page.add_init_script(script(rate, film))
    page.goto(world.link(account))
    production = api(page, "POST", "/api/productions/", {"name": f"Probe {rate.replace('/', ' ')} {time.time_ns()}"})["id"]
    send_file(page, production, path)

    def ready():
        whole = api(page, "GET", f"/api/productions/{production}/")
        return whole if all(source["state"] == "ready" for source in whole["picture"]["sources"]) else None

    whole = until(ready, seconds=900, each=0.3)
    body = {"kind": "add_lines", "text": "Every flash is answered.\nAnd nothing else.", "revision": whole["revision"]}
    patch = api(page, "POST", f"/api/productions/{production}/edits/", body)
    for line, slot in zip(sorted(patch["lines"], key=lambda one: one["number"]), film.slots, strict=True):
        edit = {"kind": "set_slot", "line": line["id"], "slot": list(slot), "revision": patch["revision"]}
        patch = api(page, "POST", f"/api/productions/{production}/edits/", edit)
    settings = {"headphones": headphones, "input": {"device": "probe", "label": "Probe microphone", "channel": 0}}
    api(page, "PATCH", f"/api/productions/{production}/", settings)
    page.goto(f"{world.address}/productions/{production}/booth")
    state(page, "Ready")
    expect(page.get_by_test_id("picture")).to_have_attribute("width", "320", timeout=60_000)
    return production


def measure_loop(page: Page) -> None:
    """The loop test, as a person does it: when the machine stood still and the chirps disagree, once more."""
    page.get_by_test_id("loop").click()
    refused = page.locator(".loop").get_by_role("alert")
    measured = page.get_by_test_id("loop").filter(has_text="sync measured")
    said: list[str] = []
    for _ in range(6):
        page.get_by_test_id("measure-loop").click()
        expect(measured.or_(refused)).to_be_visible(timeout=60_000)
        if measured.count():
            break
        said.append(refused.inner_text())
    assert measured.count(), said
    page.get_by_role("button", name="Close", exact=True).click()
    page.locator("body").click(position={"x": 640, "y": 20})


def context_frames(page: Page) -> int:
    return page.evaluate("Math.max(0, ...[...__probe.contexts].map((c) => Math.round(c.currentTime * 48000)))")


def record(
    page: Page,
    world,
    production: str,
    rate: str,
    mode: str,
    hold: bool = False,
    key: str = "Enter",
    samples: int = 0,
    during=None,
    film: Flashes = SHORT,
) -> Taken:
    """One take through the interface; where the answers lie in it.

    `hold`: with a pause after two seconds; `samples`: how long after the cue it is stopped (the slot's length);
    `during`: something that happens meanwhile.
    """
    page.evaluate("Object.assign(__probe, { ticks: [], clicks: [], looking: %s })" % ("true" if mode == "eye" else "false"))
    steal, known = stolen(), set(world.wavs())
    page.keyboard.press(key)
    state(page, "Recording")
    begun = context_frames(page)
    if during:
        during()
    if hold:
        until(lambda: context_frames(page) > begun + 2 * RATE)
        page.keyboard.press("p")
        state(page, "Paused")
        page.wait_for_timeout(700)
        page.keyboard.press("p")
        state(page, "Going on")
        state(page, "Recording")
        begun = context_frames(page) - 2 * RATE
    length = samples or film.slots[0][1] - film.slots[0][0]
    until(lambda: context_frames(page) > begun + length, seconds=90 + 2 * length / RATE)
    page.keyboard.press("Enter")
    state(page, "Saved")
    page.evaluate("__probe.looking = false")
    path = until(lambda: next((p for p in world.wavs() if p not in known), None))
    ticks, clicks = page.evaluate("[__probe.ticks, __probe.clicks]")
    whole = api(page, "GET", f"/api/productions/{production}/")
    newest = next(take for take in takes_of(page, production) if take["file"] == path.name)
    clock = api(page, "GET", f"/api/takes/{newest['id']}/clock/")
    taken = Taken(rate, mode, path=path, steal=stolen() - steal, within=clock["within"] / MS)
    taken.said = [words for _, words in clock["doubts"]]
    taken.trusted = clock["within"] <= 5 * MS and not clock["doubts"]
    taken.breaks = len(clock["breaks"])
    taken.take = newest["id"]
    look(taken, path, ticks, clicks, whole["start_frame"], hold, film)
    return taken


def samples_of(path: Path) -> tuple[np.ndarray, int]:
    """The sound of a take's file as floats, and its time reference."""
    raw = path.read_bytes()
    described = wav.describe(raw[: wav.MOST_HEADER_BYTES])
    packed = np.frombuffer(raw[described.data_offset : described.data_offset + described.samples * 3], np.uint8).reshape(
        -1, 3
    )
    wide = packed[:, 0].astype(np.int32) | packed[:, 1].astype(np.int32) << 8 | packed[:, 2].astype(np.int32) << 16
    return (wide << 8) / 2.0**31, described.tags.time_reference


def look(
    taken: Taken, path: Path, ticks: list, clicks: list, start_frame: int, hold: bool = False, film: Flashes = SHORT
) -> None:
    """Where the answers lie in the file, against where they should, by the file's own time reference."""
    sound, reference = samples_of(path)
    start = reference - -(-start_frame * RATE * Fraction(taken.rate).denominator // Fraction(taken.rate).numerator)
    rate = taken.rate
    places = []  # seconds of the programme
    if taken.mode == "ear":
        for n, frame in enumerate(film.frames(rate)):
            due = first_sample(frame, rate)
            if not start < due < start + len(sound) - 2 * RATE:
                continue
            found = find(sound, burst(n), round(due - start))
            if found is None:
                taken.missed += 1
                continue
            taken.errors.append((start + found - due) / MS)
            taken.raw.append(taken.errors[-1])
            places.append(due / RATE)
    else:
        drawn = np.array([(n, t, first_sample(n, rate) - t * MS) for n, t in ticks if n > 0]).reshape(-1, 3)
        # After a pause the picture runs up to where it goes on: a flash in the run-up is answered again, and not recorded.
        # Which of its two answers is in the take is plain for all but the last of them.
        frames = [frame for frame, _, _ in clicks]
        twice = {frame for frame in frames if frames.count(frame) > 1}
        for nth, (frame, t, late) in enumerate(clicks):
            if frame in twice and (nth != frames.index(frame) or frame == max(twice)):
                continue
            # A line through what was shown around it, slope 1: its place at a moment, the screen's raster taken out.
            own = first_sample(frame, rate) - t * MS
            near = drawn[(np.abs(drawn[:, 1] - t) < 3000) & (np.abs(drawn[:, 2] - own) < 40 * MS), 2]
            if len(near) < 12:
                continue
            through = float(np.mean(near))
            # How far two halves of what was shown disagree: the line's own error.
            taken.floor.append(abs(float(np.mean(near[::2]) - np.mean(near[1::2]))) / 2 / MS)
            due = t * MS + through + REACTION * RATE
            if not start + 100 < due < start + len(sound) - 1000:
                continue
            found = find(sound, burst(ANSWER), round(due - start))
            if found is None or late:
                taken.missed += 1 if not hold else 0
                continue
            taken.errors.append((start + found - due) / MS)
            taken.raw.append((start + found - first_sample(frame, rate) - REACTION * RATE) / MS)
            places.append(due / RATE)
            taken.places.append(due)
    if len(places) >= 4:
        slope = np.polyfit(places, taken.errors, 1)[0]
        taken.drift = float(slope * 600)


def find(sound: np.ndarray, what: np.ndarray, near: int, reach: int = RATE // 3) -> int | None:
    """Sample at which a burst begins, near a place; None when it is not there."""
    first = max(0, near - reach)
    window = sound[first : near + reach + len(what)]
    if len(window) < len(what) + 10:
        return None
    found = np.abs(hilbert(correlate(window, what, mode="valid", method="fft")))
    at = int(np.argmax(found))
    sharp = correlate(window, what, mode="valid", method="fft")
    at = max(0, at - 40) + int(np.argmax(sharp[max(0, at - 40) : at + 40]))
    energy = float(np.dot(what, what))
    return first + at if sharp[at] > 0.2 * energy else None


def distribution(errors: list[float]) -> str:
    """Median, 95 %, 99 % and the largest, of the absolute errors."""
    if not errors:
        return "none"
    sizes = np.abs(errors)
    p50, p95, p99 = np.percentile(sizes, [50, 95, 99])
    mean, most = np.mean(errors), np.max(sizes)
    return f"n {len(errors)}  mean {mean:+.2f}  p50 {p50:.2f}  p95 {p95:.2f}  p99 {p99:.2f}  max {most:.2f} ms"
