"""The drawings: each takes a cairo context of 960 x 540 points, seconds into the shot, and the share of it that is over."""

import math
from collections.abc import Callable

import cairocffi as cairo
import numpy as np

WIDTH, HEIGHT = 960, 540
Scene = Callable[[cairo.Context, float, float], None]
Colour = tuple[float, float, float]


def rgb(code: str) -> Colour:
    """`#rrggbb` as three shares."""
    return int(code[1:3], 16) / 255, int(code[3:5], 16) / 255, int(code[5:7], 16) / 255


def _sky(ctx: cairo.Context, top: str, low: str, height: float = HEIGHT) -> None:
    fade = cairo.LinearGradient(0, 0, 0, height)
    fade.add_color_stop_rgb(0, *rgb(top))
    fade.add_color_stop_rgb(1, *rgb(low))
    ctx.set_source(fade)
    ctx.rectangle(-200, -200, WIDTH + 400, height + 200)
    ctx.fill()


def _disc(ctx: cairo.Context, x: float, y: float, radius: float, colour: str, alpha: float = 1.0) -> None:
    ctx.set_source_rgba(*rgb(colour), alpha)
    ctx.arc(x, y, radius, 0, 2 * math.pi)
    ctx.fill()


def _hill(ctx: cairo.Context, base: float, swell: float, phase: float, colour: str) -> None:
    ctx.set_source_rgb(*rgb(colour))
    ctx.move_to(-200, HEIGHT + 200)
    for x in range(-200, WIDTH + 201, 40):
        ctx.line_to(x, base + swell * math.sin(x / 170 + phase) + swell * 0.4 * math.sin(x / 61 + 2 * phase))
    ctx.line_to(WIDTH + 200, HEIGHT + 200)
    ctx.fill()


def _water(ctx: cairo.Context, top: float, t: float, colour: str, glint: str, rows: int = 13) -> None:
    ctx.set_source_rgb(*rgb(colour))
    ctx.rectangle(-200, top, WIDTH + 400, HEIGHT + 200)
    ctx.fill()
    for row in range(rows):
        depth = (row + 1) / rows
        y = top + (HEIGHT - top) * depth**1.6
        ctx.set_source_rgba(*rgb(glint), 0.10 + 0.22 * (1 - depth))
        ctx.set_line_width(1 + 3.2 * depth)
        for piece in range(9):
            x = (piece * 131 + row * 57 + t * (9 + 34 * depth) * (1 if row % 2 else -0.6)) % (WIDTH + 240) - 120
            wide = 26 + 70 * depth * (0.6 + 0.4 * math.sin(t * 1.3 + piece + row))
            ctx.move_to(x, y + 2 * math.sin(t * 2 + piece))
            ctx.rel_line_to(wide, 0)
            ctx.stroke()


def _mill(ctx: cairo.Context, x: float, y: float, scale: float, colour: str, lit: str | None = None) -> None:
    ctx.save()
    ctx.translate(x, y)
    ctx.scale(scale, scale)
    ctx.set_source_rgb(*rgb(colour))
    for points in (
        [(-60, 0), (-60, -92), (-4, -136), (52, -92), (52, 0)],
        [(52, 0), (52, -60), (110, -60), (124, -40), (124, 0)],
        [(-34, -110), (-34, -146), (-20, -146), (-20, -118)],
    ):
        ctx.move_to(*points[0])
        for point in points[1:]:
            ctx.line_to(*point)
        ctx.fill()
    if lit:
        ctx.set_source_rgb(*rgb(lit))
        for wx, wy in ((-34, -78), (10, -78), (-34, -38), (72, -38)):
            ctx.rectangle(wx, wy, 14, 20)
            ctx.fill()
    ctx.restore()


