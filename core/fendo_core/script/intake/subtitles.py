"""Subtitles: SubRip, WebVTT, and the dialogue of SubStation files, with everything that is no word left out."""

import html
import re
from collections.abc import Sequence
from dataclasses import replace
from fractions import Fraction
from itertools import islice, pairwise

from fendo_core.script.intake import prose
from fendo_core.script.intake.inquiry import OUT_OR_READ, Inquiry, enough
from fendo_core.script.intake.paragraph import Paragraph, noted
from fendo_core.script.intake.times import learn
from fendo_core.script.lines import MOST_LINES, Draft, paragraphs
from fendo_core.timebase import FrameRate

_CUE = re.compile(
    r"^[ \t]*(-?[\d:.,;]{4,15})[ \t]*(?:-{1,2}|[–—])>[ \t]*(-?[\d:.,;][\w:.,;]{3,14})(?:[ \t]+[^\n]*)?$",
    re.MULTILINE,
)
"""The times of a cue; the second one may be damaged."""
_VOICE = re.compile(r"<v(?:\.[^\s<>]*)?\s+([^<>]{1,80})>")
_WORDS_BEHIND = re.compile(r"[\d.,;][ \t]+(?!\w+:)[^\W\d_]")
_SPEAKS = re.compile(r"^[-–—‐]\s?(?=\S)")
"""In front of what each of two says."""
_SPEAKS_ALONE = re.compile(r"^[-–—‐](?:\s(?=\S)|(?=[^\W\d_]|[¿¡\"“«]))")
"""The same where the other has a cue of their own; “-5” is a number."""
_ENTITIES = {"&lt;": "<", "&gt;": ">", "&nbsp;": " ", "&lrm;": "", "&rlm;": "", "&amp;": "&"}


_COMMA_CUE = re.compile(r"^(\d{1,2}:\d{2}:\d{2}\.\d{2,3}),(\d{1,2}:\d{2}:\d{2}\.\d{2,3})[ \t]*\r?$", re.MULTILINE)
_INFORMED = re.compile(
    r"\A\s*\[INFORMATION\].{0,4000}?\[END INFORMATION\]\s*(?:\[SUBTITLE\]\s*)?(?:\[COLF\][^\n]{0,200}\n)?", re.DOTALL
)
"""What stands above the cues in some such files."""


def with_arrows(text: str) -> str:
    """A text whose cues have a comma between their times, with arrows instead."""
    if not _COMMA_CUE.search(text):
        return text
    return _COMMA_CUE.sub(_with_arrow, _INFORMED.sub("", text)).replace("[br]", "\n")


def _with_arrow(cue: re.Match[str]) -> str:
    """Times of a cue in thousandths, with an arrow between them."""
    start, end = (time if time[-4] == "." else f"{time}0" for time in cue.groups())
    return f"{start} --> {end}"


_SAMI_CUE = re.compile(r"<SYNC\s+Start\s*=\s*[\"']?(\d{1,9})[^>]{0,80}>", re.IGNORECASE)
_SAMI_CLASS = re.compile(r"<P\b[^<>]{0,80}?\bClass\s*=\s*[\"']?(\w{1,40})[^<>]{0,80}>", re.IGNORECASE)
_ANY_TAG = re.compile(r"<[^<>]{0,300}>")


