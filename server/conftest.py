"""A world in one line: accounts, productions with lines, takes of known sound."""

import json
import subprocess
from pathlib import Path

import numpy as np
import pytest
from django.contrib.auth import get_user_model
from django.test import Client
from fendo_core.audio import pcm
from fendo_core.booth.clockmap import ClockMap
from fendo_core.production import edits
from fendo_core.timebase import SAMPLE_RATE, Span
from fendo_server.booth import capture
from fendo_server.productions import changes, services


@pytest.fixture(autouse=True)
def own_data(settings, tmp_path):
    """Every test has a data folder of its own."""
    settings.PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]  # made to be slow otherwise
    settings.DATA, settings.MEDIA, settings.DERIVED = tmp_path, tmp_path / "media", tmp_path / "derived"
    return tmp_path


@pytest.fixture
def ada(db):
    return get_user_model().objects.create_user("ada", password="a-long-pass-phrase")


@pytest.fixture
def stranger(db):
    return get_user_model().objects.create_user("stranger")


@pytest.fixture
def client(ada):
    """Ada's browser."""
    browser = Client()
    browser.force_login(ada, backend="django.contrib.auth.backends.ModelBackend")
    return browser


@pytest.fixture
def production(ada):
    """A production with three lines, the first two with slots."""
    made = services.make_production(ada, "The Tide Mill")
    edit(made, ada, edits.AddLines("Nobody at Orsey needs a clock.\nListen.\nThe flour falls."))
    first, second, _ = made.lines.all()
    edit(made, ada, edits.SetSlot(str(first.id), Span(2 * SAMPLE_RATE, 5 * SAMPLE_RATE)))
    edit(made, ada, edits.SetSlot(str(second.id), Span(6 * SAMPLE_RATE, 8 * SAMPLE_RATE)))
    made.refresh_from_db()
    return made


def edit(production, author, what):
    production.refresh_from_db()
    return changes.perform(production, author, production.revision, what)


def voice(seconds: float = 3.0, seed: int = 1) -> np.ndarray:
    """A buzz with a voice's pitch between two stretches of quiet, as 24-bit integers."""
    rng = np.random.default_rng(seed)
    count = int(seconds * SAMPLE_RATE)
    t = np.arange(count) / SAMPLE_RATE
    buzz = sum(np.sin(2 * np.pi * 130 * k * t) / k for k in range(1, 12)) * 0.12
    shape = ((t > 1.0) & (t < seconds - 1.0)).astype(float)
    return pcm.from_floats(buzz * shape + rng.standard_normal(count) * 0.0008)


def record(line, sound: np.ndarray, start: int | None = None, cut_off: bool = False):
    """A finished take of a line; its sound begins one second before the slot unless told."""
    take = capture.begin(line, "a microphone")
    capture.append(take, 0, pcm.from_integers(sound))
    at = (line.slot_start or 0) - SAMPLE_RATE if start is None else start
    return capture.finish(take, len(sound), ClockMap(0, 0, at, source="none"), cut_off)


def send(client: Client, method: str, address: str, body=None, **more):
    """A JSON request, and what came back."""
    answer = client.generic(
        method, address, json.dumps(body if body is not None else {}), content_type="application/json", **more
    )
    return answer


@pytest.fixture(scope="session")
def film_file(tmp_path_factory) -> Path:
    """Eight seconds of moving picture at 25 frames a second with a cut in the middle, and a tone."""
    path = tmp_path_factory.mktemp("film") / "mill.mp4"
    parts = "[0:v][1:v]concat=n=2:v=1:a=0[v]"
    command = ["ffmpeg", "-y", "-v", "error", "-f", "lavfi", "-i", "testsrc2=s=320x180:r=25:d=4"]
    command += ["-f", "lavfi", "-i", "mandelbrot=s=320x180:r=25", "-f", "lavfi", "-i", "sine=300:r=48000:d=8"]
    command += ["-filter_complex", f"[1:v]trim=duration=4,setpts=PTS-STARTPTS[m];{parts.replace('[1:v]', '[m]')}"]
    command += ["-map", "[v]", "-map", "2:a", "-c:v", "libx264", "-preset", "ultrafast", "-pix_fmt", "yuv420p", "-g", "12"]
    subprocess.run([*command, "-bf", "0", "-c:a", "aac", str(path)], check=True)
    return path
