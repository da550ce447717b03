"""Who reads, where names stand before the words or above them; what is seen becomes notes."""

import re
from collections import Counter
from collections.abc import Sequence
from dataclasses import replace
from itertools import pairwise

from fendo_core.script.intake.inquiry import Inquiry, counted
from fendo_core.script.intake.marks import (
    ASIDE,
    CUE,
    LABEL,
    MUSIC,
    PICTURE,
    SCENE,
    SPEAKERS,
    SPOKEN_EXTRA,
    VOICE,
    is_bite,
    is_bite_in_brackets,
    is_cue,
    is_voice,
    names_somebody,
)
from fendo_core.script.intake.paragraph import SENTENCE_ENDS, Paragraph, noted

_SHOT = re.compile(
    r"(?:shot|scene|visual|video|picture|bild|szene|einstellung|plan|imagen|plano)\s*#?\s*\d{1,4}", re.IGNORECASE
)
_NUMBERED_VOICE = re.compile(rf"{VOICE.pattern}\s*#?\s*\d{{1,2}}", re.IGNORECASE)
_ANY_VOICE = re.compile(r"voice|stimme|voix|voz|voce|stem|голос", re.IGNORECASE)
"""Where nobody else is named it says that the words are read, and not who reads."""
_SOUND = re.compile(r"sounds?|sonidos?|sons?|suon[oi]|geluid", re.IGNORECASE)
_NO_NAME = re.compile(r"(?:tc|in|out|time|timecode|start|end|dur|duration|notes?)\b.*", re.IGNORECASE)


def spoken_in_cell(rows: Sequence[str]) -> tuple[list[str], list[str]]:
    """The paragraphs of a cell that are read, and those that are notes: not what is heard in the film, or seen in it."""
    labels = [LABEL.match(row) for row in rows]
    names = [label[1].strip() if label else "" for label in labels]
    # Beside names what stands in brackets by itself is a direction.
    aside = [bool(any(names) and ASIDE.match(row)) and not is_bite_in_brackets(row) for row in rows]
    pictured = [
        bool(PICTURE.fullmatch(name) or MUSIC.fullmatch(name) or MUSIC.fullmatch(row) or one)
        for name, row, one in zip(names, rows, aside, strict=True)
    ]
    if not any(map(is_bite, rows)) and not any(pictured):
        return list(rows), []
    said: list[str] = []
    notes: list[str] = []
    in_film = False
    for row, label, seen in zip(rows, labels, pictured, strict=True):
        if is_bite(row):
            in_film = True
        elif seen:
            notes.append(row[label.end() :] or row.strip(" :") if label else row.strip("()[]{} "))
        elif label:
            in_film = False
            said.append(row)
        elif not in_film:
            said.append(row)
    return said, notes


def turns_in_cell(rows: Sequence[str]) -> list[str]:
    """The words of a cell: each who is named in it several times has lines of their own, all others are one."""
    starts = [number for number, row in enumerate(rows) if names_somebody(row)]
    if len(starts) < 2 or starts[0] > 0:
        return [" ".join(rows)]
    return [" ".join(rows[start:end]) for start, end in zip(starts, [*starts[1:], len(rows)], strict=True)]


_DASHED = re.compile(r"^(?:\[([^\W\d_][\w .'’-]{0,30})\]\s*[:：]?|([^\W\d_][\w .'’-]{0,30}?)\s+[-–—])\s+(?=\S)")
_SHOUT = r"(?:[^\W\d_a-z]|[.'’-]){2,20}"
_BEFORE_WORDS = re.compile(
    rf"^({_SHOUT}(?: {_SHOUT}){{0,2}})(\s*\([^()]{{1,30}}\))?\s+(?=[\"“„«'‘¿¡]*[^\W\d_](?:[a-zß-ÿ]|[ ,’']))"
)
"""A name in capitals before words that are not."""


