"""Made films of many kinds, with their cuts."""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter, zoom

from fendo_core.picture.cuts import HEIGHT, WIDTH, find_cuts
from fendo_core.picture.scores import CutScores, cut_scores

SHOTS = 8
NEAR = 1
"""Frames by which a hard cut may be off; a dissolve counts as found anywhere inside of it."""

Dice = np.random.Generator
Frames = list[NDArray[np.float64]]
Film = tuple[Frames, list[int]]
_FINE = 8
"""Points of a drawn slide for one of a frame."""


def _field(dice: Dice, mean: float | None = None, contrast: float | None = None) -> NDArray[np.float64]:
    """A large moving field of cloud."""
    field = gaussian_filter(dice.standard_normal((HEIGHT * 3, WIDTH * 8)), dice.uniform(2, 5))
    mean = dice.uniform(60, 190) if mean is None else mean
    return mean + (dice.uniform(15, 45) if contrast is None else contrast) * field / field.std()


def _scene(dice: Dice, count: int, mean: float | None = None, contrast: float | None = None) -> Frames:
    field, speed = _field(dice, mean, contrast), dice.uniform(0, 0.8)
    return [field[HEIGHT : 2 * HEIGHT, int(n * speed) :][:, :WIDTH] for n in range(count)]


def plain(dice: Dice, shots: int = 7, mean: float | None = None, contrast: float | None = None) -> Film:
    """Shots that drift."""
    frames: Frames = []
    cuts = []
    for _ in range(shots):
        cuts += [len(frames)] if frames else []
        frames += _scene(dice, int(dice.integers(35, 80)), mean, contrast)
    return frames, cuts


def dark(dice: Dice) -> Film:
    """Near black."""
    return plain(dice, mean=dice.uniform(12, 25), contrast=dice.uniform(4, 8))


def pale(dice: Dice) -> Film:
    """Of low contrast."""
    return plain(dice, mean=dice.uniform(90, 140), contrast=dice.uniform(4, 8))


def _slide(dice: Dice, ground: NDArray[np.float64]) -> NDArray[np.float64]:
    slide = ground.copy()
    ink = 30 if slide[20, 20] > 128 else 230
    y = int(dice.integers(20, 50))
    slide[y : y + 14, 40 : 40 + int(dice.integers(120, 380))] = 0.9 * ink + 0.1 * slide[20, 20]
    y += 40
    for _ in range(int(dice.integers(2, 7))):
        x, end = 50, min(460, 50 + int(dice.integers(150, 400)))
        while x < end:
            width = int(dice.integers(10, 45))
            slide[y : y + 8, x : x + width] = ink
            x += width + 6
        y += int(dice.integers(22, 34))
        if y > HEIGHT * _FINE - 20:
            break
    return slide


def _shrunk(slide: NDArray[np.float64]) -> NDArray[np.float64]:
    return slide.reshape(HEIGHT, _FINE, WIDTH, _FINE).mean(axis=(1, 3))


def slides(dice: Dice) -> Film:
    """Rows of text on one ground, with a bar and a sign that stay."""
    ground = np.full((HEIGHT * _FINE, WIDTH * _FINE), float(dice.choice([250, 245, 20, 35])))
    ground[-14:] = 120
    ground[:10, :60] = 90
    frames: Frames = []
    cuts = []
    for _ in range(SHOTS):
        cuts += [len(frames)] if frames else []
        frames += [_shrunk(_slide(dice, ground))] * int(dice.integers(40, 90))
    return frames, cuts


def screens(dice: Dice) -> Film:
    """A recorded screen: windows of text, a pointer that wanders, a row being typed."""
    frames: Frames = []
    cuts = []
    for _ in range(6):
        ground = np.full((HEIGHT * _FINE, WIDTH * _FINE), float(dice.choice([250, 245, 20, 35])))
        window, at = _slide(dice, ground), 50
        cuts += [len(frames)] if frames else []
        x = y = 100
        for n in range(int(dice.integers(60, 120))):
            if n % 5 == 0 and at < 400:
                window[220:228, at : at + 12] = 30 if window[20, 20] > 128 else 230
                at += 16
            x, y = (int(np.clip(place + dice.integers(-8, 9), 0, 270)) for place in (x, y))
            shown = window.copy()
            shown[y : y + 12, x : x + 8] = 0
            frames.append(_shrunk(shown))
    return frames, cuts


