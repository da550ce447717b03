"""Subtitles: SubRip, WebVTT, and the dialogue of SubStation files, with everything that is no word left out."""

import re
from collections.abc import Sequence
from dataclasses import replace
from itertools import islice

from fendo_core.script.intake import prose
from fendo_core.script.intake.inquiry import Inquiry, enough
from fendo_core.script.intake.times import learn
from fendo_core.script.lines import MOST_LINES, Draft, paragraphs
from fendo_core.timebase import FrameRate

_CUE = re.compile(
    r"^[ \t]*(-?[\d:.,;]{4,15})[ \t]*-->[ \t]*(-?[\d:.,;]{4,15})(?:[ \t]+[^\n]*)?$",
    re.MULTILINE,
)
_VOICE = re.compile(r"<v(?:\.[^\s<>]*)?\s+([^<>]{1,80})>")
_ENTITIES = {"&lt;": "<", "&gt;": ">", "&nbsp;": " ", "&lrm;": "", "&rlm;": "", "&amp;": "&"}


_COMMA_CUE = re.compile(r"^(\d{1,2}:\d{2}:\d{2}\.\d{3}),(\d{1,2}:\d{2}:\d{2}\.\d{3})[ \t]*$", re.MULTILINE)


def with_arrows(text: str) -> str:
    """A text whose cues have a comma between their times, with arrows instead."""
    return _COMMA_CUE.sub(r"\1 --> \2", text)


def is_subtitles(text: str) -> bool:
    """Whether a text has the times of subtitles."""
    return bool(_CUE.search(text))


def subtitles(kind: str, text: str, rate: FrameRate, start_frame: int, inquiry: Inquiry) -> list[Draft]:
    """Lines of SubRip or WebVTT cues.

    Args:
        kind: “SubRip subtitles” or “WebVTT subtitles”.
        text: of the file.
        rate: of the production.
        start_frame: frames since midnight of the programme's first frame.
        inquiry: asked what is ambiguous, told what is doubtful.

    Raises:
        ScriptRefused: for more cues than a production holds lines.
    """
    text = re.sub(r"\n[ \t\n]*\n", "\n\n", text.replace("\r\n", "\n").replace("\r", "\n"))
    cues = list(islice(_CUE.finditer(text), MOST_LINES + 1))
    enough(len(cues))
    lead = _lead(kind, text[: cues[0].start()] if cues else text)
    if lead:
        inquiry.doubt("words before the first cue became lines without a slot")
    found: list[tuple[str, str, list[prose.Paragraph]]] = []
    for number, cue in enumerate(cues):
        end = cues[number + 1].start() if number + 1 < len(cues) else len(text)
        rows = text[cue.end() : end].strip("\n").split("\n")
        if number + 1 < len(cues):
            rows = _without_name(kind, rows)
        shown, notes = _without_notes(kind, rows)
        voice = next((match[1].strip() for row in shown if (match := _VOICE.search(row))), "")
        words = " ".join(paragraphs("\n".join(_said(row) for row in shown)))
        if not words and not notes:
            inquiry.doubt(f"cue {number + 1} has no words and was left out")
        said = [prose.Paragraph(words, reader=voice), *(prose.Paragraph(note) for note in notes)]
        found.append((cue[1], cue[2], said))
    return [*map(Draft, lead), *_placed(found, rate, start_frame, inquiry)]


def _placed(
    found: Sequence[tuple[str, str, list[prose.Paragraph]]], rate: FrameRate, start_frame: int, inquiry: Inquiry
) -> list[Draft]:
    clock = learn(((start, end, said[0].text) for start, end, said in found), rate, start_frame, inquiry)
    made: list[prose.Paragraph] = []
    for number, (written, until, (cue, *notes)) in enumerate(found, start=1):
        start, finish = clock.sample(written), clock.sample(until)
        slot = None
        if start is None or finish is None:
            inquiry.doubt(f"cue {number} has a time that is none, so it gets no slot")
        else:
            slot = clock.slot(start, finish, f"cue {number}", inquiry)
        made += [replace(cue, slot=slot), *notes]
    return prose.drafts_of_cells(made, inquiry)


def dialogue(text: str, rate: FrameRate, start_frame: int, inquiry: Inquiry) -> list[Draft]:
    """Lines of the dialogue of a SubStation file: a row `Dialogue:` holds fields that a row `Format:` names."""
    fields: list[str] = []
    found: list[tuple[str, str, list[prose.Paragraph]]] = []
    in_events = False
    for row in text.splitlines():
        if row.startswith("["):
            in_events = row.strip().lower() == "[events]"
        elif in_events and row.startswith("Format:"):
            fields = [name.strip().lower() for name in row[7:].split(",")]
        elif in_events and row.startswith("Dialogue:") and {"start", "end", "text"} <= set(fields):
            held = dict(zip(fields, row[9:].split(",", len(fields) - 1), strict=False))
            words = " ".join(
                paragraphs(_said(held.get("text", "").replace("\\N", "\n").replace("\\n", "\n").replace("\\h", " ")))
            )
            reader = held.get("name", held.get("actor", "")).strip()
            found.append((held["start"].strip(), held["end"].strip(), [prose.Paragraph(words, reader=reader)]))
        enough(len(found))
    return _placed(found, rate, start_frame, inquiry)


def _lead(kind: str, before: str) -> list[str]:
    """Words before the first cue: a counter and WebVTT's head are none."""
    blocks = re.split(r"\n\s*\n", before.strip("\n"))
    kept: list[str] = []
    for place, block in enumerate(blocks):
        rows = block.split("\n")
        if kind == "WebVTT subtitles" and (
            (place == 0 and rows[0].startswith("WEBVTT")) or rows[0].startswith(("STYLE", "REGION"))
        ):
            continue
        if place == len(blocks) - 1:
            rows = _without_name(kind, rows)
        kept += rows
    return paragraphs("\n".join(kept))


def _without_name(kind: str, rows: list[str]) -> list[str]:
    """Rows between two cues without the next cue's number, or name, which stands alone before its times."""
    last = len(rows)
    while last and not rows[last - 1].strip():
        last -= 1
    rows = rows[:last]
    if not rows or (len(rows) > 1 and rows[-2].strip()):
        return rows
    named = kind == "WebVTT subtitles" and not rows[-1].startswith(("NOTE", "STYLE", "REGION"))
    return rows[:-1] if named or rows[-1].strip().isdigit() else rows


def _without_notes(kind: str, rows: list[str]) -> tuple[list[str], list[str]]:
    """WebVTT's comments are words of somebody, but not of this cue: they become lines of their own."""
    if kind != "WebVTT subtitles":
        return rows, []
    shown: list[str] = []
    notes: list[str] = []
    for block in re.split(r"\n\s*\n", "\n".join(rows)):
        if block.startswith("NOTE"):
            notes += paragraphs(block[4:])
        elif not block.startswith(("STYLE", "REGION")):
            shown += block.split("\n")
    return shown, notes


def _said(row: str) -> str:
    """The words of a row of a cue: tags off, entities spoken, a voice tag's name kept out."""
    row = re.sub(r"</?(?:[ibu]|c|v|ruby|rt|lang|font)(?:[. ][^<>]*)?>|<\d[\d:.]*>|\{\\[^{}]*\}", "", row)
    for written, meant in _ENTITIES.items():
        row = row.replace(written, meant)
    return row
