"""Stills and slides as plain pictures. Run as a program of its own, under limits: what is opened here is hostile.

    python -m fendo_core.picture.pages look|draw KIND FILE [FOLDER]

`look` prints what the file is; `draw` writes `page-0000.jpg`, ... and small ones for the strip, and prints a row of JSON
for each page. An error is one row {"error": "..."} with a text for people.
"""

import json
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from PIL import Image, ImageOps, UnidentifiedImageError

BOX = (1920, 1080)
SMALL = (96, 54)
MOST_POINTS = 100_000_000
MOST_PAGES = 600
LONGEST_NOTES = 10_000

STILLS = {"png": "PNG", "jpeg": "JPEG", "webp": "WEBP", "heic": "HEIF"}
"""Kinds of still that are read: what the sniffer calls them, and Pillow's reader for it."""


class PageRefused(ValueError):
    """A file that can't be shown; the message says why and what to do."""


def _open_still(path: Path, kind: str) -> Image.Image:
    Image.MAX_IMAGE_PIXELS = MOST_POINTS
    if kind == "heic":
        import pillow_heif

        pillow_heif.register_heif_opener()
    try:
        image = Image.open(path, formats=(STILLS[kind],))
    except (Image.DecompressionBombError, ValueError) as error:
        raise PageRefused(_too_large("This picture")) from error
    except (UnidentifiedImageError, OSError, SyntaxError) as error:
        raise PageRefused(
            "This file begins like a picture but can't be read: it is damaged or not complete. "
            "Nothing was changed. Copy or export it again."
        ) from error
    if image.width * image.height > MOST_POINTS:
        raise PageRefused(_too_large(f"A picture of {image.width} × {image.height} points"))
    return image


def _too_large(what: str) -> str:
    return f"{what} is too large to be shown here: {MOST_POINTS // 1_000_000} million points are possible. Make it smaller."


def _still(path: Path, kind: str) -> Image.Image:
    image = _open_still(path, kind)
    image.draft("RGB", BOX)
    try:
        turned = ImageOps.exif_transpose(image)
        (turned or image).load()
    except (OSError, SyntaxError, ValueError, Image.DecompressionBombError) as error:
        raise PageRefused(
            "This picture breaks off before its end: it is damaged or not complete. Nothing was changed. Copy it again."
        ) from error
    return turned or image


def _on_white(image: Image.Image) -> Image.Image:
    if image.mode in ("RGBA", "LA", "PA") or "transparency" in image.info:
        ground = Image.new("RGBA", image.size, "white")
        return Image.alpha_composite(ground, image.convert("RGBA")).convert("RGB")
    return image.convert("RGB")


def _slides(path: Path) -> Any:
    import pypdfium2

    try:
        document = pypdfium2.PdfDocument(path)
    except pypdfium2.PdfiumError as error:
        if "assword" in str(error):
            said = "These slides are locked with a password. Save a copy without one and bring that in."
        else:
            said = "This PDF can't be read: it is damaged or not complete. Nothing was changed. Export it again."
        raise PageRefused(said) from error
    if len(document) == 0:
        raise PageRefused("This PDF has no pages. Nothing was changed; export it again.")
    if len(document) > MOST_PAGES:
        raise PageRefused(f"This PDF has {len(document)} pages; {MOST_PAGES} are possible. Bring it in in parts.")
    return document


def notes_of(page: Any) -> str:
    """What is to be said on a page of slides: its notes (the annotations) if it has some, else the text on it."""
    import ctypes

    from pypdfium2 import raw

    found = []
    for index in range(raw.FPDFPage_GetAnnotCount(page.raw)):
        annotation = raw.FPDFPage_GetAnnot(page.raw, index)
        if not annotation:
            continue
        if raw.FPDFAnnot_GetSubtype(annotation) in (raw.FPDF_ANNOT_TEXT, raw.FPDF_ANNOT_FREETEXT):
            size = raw.FPDFAnnot_GetStringValue(annotation, b"Contents", None, 0)
            buffer = ctypes.create_string_buffer(size)
            as_wide = ctypes.cast(buffer, ctypes.POINTER(raw.FPDF_WCHAR))
            raw.FPDFAnnot_GetStringValue(annotation, b"Contents", as_wide, size)
            found.append(buffer.raw.decode("utf-16-le", errors="replace").rstrip("\0"))
        raw.FPDFPage_CloseAnnot(annotation)
    noted = "\n".join(text.strip() for text in found if text.strip())
    return (noted or page.get_textpage().get_text_bounded().strip())[:LONGEST_NOTES]


def _draw_page(page: Any) -> Image.Image:
    wide, high = (max(1.0, side) for side in page.get_size())
    scale = min(BOX[0] / wide, BOX[1] / high)
    image: Image.Image = page.render(scale=scale, may_draw_forms=False, draw_annots=False).to_pil()
    return image


def look(path: Path, kind: str) -> dict[str, Any]:
    """Pages, width and height of a still, which is read to its end, or of slides.

    Raises:
        PageRefused: when it can't be shown.
    """
    if kind == "pdf":
        document = _slides(path)
        wide, high = document[0].get_size()
        return {"pages": len(document), "width": round(wide), "height": round(high)}
    _still(path, kind)
    image = _open_still(path, kind)
    wide, high = image.size
    if image.getexif().get(0x0112, 1) in (5, 6, 7, 8):
        wide, high = high, wide
    return {"pages": 1, "width": wide, "height": high}


def draw(path: Path, kind: str, folder: Path) -> Iterator[dict[str, Any]]:
    """Every page as a JPEG that fits `BOX`, and a row of what it says.

    Raises:
        PageRefused: when one can't be drawn.
    """
    if kind == "pdf":
        drawn = ((_draw_page(page), notes_of(page)) for page in _slides(path))
    else:
        drawn = ((image, "") for image in (_still(path, kind),))
    for number, (image, notes) in enumerate(drawn):
        plain = _on_white(image)
        plain.thumbnail(BOX, Image.Resampling.LANCZOS)
        plain.save(folder / f"page-{number:04}.jpg", quality=90, optimize=True)
        ImageOps.fit(plain, SMALL).save(folder / f"small-{number:04}.jpg", quality=80)
        yield {"page": number, "width": plain.width, "height": plain.height, "notes": notes}


def strip(folder: Path, pages: int, row: int) -> Image.Image:
    """The small pictures of all pages in rows of `row`."""
    sheet = Image.new("RGB", (SMALL[0] * row, SMALL[1] * -(-pages // row)))
    for number in range(pages):
        with Image.open(folder / f"small-{number:04}.jpg") as small:
            sheet.paste(small, (number % row * SMALL[0], number // row * SMALL[1]))
    return sheet


def main(arguments: list[str]) -> int:
    """The program."""
    verb, kind, path = arguments[0], arguments[1], Path(arguments[2])
    try:
        rows = iter((look(path, kind),)) if verb == "look" else draw(path, kind, Path(arguments[3]))
        for row in rows:
            print(json.dumps(row), flush=True)
    except PageRefused as error:
        print(json.dumps({"error": str(error)}), flush=True)
    except MemoryError:
        print(json.dumps({"error": _too_large("This picture")}), flush=True)
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
