"""A timeline that comes back from the next program: which readings lie elsewhere in it than where they were handed over."""

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction
from pathlib import PurePosixPath

from fendo_core.picture import edl, otio_json
from fendo_core.picture.layers import Placed, TimelineRefused, listed
from fendo_core.picture.reel import NewId
from fendo_core.picture.timeline import decoded
from fendo_core.production.edit import Done
from fendo_core.production.refusal import EditRefused
from fendo_core.production.state import State
from fendo_core.takes import standing
from fendo_core.timebase import SAMPLE_RATE, FrameRate

_ROUNDED = SAMPLE_RATE // 10
"""By less than this a file may be shorter, or begin before itself: it was rounded to frames, or lost its fades."""


@dataclass(frozen=True, slots=True)
class Handed:
    """A line's file as it left.

    Attributes:
        line, number: the line.
        voice: the take or comp that it was.
        at: programme sample at which that take or comp began then.
        start, length: the file, programme samples.
    """

    line: str
    number: str
    voice: str
    at: int
    start: int
    length: int


@dataclass(frozen=True, slots=True)
class Returned:
    """What a timeline says: by how many samples each line's file lies later (0: it was not touched), and what is odd."""

    moved: tuple[tuple[Handed, int], ...]
    remarks: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class MoveVoices:
    """Several readings moved at once: each take or comp begins so many samples later."""

    moves: tuple[tuple[str, int], ...]

    def on_state(self, state: State, new_id: NewId) -> Done:
        """The state after it.

        Raises:
            EditRefused: when one of them is not there, or nothing is to be moved.
        """
        if not self.moves:
            raise EditRefused("Nothing lies elsewhere, so nothing was moved.")
        for voice, by in self.moves:
            state, _ = standing.moved(state, voice, by)
        return state, f"{len(self.moves)} reading{'s' if len(self.moves) != 1 else ''} moved"


def returned(data: bytes, files: Mapping[str, Handed], rate: FrameRate, start_frame: int, length: int) -> Returned:
    """What has become of handed over files in a timeline. An OTIO tells it to the sample, an EDL to the frame.

    Args:
        data: the timeline's file, OTIO or EDL.
        files: what was handed over, by its name; of two with one name the later.
        rate: of the production.
        start_frame: timecode of the programme's first frame, in frames since midnight.
        length: samples of the programme.

    Raises:
        TimelineRefused: when it is no timeline, or holds nothing that was handed over.
    """
    text = decoded(data)
    by_frames = not text.lstrip().startswith("{")
    clips, start, remarks = edl.sounds(text, rate) if by_frames else otio_json.sounds(text, rate)
    known = _by_name(files)
    found: dict[str, list[Placed]] = defaultdict(list)
    others: list[str] = []
    for clip in clips:
        name = next((key for each in (clip.medium, *clip.names) if (key := _key(each, known))), None)
        if name is None:
            others.append(clip.medium)
        else:
            found[name].append(clip)
    if not found:
        raise TimelineRefused(
            "None of the sounds in this timeline is a file that was handed over from here. Nothing was changed."
        )
    zero = _zero(clips, start, rate, start_frame, length)
    moved, apart, trimmed = [], [], []
    for name, parts in found.items():
        one = known[name]
        distances = {_distance(clip, one, zero, rate, start_frame, by_frames) for clip in parts}
        if len(distances) > 1:
            apart.append(one.number)
            continue
        moved.append((one, distances.pop()))
        if sum(_samples(clip.end - clip.start) for clip in parts) < one.length - _ROUNDED:
            trimmed.append(one.number)
    return Returned(tuple(moved), tuple(_said(remarks, apart, trimmed, _missing(known, found), others)))


def _by_name(files: Mapping[str, Handed]) -> dict[str, Handed]:
    return {PurePosixPath(path).name.casefold(): one for path, one in files.items()}


def _key(name: str, known: Mapping[str, Handed]) -> str | None:
    """The file that a name means: itself, or the only one that is called so but for its ending."""
    wanted = PurePosixPath(name.replace("\\", "/")).name.casefold()
    if wanted in known:
        return wanted
    stems = [key for key in known if PurePosixPath(key).stem == PurePosixPath(wanted).stem]
    return stems[0] if len(stems) == 1 else None


def _missing(known: Mapping[str, Handed], found: Iterable[str]) -> list[str]:
    """Lines of the same handovers that are not in the timeline."""
    there = {known[name].line for name in found}
    return [number for line, number in {one.line: one.number for one in known.values()}.items() if line not in there]


def _samples(seconds: Fraction) -> int:
    return round(seconds * SAMPLE_RATE)


def _zero(clips: Sequence[Placed], start: int | None, rate: FrameRate, start_frame: int, length: int) -> int:
    """Programme sample of the timeline's second 0: by its timecode; where that would lay it outside of the programme,
    the timeline was made to begin elsewhere, and its beginning is the programme's."""
    by_code = rate.first_sample((start or 0) - start_frame) if start is not None else 0
    day, margin = rate.first_sample(round(24 * 3600 * rate.fps)), 600 * SAMPLE_RATE
    for zero in (by_code, by_code + day, by_code - day):
        if any(-margin <= zero + _samples(clip.start) <= length + margin for clip in clips):
            return zero
    return 0


def _distance(clip: Placed, one: Handed, zero: int, rate: FrameRate, start_frame: int, by_frames: bool) -> int:
    """Samples by which a file begins later than it did."""
    offset = _samples(clip.first)
    if clip.from_midnight:
        # What of the file is heard is told by its own timecode, or counted from its beginning.
        of_day = rate.first_sample(start_frame) + one.start
        inside = (each for each in (offset - of_day, offset) if -_ROUNDED <= each < one.length)
        offset = next(inside, 0)
    origin = zero + _samples(clip.start) - offset
    if not by_frames:
        return origin - one.start
    # What was told with the nearest frame is compared with that: nothing moves by a rounding.
    now, then = (rate.nearest_frame(at) for at in (origin, one.start))
    return rate.first_sample(now) - rate.first_sample(then)


def _said(
    remarks: Sequence[str], apart: Sequence[str], trimmed: Sequence[str], missing: Sequence[str], others: Sequence[str]
) -> list[str]:
    said = list(remarks)
    for numbers, one, many in (
        (apart, "line {} was cut into parts that lie apart, and was left alone", "lines {} were cut into parts that lie "
         "apart, and were left alone"),
        (trimmed, "line {} was shortened; here it was only moved", "lines {} were shortened; here they were only moved"),
        (missing, "line {} is not in it, and was left alone", "lines {} are not in it, and were left alone"),
    ):  # fmt: skip
        if numbers:
            said.append((one if len(numbers) == 1 else many).format(listed(numbers, 8)))
    names = list(dict.fromkeys(others))
    if names:
        said.append(f"not from here, and left out: {listed(names)}")
    return said
