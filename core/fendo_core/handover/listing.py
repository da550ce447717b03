"""The list that goes with the files: what lies where."""

import csv
import io
from collections.abc import Iterable
from dataclasses import dataclass

from fendo_core.timebase import FrameRate, format_timecode, seconds_text


@dataclass(frozen=True, slots=True)
class Listed:
    """One handed-over file. `start` is its first sample in the programme, `length` in samples; `take` the number of the
    take, or of those that it is made of; `provisional` says that nobody picked it."""

    file: str
    line: str
    take: str
    words: str
    start: int
    length: int
    provisional: bool = False


def _plain(text: str) -> str:
    """A cell that no spreadsheet takes for a formula."""
    return f"'{text}" if text[:1] in ("=", "+", "-", "@", "\t", "\r") else text


def csv_list(files: Iterable[Listed], rate: FrameRate, start_frame: int) -> str:
    """The list as CSV with a header row, UTF-8 text, one file a row, in programme order.

    Args:
        start_frame: frame count since midnight of the programme's first frame.
    """
    out = io.StringIO()
    table = csv.writer(out, lineterminator="\r\n")
    table.writerow(["file", "line", "take", "words", "starts at", "first sample", "seconds", "picked"])
    for item in sorted(files, key=lambda listed: (listed.start, listed.file)):
        timecode = format_timecode(start_frame + rate.frame_at(item.start), rate)
        table.writerow(
            [
                _plain(item.file),
                item.line,
                item.take,
                _plain(item.words),
                timecode,
                item.start,
                seconds_text(item.length, 3),
                "no" if item.provisional else "yes",
            ]
        )
    return out.getvalue()
