"""Files and edits that were spoilt, thousands of them, while somebody else records: nothing falls, nothing is lost.

.venv/bin/python -m bench.mutated [files] [edits] [seed]      10,000 of each by itself, seed 1
"""

import hashlib
import io
import json
import random
import sys
import threading
import time
import urllib.error
from collections import Counter
from collections.abc import Callable
from pathlib import Path

ROOT = Path(__file__).parent.parent
sys.path[:0] = [str(ROOT), *(str(ROOT / part) for part in ("tests", "core", "server"))]

import cairocffi  # noqa: E402
import numpy as np  # noqa: E402
import soundfile  # noqa: E402
from PIL import Image  # noqa: E402

from bench.load import Reader, Tally, own_world, plain  # noqa: E402
from fendo_core.timebase import SAMPLE_RATE  # noqa: E402
from harness import World  # noqa: E402
from sent_scripts import KINDS  # noqa: E402

AWAY = {"OTIO_SCHEMA": "MissingReference.1", "name": ""}
WRONG_NUMBERS = (b"-1", b"0", b"99999999999999999999", b"1e999", b"NaN", b"null", b"0.0000001")
WRONG_VALUES = (2**31, 2**63, -1, 1.5, True, None, "", "x" * 3_000, "a\0b", [], [5, 1], [2**62, 2**63], {}, ["\0"])
HEAVY_EACH = 40
"""One in so many files is a picture, a sound or a document to be brought in: a job each."""


def spoilt(data: bytes, dice: random.Random) -> bytes:
    """A file with something wrong in it: bits, holes, repeats, numbers, an end that is missing."""
    made = bytearray(data)
    for _ in range(dice.choice((1, 1, 2, 5, 20))):
        at = dice.randrange(max(1, len(made)))
        match dice.randrange(7):
            case 0 if made:
                made[at % len(made)] ^= 1 << dice.randrange(8)
            case 1:
                del made[at : at + dice.randrange(1, 200)]
            case 2:
                made[at:at] = made[at : at + dice.randrange(1, 400)] * dice.randrange(1, 30)
            case 3:
                made[at:at] = dice.choice(WRONG_NUMBERS)
            case 4:
                made[at : at + 4] = dice.randbytes(4)
            case 5:
                del made[at:]
            case 6:
                made[at:at] = dice.choice((b"\0", b"\xff\xfe", b"\r", b'"', b"<", b"[" * 300, b"{" * 300, b"\xed\xa0\x80"))
    return bytes(made)


def edl(dice: random.Random) -> bytes:
    """A cut list of a few events."""
    rows, at = ["TITLE: The Salt Road", "FCM: NON-DROP FRAME"], 0
    for number in range(1, dice.randrange(3, 12)):
        length = dice.randrange(1, 9)
        times = " ".join(f"{hour:02}:00:{second:02}:00" for hour, second in ((1, at), (1, at + length)) * 2)
        rows += [f"{number:03}  AX       V     C        {times}", f"* FROM CLIP NAME: CLIP {number}.MOV"]
        at += length
    return "\n".join(rows).encode()


def otio(dice: random.Random) -> bytes:
    """A timeline of a few clips."""

    def moment(value: float) -> dict:
        return {"OTIO_SCHEMA": "RationalTime.1", "rate": 25.0, "value": value}

    def clip(number: int) -> dict:
        span = {"OTIO_SCHEMA": "TimeRange.1", "start_time": moment(0.0), "duration": moment(float(dice.randrange(1, 200)))}
        return {"OTIO_SCHEMA": "Clip.1", "name": f"clip {number}", "source_range": span, "media_reference": AWAY}

    track = {"OTIO_SCHEMA": "Track.1", "name": "V1", "kind": "Video"}
    track["children"] = [clip(number) for number in range(dice.randrange(2, 9))]
    stack = {"OTIO_SCHEMA": "Stack.1", "name": "tracks", "children": [track]}
    return json.dumps({"OTIO_SCHEMA": "Timeline.1", "name": "The Salt Road", "tracks": stack}).encode()


def heavy(dice: random.Random) -> tuple[str, bytes]:
    """A picture, a sound or pages, by their names."""
    out = io.BytesIO()
    kind = dice.choice(("png", "jpg", "gif", "webp", "wav", "flac", "ogg", "aiff", "pdf"))
    if kind == "pdf":
        surface = cairocffi.PDFSurface(out, 600, 300)
        page = cairocffi.Context(surface)
        page.move_to(40, 40)
        page.show_text("The ferry leaves.")
        page.show_page()
        surface.finish()
    elif kind in ("wav", "flac", "ogg", "aiff"):
        sound = np.random.default_rng(dice.randrange(999)).normal(0, 0.1, dice.randrange(1, 48_000))
        soundfile.write(out, sound, dice.choice((8_000, 44_100, 48_000)), format=kind)
    else:
        Image.effect_noise((dice.randrange(1, 300), dice.randrange(1, 300)), 60).convert("RGB").save(
            out, {"jpg": "jpeg"}.get(kind, kind)
        )
    return f"a.{kind}", out.getvalue()


