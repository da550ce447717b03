"""Files of every kind that is read: whole, cut short, under a name that lies, and made to harm. Each is taken, or refused
in words; none takes long or much memory, asks for anything elsewhere, or leaves anything behind.
"""

import contextlib
import io
import os
import socket
import struct
import subprocess
import threading
import time
import zlib
from pathlib import Path

import pytest
from PIL import Image

from fendo_core.picture import film
from fendo_server.picture.models import Arrival, Source
from fendo_server.work import running
from fendo_server.work.models import Job
from testing import bring

PICTURE = ["-f", "lavfi", "-i", "testsrc2=s=320x180:r=25:d=4"]
SOUND = ["-f", "lavfi", "-i", "sine=440:r=48000:d=4"]
H264 = ["-c:v", "libx264", "-preset", "ultrafast", "-pix_fmt", "yuv420p", "-g", "12"]
MADE_BY_FFMPEG = {
    "film.mp4": [*PICTURE, *SOUND, *H264, "-c:a", "aac"],
    "film.mov": [*PICTURE, *SOUND, *H264, "-c:a", "pcm_s16le"],
    "film.mkv": [*PICTURE, *SOUND, *SOUND, "-map", "0", "-map", "1", "-map", "2", *H264, "-c:a", "flac"],
    "film.webm": [*PICTURE, *SOUND, "-c:v", "libvpx", "-deadline", "realtime", "-c:a", "libopus"],
    "film.avi": [*PICTURE, *SOUND, "-c:v", "mpeg4", "-c:a", "libmp3lame"],
    "film.mpg": [*PICTURE, *SOUND, "-c:v", "mpeg2video", "-c:a", "mp2"],
    "film.ts": [*PICTURE, *SOUND, *H264, "-c:a", "aac"],
    "fragments.mp4": [*PICTURE, *SOUND, *H264, "-c:a", "aac", "-movflags", "frag_keyframe+empty_moov"],
    "odd size.mp4": ["-f", "lavfi", "-i", "testsrc2=s=321x181:r=25:d=4", "-c:v", "mpeg4"],
    "varying.mkv": [*PICTURE, "-vf", "select='not(eq(mod(n,7),3))'", "-vsync", "vfr", *H264],
    "interlaced.mp4": [*PICTURE, "-vf", "interlace", "-flags", "+ilme+ildct", *H264],
    "sound.wav": [*SOUND],
    "broadcast.wav": [*SOUND, "-write_bext", "1", "-c:a", "pcm_s24le"],
    "sound.flac": [*SOUND],
    "sound.mp3": [*SOUND],
    "sound.aac": [*SOUND, "-c:a", "aac"],
    "sound.m4a": [*SOUND, "-c:a", "aac"],
    "sound.opus": [*SOUND, "-c:a", "libopus"],
    "sound.aiff": [*SOUND],
    "sound.caf": [*SOUND],
    "sound.w64": [*SOUND],
}
STILLS = {"still.png": "PNG", "still.jpg": "JPEG", "still.webp": "WEBP", "still.heic": "HEIF"}


def still(form: str, size=(640, 360), **more) -> bytes:
    import pillow_heif

    pillow_heif.register_heif_opener()
    made = io.BytesIO()
    Image.effect_mandelbrot(size, (-2, -1, 1, 1), 40).convert("RGB").save(made, form, **more)
    return made.getvalue()


@pytest.fixture(scope="session")
def corpus(tmp_path_factory) -> dict[str, bytes]:
    """Whole files by name."""
    folder, made = tmp_path_factory.mktemp("corpus"), {}
    for name, arguments in MADE_BY_FFMPEG.items():
        subprocess.run(["ffmpeg", "-y", "-v", "error", *arguments, str(folder / name)], check=True)
        made[name] = (folder / name).read_bytes()
    made |= {name: still(form) for name, form in STILLS.items()}
    slides = io.BytesIO()
    sheets = [Image.effect_mandelbrot((160, 90), (-2, -1, 1, 1), n) for n in (5, 9)]
    sheets[0].save(slides, "PDF", save_all=True, append_images=sheets[1:])
    return {**made, "slides.pdf": slides.getvalue()}


NAMES = [*MADE_BY_FFMPEG, *STILLS, "slides.pdf"]


@pytest.fixture
def brought(client, production, own_data):
    """Bring a file in and prepare it: the answer's status, what it says, and the source if it became one."""

    def bring_it(body: bytes, name: str) -> tuple[int, str, Source | None]:
        answer = bring(client, production, body, name)
        if answer.status_code != 201:
            said = answer.json()["detail"]
            assert answer.status_code == 422 and said.endswith(".") and len(said) > 40
            assert not Source.objects.exists() and not Arrival.objects.exists()
            assert not [path for path in own_data.rglob("*") if path.is_file()], "something was left behind"
            return 422, said, None
        for job in Job.objects.filter(state="waiting"):
            running.run(str(job.pk))
        source = Source.objects.get()
        assert not list((own_data / "arriving").iterdir())
        return 201, source.error, source

    return bring_it


