"""A reading followed while it goes on: which word of the text is being read, known as the sound arrives (English).

What the decoder believes of the last moment changes with every piece of sound. So a step of a few words is taken at once,
and anything else only when it is believed twice; whoever goes back must have said three words again.
"""

from bisect import bisect_right
from collections.abc import Collection, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np
import soxr
from numpy.typing import NDArray

from fendo_core.audio import pcm
from fendo_core.helper import Helper, serve
from fendo_core.script.lines import tokens
from fendo_core.script.pace import Pace, expected_length
from fendo_core.script.syllables import speech_of_all
from fendo_core.timebase import SAMPLE_RATE, Span, milliseconds
from fendo_core.words.decoder import RATE, Decoder
from fendo_core.words.grammar import Arcs, SpokenWord, arcs_of, placed

STEP = 3
"""Words that a reader may go on by between two looks."""
BELIEVED = 2
"""Looks that must agree on anything else."""
BACK_BY = 3
"""Words in a row that somebody must have said to have gone back."""
AROUND = (20, 180)
"""Words that are listened for: before the one being read, and from it on."""
RENEWED, RENEWED_ANYWAY = 30 * SAMPLE_RATE, 90 * SAMPLE_RATE
"""After so much sound the decoder begins anew, at the next pause or anyway: what it keeps grows with what it has heard."""
PAUSE = milliseconds(500)
_LOUD, _AT_FIRST, _FALLS = 0.2, 0.12, 0.9


class Follower:
    """Follows one reading of a text.

    Args:
        words: in small letters, in the order of the text.
        starts: words at which a reader may begin anew (the first of lines).

    Attributes:
        place: the number of the word that is being read: the one behind the last that was heard.
    """

    def __init__(
        self, words: Sequence[str], starts: Collection[int] = (), decoder: Decoder | None = None, place: int = 0
    ) -> None:
        self.place = place
        self.decoder = decoder or Decoder()
        self._words, self._starts = list(words), set(starts)
        self._narrow = soxr.ResampleStream(SAMPLE_RATE, RATE, 1, dtype="float32", quality="HQ")
        self._top = _AT_FIRST
        self._fed = 0
        self._before: list[SpokenWord] = []
        self._said: list[SpokenWord] = []
        self._looks: list[int] = []
        self._begin()

    @property
    def said(self) -> list[SpokenWord]:
        """The words that were heard so far, in order; spans in samples of what was fed."""
        return [*self._before, *self._said]

    def feed(self, sound: NDArray[np.float32]) -> None:
        """The next piece: mono at 48 kHz, shape (n,)."""
        if not len(sound):
            return
        narrow = self._narrow.resample_chunk(self._levelled(sound))
        self._fed += len(sound)
        if len(narrow):
            self.decoder.feed(narrow)
        said = _settled(placed(self.decoder.heard(), self._window, self._arcs, self._start - self._low))
        self._look([SpokenWord(one.index + self._low, one.span.shifted(self._since)) for one in said])
        heard = self._fed - self._since
        quiet = self._fed - (self._said[-1].span.end if self._said else self._since)
        if (heard >= RENEWED and quiet >= PAUSE) or heard >= RENEWED_ANYWAY:
            self.decoder.end()
            self._before += self._said
            self._begin()

    def close(self) -> None:
        """Nothing more comes; the decoder can be used again."""
        self.decoder.end()

    def _levelled(self, sound: NDArray[np.float32]) -> NDArray[np.float32]:
        """As loud as the model's own training, as far as it is known by now."""
        top = float(np.percentile(np.abs(sound), 99))
        if top > self._top:
            self._top = top
        elif top > 0.1 * self._top:
            self._top = max(top, _FALLS * self._top)
        return (sound * (_LOUD / max(self._top, 1e-4))).astype(np.float32)

    def _look(self, said: list[SpokenWord]) -> None:
        """Take what is heard now for what is so, or wait for the next look."""
        now = said[-1].index + 1 if said else self._start
        if not self.place <= now <= self.place + STEP:
            self._looks = [*self._looks, now][-BELIEVED:]
            ahead = {look > self.place for look in self._looks}
            if len(self._looks) < BELIEVED or len(ahead) > 1:
                return
            now = min(self._looks) if True in ahead else max(self._looks)
        self._looks = []
        self.place, self._said = now, said

    def _begin(self) -> None:
        """Listen for the words around the place."""
        self._since, self._start = self._fed, self.place
        self._said, self._looks = [], []
        self._low = max(0, self.place - AROUND[0])
        self._window = self._words[self._low : self.place + AROUND[1]]
        known = self.decoder.known(self._window)
        starts = {n - self._low for n in self._starts if self._low <= n < self._low + len(self._window)}
        self._arcs: Arcs = arcs_of([n for n, w in enumerate(self._window) if w in known], len(self._window), starts)
        self.decoder.begin(self._window, self._arcs, self._start - self._low)