def flashes(dice: Dice) -> Film:
    """A flash in each shot that decays over 2 to 8 frames."""
    frames, cuts = plain(dice, 5)
    for start, end in zip([0, *cuts], [*cuts, len(frames)], strict=True):
        at, length = int(dice.integers(start + 14, end - 16)), int(dice.integers(2, 9))
        for n in range(length):
            share = n / length
            frames[at + n] = frames[at + n] * share + 250 * (1 - share)
    return frames, cuts


def lights(dice: Dice) -> Film:
    """Lights that come on in each shot."""
    frames, cuts = plain(dice, 5)
    for start, end in zip([0, *cuts], [*cuts, len(frames)], strict=True):
        at, dim, ramp = int(dice.integers(start + 14, end - 14)), dice.uniform(0.15, 0.4), int(dice.integers(1, 4))
        for n in range(start, at + ramp):
            frames[n] = frames[n] * (dim if n < at else dim + (1 - dim) * (n - at + 1) / (ramp + 1))
    return frames, cuts


def punches(dice: Dice) -> Film:
    """The same picture, again and again nearer."""
    frames: Frames = []
    cuts = []
    whole = _field(dice)[HEIGHT : 2 * HEIGHT, WIDTH : 2 * WIDTH]
    for shot in range(6):
        shown = whole
        if shot % 2:
            nearer = zoom(whole, dice.uniform(1.12, 1.5), order=1)
            y, x = (nearer.shape[0] - HEIGHT) // 2, (nearer.shape[1] - WIDTH) // 2
            shown = nearer[y : y + HEIGHT, x : x + WIDTH]
        else:
            whole = _field(dice)[HEIGHT : 2 * HEIGHT, WIDTH : 2 * WIDTH]
            shown = whole
        cuts += [len(frames)] if frames else []
        sway = dice.uniform(0, 0.3)
        frames += [np.roll(shown, round(sway * np.sin(n / 7)), 1) for n in range(int(dice.integers(35, 80)))]
    return frames, cuts


def pans(dice: Dice) -> Film:
    """One picture, moved over at changing speed."""
    field, at, speed = _field(dice), 0.0, 0.0
    frames: Frames = []
    for _ in range(6):
        next_speed, ramp = float(dice.choice([0, 0.5, 1, 1.5, 2])), int(dice.integers(3, 12))
        for n in range(int(dice.integers(25, 40))):
            at += speed + (next_speed - speed) * min(1.0, n / ramp)
            frames.append(field[HEIGHT : 2 * HEIGHT, int(at) :][:, :WIDTH])
        speed = next_speed
    return frames, []


