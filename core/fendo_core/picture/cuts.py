"""Where one shot ends and the next begins, found in tiny grey frames."""

from collections.abc import Iterable, Iterator

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import maximum_filter1d, uniform_filter

from fendo_core.timebase import FrameRate, Span

WIDTH, HEIGHT = 64, 36


_BESIDE, _BACK, _VALLEY = 0.5, 0.45, 1.2
"""Seconds: around a cut that it is measured against; in which a flash is over; that a fade takes."""
_MEAN = 4
"""Frames of which a mean is taken, against noise."""
_SHIFTS = tuple((down, right) for down in range(-3, 4) for right in range(-6, 7))
"""By how many points a picture may have moved between two frames and be the same picture."""
_SAME = 0.82
"""Correlation from which two pictures are the same one, moved or in another light."""
_NEAR, _LEAP = 2, 3.0
"""Frames beside a cut, and how many times as far as in these the picture goes in it, above what is usual there."""
_STILL, _FLAT = 6.0, 8.0
"""How many times what moves near by, above noise, a part of a picture changes, at least: else something moves in front of
the rest; the standard deviation of a bare ground, of 255."""
_STEP, _MOVING = 0.25, 0.1
"""Seconds beside a cut in which these frames are; share of what happens in it that is movement, and no noise."""
_AGAIN = 0.75
"""Correlation from which a picture behind black is the one before it."""
_BLACK, _APART = 12.0, 0.75
"""The lightest of black, of 255; seconds between its edges and what else is a cut."""
_NEARLY_BLACK = 24.0
"""Mean of a picture, of 255, below which coding leaves little of it."""
_SMALLEST = 0.08
"""Share of the picture that changes in a cut, at least: less is a pointer, a word, a bubble."""


def find_cuts(frames: NDArray[np.uint8], shortest: int = 8, fps: float = 25.0) -> list[int]:
    """Frame numbers at which a new shot begins, without 0.

    A hard cut is a difference that stands above its neighbourhood on both sides, whatever the light, the contrast and the
    noise are there. It is none where the picture is soon again what it was (a flash), where both sides are one picture in
    another light (lights switched on) or a little moved (a pan, a shaking hand), and where little of it changes. A fade
    through black is one cut, in the middle of the black. Of a dissolve the frame in its middle is told, where it can be
    told from movement.

    Args:
        frames: shape (n, HEIGHT, WIDTH), grey.
        shortest: frames a shot has at least.
        fps: frames a second, for how long flashes and fades take.
    """
    count = len(frames)
    if count < 2 * shortest:
        return []
    film = _Film(frames.astype(np.float32), fps)
    faded, inside = film.fades()
    cuts: list[int] = []
    for at in film.candidates():
        frame = at + 1
        if any(a <= frame <= b for a, b in inside) or not film.is_cut(at):
            continue
        if cuts and frame - cuts[-1] < shortest:
            if film.moved[at] > film.moved[cuts[-1] - 1]:
                cuts[-1] = frame
        elif frame >= shortest and count - frame >= shortest:
            cuts.append(frame)

    def apart(places: Iterable[int], by: float) -> list[int]:
        return [at for at in places if all(abs(at - cut) >= by for cut in (0, count, *cuts))]

    cuts = sorted([*cuts, *apart(faded, shortest)])
    black = apart(film.edges_of_black(), _APART * fps)
    inside += [(at, at) for at in black]
    cuts = sorted([*cuts, *black])
    flat = frames.reshape(count, -1).astype(np.int16)
    far = apart(_dissolves(flat, cuts), shortest)
    far = [at for at in far if not any(a - _DISSOLVE <= at <= b + _DISSOLVE for a, b in inside)]
    return sorted([*cuts, *(at for at in far if film.is_another(at))])