def _wheel(ctx: cairo.Context, x: float, y: float, radius: float, turn: float, colour: str, spokes: int = 12) -> None:
    ctx.save()
    ctx.translate(x, y)
    ctx.rotate(turn)
    ctx.set_source_rgb(*rgb(colour))
    ctx.set_line_width(radius * 0.07)
    for ring in (1.0, 0.82):
        ctx.arc(0, 0, radius * ring, 0, 2 * math.pi)
        ctx.stroke()
    for spoke in range(spokes):
        angle = spoke * 2 * math.pi / spokes
        ctx.set_line_width(radius * 0.045)
        ctx.move_to(0, 0)
        ctx.line_to(radius * math.cos(angle), radius * math.sin(angle))
        ctx.stroke()
        ctx.set_line_width(radius * 0.06)
        ctx.move_to(radius * 0.8 * math.cos(angle), radius * 0.8 * math.sin(angle))
        ctx.line_to(radius * 1.12 * math.cos(angle + 0.12), radius * 1.12 * math.sin(angle + 0.12))
        ctx.stroke()
    _disc(ctx, 0, 0, radius * 0.13, "#1a1512")
    ctx.restore()


def _drops(ctx: cairo.Context, x: float, y: float, t: float, count: int, spread: float, colour: str, seed: int) -> None:
    rng = np.random.default_rng(seed)
    for side, speed, start in rng.uniform(0, 1, (count, 3)):
        age = (t * (0.7 + 0.6 * speed) + start) % 1.0
        _disc(
            ctx, x + (side - 0.5) * spread * (1 + age), y + 260 * age * age, 2.2 + 2.5 * (1 - age), colour, 0.75 * (1 - age)
        )


def estuary_wide(ctx: cairo.Context, t: float, u: float) -> None:
    """Dawn: the sun comes up behind the far mill."""
    ctx.translate(-30 * u, 0)
    _sky(ctx, "#2c4a5c", "#e7b776", 330)
    _disc(ctx, 640, 330 - 130 * u, 46, "#fbe6bb", 0.95)
    _disc(ctx, 640, 330 - 130 * u, 90, "#fbe6bb", 0.18)
    _hill(ctx, 300, 16, 0.4, "#4f6b69")
    _hill(ctx, 326, 10, 2.1, "#31504f")
    _mill(ctx, 330, 336, 0.72, "#1f2f30", "#f0c479" if u < 0.6 else None)
    _water(ctx, 334, t, "#5d7d80", "#f6dcae")
    for bird in range(5):
        x, y = 120 + bird * 38 + t * 22, 120 + bird * 9 + 6 * math.sin(t * 2 + bird)
        ctx.set_source_rgba(*rgb("#1c2a2c"), 0.8)
        ctx.set_line_width(2)
        flap = 6 * math.sin(t * 7 + bird)
        ctx.move_to(x - 9, y - flap)
        ctx.line_to(x, y)
        ctx.line_to(x + 9, y - flap)
        ctx.stroke()


def reeds(ctx: cairo.Context, t: float, u: float) -> None:
    """Reeds before the water, leaning with the wind."""
    _sky(ctx, "#c9a26a", "#f1ddb0", 260)
    _water(ctx, 240, t, "#7d9488", "#fbeecb", 9)
    for stem in range(54):
        x = stem * 19 - 20 + (stem * 37 % 11)
        tall = 190 + (stem * 53 % 130)
        lean = 26 * math.sin(t * 1.1 + stem * 0.3) + 34 * math.cos(u * 3)
        ctx.set_source_rgb(*rgb("#2c3d2b" if stem % 3 else "#4b5a34"))
        ctx.set_line_width(3.2)
        ctx.move_to(x, HEIGHT + 10)
        ctx.curve_to(x, HEIGHT - tall * 0.5, x + lean * 0.4, HEIGHT - tall * 0.8, x + lean, HEIGHT - tall)
        ctx.stroke()
        if stem % 4 == 0:
            ctx.set_line_width(10)
            ctx.set_source_rgb(*rgb("#54371f"))
            ctx.move_to(x + lean * 0.86, HEIGHT - tall * 0.93)
            ctx.line_to(x + lean * 1.02, HEIGHT - tall * 1.06)
            ctx.stroke()