def with_name_colons(found: Sequence[Paragraph]) -> list[Paragraph]:
    """Paragraphs with `NAME:` in front where most of them have `NAME -` or `[NAME]` or NAME, and a name comes again."""
    shouted = [_BEFORE_WORDS.match(each.text) for each in found]
    called = [head[1] for head in shouted if head]
    least = 1 if all(map(SPEAKERS.fullmatch, called)) else 2
    if len(called) > max(least, 0.8 * len(found)) and len(set(called)) < len(called):
        return [
            replace(each, text=f"{head[1]}{head[2] or ''}: {each.text[head.end() :]}") if head else each
            for each, head in zip(found, shouted, strict=True)
        ]
    leads = ["" if each.lead == each.text else each.lead.rstrip(" :–-") for each in found]
    told = [lead for lead in leads if lead and len(lead.split()) <= 3 and not lead.endswith(SENTENCE_ENDS)]
    if len(told) >= max(2, 0.5 * len(found)) and (len(set(told)) < len(told) or all(map(SPEAKERS.fullmatch, told))):
        return [
            replace(each, text=f"{lead}: {each.text[len(each.lead) :].lstrip(' :–-')}", lead="") if lead in told else each
            for each, lead in zip(found, leads, strict=True)
        ]
    heads = [_DASHED.match(each.text) for each in found]
    names = [(head[1] or head[2]) if head else "" for head in heads]
    told = [name for name in names if name and (name.isupper() or SPEAKERS.fullmatch(name))]
    known = all(map(SPEAKERS.fullmatch, told))
    always = len(told) >= max(3, 0.8 * len(found)) and len(set(told)) < len(told)
    if len(told) < max(2, 0.5 * len(found)) or (len(set(told)) > 0.6 * len(told) and not known and not always):
        return list(found)
    return [
        replace(each, text=f"{name}: {each.text[head.end() :]}") if head and name in told else each
        for each, head, name in zip(found, heads, names, strict=True)
    ]


_IN_BRACKETS = re.compile(rf"^[\[(]\s*({SPEAKERS.pattern})\s*[\])]\s*:?\s*(?=\S)", re.IGNORECASE)


_SHOUTED_IN_BRACKETS = re.compile(r"^[\[(]\s*([^\W\d_a-z][^\W\d_a-z .'’-]{1,30})\s*[\])]\s*:?\s*(?=\S)")


def with_brackets_as_names(found: Sequence[Paragraph]) -> list[Paragraph]:
    """Paragraphs with `Narrator:` in front where they have `[Narrator]`: cues are too few to tell by what comes again.

    Where all have a name in capitals in brackets in front, all these are names.
    """
    heads = [_SHOUTED_IN_BRACKETS.match(each.text) for each in found]
    names = [head[1] for head in heads if head]
    if len(names) > 2 and len(names) == len(found) and len(set(names)) < len(names):
        return [replace(each, text=_SHOUTED_IN_BRACKETS.sub(r"\1: ", each.text)) for each in found]
    return [replace(each, text=_IN_BRACKETS.sub(r"\1: ", each.text)) for each in found]


_CUE_IN_BRACKETS = re.compile(r"^\[([^\W\d_][\w .'’-]{0,30}?)(?:\s*[,–—-]\s*([^\[\]]{1,40}))?\]$")


def with_cues_out_of_brackets(found: Sequence[Paragraph]) -> list[Paragraph]:
    """Paragraphs with “NARRATOR:” on rows of their own where they have “[NARRATOR]”, and others “[OTTO, tired]”."""
    heads = [_CUE_IN_BRACKETS.match(each.text) for each in found]
    names = [head[1] for head in heads if head]
    known = [bool(SPEAKERS.fullmatch(name)) for name in names]
    named = all(one or (name.isupper() and not PICTURE.fullmatch(name)) for one, name in zip(known, names, strict=True))
    if len(names) < 2 or not any(known) or not named or len(names) > 0.6 * len(found):
        return list(found)
    return [
        replace(each, text=f"{head[1]}{f' ({head[2]})' if head[2] else ''}:") if head else each
        for each, head in zip(found, heads, strict=True)
    ]