@pytest.mark.parametrize("name", NAMES)
def test_a_whole_file_is_taken_by_what_is_in_it_whatever_its_name_says(corpus, brought, name):
    lying = NAMES[(NAMES.index(name) + 7) % len(NAMES)]
    _, said, source = brought(corpus[name], lying)
    assert source, said
    assert (source.state, source.error) == (Source.State.READY, "")
    sort = name.split(".")[0]
    assert source.kind == {"sound": "sound", "broadcast": "sound", "still": "still", "slides": "slides"}.get(sort, "film")
    if source.kind in ("film", "sound"):
        assert abs(source.length / 48_000 - 4) < 0.1
        assert not [remark for remark in source.remarks if film.BREAKS_OFF in remark]
    if source.kind == "film":
        # Twelve and a half frames a second are unusual.
        assert ("its frame rate varies" in " ".join(source.remarks)) == (name == "interlaced.mp4")
        assert source.strip_columns and (source.has_proxy or source.facts["ready_as_is"])
    said = {"film.mkv": "it has 2 sounds", "interlaced.mp4": "it is interlaced"}.get(name, "")
    assert said in " ".join(source.remarks)


@pytest.mark.parametrize("name", NAMES)
def test_a_file_that_breaks_off_is_refused_or_says_where(corpus, brought, name):
    """Where it has no length of its own, or one at its end, it is just shorter."""
    body = corpus[name]
    _, said, source = brought(body[: len(body) * 2 // 5], name)
    if source is None:
        assert "damaged" in said
        return
    assert source.state == Source.State.READY and source.kind in ("film", "sound")
    assert source.length < 2.6 * 48_000 or any(remark.startswith(film.BREAKS_OFF) for remark in source.remarks)


@pytest.mark.parametrize("turned", [1, 3, 6, 8])
@pytest.mark.parametrize("form", ["JPEG", "HEIF", "PNG", "WEBP"])
def test_a_still_that_was_turned_is_shown_upright(client, brought, form, turned):
    upright = Image.new("RGB", (200, 100), "teal")
    upright.paste("orange", (0, 0, 60, 30))
    back = {1: None, 3: Image.Transpose.ROTATE_180, 6: Image.Transpose.ROTATE_90, 8: Image.Transpose.ROTATE_270}[turned]
    exif, made = Image.Exif(), io.BytesIO()
    exif[0x0112] = turned
    still(form, (16, 16))  # Pillow learns to write HEIC
    (upright.transpose(back) if back else upright).save(made, form, exif=exif.tobytes())
    _, said, source = brought(made.getvalue(), "phone.jpg")
    assert source, said
    assert (source.facts["width"], source.facts["height"]) == (200, 100)
    shown = Image.open(io.BytesIO(client.get(f"/api/sources/{source.id}/page/0/").getvalue())).convert("RGB")
    assert shown.size == (200, 100)
    red, _, blue = shown.getpixel((30, 15))
    assert red > 200 and blue < 80, "the corner is another one"
    red, _, blue = shown.getpixel((170, 85))
    assert red < 80 < blue


@pytest.fixture
def ear():
    """Somebody who listens whether anything is asked for over the network; its address."""
    with socket.create_server(("127.0.0.1", 0)) as listening:
        listening.setblocking(False)
        yield f"127.0.0.1:{listening.getsockname()[1]}"
        with pytest.raises(BlockingIOError):
            listening.accept()


@pytest.fixture
def most_memory():
    """Kilobytes that the programs begun by this one have needed at the most, each; looked at again and again."""
    seen, over = [0], threading.Event()

    def look():
        while not over.wait(0.01):
            with contextlib.suppress(OSError):
                listed = Path(f"/proc/self/task/{os.getpid()}/children").read_text()
                for child in listed.split():
                    seen.append(peak_of(child))

    watching = threading.Thread(target=look)
    watching.start()
    yield seen
    over.set()
    watching.join()


def peak_of(process: str) -> int:
    with contextlib.suppress(OSError):
        # Between its fork and its own program a child has the memory of this process.
        if Path(f"/proc/{process}/cmdline").read_bytes() == Path("/proc/self/cmdline").read_bytes():
            return 0
        for row in Path(f"/proc/{process}/status").read_text().splitlines():
            if row.startswith("VmHWM"):
                return int(row.split()[1])
    return 0


def points(width: int, height: int) -> bytes:
    """A PNG of one bit a point, all of it really there."""

    def chunk(name: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + name + data + struct.pack(">I", zlib.crc32(name + data))

    packer = zlib.compressobj(9)
    row = bytes(1 + -(-width // 8))
    packed = b"".join(packer.compress(row * 1000) for _ in range(height // 1000)) + packer.flush()
    head = struct.pack(">IIBBBBB", width, height, 1, 0, 0, 0, 0)
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", packed) + chunk(b"IEND", b"")


def lasting(body: bytes, seconds: int) -> bytes:
    """An MP4 whose headers say that it lasts so long."""
    for box in (b"mvhd", b"mdhd"):
        at = -1
        while (at := body.find(box, at + 1)) >= 0:
            body = body[: at + 16] + struct.pack(">II", 1, seconds) + body[at + 24 :]
    return body


def referring(body: bytes, address: str) -> bytes:
    """An MP4 whose first track says that its media lie elsewhere."""
    at = body.index(b"url \0\0\0\1") - 4
    entry = b"url \0\0\0\0" + address.encode() + b"\0"
    grown = 4 + len(entry) - 12
    body = body[:at] + struct.pack(">I", 4 + len(entry)) + entry + body[at + 12 :]
    for box in (b"dref", b"dinf", b"minf", b"mdia", b"trak", b"moov"):
        start = body.rindex(box, 0, at) - 4
        (size,) = struct.unpack_from(">I", body, start)
        body = body[:start] + struct.pack(">I", size + grown) + body[start + 4 :]
    return body


def playlist(calling: str) -> bytes:
    rows = f"#EXTM3U\n#EXT-X-TARGETDURATION:9\n#EXTINF:9,\n{calling}\n#EXTINF:9,\nfile:///etc/passwd\n"
    return rows.encode() * 20


def calling_pdf(calling: str) -> bytes:
    """It opens an address, and its pages never end."""
    opening = f"<< /Type /Catalog /Pages 2 0 R /OpenAction << /S /URI /URI ({calling}) >> >>"
    loop = "<< /Type /Pages /Kids [2 0 R] /Count 1000000 >>"
    body = f"%PDF-1.4\n1 0 obj {opening} endobj\n2 0 obj {loop} endobj\ntrailer << /Root 1 0 R >>\n%%EOF\n"
    return body.ljust(600).encode()


def wide(picture: bytes) -> bytes:
    """A JPEG whose header says that it is 40,000 points wide and high."""
    size = picture.index(b"\xff\xc0") + 5
    return picture[:size] + struct.pack(">HH", 40_000, 40_000) + picture[size + 4 :]


def endless_wav(body: bytes) -> bytes:
    return body[:4] + b"\xff" * 4 + body[8:40] + b"\xff" * 4 + body[44:]


HOSTILE = {
    "list.mp4": lambda _, calling: playlist(calling),
    "after a tag.mp3": lambda _, calling: b"ID3\4\0\0\0\0\0\0" + playlist(calling),
    "behind a box.mp4": lambda _, calling: struct.pack(">I4s", 8, b"free") + playlist(calling),
    "script.mkv": lambda _, calling: f"ffconcat version 1.0\nfile '{calling}'\n".encode() * 30,
    "drawing.png": lambda _, calling: f'<svg xmlns="http://www.w3.org/2000/svg"><image href="{calling}"/>'.encode() * 9,
    "manifest.mp4": lambda _, calling: f"<?xml version='1.0'?><MPD><BaseURL>{calling}</BaseURL></MPD>".encode() * 9,
    "elsewhere.mp4": lambda whole, calling: referring(whole["film.mp4"], calling),
    "file elsewhere.mov": lambda whole, _: referring(whole["film.mov"], "file:///etc/passwd"),
    "calls.pdf": lambda _, calling: calling_pdf(calling),
    "endless.mp4": lambda whole, _: lasting(whole["film.mp4"], 10**9),
    "endless.wav": lambda whole, _: endless_wav(whole["sound.wav"]),
    "endless.mkv": lambda whole, _: whole["film.mkv"][:60] + b"\x01" + b"\xff" * 7 + whole["film.mkv"][68:],
    "wide.png": lambda _, __: points(40_000, 40_000),
    "wide.jpg": lambda whole, _: wide(whole["still.jpg"]),
    "words.pdf": lambda _, __: b"%PDF-1.7 " + b"A" * 5000,
    "zeros.mp4": lambda _, __: b"\0\0\0\x18ftypisom" + bytes(60_000),
    "animated.gif": lambda _, __: b"GIF89a" + bytes(1000),
    "program.mov": lambda _, __: b"\x7fELF" + bytes(1000),
    "archive.heic": lambda _, __: b"PK\3\4" + bytes(1000),
}
"""Files that want something else than to be seen or heard."""

HARMLESS = {"elsewhere.mp4", "file elsewhere.mov", "endless.wav", "endless.mkv"}
"""What may be taken, as far as it can be read."""


@pytest.mark.parametrize("name", HOSTILE)
def test_a_hostile_file_gets_nothing_and_leaves_nothing(corpus, ear, brought, most_memory, name):
    begun = time.monotonic()
    status, said, source = brought(HOSTILE[name](corpus, f"http://{ear}/x.ts"), name)
    assert status == 422 or name in HARMLESS, "it was taken"
    assert source is None or source.state == Source.State.READY or "damaged" in said
    # Far above what they need, far below what they ask for.
    assert time.monotonic() - begun < 150
    assert max(most_memory) < 1_600_000 and (source is None or max(most_memory) > 10_000)