def estuary_low(ctx: cairo.Context, t: float, u: float) -> None:
    """Low over the water towards the mill."""
    _sky(ctx, "#6f8f98", "#dfe0c6", 250)
    _hill(ctx, 236, 12, 1.3, "#7c9384")
    _mill(ctx, 560 - 40 * u, 262, 0.9 + 0.35 * u, "#3a2f28")
    _wheel(ctx, 694 - 30 * u, 250, 46 + 14 * u, 0.2, "#2e241d")
    _water(ctx, 256, t * 1.8, "#43666c", "#d7e3d2", 15)


def gates_wide(ctx: cairo.Context, t: float, u: float) -> None:
    """The two leaves of the sea gate come together."""
    _sky(ctx, "#8fa7a6", "#d9d4b8", 340)
    ctx.set_source_rgb(*rgb("#5b5a52"))
    ctx.rectangle(0, 150, 170, 420)
    ctx.rectangle(790, 150, 170, 420)
    ctx.fill()
    _water(ctx, 330 - 26 * u, t, "#3f5f60", "#cfdccb", 11)
    shut = min(1.0, u * 1.25)
    for left in (True, False):
        hinge = 170 if left else 790
        reach = (110 + 200 * shut) * (1 if left else -1)
        ctx.set_source_rgb(*rgb("#4a3626" if left else "#423022"))
        ctx.move_to(hinge, 190)
        ctx.line_to(hinge + reach, 210 + 24 * (1 - shut))
        ctx.line_to(hinge + reach, 480)
        ctx.line_to(hinge, 500)
        ctx.fill()
        ctx.set_source_rgb(*rgb("#2d2119"))
        ctx.set_line_width(5)
        for board in range(1, 6):
            y = 190 + board * 50
            ctx.move_to(hinge, y)
            ctx.line_to(hinge + reach, y + 8 * (1 - shut))
            ctx.stroke()
    _drops(ctx, 480, 340, t, 18, 120 * (1.2 - shut), "#e9f0e6", 4)


def gates_chain(ctx: cairo.Context, t: float, u: float) -> None:
    """A chain on wet boards; the water climbs."""
    ctx.set_source_rgb(*rgb("#4d3a2b"))
    ctx.paint()
    for board in range(7):
        ctx.set_source_rgb(*rgb("#3b2b20" if board % 2 else "#574332"))
        ctx.rectangle(board * 140, 0, 136, HEIGHT)
        ctx.fill()
    swing = 0.14 * math.sin(t * 1.7)
    for link in range(11):
        x, y = 480 + math.sin(swing) * link * 38, 10 + link * 36
        ctx.set_source_rgb(*rgb("#1d2022"))
        ctx.set_line_width(9)
        ctx.save()
        ctx.translate(x, y)
        ctx.rotate(swing + (math.pi / 2 if link % 2 else 0))
        ctx.scale(1, 1.5)
        ctx.arc(0, 0, 15, 0, 2 * math.pi)
        ctx.restore()
        ctx.stroke()
    _water(ctx, 470 - 120 * u, t, "#2f4d4f", "#bcd0c4", 8)


def wheel_wide(ctx: cairo.Context, t: float, u: float) -> None:
    """The wheel begins to turn beside the wall."""
    _sky(ctx, "#b9b18e", "#e3d6ac", 540)
    ctx.set_source_rgb(*rgb("#6d6558"))
    ctx.rectangle(-50, 60, 420, 500)
    ctx.fill()
    ctx.save()
    ctx.rectangle(-50, 60, 420, 500)
    ctx.clip()
    for row in range(9):
        for stone in range(6):
            ctx.set_source_rgba(*rgb("#4d463c"), 0.5)
            ctx.set_line_width(2)
            ctx.rectangle(-50 + stone * 74 + (row % 2) * 34, 60 + row * 54, 74, 54)
            ctx.stroke()
    ctx.restore()
    turn = 0.34 * t * min(1.0, t / 6)
    _wheel(ctx, 560, 300, 200, turn, "#3a2a1e")
    _water(ctx, 452, t * 2, "#3c5a5a", "#dbe5d3", 7)
    _drops(ctx, 690, 250, t, 40, 90, "#eef4ea", 9)