def of_sami(text: str, inquiry: Inquiry) -> str | None:
    """SubRip of subtitles in SAMI (Synchronized Accessible Media Interchange); None: they are none.

    A cue ends where the next one of its language starts; several languages stand side by side, told by classes.

    Raises:
        ScriptRefused: for more cues than a production holds lines.
    """
    if not text[:_HEAD].lstrip().lower().startswith("<sami"):
        return None
    marks = list(islice(_SAMI_CUE.finditer(text), 2 * MOST_LINES + 2))
    enough(len(marks) // 2)
    shown: dict[str, list[tuple[int, str]]] = {}
    for mark, following in zip(marks, [*marks[1:], None], strict=True):
        held = text[mark.end() : following.start() if following else len(text)]
        name = found[1] if (found := _SAMI_CLASS.search(held)) else ""
        rows = re.sub(r"<br\b[^<>]{0,20}>", "\n", held.replace("\n", " "), flags=re.IGNORECASE)
        words = html.unescape(_ANY_TAG.sub("", rows)).replace("\xa0", " ")
        shown.setdefault(name, []).append((int(mark[1]), "\n".join(filter(None, map(str.strip, words.split("\n"))))))
    if not shown:
        return ""
    fullest = max(shown, key=lambda name: sum(len(words) for _, words in shown[name]))
    if len(shown) > 1:
        fullest = inquiry.ask(
            "class", "the subtitles read are", [(name, name or "without a class") for name in shown], fullest
        )
    cues = shown[fullest]
    ends = [start for start, _ in cues[1:]] + [cues[-1][0] + 4000]
    return "\n\n".join(
        f"{_counted(start)} --> {_counted(end)}\n{words}" for (start, words), end in zip(cues, ends, strict=True) if words
    )


def _counted(milliseconds: int) -> str:
    seconds, rest = divmod(milliseconds, 1000)
    return f"{seconds // 3600:02}:{seconds // 60 % 60:02}:{seconds % 60:02},{rest:03}"


_IN_FRAMES = re.compile(r"^\{(\d{1,8})\}\{(\d{1,8})\}(.*)$", re.MULTILINE)
"""A cue with its first frame, the one behind it, and its rows with bars between them."""
_IN_TENTHS = re.compile(r"^\[(\d{1,8})\]\[(\d{1,8})\](.*)$", re.MULTILINE)
"""The same in tenths of a second."""
_HEAD = 20_000
"""Letters by which a file is told."""


def of_frames(text: str, rate: FrameRate) -> str | None:
    """SubRip of subtitles whose times are numbers of frames, at `rate` if they don't say another, or tenths of a second.

    None: they are none.
    """
    head = [row for row in text[:_HEAD].splitlines()[:-1] if row.strip()] or [text]
    cue_row = _IN_TENTHS if _IN_TENTHS.match(head[0]) else _IN_FRAMES
    if sum(bool(cue_row.match(row)) for row in head) < 0.8 * len(head):
        return None
    cues = [cue.groups() for cue in islice(cue_row.finditer(text), MOST_LINES + 2)]
    enough(len(cues) - 1)
    told = re.fullmatch(r"\d{2,3}(?:\.\d{1,3})?", cues[0][2].strip()) if cue_row is _IN_FRAMES else None
    fps = Fraction(10) if cue_row is _IN_TENTHS else Fraction(told[0]) if told else rate.fps

    def written(frame: str) -> str:
        return _counted(round(1000 * int(frame) / fps))

    rows = (
        f"{written(first)} --> {written(last)}\n" + words.replace("|", "\n") for first, last, words in cues[bool(told) :]
    )
    return "\n\n".join(rows)


def is_subtitles(text: str) -> bool:
    """Whether a text has the times of subtitles, on rows of their own."""
    cues = [cue[0] for cue in islice(_CUE.finditer(text.replace("\r\n", "\n")), 50)]
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
    before = text[: cues[0].start()].split() if cues else []
    counter = int(before[-1]) if before and before[-1].isdecimal() and len(before[-1]) < 8 else None
    found: list[tuple[str, str, Paragraph]] = []
    above: list[str] = []
    rolls = _rolls([text[cue.end() : after.start()] for cue, after in pairwise(cues[:_LOOKED_AT])])
    if rolls:
        inquiry.doubt("rows that came again from cue to cue, as in captions that roll up, were kept once")
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
        if rolls:
            told, above = _without_rows_above(told, above), told
            if not told:
                notes += below
                continue
        if sum(bool(_SPEAKS.match(row)) for row in told) > 1:
            inquiry.doubt(f"cue {number + 1} is said by two, told by dashes: one line")
            told = [_SPEAKS.sub("", row) for row in told]
        elif told:
            told[0] = _SPEAKS_ALONE.sub("", told[0])
        words = " ".join(told)
        if not words:
            inquiry.doubt(f"cue {number + 1} has no words and was left out")
        found.append((cue[1], cue[2], noted(Paragraph(words, reader=voice), notes)))
        notes = below
    if notes and found:
        found[-1] = (*found[-1][:2], noted(found[-1][2], [found[-1][2].notes, *notes]))
    found = _without_credits(found, inquiry)
    return [*map(Draft, lead), *_placed(found, rate, start_frame, inquiry)]


_LOOKED_AT = 200
"""Cues by which captions that roll up are told."""
_MOST_ROLLED = 8
"""Rows that such captions show at a time."""


def _rolls(cues: Sequence[str]) -> bool:
    """Whether many cues begin with rows that the one before them shows: captions that roll up, as machines make them."""
    shown = [paragraphs("\n".join(_said(row) for row in cue.split("\n"))) for cue in cues]
    again = sum(len(_without_rows_above(rows, above)) < len(rows) for above, rows in pairwise(shown) if above and rows)
    return again >= max(2, 0.4 * len(shown))


def _without_rows_above(rows: list[str], above: list[str]) -> list[str]:
    """Rows of a cue without those at its beginning that the one before it ends with."""
    for count in range(min(len(rows), len(above), _MOST_ROLLED), 0, -1):
        if rows[:count] == above[-count:]:
            return rows[count:]
    return rows


_CREDIT = re.compile(
    r"(?:\W{0,3}(?:downloaded from|(?:subtitl\w{1,4}|captions?|captioned|transcri\w{1,6}"
    r"|translat\w{1,4}|sync\w{0,8}|corrected"
    r"|sous-titr\w{1,5}|untertitel\w{0,4}|subt[íi]tulos?|sottotitol\w{1,3}|legendas)\b.{0,30}?"
    r"(?:\bby\b|:|\bvon\b|\bpar\b|\bpor\b"
    r"|\bdi\b|\ba cura\b)).{0,80}|.{0,40}(?:https?://|www\.)\S{1,60}.{0,20})",
    re.IGNORECASE,
)
_AT_THE_ENDS = 3


def _without_credits(found: list[tuple[str, str, Paragraph]], inquiry: Inquiry) -> list[tuple[str, str, Paragraph]]:
    """Cues without those at both ends that say where the subtitles are from."""
    last = len(found) - _AT_THE_ENDS
    named = [
        place
        for place, (_, _, cue) in enumerate(found)
        if (place < _AT_THE_ENDS or place >= last) and _CREDIT.fullmatch(cue.text)
    ]
    if not named or len(named) == len(found):
        return found
    said = found[named[0]][2].text[:40]
    if inquiry.ask("credits", f"“{said}”, around the subtitles, is", OUT_OR_READ, "out") == "in":
        return found
    return [cue for place, cue in enumerate(found) if place not in named]


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


_HUNDREDTHS = re.compile(r"^\d+:\d{2}:\d{2}\.\d{2}$")


def dialogue(text: str, rate: FrameRate, start_frame: int, inquiry: Inquiry) -> list[Draft]:
    """Lines of the dialogue of a SubStation file: a row `Dialogue:` holds fields that a row `Format:` names."""
    fields: list[str] = []
    found: list[tuple[str, str, Paragraph]] = []
    in_events = False
    for row in map(str.lstrip, text.splitlines()):
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
            # Its times count hundredths; thousandths are no frames.
            start, end = (_HUNDREDTHS.sub(r"\g<0>0", held[name].strip()) for name in ("start", "end"))
            found.append((start, end, Paragraph(words, reader=reader)))
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
    return paragraphs("\n".join(shown)), [note for note in notes if not _OF_MACHINES.search(note)]


_OF_MACHINES = re.compile(r"^NOTE\b|^\w{1,20}=\S|https?://|^\w{1,20}: ?[\d/:. -]+$|^SegmentIndex$")
"""Comments above the cues that no person wrote to a reader."""


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


_TAGS = re.compile(r"</?(?:[ibus]|c|v|ruby|rt|lang|font|em|strong|span|strike)(?:[. ][^<>]*)?>|<\d[\d:.]*>|\{\\[^{}]*\}")


def _said(row: str) -> str:
    """The words of a row of a cue: tags off, entities spoken, a voice tag's name kept out."""
    row = re.sub(r"^\s*>>+\s*(?=\S)", "", row)
    row = re.sub(r"<br\s*/?>", " ", row)
    row = _TAGS.sub("", row)
    for written, meant in _ENTITIES.items():
        row = row.replace(written, meant)
    return row