def fades(dice: Dice) -> Film:
    """Shots that fade out to black and in again; one cut each, in the middle of the black."""
    frames: Frames = []
    cuts = []
    for _ in range(6):
        scene, length = _scene(dice, int(dice.integers(50, 90))), int(dice.integers(8, 20))
        for n in range(length):
            scene[-1 - n] = scene[-1 - n] * (n / length)
            if frames:
                scene[n] = scene[n] * (n / length)
        if frames:
            black = int(dice.integers(0, 12))
            cuts.append(len(frames) + black // 2)
            frames += [np.zeros((HEIGHT, WIDTH))] * black
        frames += scene
    return frames, cuts


def bursts(dice: Dice) -> Film:
    """Shots that stand, in which something large moves in bursts in front of the rest; each frame once, or three times."""
    frames: Frames = []
    cuts = []
    for _ in range(5):
        cuts += [len(frames)] if frames else []
        ground, object_ = _field(dice)[:HEIGHT, :WIDTH], _field(dice)[:HEIGHT, :WIDTH]
        size, y, times = int(dice.integers(10, 22)), int(dice.integers(2, 12)), int(dice.choice([1, 1, 2, 3]))
        places = [int(dice.integers(0, WIDTH - size))]
        while len(places) * times < int(dice.integers(40, 70)):
            # It starts and stops softly, as bodies do.
            steps, to = int(dice.integers(5, 10)), int(dice.integers(0, WIDTH - size))
            eased = (1 - np.cos(np.pi * np.arange(1, steps + 1) / steps)) / 2
            places += [places[-1]] * int(dice.integers(3, 12))
            places += list(np.round(places[-1] + eased * (to - places[-1])).astype(int))
        for x in places:
            shown = ground.copy()
            shown[y : y + size, x : x + size] = object_[y : y + size, :size]
            frames += [shown] * times
    return frames, cuts


def blacks(dice: Dice) -> Film:
    """Shots with black between them that has no noise: a few frames, cut to and faded in from, or for long with a title."""
    frames: Frames = []
    cuts = []
    for _ in range(6):
        scene, how = _scene(dice, int(dice.integers(50, 80))), int(dice.integers(3))
        if frames and how == 0:
            cuts.append(len(frames))
            frames += [np.zeros((HEIGHT, WIDTH))] * int(dice.integers(1, 4))
        elif frames and how == 1:
            black, length = int(dice.integers(4, 16)), int(dice.integers(8, 20))
            cuts.append(len(frames) + black // 2)
            frames += [np.zeros((HEIGHT, WIDTH))] * black
            for n in range(length):
                scene[n] = scene[n] * ((n + 1) / (length + 1))
        elif frames:
            title = np.zeros((HEIGHT, WIDTH))
            title[17:19, 24:40] = 200
            cuts.append(len(frames))
            frames += (
                [np.zeros((HEIGHT, WIDTH))] * 6 + [title] * int(dice.integers(40, 60)) + [np.zeros((HEIGHT, WIDTH))] * 6
            )
            cuts.append(len(frames))
        frames += scene
    return frames, cuts


KINDS: dict[str, tuple[Callable[[Dice], Film], float, int]] = {
    "plain": (plain, 2.0, NEAR),
    "slides": (slides, 0.6, NEAR),
    "screen recordings": (screens, 0.8, NEAR),
    "dark": (dark, 1.2, NEAR),
    "dark and noisy": (dark, 4.0, NEAR),
    "low contrast": (pale, 1.2, NEAR),
    "noisy": (plain, 14.0, NEAR),
    "flashes": (flashes, 1.5, NEAR),
    "lights switched on": (lights, 1.0, NEAR),
    "punched in": (punches, 1.0, NEAR),
    "pans": (pans, 1.5, NEAR),
    "fades through black": (fades, 1.0, 12),
    "bursts of movement": (bursts, 1.0, NEAR),
    "pure black": (blacks, 0.0, 12),
}
"""What makes a film, the noise on it, and the frames by which a cut may be off."""


def score(kind: str, seed: int) -> CutScores:
    """Cuts of one made film."""
    make, noise, near = KINDS[kind]
    dice = np.random.default_rng([seed, sum(map(ord, kind))])
    frames, cuts = make(dice)
    noisy = np.stack(frames) + dice.normal(0, noise, (len(frames), HEIGHT, WIDTH))
    return cut_scores(cuts, find_cuts(np.clip(np.round(noisy), 0, 255).astype(np.uint8)), near)


def made(seed: int) -> tuple[NDArray[np.uint8], list[int], list[tuple[int, int]]]:
    """A film with all at once: its frames, its hard cuts, and the spans of its dissolves."""
    dice = np.random.default_rng(seed)
    frames: Frames = []
    hard, soft = [], []
    for shot in range(SHOTS):
        field = gaussian_filter(dice.standard_normal((HEIGHT, WIDTH * 4)), dice.uniform(2, 5))
        field = dice.uniform(50, 200) + dice.uniform(12, 45) * field / field.std()
        # One shot in four is panned fast.
        speed = dice.uniform(1.5, 2.7) if dice.random() < 0.25 else dice.uniform(0.0, 1.2)
        count = int(dice.integers(30, 70))
        own = [field[:, int(n * speed) % (WIDTH * 3) :][:, :WIDTH] for n in range(count)]
        if shot and dice.random() < 0.3:
            length = int(dice.integers(8, 25))
            start = len(frames) - length
            for n in range(length):
                share = (n + 1) / (length + 1)
                frames[start + n] = frames[start + n] * (1 - share) + own[0] * share
            soft.append((start, len(frames)))
        elif shot:
            hard.append(len(frames))
        frames += own
        if dice.random() < 0.3:
            at = len(frames) - int(dice.integers(12, 25))
            for n in range(int(dice.integers(1, 4))):
                frames[at + n] = np.full((HEIGHT, WIDTH), 250.0)
    noisy = np.stack(frames) + dice.normal(0, 2, (len(frames), HEIGHT, WIDTH))
    return np.clip(noisy, 0, 255).astype(np.uint8), hard, soft