def with_readers(found: Sequence[Paragraph], inquiry: Inquiry, sticky: bool = True) -> list[Paragraph]:
    """Paragraphs with the readers that are named before them; directions and pictures become notes of the next line.

    Args:
        found: the paragraphs.
        inquiry: asked whether names are names.
        sticky: whether who was named goes on reading below.
    """
    names = _names(found, sure=not sticky)
    labels = [match[1].strip() for each in found if (match := LABEL.match(each.text))]
    pictures = {each for each in labels if PICTURE.fullmatch(each)}
    counted_voices = Counter(each for each in labels if _NUMBERED_VOICE.fullmatch(each))
    if len(counted_voices) > 1 and max(counted_voices.values()) > 1:
        # “VO 1” and “VO 2” that come again are two who read.
        names |= set(counted_voices)
    shots = {each for each in labels if _SHOT.fullmatch(each)}
    if any(VOICE.fullmatch(each) for each in labels):
        pictures |= shots
    if len(names) == 1 and _ANY_VOICE.fullmatch(min(names)):
        names = set()
    voices = {each for each in labels if (is_voice(each) or _ANY_VOICE.fullmatch(each)) and each not in names | pictures}
    sounds = {each for each in voices if _SOUND.fullmatch(each)}
    unnamed = sum(LABEL.match(each.text) is None and each.text.endswith(SENTENCE_ENDS) for each in found)
    if sounds and (voices > sounds or names or unnamed > sum(label in sounds for label in labels)):
        # Where others are read it is heard beside them.
        voices, pictures = voices - sounds, pictures | sounds
    seen = sum(label in pictures for label in labels)
    if not names and not voices and not (sticky and seen >= 2 and 0.25 * len(found) <= seen < len(found)):
        return list(found)
    shown = ", ".join(sorted({*names, *voices} or pictures)[:4])
    options = (("readers", "who reads, and what is seen"), ("words", "words"))
    if inquiry.ask("readers", f"{shown}, in front of the words, say", options, "readers") == "words":
        return list(found)
    screenplay = any(is_cue(each.text) and not each.text.endswith(":") for each in found)
    made: list[Paragraph] = []
    notes: list[str] = []
    sticky = sticky or _named_at_changes(labels, found, names)
    reader, awaited, unsaid, in_block, on_screen, in_scene = "", False, 0, False, False, False
    # Where what is read stands under its label, what is seen does, too.
    apart = any(
        label and label[1].strip() in voices and label.end() == len(each.text)
        for each in found
        if (label := LABEL.match(each.text))
    )
    for place, each in enumerate(found):
        in_block = in_block and not each.fresh and not each.notes
        label = LABEL.match(each.text)
        name = label[1].strip() if label else ""
        on_screen = on_screen and not label and not each.notes
        if on_screen:
            notes.append(each.text)
            continue
        if label and name in pictures:
            on_screen = apart and label.end() == len(each.text)
            said = each.text[label.end() :] or name
            if in_block and made[-1].text and _ends_block(found, place, pictures):
                made[-1] = noted(made[-1], [made[-1].notes, said])
            else:
                notes += filter(None, [each.notes, said])
            continue
        cue = _cue_name(each.text, names)
        if sticky and cue is not None and not (label and each.text[label.end() :]):
            reader, awaited, in_scene = "" if VOICE.fullmatch(cue) else cue, True, False
            notes += filter(None, [_how(CUE.match(each.text.rstrip(": "))), each.notes])
            if each.slot is not None:
                # The time stood before the name: it belongs to what is said under it.
                made.append(replace(each, text=""))
            continue
        if label and (name in names or name in voices):
            reader = "" if name in voices else name
            notes += filter(None, [_how(label)])
            each, awaited, in_scene = replace(each, text=each.text[label.end() :]), True, False
        elif SCENE.match(each.text):
            notes += filter(None, [each.notes, each.text])
            in_scene = True
            continue
        elif screenplay and not awaited and (each.fresh or in_scene):
            unsaid += 1
            notes += filter(None, [each.notes, each.text])
            continue
        elif not sticky:
            reader = ""
        slot = each.slot
        if made and not made[-1].text:
            slot = slot or made.pop().slot
        made.append(noted(replace(each, reader=reader, slot=slot), [*notes, each.notes]))
        notes, awaited, in_block = [], not screenplay, True
    if unsaid:
        inquiry.doubt(f"{counted(unsaid, 'paragraph', 'paragraphs')} that nobody reads became notes of the line below")
    if notes and made:
        made[-1] = noted(made[-1], [made[-1].notes, *notes])
    return made


