"""A world in one line: accounts, productions with lines, takes of known sound."""

import subprocess
from pathlib import Path

import pytest
from django.contrib.auth import get_user_model
from django.test import Client

from fendo_core.production import edits
from fendo_core.timebase import SAMPLE_RATE, Span
from fendo_server.productions import services
from testing import edit


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
