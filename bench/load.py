"""Twelve readers at once, and what a hostile neighbour costs one who records.

.venv/bin/python -m bench.load             four record, eight choose
.venv/bin/python -m bench.load --hostile   one records; another account leaves a thousand requests half sent, and
                                           sends edits that are none and scripts of thousands of lines
"""

import contextlib
import gzip
import json
import os
import random
import socket
import sys
import tempfile
import threading
import time
import urllib.error
from collections.abc import Iterator
from pathlib import Path

sys.path[:0] = [str(Path(__file__).parent.parent), *(str(Path(__file__).parent.parent / p) for p in ("tests", "core"))]

import numpy as np  # noqa: E402

from bench.bench import Door  # noqa: E402
from fendo_core.audio import pcm  # noqa: E402
from fendo_core.reader import narrator  # noqa: E402
from harness import World  # noqa: E402
from launcher.checks import _test_cluster  # noqa: E402

SECONDS = 30
PIECE = 14_400
RECORDING, CHOOSING = 4, 8


def plain(answer: bytes) -> bytes:
    """An answer as it was before it was packed."""
    return gzip.decompress(answer) if answer[:2] == b"\x1f\x8b" else answer


@contextlib.contextmanager
def own_world() -> Iterator[World]:
    """A Fendo of its own, with its web server and its worker."""
    with _test_cluster() as url, tempfile.TemporaryDirectory() as name:
        os.environ["DATABASE_URL"] = url
        world = World(Path(name))
        try:
            world.begin("web")
            world.begin("worker")
            yield world
        finally:
            world.close()


class Tally:
    """How long answers took, by what was asked."""

    def __init__(self) -> None:
        self.taken: dict[str, list[float]] = {}
        self.refused = 0
        self._lock = threading.Lock()

    def add(self, what: str, seconds: float) -> None:
        """One more answer."""
        with self._lock:
            self.taken.setdefault(what, []).append(seconds)

    def tell(self) -> None:
        """Print what was measured."""
        for what, taken in self.taken.items():
            p50, p95 = np.percentile(taken, [50, 95])
            print(f"{what:<28} {len(taken):>5}   p50 {p50:6.3f}   p95 {p95:6.3f}   worst {max(taken):6.3f} s")
        if self.refused:
            print(f"refused in words: {self.refused}")


