"""Shots corrected by hand: parted at a frame, joined, named. A film's shots cover it without a hole."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

from fendo_core.production.refusal import EditRefused
from fendo_core.timebase import FrameRate, Span

LONGEST_NAME = 80


@dataclass(frozen=True, slots=True)
class Shot:
    """A stretch of the picture between two cuts, on whole frames."""

    span: Span
    name: str = ""


def shot_at(shots: Sequence[Shot], at: int) -> int:
    """Index of the shot that sample `at` lies in; the last one for what is behind the film.

    Raises:
        EditRefused: when there is no shot.
    """
    if not shots:
        raise EditRefused("There is no picture yet, so there are no shots.")
    return next((n for n, shot in enumerate(shots) if at < shot.span.end), len(shots) - 1)


def part(shots: Sequence[Shot], at: int, rate: FrameRate) -> tuple[Shot, ...]:
    """A new shot begins on the frame shown at sample `at`. The name stays with the first part.

    Raises:
        EditRefused: on the first frame of a shot, which begins there already.
    """
    index = shot_at(shots, at)
    shot, cut = shots[index], rate.snap(at)
    if cut <= shot.span.start or cut >= shot.span.end:
        raise EditRefused(f"Shot {index + 1} begins here already. Move to the frame on which the new one begins.")
    parts = (replace(shot, span=Span(shot.span.start, cut)), Shot(Span(cut, shot.span.end)))
    return (*shots[:index], *parts, *shots[index + 1 :])


def join(shots: Sequence[Shot], at: int) -> tuple[Shot, ...]:
    """The shot at sample `at` and the one before it made one; the name is the first one's, else the second's.

    Raises:
        EditRefused: for the first shot.
    """
    index = shot_at(shots, at)
    if index == 0:
        raise EditRefused("This is the first shot: there is none before it to join it with.")
    before, shot = shots[index - 1], shots[index]
    one = Shot(Span(before.span.start, shot.span.end), before.name or shot.name)
    return (*shots[: index - 1], one, *shots[index + 1 :])


def name(shots: Sequence[Shot], at: int, text: str) -> tuple[Shot, ...]:
    """The shot at sample `at` called `text`, or nothing.

    Raises:
        EditRefused: for a name that is too long.
    """
    called = checked_name(text)
    index = shot_at(shots, at)
    return (*shots[:index], replace(shots[index], name=called), *shots[index + 1 :])


def checked_name(text: str) -> str:
    """A shot's name with its white space folded.

    Raises:
        EditRefused: for a name that is too long.
    """
    called = " ".join(text.split())
    if len(called) > LONGEST_NAME:
        raise EditRefused(f"A shot's name may have {LONGEST_NAME} letters, and this one has {len(called)}.")
    return called
