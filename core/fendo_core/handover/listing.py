"""What goes with the files: the list of what lies where, the take sheet, and subtitles of what was really said when."""

import csv
import io
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from html import escape
from typing import Literal

from fendo_core.handover.checks import Finding
from fendo_core.script.lines import Line
from fendo_core.script.words_out import words_out
from fendo_core.timebase import FrameRate, Span, format_timecode, seconds_text


@dataclass(frozen=True, slots=True)
class Listed:
    """A line that leaves.

    Attributes:
        line: its number; `words` what the script says.
        take: the number of the take, or of those that it is made of.
        speech: programme span from the first word to the last; None: nobody speaks.
        provisional: nobody picked it.
        file: its file in the folder; empty where the lines leave only in the whole voice or the film.
        start: programme sample of the file's first sample; `length` in samples at 48 kHz.
        loudness: LUFS as dual mono, `true_peak` dBTP; None: too short to be measured, or not written by itself.
        remarks: what is to be known of it.
    """

    line: str
    words: str
    take: str
    reader: str
    speech: Span | None
    provisional: bool
    file: str
    start: int
    length: int
    loudness: float | None = None
    true_peak: float | None = None
    remarks: tuple[str, ...] = ()


def plain(text: str) -> str:
    """A cell that no spreadsheet takes for a formula."""
    return f"'{text}" if text[:1] in ("=", "+", "-", "@", "\t", "\r") else text


def _number(value: float | None) -> str:
    return "" if value is None else f"{value:.1f}"


def csv_list(files: Iterable[Listed], rate: FrameRate, start_frame: int) -> str:
    """The list as CSV with a header row, UTF-8 text, one line a row, in programme order.

    Args:
        start_frame: frame count since midnight of the programme's first frame.
    """
    out = io.StringIO()
    table = csv.writer(out, lineterminator="\r\n")
    names = ["file", "line", "take", "reader", "words", "starts at", "first sample", "seconds"]
    table.writerow([*names, "LUFS (dual mono)", "dBTP", "picked", "remarks"])
    for item in sorted(files, key=lambda listed: (listed.start, listed.file)):
        at = max(0, item.start)
        table.writerow(
            [
                plain(item.file),
                item.line,
                item.take,
                plain(item.reader),
                plain(item.words),
                format_timecode(start_frame + rate.frame_at(at), rate),
                item.start,
                seconds_text(item.length, 3),
                _number(item.loudness),
                _number(item.true_peak),
                "no" if item.provisional else "yes",
                plain("; ".join(item.remarks)),
            ]
        )
    return out.getvalue()


def subtitles(listed: Iterable[Listed], rate: FrameRate, form: Literal["srt", "vtt"] = "srt") -> str:
    """What was said as SubRip or WebVTT subtitles, from the first word to the last as they were read."""
    spoken = [Line(str(n), one.line, one.words, one.speech) for n, one in enumerate(listed) if one.speech]
    inside = [replace(line, slot=_in_programme(line.slot)) for line in spoken]
    return words_out([line for line in inside if line.slot], form, rate, 0)


def _in_programme(span: Span | None) -> Span | None:
    """Subtitles count from the programme's beginning: what lies before it is not shown."""
    return None if span is None or span.end <= 0 else Span(max(0, span.start), span.end)


_STYLE = """
body { font: 11pt/1.4 Georgia, serif; margin: 16mm; color: #1e2a28; }
h1 { font-size: 17pt; margin: 0 0 2mm; } p { margin: 0 0 5mm; }
table { border-collapse: collapse; width: 100%; } thead { display: table-header-group; }
th { text-align: left; font-size: 9pt; border-bottom: 1.5pt solid; padding: 1mm 2mm; }
td { vertical-align: top; padding: 1.5mm 2mm; border-bottom: .5pt solid #b9b4a4; } tr { break-inside: avoid; }
td.n, th.n { text-align: right; font-variant-numeric: tabular-nums; white-space: nowrap; }
small { display: block; color: #5b655f; } .open { font-weight: bold; }
"""


def sheet(
    title: str,
    told: Sequence[str],
    listed: Iterable[Listed],
    findings: Sequence[Finding],
    rate: FrameRate,
    start_frame: int,
) -> str:
    """The take sheet as a page that prints: every line with its take, timecode, length, loudness and remarks; and what was
    known to be open when it was written.

    Args:
        told: sentences under the title.
    """
    rows = []
    for item in sorted(listed, key=lambda one: (one.start, one.line)):
        timecode = format_timecode(start_frame + rate.frame_at(max(0, item.start)), rate)
        remarks = "; ".join((*(["not picked"] if item.provisional else []), *item.remarks))
        rows.append(
            f'<tr><td class="n">{escape(item.line)}</td><td>{escape(item.words)}'
            f"<small>{escape(item.file)}</small></td><td>{escape(item.reader)}</td>"
            f'<td class="n">{escape(item.take)}</td><td class="n">{timecode}</td>'
            f'<td class="n">{seconds_text(item.length, 2)}</td><td class="n">{_number(item.loudness)}</td>'
            f'<td class="n">{_number(item.true_peak)}</td><td>{escape(remarks)}</td></tr>'
        )
    head = "<th>line</th><th>words</th><th>reader</th>"
    head += "".join(f'<th class="n">{name}</th>' for name in ("take", "starts at", "seconds", "LUFS", "dBTP"))
    known = "".join(f'<li class="open">{escape(one.says)}</li>' for one in findings)
    return (
        f'<!doctype html><html lang="en"><meta charset="utf-8"><title>{escape(title)}</title><style>{_STYLE}</style>'
        f"<h1>{escape(title)}</h1>{''.join(f'<p>{escape(one)}</p>' for one in told)}"
        f"{f'<p>Written although:</p><ul>{known}</ul>' if known else ''}"
        f"<table><thead><tr>{head}<th>remarks</th></tr></thead><tbody>{''.join(rows)}</tbody></table>"
        "<p><small>Loudness is that of one voice on two loudspeakers (dual mono).</small></p></html>"
    )
