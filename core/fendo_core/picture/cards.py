"""Cards: plain grounds with a few words, where picture is missing or a title stands."""

from PIL import Image, ImageDraw, ImageFont

from fendo_core.picture.reel import GROUNDS

_INK = {"sand": "#23282a"}


def draw_card(words: str, colour: str, size: tuple[int, int]) -> Image.Image:
    """A card as a picture of `size` points: its words in the middle, broken into rows that fit."""
    card = Image.new("RGB", size, GROUNDS[colour])
    draw = ImageDraw.Draw(card)
    font = ImageFont.load_default(max(12, size[1] // 16))
    rows: list[str] = []
    for word in words.split():
        if rows and draw.textlength(f"{rows[-1]} {word}", font=font) <= size[0] * 0.8:
            rows[-1] += f" {word}"
        else:
            rows.append(word)
    middle = (size[0] / 2, size[1] / 2)
    ink = _INK.get(colour, "#f4efe4")
    draw.multiline_text(middle, "\n".join(rows), fill=ink, font=font, anchor="mm", align="center")
    return card
