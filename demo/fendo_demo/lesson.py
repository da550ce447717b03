"""The slides of the lesson: drawn, with notes for the speaker in them."""

from pathlib import Path

import cairocffi as cairo
import pypdfium2
from pypdfium2 import raw

from fendo_demo.scenario import SLIDES, Slide

SIZE = (960, 540)


def _draw(ctx: cairo.Context, slide: Slide) -> None:
    wide, high = SIZE
    ctx.set_source_rgb(0.95, 0.93, 0.87)
    ctx.paint()
    ctx.select_font_face("serif")
    ctx.set_font_size(46)
    ctx.set_source_rgb(0.12, 0.2, 0.2)
    ctx.move_to(56, 82)
    ctx.show_text(slide.title)
    ctx.set_line_cap(cairo.LINE_CAP_ROUND)
    ctx.set_line_join(cairo.LINE_JOIN_ROUND)
    points = [(x * wide, y * high) for x, y in slide.loops]
    # A rope: dark edge, body, and a light strand, along one soft curve through the points.
    for width, colour in ((34, (0.25, 0.18, 0.1)), (28, (0.78, 0.62, 0.38)), (6, (0.93, 0.83, 0.62))):
        ctx.set_source_rgb(*colour)
        ctx.set_line_width(width)
        ctx.move_to(-40, points[0][1])
        before = (-40, points[0][1])
        for x, y in [*points, (wide + 40, points[-1][1])]:
            middle = ((before[0] + x) / 2, (before[1] + y) / 2)
            ctx.curve_to(middle[0], before[1], middle[0], y, x, y)
            before = (x, y)
        ctx.stroke()


def make_slides(path: Path) -> Path:
    """The PDF of the lesson, with the notes as annotations on its pages."""
    plain = path.with_name(f"plain-{path.name}")
    surface = cairo.PDFSurface(str(plain), *SIZE)
    for slide in SLIDES:
        _draw(cairo.Context(surface), slide)
        surface.show_page()
    surface.finish()
    document = pypdfium2.PdfDocument(plain)
    for number, slide in enumerate(SLIDES):
        page = document[number]
        note = raw.FPDFPage_CreateAnnot(page.raw, raw.FPDF_ANNOT_TEXT)
        units = (raw.FPDF_WCHAR * (len(slide.notes) + 1))(*map(ord, slide.notes), 0)
        raw.FPDFAnnot_SetStringValue(note, b"Contents", units)
        raw.FPDFPage_CloseAnnot(note)
    document.save(path)
    document.close()
    plain.unlink()
    return path