_FEWEST_CHANGES = 3


def _named_at_changes(labels: Sequence[str], found: Sequence[Paragraph], names: set[str]) -> bool:
    """Whether cues name who speaks where that changes, and nowhere else."""
    told = [label for label in labels if label in names]
    changes = all(one != other for one, other in pairwise(told))
    return changes and len(told) >= _FEWEST_CHANGES and len(set(told)) < len(told) < len(found)


def _ends_block(found: Sequence[Paragraph], place: int, pictures: set[str]) -> bool:
    """Whether nothing but what is seen stands below, up to an empty row or a heading: then it is of the words above."""
    for below in found[place + 1 :]:
        if below.fresh or below.notes:
            return True
        label = LABEL.match(below.text)
        if not (label and label[1].strip() in pictures):
            return False
    return True


def _how(named: re.Match[str] | None) -> str:
    """What stands in brackets behind a name, unless it says that the voice is off the picture."""
    extra = SPOKEN_EXTRA.sub("", named[2] or "").strip() if named else ""
    return extra.strip("() ")


def _cue_name(text: str, names: set[str]) -> str | None:
    """Who speaks next, where a row names somebody and nothing else."""
    found = CUE.match(text.rstrip(":").strip())
    if not found:
        return None
    name = found[1].strip()
    off = bool(found[2] and SPOKEN_EXTRA.search(found[2]) and VOICE.fullmatch(name))
    return name if name in names or off or (text.endswith(":") and _may_be_called(name)) else None


_LONGEST_CALLED = 4


def _may_be_called(name: str) -> bool:
    """Whether somebody could be called so: “On 3 March the captain wrote:” is read."""
    words = name.split()
    return len(words) <= _LONGEST_CALLED or name.isupper()


def _names(found: Sequence[Paragraph], sure: bool) -> set[str]:
    """Who is named before words: known words for speakers, names in capitals, and names that come again.

    Args:
        found: the paragraphs.
        sure: whether a few names are not enough.
    """
    labelled: Counter[str] = Counter()
    cued: Counter[str] = Counter()
    for place, each in enumerate(found):
        label = LABEL.match(each.text)
        if label:
            labelled[label[1].strip()] += 2 if label[2] and SPOKEN_EXTRA.search(label[2]) else 1
            continue
        cue = CUE.match(each.text)
        if (
            cue
            and (cue[1].isupper() or is_cue(each.text))
            and len(cue[1]) > 1
            and len(cue[1].split()) <= 4
            and not SCENE.match(each.text)
        ):
            # In capitals above words that are not: once with “(V.O.)”, twice without.
            above_words = place + 1 < len(found) and found[place + 1].text != found[place + 1].text.upper()
            sure_cue = cue[2] and SPOKEN_EXTRA.search(cue[2])
            cued[cue[1].strip()] += 2 if sure_cue or SPEAKERS.fullmatch(cue[1].strip()) else int(above_words)
    often = sum(labelled.values()) >= 0.3 * len(found)
    # Where every paragraph has a name, somebody who speaks once has one too.
    always = sum(labelled.values()) >= max(3, 0.7 * len(found)) and max(labelled.values()) > 1
    names = {
        name
        for name, times in labelled.items()
        if not PICTURE.fullmatch(name)
        and not is_voice(name)
        and not _NO_NAME.fullmatch(name)
        and len(name.split()) <= 4
        and (SPEAKERS.fullmatch(name) or name.isupper() or ((times > 1 or always) and often and name.istitle()))
    }
    # One shouted word with a colon is as likely a heading as a name.
    named = sum(times for name, times in labelled.items() if name in names or is_voice(name))
    if (sure or len(found) > 2) and named < 2 and not any(map(SPEAKERS.fullmatch, names)):
        names = set()
    if sure and not often:
        # In subtitles a name in capitals stands where who speaks changes.
        return {name for name in names if name.isupper() and labelled[name] > 1}
    # Where some stand above their words, somebody who speaks once does too.
    return names | {name for name, times in cued.items() if times >= (1 if max(cued.values()) >= 2 else 2)}
