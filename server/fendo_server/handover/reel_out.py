"""The picture of the film that is handed over: one film untouched, or every clip drawn and put together."""

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from pathlib import Path

from PIL import Image

from fendo_core.handover.forms import FilmForm
from fendo_core.picture import codec
from fendo_core.picture.cards import draw_card
from fendo_core.picture.reel import Clip
from fendo_core.production.state import State
from fendo_core.timebase import FrameRate
from fendo_server.picture.models import Source
from fendo_server.picture.services import facts_of
from fendo_server.work import running

LARGEST = (1920, 1080)
DRAWN = 0.8
"""Of the work on a film whose clips are drawn so much is the drawing."""
_SEEKABLE = ("mov", "matroska")
"""What has an index: in other films a seek lands several frames off, and they are read from the beginning."""


@dataclass(frozen=True)
class PictureOut:
    """ffmpeg's arguments for the picture, and whether its clips were drawn."""

    inputs: list[str]
    options: list[str]
    drawn: bool


def folder_of(making: Path) -> Path:
    """Where the clips of a film that is being made lie."""
    return making.with_name(f"{making.name}-clips")


def picture(
    present: State,
    sources: dict[str, Source],
    form: FilmForm,
    making: Path,
    progress: running.Progress,
    first: float,
    last: float,
) -> PictureOut:
    """The picture of a production's reel, as inputs and options.

    One clip that shows a whole film is copied as it is, where its codec allows. Drawing takes the job from `first` to
    `last`.
    """
    only = present.clips[0]
    stored = sources.get(only.source or "")
    if len(present.clips) == 1 and stored and stored.kind == Source.Kind.FILM and only.first == 0:
        facts = facts_of(stored)
        if only.length == present.sources[str(stored.id)].frames and facts.rate.fps == present.rate.fps:
            copied = facts.copyable if form.copies is None else facts.codec in form.copies
            options = ["-c:v", "copy"] if copied else ["-vf", _fps(present.rate), *form.picture]
            return PictureOut(codec.input_of(stored.original, facts.kind), options, False)
    folder = folder_of(making)
    folder.mkdir(parents=True, exist_ok=True)
    size, done, whole = size_of(sources.values()), 0, sum(clip.length for clip in present.clips)
    listed = []
    for number, clip in enumerate(present.clips):
        name = f"{number:05}.mp4"
        begun, ended = (first + (last - first) * frame / whole for frame in (done, done + clip.length))
        report = progress.part(begun, ended, f"drawing clip {number + 1} of {len(present.clips)}")
        _draw(clip, sources.get(clip.source or ""), present.rate, size, form, folder / name, report)
        listed.append(f"file '{name}'\n")
        done += clip.length
    (folder / "clips.txt").write_text("".join(listed))
    inputs = ["-protocol_whitelist", "file", "-f", "concat", "-safe", "1", "-i", f"file:{folder / 'clips.txt'}"]
    return PictureOut(inputs, ["-c:v", "copy"], True)


def _fps(rate: FrameRate) -> str:
    return f"fps={rate.fps.numerator}/{rate.fps.denominator}"


def size_of(sources: Iterable[Source]) -> tuple[int, int]:
    """Width and height of the film: the first film's, at most `LARGEST`; 1920 × 1080 where there are only stills."""
    first = next((s for s in sources if s.kind == Source.Kind.FILM and s.facts.get("width")), None)
    wide, high = (first.facts["width"], first.facts["height"]) if first else LARGEST
    share = min(1.0, LARGEST[0] / wide, LARGEST[1] / high)
    return round(wide * share / 2) * 2, round(high * share / 2) * 2


def fitted(size: tuple[int, int]) -> str:
    """The filter that puts a picture whole into a size, whatever its shape."""
    wide, high = size
    return f"scale={wide}:{high}:force_original_aspect_ratio=decrease,pad={wide}:{high}:-1:-1,setsar=1"


def still(clip: Clip, stored: Source | None, rate: FrameRate, size: tuple[int, int], drawn: Path) -> list[str]:
    """A clip that shows one picture as an input that goes on and on; the picture is drawn into `drawn`."""
    if stored:
        with Image.open(stored.derived / f"page-{clip.page:04}.jpg") as page:
            page.save(drawn)
    else:
        draw_card(clip.name, clip.colour, size).save(drawn)
    fps = f"{rate.fps.numerator}/{rate.fps.denominator}"
    return ["-protocol_whitelist", "file", "-f", "image2", "-loop", "1", "-framerate", fps, "-i", f"file:{drawn}"]


def _draw(
    clip: Clip,
    stored: Source | None,
    rate: FrameRate,
    size: tuple[int, int],
    form: FilmForm,
    target: Path,
    report: Callable[[float], None],
) -> None:
    """One clip as a film of exactly its frames, every one of them decodable by the same decoder."""
    start = clip.first / rate.fps
    if stored and stored.kind == Source.Kind.FILM:
        facts = facts_of(stored)
        smooth = "bwdif=mode=send_frame," if facts.interlaced else ""
        # It begins half a frame before the wanted one: rounding in the container must not cost a frame.
        begin = max(0.0, float(start - 1 / (2 * facts.rate.fps)))
        arguments, trim = codec.input_of(stored.original, facts.kind), ""
        if facts.kind in _SEEKABLE:
            arguments = ["-ss", f"{begin:.6f}", *arguments]
        else:
            trim = f"setpts=PTS-STARTPTS,trim=start={begin:.6f},"
        # The last frame is held where the production's grid asks for one more than the film has.
        filters = f"{smooth}{trim}setpts=PTS-STARTPTS,{_fps(rate)},{fitted(size)},tpad=stop_mode=clone:stop=-1"
    else:
        arguments, filters = still(clip, stored, rate, size, target.with_suffix(".png")), fitted(size)
    arguments += ["-map", "0:v:0", "-an", "-vf", filters, "-frames:v", str(clip.length), *form.picture]
    # In MP4, whatever the film will lie in: its time stamps are exact, so that nothing adds up over many clips.
    arguments += ["-video_track_timescale", "90000", "-f", "mp4"]
    seconds = clip.length / rate.fps
    codec.transcode(arguments, target, int(seconds * 1_000_000), report, seconds=300 + int(seconds * 10))
