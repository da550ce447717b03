"""Subtitles: SubRip, WebVTT, and the dialogue of SubStation files, with everything that is no word left out."""

import re
from collections.abc import Sequence
from dataclasses import replace
from fractions import Fraction
from itertools import islice

from fendo_core.script.intake import prose
from fendo_core.script.intake.inquiry import Inquiry, enough
from fendo_core.script.intake.paragraph import Paragraph, noted
from fendo_core.script.intake.times import learn
from fendo_core.script.lines import MOST_LINES, Draft, paragraphs
from fendo_core.timebase import FrameRate

_CUE = re.compile(
    r"^[ \t]*(-?[\d:.,;]{4,15})[ \t]*(?:-{1,2}|[–—])>[ \t]*(-?[\d:.,;]{4,15})(?:[ \t]+[^\n]*)?$",
    re.MULTILINE,
)
_VOICE = re.compile(r"<v(?:\.[^\s<>]*)?\s+([^<>]{1,80})>")
_WORDS_BEHIND = re.compile(r"[\d.,;][ \t]+(?!\w+:)[^\W\d_]")
_SPEAKS = re.compile(r"^[-–—‐]\s?(?=\S)")
"""In front of what each of two says."""
_ENTITIES = {"&lt;": "<", "&gt;": ">", "&nbsp;": " ", "&lrm;": "", "&rlm;": "", "&amp;": "&"}


_COMMA_CUE = re.compile(r"^(\d{1,2}:\d{2}:\d{2}\.\d{3}),(\d{1,2}:\d{2}:\d{2}\.\d{3})[ \t]*$", re.MULTILINE)


def with_arrows(text: str) -> str:
    """A text whose cues have a comma between their times, with arrows instead."""
    return _COMMA_CUE.sub(r"\1 --> \2", text)


_IN_FRAMES = re.compile(r"^\{(\d{1,8})\}\{(\d{1,8})\}(.*)$", re.MULTILINE)
"""A cue with its first frame, the one behind it, and its rows with bars between them."""
_HEAD = 20_000
"""Letters by which a file is told."""


def of_frames(text: str, rate: FrameRate) -> str | None:
    """SubRip of subtitles whose times are numbers of frames, at `rate` if they don't say another; None: they are none."""
    head = [row for row in text[:_HEAD].splitlines()[:-1] if row.strip()] or [text]
    if sum(bool(_IN_FRAMES.match(row)) for row in head) < 0.8 * len(head):
        return None
    cues = [cue.groups() for cue in islice(_IN_FRAMES.finditer(text), MOST_LINES + 2)]
    enough(len(cues) - 1)
    told = re.fullmatch(r"\d{2,3}(?:\.\d{1,3})?", cues[0][2].strip())
    fps = Fraction(told[0]) if told else rate.fps

    def written(frame: str) -> str:
        milliseconds = round(1000 * int(frame) / fps)
        seconds, rest = divmod(milliseconds, 1000)
        return f"{seconds // 3600:02}:{seconds // 60 % 60:02}:{seconds % 60:02},{rest:03}"

    rows = (
        f"{written(first)} --> {written(last)}\n" + words.replace("|", "\n") for first, last, words in cues[bool(told) :]
    )
    return "\n\n".join(rows)


def is_subtitles(text: str) -> bool:
    """Whether a text has the times of subtitles, on rows of their own."""
    cues = [cue[0] for cue in islice(_CUE.finditer(text), 50)]
    return bool(cues) and sum(bool(_WORDS_BEHIND.search(cue)) for cue in cues) < 0.8 * len(cues)


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
    lead, notes = _lead(kind, text[: cues[0].start()] if cues else text)
    if lead:
        inquiry.doubt("words before the first cue became lines without a slot")
    above = text[: cues[0].start()].split() if cues else []
    counter = int(above[-1]) if above and above[-1].isdecimal() and len(above[-1]) < 8 else None
    found: list[tuple[str, str, Paragraph]] = []
    for number, cue in enumerate(cues):
        end = cues[number + 1].start() if number + 1 < len(cues) else len(text)
        rows = text[cue.end() : end].split("\n")[1:]
        if number + 1 < len(cues):
            # Where no empty row parts them, the next cue's number counts on from the first one's.
            counts_on = len(rows) > 2 and counter is not None and rows[-2].strip() == str(counter + number + 1)
            rows = rows[:-2] if counts_on else _without_name(kind, rows)
        rows = "\n".join(rows).strip("\n").split("\n")
        shown, below = _without_notes(kind, rows)
        voice = next((match[1].strip() for row in shown if (match := _VOICE.search(row))), "")
        told = paragraphs("\n".join(_said(row) for row in shown))
        if sum(bool(_SPEAKS.match(row)) for row in told) > 1:
            inquiry.doubt(f"cue {number + 1} is said by two, told by dashes: one line")
            told = [_SPEAKS.sub("", row) for row in told]
        elif told and told[0][:2] in ("- ", "– "):
            told[0] = told[0][2:].lstrip()
        words = " ".join(told)
        if not words:
            inquiry.doubt(f"cue {number + 1} has no words and was left out")
        found.append((cue[1], cue[2], noted(Paragraph(words, reader=voice), notes)))
        notes = below
    if notes and found:
        found[-1] = (*found[-1][:2], noted(found[-1][2], [found[-1][2].notes, *notes]))
    return [*map(Draft, lead), *_placed(found, rate, start_frame, inquiry)]


