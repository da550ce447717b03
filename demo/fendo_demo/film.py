"""The demo film: drawn frames and a made soundtrack of water, wood and wind, as one MP4."""

import subprocess
import tempfile
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import cairocffi as cairo
import numpy as np
import soundfile
from numpy.typing import NDArray
from scipy.signal import butter, sosfilt

from fendo_core.reader import narrator
from fendo_core.timebase import SAMPLE_RATE, milliseconds
from fendo_demo.scenario import LINES, OLD_READING, SHOTS, Shot
from fendo_demo.scenes import HEIGHT, SCENES, WIDTH

FPS = 25
HELD = 2
"""Frames that a drawing stands, as drawn films do: half of the drawing and coding, and the first start waits for it."""
SIZE = (640, 360)
"""Points of the encoded film; the scenes are drawn for 960 x 540 and scaled."""


def _run(arguments: list[str], feed: subprocess.PIPE = subprocess.DEVNULL) -> subprocess.Popen:
    return subprocess.Popen(["ffmpeg", "-y", "-hide_banner", "-loglevel", "error", *arguments], stdin=feed)


def draw_shot(shot: Shot, target: Path) -> None:
    """One shot's frames, drawn and encoded so that the browser steps through them as they are."""
    surface = cairo.ImageSurface(cairo.FORMAT_RGB24, *SIZE)
    raw = f"-f rawvideo -pix_fmt bgr0 -s {SIZE[0]}x{SIZE[1]} -r {FPS / HELD} -i pipe:0"
    coded = "-c:v libx264 -preset ultrafast -qp 26 -pix_fmt yuv420p -g 12 -keyint_min 12 -sc_threshold 0 -bf 0 -threads 1"
    frames = shot.seconds * FPS
    held = f"-vf format=yuv420p,fps={FPS} -frames:v {frames}"
    encoder = _run([*f"{raw} {coded} {held} -f mpegts".split(), str(target)], subprocess.PIPE)
    for frame in range(0, frames, HELD):
        ctx = cairo.Context(surface)
        ctx.set_antialias(cairo.ANTIALIAS_FAST)
        ctx.scale(SIZE[0] / WIDTH, SIZE[1] / HEIGHT)
        SCENES[shot.scene](ctx, frame / FPS, frame / frames)
        surface.flush()
        encoder.stdin.write(surface.get_data())
    encoder.stdin.close()
    if encoder.wait():
        raise RuntimeError(f"the shot {shot.scene} could not be encoded")


def _filtered(noise: NDArray[np.float64], low: float, high: float) -> NDArray[np.float64]:
    return sosfilt(butter(2, [low, high], "band", fs=SAMPLE_RATE, output="sos"), noise, axis=0)


def _shot_sound(shot: Shot, seed: int) -> NDArray[np.float64]:
    """Stereo sound of one shot: water or wind everywhere, creaks and knocks where wood moves."""
    rng = np.random.default_rng(seed)
    length = shot.seconds * SAMPLE_RATE
    t = np.arange(length) / SAMPLE_RATE
    noise = rng.standard_normal((length, 2))
    slow = 0.7 + 0.3 * np.sin(2 * np.pi * t / 5.3 + seed)[:, None]
    inside = shot.scene in ("gears", "stones", "ledger_wide", "ledger_close", "flour_chute", "sacks", "night_window")
    sound = (0.05 if inside else 0.16) * slow * _filtered(noise, 250, 2600)
    if not inside:
        sound += 0.10 * (0.5 + 0.5 * np.sin(2 * np.pi * t / 7.7)[:, None]) * _filtered(noise[:, ::-1], 90, 420)
    beat = {"gears": 0.26, "stones": 0.42, "wheel_wide": 0.9, "wheel_close": 0.8, "sacks": 1.1, "gates_wide": 2.2}.get(
        shot.scene
    )
    if beat:
        for strike in np.arange(0.2, shot.seconds - 0.5, beat):
            at = int((strike + rng.uniform(0, 0.05)) * SAMPLE_RATE)
            ring = np.arange(min(length - at, SAMPLE_RATE // 3)) / SAMPLE_RATE
            pitch = rng.uniform(150, 260)
            sound[at : at + len(ring)] += (0.12 * np.sin(2 * np.pi * pitch * ring) * np.exp(-ring * 22))[:, None]
    edge = np.minimum(1.0, np.minimum(t, shot.seconds - t) / 0.25)[:, None]
    return sound * edge


def _with_old_reading(sound: NDArray[np.float64]) -> NDArray[np.float64]:
    """The soundtrack with a reading of an earlier version in it, all else lowered under it."""
    line = LINES[OLD_READING.number - 1]
    words, at = line.text.split(), OLD_READING.word
    parts = [
        narrator.read(" ".join(part), OLD_READING.seed, narrator.VOICES[OLD_READING.voice])
        for part in (words[:at], words[at:])
    ]
    start, end = (milliseconds(100 * tenths) for tenths in (line.starts, line.starts + line.lasts))
    slope = SAMPLE_RATE // 2
    lowered = np.interp(np.arange(len(sound)), [start - slope, start, end, end + slope], [0.0, 1.0, 1.0, 0.0])
    made = sound * 10.0 ** (lowered * OLD_READING.lowered / 20.0)[:, None]
    begins = start + milliseconds(30)
    for part in parts:
        spoken = part.samples[part.speech_start : part.speech_end]
        made[begins : begins + len(spoken)] += spoken[:, None]
        begins += len(spoken) + milliseconds(100 * OLD_READING.pause)
    return made


def _make_sound(target: Path) -> None:
    sound = np.concatenate([_shot_sound(shot, number + 1) for number, shot in enumerate(SHOTS)])
    bed = target.with_suffix(".wav")
    soundfile.write(bed, np.clip(_with_old_reading(sound), -0.9, 0.9), SAMPLE_RATE, subtype="PCM_16")
    # The quick coder: nobody hears the difference in water and wind, and the first start waits for it.
    if _run(["-i", str(bed), "-c:a", "aac", "-b:a", "160k", "-aac_coder", "fast", str(target)]).wait():
        raise RuntimeError("the sound of the demo film could not be encoded")


def make_film(target: Path) -> None:
    """Draw, sound and join the whole film."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        parts = [folder / f"{number:02}.ts" for number in range(len(SHOTS))]
        # Three at once keep two cores busy: each waits for its encoder now and then.
        with ProcessPoolExecutor(3) as pool:
            sound = pool.submit(_make_sound, folder / "bed.m4a")
            list(pool.map(draw_shot, SHOTS, parts))
            sound.result()
        listing = folder / "list.txt"
        listing.write_text("".join(f"file '{part}'\n" for part in parts))
        join = [
            "-f",
            "concat",
            "-safe",
            "0",
            "-i",
            str(listing),
            "-i",
            str(folder / "bed.m4a"),
            "-map",
            "0:v",
            "-map",
            "1:a",
        ]
        if _run([*join, "-c", "copy", "-movflags", "+faststart", str(target)]).wait():
            raise RuntimeError("the demo film could not be joined")