def wheel_close(ctx: cairo.Context, t: float, u: float) -> None:
    """Spokes and paddles, large."""
    ctx.set_source_rgb(*rgb("#23302e"))
    ctx.paint()
    _wheel(ctx, 300 + 40 * u, 620, 560, 0.3 * t, "#6b4e36", 16)
    _drops(ctx, 760, 80, t, 60, 260, "#dfeae4", 12)


def gears(ctx: cairo.Context, t: float, u: float) -> None:
    """Two toothed wheels, one of wood and one of iron."""
    ctx.set_source_rgb(*rgb("#2a211b"))
    ctx.paint()
    for x, y, radius, teeth, way, colour in ((360, 290, 190, 24, 1, "#8a6540"), (680, 250, 134, 17, -1, "#59636a")):
        ctx.save()
        ctx.translate(x, y)
        ctx.rotate(way * 0.5 * t * 24 / teeth)
        ctx.set_source_rgb(*rgb(colour))
        ctx.arc(0, 0, radius - 12, 0, 2 * math.pi)
        ctx.fill()
        for tooth in range(teeth):
            ctx.save()
            ctx.rotate(tooth * 2 * math.pi / teeth)
            ctx.rectangle(radius - 18, -9, 30, 18)
            ctx.fill()
            ctx.restore()
        ctx.set_source_rgb(*rgb("#2a211b"))
        for hole in range(6):
            angle = hole * math.pi / 3
            ctx.arc(radius * 0.55 * math.cos(angle), radius * 0.55 * math.sin(angle), radius * 0.17, 0, 2 * math.pi)
            ctx.fill()
        ctx.restore()


def stones(ctx: cairo.Context, t: float, u: float) -> None:
    """The running stone from above, grain moving to its rim."""
    ctx.set_source_rgb(*rgb("#3a3027"))
    ctx.paint()
    ctx.save()
    ctx.translate(480, 280)
    ctx.scale(1.0 + 0.1 * u, 0.86 + 0.1 * u)
    _disc(ctx, 0, 0, 240, "#9c9484")
    ctx.rotate(0.9 * t)
    ctx.set_source_rgba(*rgb("#5f584c"), 0.9)
    ctx.set_line_width(5)
    for furrow in range(24):
        ctx.save()
        ctx.rotate(furrow * math.pi / 12)
        ctx.move_to(50, 0)
        ctx.line_to(232, 46)
        ctx.stroke()
        ctx.restore()
    _disc(ctx, 0, 0, 48, "#2a221b")
    ctx.restore()
    rng = np.random.default_rng(3)
    for angle, speed, start in rng.uniform(0, 1, (90, 3)):
        age = (t * (0.3 + 0.3 * speed) + start) % 1.0
        a = angle * 2 * math.pi + 0.9 * t + age
        _disc(
            ctx, 480 + (50 + 210 * age) * math.cos(a), 280 + (44 + 190 * age) * math.sin(a), 2.6, "#e2c98d", 1 - age * 0.5
        )


def _desk(ctx: cairo.Context, t: float) -> None:
    ctx.set_source_rgb(*rgb("#2b2019"))
    ctx.paint()
    glow = cairo.RadialGradient(720, 190, 10, 720, 190, 520 + 18 * math.sin(t * 9) + 10 * math.sin(t * 23))
    glow.add_color_stop_rgba(0, *rgb("#f6c778"), 0.75)
    glow.add_color_stop_rgba(1, *rgb("#2b2019"), 0.0)
    ctx.set_source(glow)
    ctx.paint()