class Reader:
    """Somebody with a production of their own, a line in it, and a take of that."""

    def __init__(self, world: World, tally: Tally, account: str) -> None:
        self.door, self.tally = Door(world, account), tally
        self.production = self.ask("POST", "productions/", {"name": f"Load of {account}"})["id"]
        words = "Then the keeper lifts one oak board.\nThe wheel turns."
        self.revision = 0
        self.edit("add_lines", text=words)
        self.line = self.ask("GET", f"productions/{self.production}/")["lines"][0]["id"]
        self.edit("set_slot", line=self.line, slot=[48_000, 240_000])
        self.take = self.record(4.0, live=False)

    def ask(self, method: str, path: str, body: object = None) -> dict:
        """JSON there and back."""
        sent = json.dumps(body).encode() if body is not None else b""
        return json.loads(plain(self.door.ask(method, f"/api/{path}", sent)))

    def edit(self, kind: str, **values: object) -> None:
        """An edit."""
        body = {"kind": kind, "revision": self.revision, **values}
        self.revision = self.ask("POST", f"productions/{self.production}/edits/", body)["revision"]

    def timed(self, what: str, method: str, path: str, *body: object, **more: str) -> bytes:
        """An answer, and how long it took."""
        began = time.monotonic()
        found = self.door.ask(method, path, *body, **more)
        self.tally.add(what, time.monotonic() - began)
        return found

    def record(self, seconds: float, live: bool = True) -> str:
        """A take, piece by piece as it is spoken; compares what was saved with what was sent."""
        voice = pcm.from_integers(pcm.from_floats(narrator.read("Then the keeper lifts one oak board.", 1).samples))
        whole = (voice * 40)[: int(seconds * 10) * PIECE]
        take = self.ask("POST", f"lines/{self.line}/takes/", {"input": "load"})["id"]
        began = time.monotonic()
        for number, at in enumerate(range(0, len(whole), PIECE)):
            time.sleep(max(0.0, began + number * 0.1 - time.monotonic()) if live else 0)
            path, piece = f"/api/takes/{take}/sound/?offset={at // 3}", whole[at : at + PIECE]
            self.timed("a piece acknowledged", "PUT", path, piece, "application/octet-stream")
        clock = {"capture": [[0, 0]], "transport": [[0, 0]], "source": "none"}
        end = json.dumps({"total": len(whole) // 3, "clock": clock}).encode()
        self.timed("a take saved", "POST", f"/api/takes/{take}/finish/", end)
        saved = self.door.ask("GET", f"/api/takes/{take}/recording/", Range="bytes=0-2000000")
        start = saved.index(b"data") + 8
        assert saved[start:][: len(whole)] == whole[: len(saved) - start], "a gap"
        return take

    def choose(self, until: float) -> None:
        """Opens, hears, picks, takes back, again and again."""
        place = f"/api/productions/{self.production}/"
        while time.monotonic() < until:
            self.timed("a production opened", "GET", place)
            (take, *_) = json.loads(self.timed("takes of a line", "GET", f"/api/lines/{self.line}/takes/"))
            voice = take["voice"]
            for what in ("sound", "wave"):
                self.timed(f"a voice's {what}", "GET", f"/api/voices/{voice['id']}/{voice['key']}/{what}/")
            began = time.monotonic()
            self.edit("pick", line=self.line, voice=take["id"])
            self.tally.add("a pick", time.monotonic() - began)
            began = time.monotonic()
            self.edit("pick", line=self.line, voice=None)
            self.tally.add("a pick", time.monotonic() - began)
            time.sleep(0.2)


def twelve(world: World) -> None:
    """Four record in real time, eight choose."""
    tally = Tally()
    readers = [Reader(world, tally, f"reader{n}") for n in range(RECORDING + CHOOSING)]
    tally.taken.clear()
    until = time.monotonic() + SECONDS
    work = [threading.Thread(target=one.record, args=(SECONDS,)) for one in readers[:RECORDING]]
    work += [threading.Thread(target=one.choose, args=(until,)) for one in readers[RECORDING:]]
    for one in work:
        one.start()
    for one in work:
        one.join()
    tally.tell()


def hostile(world: World) -> None:
    """One records, beside whatever somebody else's account can think of."""
    tally, theirs = Tally(), Tally()
    ada, eve = Reader(world, tally, "ada"), Reader(world, theirs, "eve")
    tally.taken.clear()
    print("alone")
    ada.record(10)
    tally.tell()
    tally.taken.clear()
    half = b"PUT /api/takes/1/sound/ HTTP/1.1\r\nHost: localhost\r\nContent-Length: 99\r\n\r\nx"
    held = [socket.create_connection(("127.0.0.1", world.port)) for _ in range(1_000)]
    for number, one in enumerate(held):
        one.sendall(half if number % 2 else half[:50])
    ends, dice = time.monotonic() + SECONDS, random.Random(18)
    wrong = (2**31, -1, None, "x" * 100_000, [[]], {}, "\0", 1e308, [0, 2**62])

    def nonsense() -> None:
        while time.monotonic() < ends:
            kind = dice.choice(("set_slot", "set_words", "add_lines", "pick", "lay_slots", "replace_words"))
            try:
                eve.edit(kind, line=dice.choice((eve.line, *wrong)), slot=dice.choice(wrong), text=dice.choice(wrong))
            except urllib.error.HTTPError as error:
                theirs.refused += 1
                assert error.code < 500, error.read()

    def scripts() -> None:
        while time.monotonic() < ends:
            try:
                eve.edit("add_lines", text="One more line of many.\n" * 2_000)
            except urllib.error.HTTPError as error:
                theirs.refused += 1
                assert error.code < 500, error.read()

    work = [threading.Thread(target=one) for one in [nonsense] * 4 + [scripts] * 2]
    for one in work:
        one.start()
    ada.record(SECONDS)
    for one in work:
        one.join()
    print(f"beside {len(held)} requests half sent, {theirs.refused} edits refused, scripts of 2,000 lines")
    tally.tell()
    for one in held:
        one.close()


def main() -> None:
    """A Fendo of its own, then one of the two."""
    with own_world() as world:
        (hostile if "--hostile" in sys.argv else twelve)(world)


if __name__ == "__main__":
    main()
