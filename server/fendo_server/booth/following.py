"""Which word is being read, of a take that is being recorded.

What is known of a reading lives in this process only: asked again after a restart, it is followed anew from there.
"""

import threading
import time
from collections import OrderedDict
from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Literal, TypeAlias
from uuid import UUID

from fendo_core.audio import pcm
from fendo_core.booth.run import WINDOW
from fendo_core.script.lines import tokens
from fendo_core.script.pace import Pace
from fendo_core.timebase import SAMPLE_RATE
from fendo_core.words import LISTENS, Spoken, spoken_words
from fendo_core.words.check import checked
from fendo_core.words.following import SLOW, Following, word_by_pace
from fendo_core.words.grammar import SpokenWord
from fendo_server.booth import recording_now
from fendo_server.script.pace import paces
from fendo_server.takes.models import Take

How: TypeAlias = Literal["words", "pace", "slow"]
"""By what was heard; by how long words take; by that, as the machine is too slow to listen."""

LINES = 12
"""Lines that are listened for: the take's own, and those that a reader may read on to."""
MOST_AT_ONCE = 4 * SAMPLE_RATE
SLOW_ANSWERS, SLOW_FOR = 2, 5.0
"""So many late answers, one after another, and the reading goes on by pace for so many seconds."""
_KEPT = 50


@dataclass(frozen=True, slots=True)
class Followed:
    """Where a reading is.

    Attributes:
        line: the line that is being read.
        word: the word of it (by `script.lines.tokens`); their number when all are read.
        again: words of the line that were said again; left_out: that were passed over.
    """

    how: How
    line: str
    word: int
    again: tuple[int, ...] = ()
    left_out: tuple[int, ...] = ()


@dataclass
class _Reading:
    """One take, while it is recorded."""

    lines: Sequence[tuple[str, str]]
    """Identity and text."""
    pace: Pace
    voice: str
    fed: int
    how: How
    begun: bool = False
    late: int = 0
    slow_until: float = 0.0
    place: int = 0
    spoke: int | None = None
    """The sample of the take at which somebody was first heard."""
    lock: threading.Lock = field(default_factory=threading.Lock)

    @cached_property
    def words(self) -> list[list[Spoken]]:
        """What is said of each line."""
        return [spoken_words(text) for _, text in self.lines]

    @cached_property
    def firsts(self) -> list[int]:
        """The number of the first word of each line, and of all words."""
        found = [0]
        for said in self.words:
            found.append(found[-1] + len(said))
        return found


_process = Following()
_readings: OrderedDict[UUID, _Reading] = OrderedDict()
_lock = threading.Lock()


def followed(take: Take, cue: int) -> Followed:
    """Where the reading of a take is now; `cue` is the sample of the take at which its line begins."""
    reading = _reading(take, cue)
    with reading.lock:
        if reading.how == "slow" and time.monotonic() > reading.slow_until:
            reading.how, reading.late = "words", 0
        return (_by_words(take, reading) if reading.how == "words" else None) or _by_pace(take, reading, cue)


def all_said(take: Take) -> bool:
    """All words of the take's own line were heard, as far as somebody follows."""
    reading = _readings.get(take.pk)
    return reading is not None and reading.how == "words" and reading.place >= reading.firsts[1] > 0


def _reading(take: Take, cue: int) -> _Reading:
    with _lock:
        found = _readings.get(take.pk)
        if found is None:
            found = _readings[take.pk] = _new(take, cue)
            while len(_readings) > _KEPT:
                _readings.popitem(last=False)
        return found


def _new(take: Take, cue: int) -> _Reading:
    line, reader = take.line, str(take.recording.reader_id)
    production = line.production
    after = production.lines.filter(dropped=False, position__gt=line.position).exclude(text="").order_by("position")
    lines = [(str(line.pk), take.words), *((str(pk), text) for pk, text in after.values_list("pk", "text")[: LINES - 1])]
    how: How = "words" if production.language in LISTENS else "pace"
    return _Reading(lines, paces(production)[reader], reader, max(0, cue - SAMPLE_RATE), how)


def _by_words(take: Take, reading: _Reading) -> Followed | None:
    """By what was heard; None when nobody can listen now."""
    if not reading.begun:
        words = [one.text for line in reading.words for one in line]
        # A pick-up begins somewhere in its line.
        starts = range(reading.firsts[1]) if take.cue is not None else []
        starts = [*reading.firsts[:-1], *starts]
        reading.begun = _process.begin(str(take.pk), words, starts, reading.voice, reading.place)
    packed = recording_now.samples_so_far(take, reading.fed, MOST_AT_ONCE)
    asked = time.monotonic()
    found = _process.feed(str(take.pk), packed) if reading.begun else None
    reading.late = reading.late + 1 if found is None or time.monotonic() - asked > SLOW else 0
    reading.begun = found is not None
    if reading.late >= SLOW_ANSWERS:
        reading.how, reading.slow_until = "slow", time.monotonic() + SLOW_FOR
    if found is None:
        return None
    start = reading.fed
    reading.fed += len(packed) // pcm.BYTES_A_SAMPLE
    reading.place, said = found
    if said and reading.spoke is None:
        reading.spoke = start
    return _placed(reading, said)


def _placed(reading: _Reading, said: Sequence[SpokenWord]) -> Followed:
    """The line and its word: the next line is being read when two of its words were heard."""
    firsts = reading.firsts
    number = 0
    for n in range(1, len(reading.lines)):
        if reading.place >= firsts[n] + min(2, firsts[n + 1] - firsts[n]):
            number = n
    line, text = reading.lines[number]
    words, first = reading.words[number], firsts[number]
    own = [SpokenWord(one.index - first, one.span) for one in said if first <= one.index < firsts[number + 1]]
    reached = reading.place - first
    word = words[reached].ordinal if reached < len(words) else len(tokens(text))
    told = checked(words, own, ())
    again = {one.ordinal for one in told.of("again")}
    left_out = {one.ordinal for one in told.of("left out") if one.ordinal < word}
    return Followed("words", line, word, tuple(sorted(again)), tuple(sorted(left_out)))


def _by_pace(take: Take, reading: _Reading, cue: int) -> Followed:
    """By how long words take, from the first sound on."""
    have = recording_now.on_disk(take.recording)
    if reading.spoke is None and reading.how == "pace":
        phrases, _ = recording_now.so_far(take)
        said = [phrase.start for phrase in phrases if phrase.end > cue]
        reading.spoke = min(said) if said else cue if have > cue + WINDOW else None
    # Who is too busy to listen to words does not listen for the first sound either.
    spoke = cue if reading.spoke is None and reading.how == "slow" else reading.spoke
    line, text = reading.lines[0]
    word = 0 if spoke is None else word_by_pace(text, reading.pace, have - spoke)
    return Followed("pace" if reading.how == "words" else reading.how, line, word)
