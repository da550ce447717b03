"""Films: what they are, hostile ones, and their cuts against the truth of made films."""

import subprocess
import sys
from fractions import Fraction

import numpy as np
import pytest
from scipy.ndimage import gaussian_filter

import made_films
from fendo_core.picture import cuts, film
from fendo_core.picture.cuts import HEIGHT, WIDTH, find_cuts, find_cuts_in, shots
from fendo_core.timebase import SAMPLE_RATE, FrameRate


def ffmpeg(*arguments: object) -> None:
    subprocess.run(["ffmpeg", "-y", "-v", "error", *map(str, arguments)], check=True)


@pytest.fixture(scope="module")
def clips(tmp_path_factory):
    """Small films in several coats."""
    folder = tmp_path_factory.mktemp("clips")
    picture = ["-f", "lavfi", "-i", "testsrc2=s=320x180:r=24000/1001:d=2"]
    sound = ["-f", "lavfi", "-i", "sine=440:r=44100:d=2"]
    ffmpeg(*picture, *sound, "-c:v", "libx264", "-pix_fmt", "yuv420p", "-c:a", "aac", folder / "a.mp4")
    ffmpeg(*picture, "-c:v", "libx264", "-bf", 0, "-pix_fmt", "yuv420p", folder / "plain.mp4")
    ffmpeg(*picture, *sound, "-c:v", "libvpx", "-c:a", "libvorbis", folder / "b.webm")
    ffmpeg(*picture, "-c:v", "mpeg4", folder / "c.avi")
    ffmpeg(*sound, "-c:a", "aac", folder / "sound.mp4")
    whole = (folder / "a.mp4").read_bytes()
    (folder / "cut.mp4").write_bytes(whole[: len(whole) // 3])
    (folder / "list.mp4").write_text("#EXTM3U\n#EXTINF:1,\nfile:///etc/passwd\n")
    (folder / "words.mp4").write_text("This is a shopping list.\n" * 40)
    (folder / "nothing.mov").write_bytes(b"")
    (folder / "noise.mp4").write_bytes(b"\0\0\0\x20ftypisom" + np.random.default_rng(1).bytes(50_000))
    return folder


@pytest.mark.parametrize("name", ["a.mp4", "b.webm", "c.avi"])
def test_a_film_is_known_by_what_it_is(clips, name):
    found = film.inspect(clips / name)
    assert found.rate.fps == Fraction(24000, 1001)
    assert (found.width, found.height) == (320, 180)
    assert abs(found.frames - 48) <= 1
    assert found.plays_in_browser is (name != "c.avi")


def test_a_small_constant_film_needs_no_proxy(clips):
    assert film.inspect(clips / "plain.mp4").ready_as_is
    assert not film.inspect(clips / "b.webm").ready_as_is


@pytest.mark.parametrize(
    ("name", "said"),
    [
        ("cut.mp4", "damaged or not complete"),
        ("noise.mp4", "damaged or not complete"),
        ("list.mp4", "nothing that Fendo can read"),
        ("words.mp4", "nothing that Fendo can read"),
        ("nothing.mov", "nothing that Fendo can read"),
    ],
)
def test_what_is_no_film_is_refused_with_a_reason_and_a_way_on(clips, name, said):
    with pytest.raises(film.FilmRefused, match=said):
        film.inspect(clips / name)


def test_a_films_sound_is_cut_into_pieces_that_join_to_the_sample(clips, tmp_path):
    found = film.inspect(clips / "a.mp4")
    cut = film.cut_sound(clips / "a.mp4", found, tmp_path, lambda _share: None)
    assert cut.pieces == 1
    sound = film.read_sound(tmp_path, 1, 0, found.length)
    assert sound.shape == (found.length, 2)
    assert 0.05 < float(np.sqrt(np.mean(sound**2))) < 0.2
    # Both channels alike: 3 LU above the same as mono, which a sine of that RMS has as dBFS less 0.691 (BS.1770).
    rms = 20 * np.log10(float(np.sqrt(np.mean(sound**2))))
    assert cut.loudness == pytest.approx(rms + 3.01 - 0.69, abs=1.5)
    assert not np.any(film.read_sound(tmp_path, 1, found.length, found.length + 50))


def test_a_proxy_has_the_frames_of_the_film_at_a_constant_rate(clips, tmp_path):
    found = film.inspect(clips / "b.webm")
    heard: list[float] = []
    assert film.make_proxy(clips / "b.webm", found, tmp_path, heard.append, lambda _ready: None) == 1
    made = film.inspect(tmp_path / "0000.mp4")
    assert made.rate == found.rate
    assert abs(made.frames - found.frames) <= 1
    assert made.ready_as_is


def test_a_proxy_is_made_in_segments_that_join_to_the_frame(clips, tmp_path, monkeypatch):
    monkeypatch.setattr(film, "SEGMENT_SECONDS", 1)
    found = film.inspect(clips / "b.webm")
    count = film.make_proxy(clips / "b.webm", found, tmp_path, lambda _share: None, lambda _ready: None)
    made = [film.inspect(tmp_path / f"{n:04}.mp4").frames for n in range(count)]
    assert made[:-1] == [film.segment_frames(found.rate)] * (count - 1)
    assert abs(sum(made) - found.frames) <= 1


def test_sound_alone_is_brought_in_as_sound(clips):
    found = film.inspect(clips / "sound.mp4")
    assert (found.frames, found.has_sound) == (0, True)
    assert found.length > 0


def _made_film(seed: int) -> tuple[np.ndarray, list[int]]:
    """Shots of moving cloudy fields with known cuts, a flash that is no cut, and a fade to black at the end."""
    rng = np.random.default_rng(seed)
    frames, cuts = [], []
    for shot in range(6):
        if shot:
            cuts.append(len(frames))
        field = gaussian_filter(rng.standard_normal((HEIGHT, WIDTH * 3)), 4)
        field = rng.uniform(60, 190) + rng.uniform(15, 40) * field / field.std()
        speed = rng.uniform(0.0, 1.5)
        for n in range(int(rng.integers(20, 60))):
            shift = int(n * speed)
            frames.append(field[:, shift : shift + WIDTH] + rng.normal(0, 2, (HEIGHT, WIDTH)))
        if shot == 2:
            frames[-10] = np.full((HEIGHT, WIDTH), 250.0)
            frames[-9] = np.full((HEIGHT, WIDTH), 245.0)
    frames += [frames[-1] * (1 - n / 40) for n in range(40)]
    return np.clip(np.stack(frames), 0, 255).astype(np.uint8), cuts


def test_cuts_of_made_films_are_found_and_flashes_are_none():
    hits = wrong = truth = 0
    for seed in range(20):
        frames, known = _made_film(seed)
        found = find_cuts(frames)
        truth += len(known)
        hits += len(set(found) & set(known))
        wrong += len(set(found) - set(known))
    assert hits >= 0.95 * truth, (hits, truth)
    assert wrong <= 0.03 * truth, (wrong, truth)


def test_a_film_that_was_coded_coarsely_and_fades_to_black_has_no_cut_in_the_dark(tmp_path):
    path = tmp_path / "out.mp4"
    dark = "eq=brightness=-0.3,fade=t=out:st=1:d=4.5"
    made = ["ffmpeg", "-v", "error", "-f", "lavfi", "-i", "mandelbrot=size=640x360:rate=25", "-t", "6", "-vf", dark]
    subprocess.run([*made, "-c:v", "libx264", "-crf", "40", "-g", "12", str(path)], check=True)
    frames = film.small_frames(path, film.inspect(path), lambda share: None)
    assert cuts.find_cuts_in(frames, fps=25.0)[0] == []


@pytest.mark.parametrize("kind", made_films.KINDS)
def test_cuts_are_found_in_films_of_every_kind(kind):
    there, found, false = (sum(each) for each in zip(*(made_films.score(kind, seed) for seed in range(3)), strict=True))
    assert found >= 0.9 * there and false <= 1


def test_cuts_found_in_blocks_are_those_found_at_once(monkeypatch):
    monkeypatch.setattr(cuts, "WINDOW", 200)
    for seed in range(3):
        frames = np.concatenate([_made_film(seed * 3 + n)[0] for n in range(3)])
        rng = np.random.default_rng(seed)
        edges = [0, *sorted(rng.integers(0, len(frames), 12)), len(frames)]
        found, count = find_cuts_in(frames[a:b] for a, b in zip(edges, edges[1:], strict=False))
        assert count == len(frames) and found == find_cuts(frames)


def test_the_cuts_of_two_hours_need_no_more_memory_than_those_of_minutes(tmp_path):
    """A film of some length, and one twice as long, each looked at by a process of its own."""
    np.save(tmp_path / "block.npy", _made_film(1)[0])
    script = """
import re, sys
import numpy as np
from fendo_core.picture import cuts
block = np.load(sys.argv[1])
most = lambda: int(re.search(r"VmHWM:\\s+(\\d+)", open("/proc/self/status").read())[1])
before = most()
cuts.find_cuts_in(block for _ in range(int(sys.argv[2])))
print(most() - before)
"""
    command = [sys.executable, "-c", script, str(tmp_path / "block.npy")]
    few, many = (int(subprocess.check_output([*command, str(times)])) for times in (12, 24))
    assert many < few * 1.3 and many < 300 << 10, (few, many)


def test_shots_cover_the_film_without_a_hole():
    rate = FrameRate(Fraction(30000, 1001))
    found = shots([10, 40], 100, rate)
    assert found[0].start == 0
    assert all(a.end == b.start for a, b in zip(found, found[1:], strict=False))
    assert found[-1].end == rate.first_sample(100)
    assert found[-1].end <= 100 * SAMPLE_RATE * 1001 // 30000 + 1