def ledger_wide(ctx: cairo.Context, t: float, u: float) -> None:
    """The keeper's desk: an open book and a candle."""
    _desk(ctx, t)
    ctx.set_source_rgb(*rgb("#4a3524"))
    ctx.rectangle(0, 400, WIDTH, 140)
    ctx.fill()
    for left in (True, False):
        ctx.set_source_rgb(*rgb("#eadcb8" if left else "#e2d2aa"))
        x = 190 if left else 400
        ctx.rectangle(x, 250, 208, 160)
        ctx.fill()
        ctx.set_source_rgba(*rgb("#463a2a"), 0.7)
        ctx.set_line_width(2)
        for row in range(10):
            ctx.move_to(x + 18, 270 + row * 14)
            ctx.rel_line_to(120 + (row * 37 % 50), 0)
            ctx.stroke()
    ctx.set_source_rgb(*rgb("#efe6cf"))
    ctx.rectangle(708, 240, 24, 160)
    ctx.fill()
    _disc(ctx, 720 + 3 * math.sin(t * 8), 214 + 2 * math.sin(t * 13), 13, "#ffe3a0")


def ledger_close(ctx: cairo.Context, t: float, u: float) -> None:
    """Ink on paper: a line is being written."""
    ctx.set_source_rgb(*rgb("#e6d8b3"))
    ctx.paint()
    ctx.translate(0, -40 * u)
    ctx.set_source_rgba(*rgb("#2d2a3a"), 0.9)
    ctx.set_line_width(3)
    for row in range(9):
        written = 1.0 if row < 6 else min(1.0, max(0.0, u * 3 - (row - 6)))
        ctx.move_to(110, 90 + row * 58)
        for step in range(int(150 * written)):
            x = 110 + step * 4.6
            ctx.line_to(x, 90 + row * 58 + 9 * math.sin(step * 0.9 + row) * (1 + 0.6 * math.sin(step * 0.23 + row)))
        ctx.stroke()
    ctx.set_source_rgb(*rgb("#1d1b22"))
    row = min(8, 6 + int(u * 3))
    x = 110 + 690 * min(1.0, max(0.0, u * 3 - (row - 6)))
    ctx.move_to(x, 92 + row * 58)
    ctx.line_to(x + 130, row * 58 - 60)
    ctx.set_line_width(9)
    ctx.stroke()


def flour_chute(ctx: cairo.Context, t: float, u: float) -> None:
    """Flour falls from a wooden chute."""
    ctx.set_source_rgb(*rgb("#5a4631"))
    ctx.paint()
    ctx.set_source_rgb(*rgb("#7d6140"))
    ctx.move_to(380, 0)
    ctx.line_to(580, 0)
    ctx.line_to(540, 190)
    ctx.line_to(420, 190)
    ctx.fill()
    rng = np.random.default_rng(8)
    for side, speed, start in rng.uniform(0, 1, (220, 3)):
        age = (t * (0.5 + 0.5 * speed) + start) % 1.0
        _disc(ctx, 480 + (side - 0.5) * (90 + 240 * age * age), 190 + 330 * age, 3.4, "#f6eedb", 0.8 - 0.5 * age)
    ctx.set_source_rgb(*rgb("#efe5cd"))
    ctx.move_to(180, 560)
    ctx.curve_to(380, 480 - 60 * u, 580, 480 - 60 * u, 780, 560)
    ctx.fill()