def placed(cues: Sequence[tuple[str, str, str]], rate: FrameRate, start_frame: int, inquiry: Inquiry) -> list[Draft]:
    """Lines of cues: start, end and words of each.

    Raises:
        ScriptRefused: for more cues than a production holds lines.
    """
    enough(len(cues))
    return _placed([(start, end, Paragraph(words)) for start, end, words in cues], rate, start_frame, inquiry)


def _placed(
    found: Sequence[tuple[str, str, Paragraph]], rate: FrameRate, start_frame: int, inquiry: Inquiry
) -> list[Draft]:
    clock = learn(((start, end, said.text) for start, end, said in found), rate, start_frame, inquiry)
    made: list[Paragraph] = []
    for number, (written, until, cue) in enumerate(found, start=1):
        start, finish = clock.sample(written), clock.sample(until)
        slot = None
        if start is None or finish is None:
            inquiry.doubt(f"cue {number} has a time that is none, so it gets no slot")
        else:
            slot = clock.slot(start, finish, f"cue {number}", inquiry)
        made.append(replace(cue, slot=slot))
    return prose.drafts_of_cells(made, inquiry)


def dialogue(text: str, rate: FrameRate, start_frame: int, inquiry: Inquiry) -> list[Draft]:
    """Lines of the dialogue of a SubStation file: a row `Dialogue:` holds fields that a row `Format:` names."""
    fields: list[str] = []
    found: list[tuple[str, str, Paragraph]] = []
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
            found.append((held["start"].strip(), held["end"].strip(), Paragraph(words, reader=reader)))
        enough(len(found))
    return _placed(found, rate, start_frame, inquiry)


def _lead(kind: str, before: str) -> tuple[list[str], list[str]]:
    """Words before the first cue, and comments: a counter and WebVTT's head are none."""
    blocks = re.split(r"\n\s*\n", before.strip("\n"))
    kept: list[str] = []
    for place, block in enumerate(blocks):
        rows = block.split("\n")
        if kind == "WebVTT subtitles" and place == 0 and rows[0].startswith("WEBVTT"):
            continue
        if place == len(blocks) - 1 and len(rows) == 1 and not before.endswith("\n\n") and _is_name(kind, rows[0]):
            continue
        kept += [*rows, ""]
    shown, notes = _without_notes(kind, kept)
    return paragraphs("\n".join(shown)), notes


def _without_name(kind: str, rows: list[str]) -> list[str]:
    """Rows up to a cue's times, without its number or name: that stands right above these, and below an empty row."""
    if len(rows) < 3 or not rows[-2].strip() or rows[-3].strip():
        return rows
    return rows[:-2] if _is_name(kind, rows[-2]) else rows


def _is_name(kind: str, row: str) -> bool:
    named = kind == "WebVTT subtitles" and not row.startswith(("NOTE", "STYLE", "REGION"))
    return named or row.strip().isdigit()


def _without_notes(kind: str, rows: list[str]) -> tuple[list[str], list[str]]:
    """Rows of a cue, and the comments of WebVTT behind it, which become notes of the next one."""
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
    row = re.sub(r"^\s*>>+\s*(?=\S)", "", row)
    row = re.sub(r"</?(?:[ibu]|c|v|ruby|rt|lang|font)(?:[. ][^<>]*)?>|<\d[\d:.]*>|\{\\[^{}]*\}", "", row)
    for written, meant in _ENTITIES.items():
        row = row.replace(written, meant)
    return row
