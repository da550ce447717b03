"""The script as a file: subtitles, a table, plain text. What goes out comes back in the same (`intake`)."""

import csv
import io
from collections.abc import Mapping, Sequence
from typing import Literal, TypeAlias, get_args

from fendo_core.script.lines import Line
from fendo_core.timebase import SAMPLE_RATE, FrameRate, Span, format_timecode

Form: TypeAlias = Literal["srt", "vtt", "csv", "txt"]
FORMS: tuple[Form, ...] = get_args(Form)


def words_out(
    lines: Sequence[Line], form: Form, rate: FrameRate, start_frame: int, readers: Mapping[str, str] | None = None
) -> str:
    """The lines with words, in order.

    Subtitles hold the lines that have a slot, in running time from the programme's beginning; a table holds all of them,
    with timecodes of the programme, notes and readers; plain text holds the words alone, one line a paragraph.

    Args:
        start_frame: frames since midnight of the programme's first frame.
        readers: names by identity, for lines that have one of their own.
    """
    wordy = [line for line in lines if line.text and not line.dropped]
    match form:
        case "srt":
            return "\n".join(
                f"{number}\n{_time(slot.start, ',')} --> {_time(slot.end, ',')}\n{line.text}\n"
                for number, (line, slot) in enumerate(_timed(wordy), start=1)
            )
        case "vtt":
            cues = (
                f"{number}\n{_time(slot.start, '.')} --> {_time(slot.end, '.')}\n{_escaped(line.text)}\n"
                for number, (line, slot) in enumerate(_timed(wordy), start=1)
            )
            return "\n".join(("WEBVTT\n", *cues))
        case "csv":
            return _table(wordy, rate, start_frame, readers or {})
        case "txt":
            return "".join(f"{line.text}\n\n" for line in wordy)


def _timed(lines: Sequence[Line]) -> list[tuple[Line, Span]]:
    return sorted(((line, line.slot) for line in lines if line.slot), key=lambda pair: pair[1].start)


def _time(sample: int, mark: str) -> str:
    """Running time, rounded to the millisecond."""
    thousandths = (sample * 1000 + SAMPLE_RATE // 2) // SAMPLE_RATE
    seconds, rest = divmod(thousandths, 1000)
    return f"{seconds // 3600:02}:{seconds // 60 % 60:02}:{seconds % 60:02}{mark}{rest:03}"


def _escaped(text: str) -> str:
    return text.replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;")


def _guarded(cell: str) -> str:
    """No spreadsheet may take words for a formula."""
    return f"'{cell}" if cell[:1] and cell[0] in "=+-@" else cell


def _table(lines: Sequence[Line], rate: FrameRate, start_frame: int, readers: Mapping[str, str]) -> str:
    out = io.StringIO()
    table = csv.writer(out, lineterminator="\r\n")
    table.writerow(["line", "in", "out", "words", "notes", "reader"])
    for line in lines:
        slot = line.slot
        times = (
            ["", ""]
            if slot is None
            else [format_timecode(start_frame + rate.frame_at(at), rate) for at in (slot.start, slot.end)]
        )
        said = map(_guarded, (line.text, line.notes, readers.get(line.reader or "", "")))
        table.writerow([line.number, *times, *said])
    return out.getvalue()