def sacks(ctx: cairo.Context, t: float, u: float) -> None:
    """Sacks go up on the hoist past a window."""
    _sky(ctx, "#46392c", "#6e5a42")
    ctx.set_source_rgb(*rgb("#dfe6d6"))
    ctx.rectangle(690, 110, 130, 170)
    ctx.fill()
    ctx.set_source_rgb(*rgb("#2c231b"))
    ctx.set_line_width(4)
    ctx.move_to(400, -10)
    ctx.line_to(400, 560)
    ctx.stroke()
    for sack in range(3):
        y = 720 - ((t * 46 + sack * 260) % 780)
        ctx.set_source_rgb(*rgb("#cdb78c"))
        ctx.move_to(400, y - 70)
        ctx.curve_to(480, y - 40, 476, y + 70, 450, y + 84)
        ctx.line_to(350, y + 84)
        ctx.curve_to(324, y + 70, 320, y - 40, 400, y - 70)
        ctx.fill()


def wheel_still(ctx: cairo.Context, t: float, u: float) -> None:
    """The wheel runs out and stands."""
    _sky(ctx, "#5e6f74", "#a9a48f", 540)
    slow = 6.0
    turn = 0.3 * min(t, slow) * (1 - 0.5 * min(t, slow) / slow)
    _wheel(ctx, 430, 280, 210, turn, "#2f241c")
    _water(ctx, 480, t * 0.4, "#39504f", "#b9c6bb", 5)


def night_wide(ctx: cairo.Context, t: float, u: float) -> None:
    """Night tide: moon, mill, one lit window."""
    _sky(ctx, "#0d1a24", "#2b4654", 330)
    rng = np.random.default_rng(5)
    for x, y, bright in rng.uniform(0, 1, (70, 3)):
        _disc(ctx, x * WIDTH, y * 260, 1.3, "#e9eedf", 0.3 + 0.6 * bright * abs(math.sin(t * 0.7 + 9 * bright)))
    _disc(ctx, 250 + 90 * u, 130 - 20 * u, 34, "#eef0dc")
    _hill(ctx, 306, 12, 0.8, "#14252b")
    _mill(ctx, 610, 338, 0.95, "#0c1519", "#e8b45c" if u < 0.8 else None)
    _water(ctx, 334, t, "#1b333d", "#9fb8b6")


def night_window(ctx: cairo.Context, t: float, u: float) -> None:
    """The lit window, close; somebody passes."""
    ctx.set_source_rgb(*rgb("#0e1518"))
    ctx.paint()
    ctx.set_source_rgb(*rgb("#e3ad57"))
    ctx.rectangle(330, 110, 300, 330)
    ctx.fill()
    x = 180 + 620 * u
    ctx.set_source_rgb(*rgb("#2a1d12"))
    ctx.save()
    ctx.rectangle(330, 110, 300, 330)
    ctx.clip()
    _disc(ctx, x, 240, 46, "#2a1d12")
    ctx.rectangle(x - 62, 280, 124, 200)
    ctx.fill()
    ctx.restore()
    ctx.set_source_rgb(*rgb("#0e1518"))
    ctx.rectangle(474, 110, 12, 330)
    ctx.rectangle(330, 268, 300, 12)
    ctx.fill()


def night_water(ctx: cairo.Context, t: float, u: float) -> None:
    """The moon's road on the rising water, and then dark."""
    _water(ctx, 0, t * 1.2, "#142a33", "#8fb0b4", 18)
    for piece in range(26):
        y = 20 + piece * 20
        wide = 20 + piece * 5 + 14 * math.sin(t * 2.4 + piece)
        ctx.set_source_rgba(*rgb("#f0edd2"), 0.5)
        ctx.set_line_width(4)
        ctx.move_to(480 - wide / 2 + 8 * math.sin(t * 1.7 + piece * 0.6), y)
        ctx.rel_line_to(wide, 0)
        ctx.stroke()
    ctx.set_source_rgba(0, 0, 0, max(0.0, (u - 0.8) * 5))
    ctx.paint()


SCENES: dict[str, Scene] = {
    scene.__name__: scene
    for scene in (
        estuary_wide, reeds, estuary_low, gates_wide, gates_chain, wheel_wide, wheel_close, gears, stones,
        ledger_wide, ledger_close, flour_chute, sacks, wheel_still, night_wide, night_window, night_water,
    )
}  # fmt: skip
