"""Where one shot ends and the next begins, found in tiny grey frames."""

from collections.abc import Iterable, Iterator

import numpy as np
from numpy.typing import NDArray

from fendo_core.timebase import FrameRate, Span

WIDTH, HEIGHT = 64, 36


def find_cuts(frames: NDArray[np.uint8], shortest: int = 8) -> list[int]:
    """Frame numbers at which a new shot begins, without 0.

    A hard cut is a difference, in place and in the histogram, that stands far above its neighbourhood. A flash is none:
    after it the picture is again what it was before. A fade is none: it moves little from frame to frame. Of a dissolve the
    frame in its middle is told, where it can be told from movement.

    Args:
        frames: shape (n, HEIGHT, WIDTH), grey.
        shortest: frames a shot has at least.
    """
    count = len(frames)
    if count < 2 * shortest:
        return []
    flat = frames.reshape(count, -1).astype(np.int16)
    moved = np.abs(np.diff(flat, axis=0)).mean(axis=1)
    histograms = np.stack([np.bincount(row >> 4, minlength=16) for row in flat]).astype(np.float64) / flat.shape[1]
    changed = np.abs(np.diff(histograms, axis=0)).sum(axis=1) / 2
    score = moved / 255.0 + 0.5 * changed
    cuts: list[int] = []
    for at in np.flatnonzero((score > 0.06) & (moved > 4.0)):
        around = np.concatenate((score[max(0, at - 8) : at], score[at + 1 : at + 9]))
        # The peak must be the highest of its near neighbours only: a flash half a second away is no rival.
        beside = np.concatenate((score[max(0, at - 3) : at], score[at + 1 : at + 4]))
        if len(beside) == 0 or score[at] < 0.03 + 3.0 * float(np.median(around)) or score[at] < float(beside.max()):
            continue
        frame = int(at) + 1
        after = min(count - 1, frame + 4)
        if np.abs(flat[after] - flat[at]).mean() < 0.4 * np.abs(flat[frame] - flat[at]).mean():
            continue
        before = max(0, int(at) - 4)
        if np.abs(flat[frame] - flat[before]).mean() < 0.4 * np.abs(flat[frame] - flat[at]).mean():
            continue
        if frame - (cuts[-1] if cuts else 0) >= shortest and count - frame >= shortest:
            cuts.append(frame)
    far = [at for at in _dissolves(flat, cuts) if all(abs(at - cut) >= shortest for cut in (0, count, *cuts))]
    return sorted([*cuts, *far])


WINDOW = 3_000
"""Frames that are looked at together; two hours at once would need gigabytes."""
_MARGIN = 64
"""Frames at the edges of a window that are judged in its neighbour, where they have neighbours on both sides."""


def find_cuts_in(blocks: Iterable[NDArray[np.uint8]], shortest: int = 8) -> tuple[list[int], int]:
    """The cuts of a film that comes block by block, and how many frames came; memory does not grow with its length.

    Args:
        blocks: frames in order, shape (n, HEIGHT, WIDTH), grey; any sizes.
        shortest: frames a shot has at least.
    """
    cuts: list[int] = []
    first = judged = count = 0
    for window, is_last in _windows(blocks):
        count = first + len(window)
        until = count if is_last else count - _MARGIN
        for cut in find_cuts(window, shortest):
            at = first + cut
            # Where two windows met one may have been told a frame or two beside the other.
            if judged <= at < until and (not cuts or at - cuts[-1] >= shortest):
                cuts.append(at)
        judged, first = until, count - 2 * _MARGIN
    return cuts, count


def _windows(blocks: Iterable[NDArray[np.uint8]]) -> Iterator[tuple[NDArray[np.uint8], bool]]:
    """Windows of frames, each beginning with the last of the one before; and whether it is the last."""
    waiting: list[NDArray[np.uint8]] = []
    there = 0
    for block in blocks:
        waiting.append(block)
        there += len(block)
        if there >= WINDOW + 2 * _MARGIN:
            window = np.concatenate(waiting)
            yield window, False
            waiting, there = [window[-2 * _MARGIN :].copy()], 2 * _MARGIN
    if waiting:
        yield np.concatenate(waiting), True


_DISSOLVE = 16
"""Frames between the two that are compared: shorter dissolves lie inside, of longer ones the middle does."""
_BLENDED = 0.13
"""Share of the change that a blend of both ends leaves unexplained; pans left 0.135 or more on made films."""


def _dissolves(flat: NDArray[np.int16], cuts: list[int]) -> list[int]:
    """Frames in the middle of a dissolve: each frame in between is a blend of both ends, by a share that rises evenly.

    A fade is none, since one of its ends is flat; a pan is none, since what moves is no blend of before and after.
    """
    length, found, best = _DISSOLVE, list[int](), 1.0
    spread = flat.std(axis=1)
    changed = np.abs(flat[length:] - flat[:-length]).mean(axis=1) > 9.0
    for at in np.flatnonzero(changed & (spread[length:] > 5.0) & (spread[:-length] > 5.0)):
        if any(at < cut <= at + length for cut in cuts):
            continue
        start = flat[at].astype(np.float32)
        whole = flat[at + length] - start
        if np.corrcoef(start, flat[at + length])[0, 1] > 0.7:
            continue
        between = flat[at + 1 : at + length] - start
        shares = between @ whole / (whole @ whole)
        steps = np.diff(np.concatenate(([0.0], shares, [1.0])))
        left = np.linalg.norm(between - shares[:, None] * whole, axis=1).mean() / np.linalg.norm(whole)
        if steps.max() > 0.4 or steps.min() < -0.12 or left > _BLENDED:
            continue
        middle = int(at) + 1 + int(np.argmin(np.abs(shares - 0.5)))
        if found and middle - found[-1] < 2 * length:
            # One dissolve is met by many windows: the one that is explained best says where it is.
            if left < best:
                found[-1], best = middle, float(left)
            continue
        found.append(middle)
        best = float(left)
    return found


def shots(cuts: list[int], frames: int, rate: FrameRate) -> list[Span]:
    """The shots between the cuts, as programme spans."""
    edges = [0, *cuts, frames]
    return [Span(rate.first_sample(a), rate.first_sample(b)) for a, b in zip(edges, edges[1:], strict=False)]