class Eve:
    """Whoever sends them, and what was answered."""

    def __init__(self, world: World, seed: int) -> None:
        self.world, self.dice, self.answers = world, random.Random(seed), Counter[int]()
        self.reader = Reader(world, Tally(), "eve")
        self.place = f"/api/productions/{self.reader.production}/"
        self.samples = [KINDS[kind](seed) for kind in KINDS]

    def send(
        self, what: str, path: str, data: bytes, kind: str = "application/octet-stream", method: str = "POST"
    ) -> bytes:
        """What was answered; what nobody foresaw ends it."""
        try:
            answer = self.reader.door.ask(method, path, data, kind)
        except urllib.error.HTTPError as error:
            told = error.read()
            self.answers[error.code] += 1
            assert error.code < 500, f"{what}: {error.code} {told[:300]!r}"
            return b""
        self.answers[200] += 1
        return answer

    def file(self) -> None:
        """One spoilt file of any kind."""
        dice = self.dice
        which = dice.random()
        if which < 1 / HEAVY_EACH:
            return self.bring_in(*heavy(dice))
        if which < 0.35:
            make, where = dice.choice(((edl, "timeline/"), (otio, "timeline/"), (otio, "handover/timeline/")))
            self.send(make.__name__, f"{self.place}{where}?revision=0", spoilt(make(dice), dice))
            return None
        name, data, _ = dice.choice(self.samples)
        self.send(name, f"{self.place}script-file/?name={name.rsplit('/')[-1].replace(' ', '%20')}", spoilt(data, dice))
        return None

    def bring_in(self, name: str, data: bytes) -> None:
        """A spoilt file as one of the production's, with the job that looks at it."""
        data = spoilt(data, self.dice) or b"x"
        digest = hashlib.sha256(data).hexdigest()
        told = json.dumps({"name": name, "size": len(data), "digest": digest}).encode()
        answer = self.send(name, f"{self.place}arrivals/", told, "application/json")
        key = json.loads(plain(answer) or b"{}").get("id")
        if key:
            # What its first bytes give away is refused here.
            self.send(name, f"/api/arrivals/{key}/?at=0", data, method="PUT")
            self.send(name, f"/api/arrivals/{key}/finish/", b"{}", "application/json")

    def edit(self, kinds: dict[str, list[str]]) -> None:
        """One edit with wrong values."""
        kind = self.dice.choice(list(kinds))
        known = {"line": self.reader.line, "take": self.reader.take, "voice": self.reader.take}
        body = {name: known.get(name, SAMPLE_RATE) for name in kinds[kind]}
        for name in kinds[kind] if self.dice.random() < 0.3 else self.dice.sample(kinds[kind], min(1, len(kinds[kind]))):
            body[name] = self.dice.choice(WRONG_VALUES)
        text = json.dumps({"kind": kind, "revision": self.dice.choice((0, 10**6, -1)), **body}).encode()
        self.send(
            kind, f"{self.place}edits/", text if self.dice.random() < 0.9 else spoilt(text, self.dice), "application/json"
        )


def fields() -> dict[str, list[str]]:
    """The fields of each kind of edit, as the API's schema has them."""
    import yaml

    schemas = yaml.safe_load((ROOT / "server" / "openapi.yaml").read_text())["components"]["schemas"]
    kinds = schemas["EditRequest"]["discriminator"]["mapping"]
    found = {kind: schemas[where.rsplit("/", 1)[-1]]["properties"] for kind, where in kinds.items()}
    return {kind: [name for name in held if name not in ("kind", "revision")] for kind, held in found.items()}


def run(world: World, files: int, edits: int, seed: int) -> None:
    """Both, while somebody records take after take."""
    tally = Tally()
    ada, eve, kinds = Reader(world, tally, "ada"), Eve(world, seed), fields()
    tally.taken.clear()
    going = True

    def record() -> None:
        while going:
            ada.record(10)

    recording = threading.Thread(target=record)
    recording.start()
    try:
        for what, number, do in (("files", files, eve.file), ("edits", edits, lambda: eve.edit(kinds))):
            _many(what, number, do, eve)
    finally:
        going = False
        recording.join()
    fallen = [name for name, process in world.processes.items() if process.poll() is not None]
    print(f"fallen: {', '.join(fallen) or 'none'}")
    tally.tell()


def _many(what: str, number: int, do: Callable[[], None], eve: Eve) -> None:
    eve.answers.clear()
    started = time.monotonic()
    for done in range(1, number + 1):
        do()
        if not done % 1_000:
            print(f"  {done:,} in {time.monotonic() - started:.0f} s", flush=True)
    told = ", ".join(f"{count:,} × {code}" for code, count in sorted(eve.answers.items()))
    print(f"{number:,} spoilt {what} in {time.monotonic() - started:.0f} s: {told}", flush=True)


def main() -> None:
    """A Fendo of its own, and what is asked for."""
    files, edits, seed = [*map(int, sys.argv[1:]), *(10_000, 10_000, 1)[len(sys.argv) - 1 :]]
    with own_world() as world:
        print(f"seed {seed}", flush=True)
        run(world, files, edits, seed)


if __name__ == "__main__":
    main()