class _Film:
    """Frames, and what moves from each to the next."""

    def __init__(self, frames: NDArray[np.float32], fps: float) -> None:
        self.frames, self.fps, self.count = frames, fps, len(frames)
        self.moved = np.abs(np.diff(frames, axis=0)).mean(axis=(1, 2))
        self.light = frames.mean(axis=(1, 2))
        low, self._high = np.percentile(frames.reshape(len(frames), -1), (5, 95), axis=1)
        self._spread = self._high - low
        sums = np.cumsum(frames, axis=0, dtype=np.float64)
        self._sums = np.concatenate((np.zeros((1, HEIGHT, WIDTH)), sums))

    def mean(self, first: int, last: int) -> NDArray[np.float32]:
        """The mean of some frames, as far as they are there."""
        first, last = max(0, first), min(self.count, last)
        mean: NDArray[np.float32] = ((self._sums[last] - self._sums[first]) / (last - first)).astype(np.float32)
        return mean

    def sides(self, at: int) -> tuple[NDArray[np.floating], NDArray[np.floating]]:
        """What moves before a frame and behind it, nearby."""
        half = round(_BESIDE * self.fps)
        return self.moved[max(0, at - half) : at], self.moved[at + 1 : at + 1 + half]

    def candidates(self) -> Iterator[int]:
        """Frames before which the picture moves more than anywhere near, on both sides."""
        moved = self.moved
        peaks = (moved >= maximum_filter1d(moved, 5, mode="nearest")) & (moved > 0.8)
        for at in map(int, np.flatnonzero(peaks)):
            sides = [side for side in self.sides(at) if len(side) >= 3]
            if not sides:
                continue
            # A flash or another cut nearby is a few large values: they do not count.
            most = max(float(np.percentile(side, 80, method="lower")) for side in sides)
            usual = max(float(np.median(side)) for side in sides)
            spread = max(1.48 * float(np.median(np.abs(side - np.median(side)))) for side in sides)
            if moved[at] > 0.25 + 1.25 * most and moved[at] > usual + min(8 * spread, 0.75 * usual):
                yield at

    def is_cut(self, at: int) -> bool:
        """Whether another picture begins behind frame `at`, and stays."""
        frame, last = at + 1, self.count - 1
        before, after = self.mean(frame - _MEAN, frame), self.mean(frame, frame + _MEAN)
        noise = self.usual(at)
        apart = np.abs(after - before)
        changed = float((apart > max(3.0, 1.2 * noise)).mean())
        if changed < _SMALLEST or not self._leaps(at) or self._comes_back(frame) or self._fades_on(frame):
            return False
        pairs = ((1, 0), (3, 2), (6, 5), (1, 2), (1, 4), (3, 0), (5, 0))
        if changed < 0.5:
            floor = self.floor(at)
            if self.moved[at] - floor < _STILL * (float(np.median(np.concatenate(self.sides(at)))) - floor):
                return False
            # Most of a slide stays: what counts is whether that part of it which changed is another.
            part = uniform_filter((apart > max(2.0, 1.2 * noise)).astype(np.float32), 3) > 0.1
            same = _correlation(before[part], after[part])
            if changed > 0.4:
                same = max(same, _alike(before, after))
            return same <= _SAME
        frames = self.frames
        return _alike(before, after) <= _SAME and not any(
            _alike(frames[max(0, frame - back)], frames[min(last, frame + on)]) > _SAME for back, on in pairs
        )

    def _leaps(self, at: int) -> bool:
        """Whether all of it happens between two frames: what moves quickly also moves in the frames beside.

        A blend of both pictures, as after a change of rate, is no movement, and the other end of a little black is none.
        """
        far = round(_STEP * self.fps)
        # Where each frame is shown several times it moves in some of them only.
        near = range(max(0, at - far), min(self.count - 1, at + far + 1))
        floor = self.floor(at)
        moving = [n for n in near if self.moved[n] - floor > _MOVING * (self.moved[at] - floor)]
        beside = [n for n in moving if n < at][-_NEAR:] + [n for n in moving if n > at][:_NEAR]
        others = [float(self.moved[n]) for n in beside if not self._is_between(min(at, n) + 1, max(at, n) + 1)]
        usual = self.usual(at)
        return float(self.moved[at]) - usual > _LEAP * (max(others, default=0.0) - usual)

    def _is_bare_black(self, frame: int) -> bool:
        return bool(self.light[frame] < _NEARLY_BLACK and self.frames[frame].std() < _FLAT)

    def _is_between(self, first: int, last: int) -> bool:
        """Whether frames are black, or the only one is a blend of the one before it and the one behind it."""
        if all(map(self._is_bare_black, range(first, last))):
            return True
        if last - first > 1 or last >= self.count:
            return False
        one, between, other = (self.frames[n].ravel() for n in (first - 1, first, last))
        shares, left = _as_blends(one, between[None], other)
        return 0.1 < shares[0] < 0.9 and left < _BLENDED

    def floor(self, at: int) -> float:
        """How much moves nearby where nothing does: noise."""
        return float(np.percentile(np.concatenate(self.sides(at)), 10))

    def usual(self, at: int) -> float:
        """How much moves from frame to frame nearby, on the side where that is more."""
        return max(float(np.median(side)) if len(side) else 0.0 for side in self.sides(at))

    def is_another(self, middle: int) -> bool:
        """Whether a dissolve leads to another picture: not to the same one in another light, or moved on."""
        last = self.count - 1
        around = self.moved[max(0, middle - _DISSOLVE) : middle + _DISSOLVE]
        # A light that comes on takes a few frames, in which it all happens.
        length = int((around > 0.5 * around.max()).sum()) if len(around) else 0
        pairs = {length // 2 + 2, _DISSOLVE // 2, _DISSOLVE * 3 // 4, _DISSOLVE}
        for far in pairs:
            before = self.mean(max(0, middle - far - 2), max(1, middle - far + 1))
            after = self.mean(min(last, middle + far), min(self.count, middle + far + 3))
            # In the dark noise hides how much of it is the same.
            if _alike(before, after) > (_SAME if before.mean() > 40 < after.mean() else 0.6):
                return False
        return not self._moves_on(middle, 1)

    def _moves_on(self, at: int, by: int) -> bool:
        """Whether the picture behind a frame is the one before it, elsewhere."""
        one, other = self.frames[max(0, at - by)], self.frames[min(self.count - 1, at + by)]
        in_place = _correlation(_without_light(one), _without_light(other))
        return _alike(one, other) > max(_SAME, in_place + 0.08)

    def _comes_back(self, frame: int) -> bool:
        """A flash, at its beginning or at its end: near by, on the other side, is the same picture again."""
        horizon = round(_BACK * self.fps)
        before, after = self.mean(frame - 3, frame), self.mean(frame, frame + 3)
        ahead = [self.mean(n, n + 2) for n in range(frame + 2, min(self.count - 1, frame + horizon))]
        behind = [self.mean(n - 2, n) for n in range(max(2, frame - horizon), frame - 1)]
        nearest, there, back = min(
            [(float(np.abs(each - before).mean()), n, 0) for n, each in enumerate(ahead)]
            + [(float(np.abs(each - after).mean()), n, 1) for n, each in enumerate(behind)],
            default=(np.inf, 0, 0),
        )
        if nearest >= 0.45 * max(float(np.abs(after - before).mean()), 0.7 * float(self.moved[frame - 1])):
            return False
        # Black between two bright pictures is farther from both than they are from one another.
        if not self._is_bare_black(frame - 1 if back else frame):
            return True
        return _alike(behind[there], after) > _AGAIN if back else _alike(ahead[there], before) > _AGAIN

    def _fades_on(self, frame: int) -> bool:
        """Whether a picture that is nearly black gets ever darker, or ever lighter, before and after: its coding jumps."""
        half = round(_BESIDE * self.fps)
        before, after = self.light[max(0, frame - half) : frame], self.light[frame : frame + half]
        if min(len(before), len(after)) < 4 or max(before[-1], after[0]) > _NEARLY_BLACK:
            return False
        if before[0] < after[-1]:
            before, after = after[::-1], before[::-1]
        steps = np.diff(np.concatenate((before, after)))
        steadily = steps[steps > 0].sum() < -0.1 * steps[steps < 0].sum()
        return bool(before[-1] < 0.9 * before[0] and after[-1] < 0.9 * after[0] and steadily)

    def fades(self) -> tuple[list[int], list[tuple[int, int]]]:
        """Fades through black: the frames in the middle of the black, and the spans from fading out to having faded in."""
        count, width = self.count, round(_VALLEY * self.fps)
        spread = self._spread
        # Nothing is black beside pictures that have no more contrast.
        around = maximum_filter1d(spread, 2 * width + 1, mode="nearest")
        middles: list[int] = []
        spans: list[tuple[int, int]] = []
        at = 0
        while at < count:
            left = float(spread[max(0, at - width) : at + 1].max()) if spread[at] < 0.25 * around[at] else 0.0
            right = float(spread[at : at + width + 1].max()) if left else 0.0
            peak = min(left, right)
            if peak <= 12 or spread[at] >= 0.25 * peak:
                at += 1
                continue
            end = at
            while end < count and spread[end] < 0.25 * peak:
                end += 1
            first, last = at, end - 1
            while first > 0 and at - first < width and spread[first - 1] > 1.01 * spread[first]:
                first -= 1
            while last < count - 1 and last - end < width and spread[last + 1] >= 1.01 * spread[last]:
                last += 1
            if (at - first >= 3 or last - end >= 2) and self._is_black(at, end, first, last, spread[at:end], peak):
                middles.append((at + end) // 2)
                spans.append((first, last + 1))
            at = end
        return middles, spans

    def edges_of_black(self) -> list[int]:
        """Where black begins and ends that stays, with or without a few words on it: it is a shot of its own."""
        longest = round(_VALLEY * self.fps)
        spread = self._spread
        black = np.concatenate(([0], (self._high < _BLACK).astype(np.int8), [0]))
        starts, ends = np.flatnonzero(np.diff(black) > 0), np.flatnonzero(np.diff(black) < 0)
        found: list[int] = []
        for start, end in zip(map(int, starts), map(int, ends), strict=True):
            # At the head of a film it belongs to what follows.
            if start > 0 and end - start > longest:
                sides = (start, spread[max(0, start - longest) : start]), (end, spread[end : end + longest])
                found += [at for at, side in sides if len(side) and side.max() > 2 * _NEARLY_BLACK]
        return found

    def _is_black(self, at: int, end: int, first: int, last: int, contrast: NDArray[np.floating], peak: float) -> bool:
        frames = self.frames
        before, after = frames[max(0, first - 1)], frames[min(self.count - 1, last + 1)]
        darkest = frames[at + int(np.argmin(contrast))]
        return bool(
            contrast.min() < max(6.0, 0.08 * peak)
            and frames[at:end].mean() < 0.6 * min(before.mean(), after.mean())
            and _alike(before, after) < 0.8
            and max(_alike(darkest, before), _alike(darkest, after)) < 0.5
        )


def _without_light(picture: NDArray[np.float32]) -> NDArray[np.float32]:
    """A picture less its mean nearby: what is left is the same in another light."""
    return np.asarray(picture - uniform_filter(picture, 9), np.float32)


def _correlation(one: NDArray[np.float32], other: NDArray[np.float32]) -> float:
    """From -1 to 1; a bare ground is like another one, and like no picture."""
    one, other = one - one.mean(), other - other.mean()
    powers = float((one * one).sum()), float((other * other).sum())
    if min(powers) <= 0:
        return float(max(powers) <= 0)
    return float((one * other).sum()) / float(np.sqrt(powers[0] * powers[1]))


def _alike(one: NDArray[np.float32], other: NDArray[np.float32]) -> float:
    """The highest correlation of two pictures without their light, one moved against the other by a few points."""
    one, other = _without_light(one), _without_light(other)
    best = -1.0
    for down, right in _SHIFTS:
        here = one[max(0, down) : HEIGHT + min(0, down), max(0, right) : WIDTH + min(0, right)]
        there = other[max(0, -down) : HEIGHT + min(0, -down), max(0, -right) : WIDTH + min(0, -right)]
        best = max(best, _correlation(here, there))
    return best


WINDOW = 3_000
"""Frames that are looked at together; two hours at once would need gigabytes."""
_MARGIN = 160
"""Frames at the edges of a window that are judged in its neighbour, where they have neighbours on both sides."""


def find_cuts_in(blocks: Iterable[NDArray[np.uint8]], shortest: int = 8, fps: float = 25.0) -> tuple[list[int], int]:
    """The cuts of a film that comes block by block, and how many frames came; memory does not grow with its length.

    Args:
        blocks: frames in order, shape (n, HEIGHT, WIDTH), grey; any sizes.
        shortest: frames a shot has at least.
        fps: frames a second.
    """
    cuts: list[int] = []
    first = judged = count = 0
    for window, is_last in _windows(blocks):
        count = first + len(window)
        until = count if is_last else count - _MARGIN
        for cut in find_cuts(window, shortest, fps):
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


def _as_blends(
    start: NDArray[np.float32], between: NDArray[np.float32 | np.int16], end: NDArray[np.float32 | np.int16]
) -> tuple[NDArray[np.floating], float]:
    """The share of the end in each frame, as a blend of both ends, and the mean share of the change that this leaves."""
    whole, parts = end - start, between - start
    shares = parts @ whole / max(float(whole @ whole), 1e-6)
    left = np.linalg.norm(parts - shares[:, None] * whole, axis=1).mean() / max(float(np.linalg.norm(whole)), 1e-6)
    return shares, float(left)


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
        if np.corrcoef(start, flat[at + length])[0, 1] > 0.7:
            continue
        shares, left = _as_blends(start, flat[at + 1 : at + length], flat[at + length])
        steps = np.diff(np.concatenate(([0.0], shares, [1.0])))
        if steps.max() > 0.4 or steps.min() < -0.12 or left > _BLENDED:
            continue
        middle = int(at) + 1 + int(np.argmin(np.abs(shares - 0.5)))
        if found and middle - found[-1] < 2 * length:
            # One dissolve is met by many windows: the one that is explained best says where it is.
            if left < best:
                found[-1], best = middle, left
            continue
        found.append(middle)
        best = left
    return found


def shots(cuts: list[int], frames: int, rate: FrameRate) -> list[Span]:
    """The shots between the cuts, as programme spans."""
    edges = [0, *cuts, frames]
    return [Span(rate.first_sample(a), rate.first_sample(b)) for a, b in zip(edges, edges[1:], strict=False)]