def _settled(said: list[SpokenWord]) -> list[SpokenWord]:
    """Without words at the end that went back and are too few to be believed."""
    while said:
        run = len(said) - 1
        while run and said[run].index == said[run - 1].index + 1:
            run -= 1
        if not run or said[run].index > said[run - 1].index or len(said) - run >= BACK_BY:
            break
        said = said[:run]
    return said


def word_by_pace(text: str, pace: Pace, spoken: int) -> int:
    """The word of a text (by `script.lines.tokens`) that is reached after `spoken` samples by how long words take."""
    return bisect_right(_word_ends(text, pace), spoken)


@lru_cache(maxsize=64)
def _word_ends(text: str, pace: Pace) -> list[float]:
    """Where each word ends when a text is read at a pace, in samples; asked for many times a second."""
    words = tokens(text)
    speech_of_all(words, pace.language)
    ends = np.cumsum([expected_length(word, pace) for word in words])
    return list(ends * (expected_length(text, pace) / max(1, ends[-1]))) if words else []


@dataclass(frozen=True, slots=True)
class FollowingScores:
    """How well a reading was followed.

    Attributes:
        delays: for each word from the second on, samples from its beginning to the look that knew of it; None: never known.
        looks: looks at which the place was that of a word said between 0.5 s before and 0.2 s after, or the next one.
        of: all looks.
    """

    delays: tuple[int | None, ...]
    looks: int
    of: int


def following_scores(reference: Sequence[SpokenWord], looks: Sequence[tuple[int, int]]) -> FollowingScores:
    """Compare what was known while a text was read with when its words were said.

    Args:
        reference: the words as they were said, each once.
        looks: (samples heard so far, the place that was known then), in order.
    """
    delays = tuple(
        next((heard - one.span.start for heard, place in looks if place >= one.index), None)
        for one in reference
        if one.index
    )
    right = 0
    for heard, place in looks:
        low = max((one.index for one in reference if one.span.start <= heard - milliseconds(500)), default=0)
        high = max((one.index for one in reference if one.span.start <= heard + milliseconds(200)), default=0)
        right += low <= place <= high + 1
    return FollowingScores(delays, right, len(looks))


LATEST = 300
"""Words that are told of; a line has no more."""
AT_ONCE = 4
"""Readings that are followed at the same time."""
_MEMORY = 1 << 30
_PATIENCE = 3.0
SLOW = 0.5
"""Seconds beyond which an answer comes too late to follow by."""


class Following:
    """Followers in a process of its own, which gives way to whatever records."""

    def __init__(self) -> None:
        self._helper = Helper("fendo_core.words.following", _MEMORY, before=("nice", "-n", "5"))

    def begin(self, key: str, words: Sequence[str], starts: Collection[int], voice: str = "", place: int = 0) -> bool:
        """Begin to follow a reading, which is known by `key` from here on; False if nobody can.

        What was learned of the sound of the same `voice` before is taken up.
        """
        asked = {"key": key, "words": list(words), "starts": sorted(starts), "voice": voice, "place": place}
        return bool(self._helper.ask({"begin": asked}, _PATIENCE))

    def feed(self, key: str, packed: bytes) -> tuple[int, list[SpokenWord]] | None:
        """The next of a reading (s24le): the place, and the words heard so far. None where it must be begun anew."""
        found = self._helper.ask({"feed": {"key": key, "sound": packed.hex()}}, _PATIENCE)
        if not found:
            return None
        return found["place"], [SpokenWord(index, Span(start, end)) for index, start, end in found["said"]]

    def close(self) -> None:
        """End the process."""
        self._helper.close()


def main() -> None:
    """The process."""
    followers: dict[str, tuple[Follower, str]] = {}
    means = dict[str, str]()

    def begin(key: str, words: Sequence[str], starts: Sequence[int], voice: str, place: int) -> bool:
        decoder = None
        if key in followers or len(followers) >= AT_ONCE:
            old, _ = followers.pop(key if key in followers else next(iter(followers)))
            old.close()
            decoder = old.decoder
        decoder = decoder or Decoder()
        if voice in means:
            decoder.mean = means[voice]
        followers[key] = Follower(words, starts, decoder, place), voice
        return True

    def feed(key: str, sound: str) -> dict[str, Any] | None:
        if key not in followers:
            return None
        # The one that was fed last is the last to go.
        follower, voice = followers[key] = followers.pop(key)
        follower.feed(pcm.to_floats(pcm.to_integers(bytes.fromhex(sound))))
        means[voice] = follower.decoder.mean
        said = [[one.index, one.span.start, one.span.end] for one in follower.said[-LATEST:]]
        return {"place": follower.place, "said": said}

    serve(lambda request: begin(**request["begin"]) if "begin" in request else feed(**request["feed"]))
