"""A take, a comp, and what sounds for a line, as the interface sees them: stored measures, and the core's judgement."""

from collections import defaultdict
from collections.abc import Iterable, Mapping
from dataclasses import replace
from typing import Any, Protocol

from django.db.models import QuerySet
from django.db.models.fields.json import KeyTextTransform, KeyTransform

from fendo_core.booth import delay
from fendo_core.booth.levelwindow import level_window
from fendo_core.polish.heard import told
from fendo_core.production.state import SCRATCH, LineComp
from fendo_core.script.lines import tokens
from fendo_core.takes.measures import judge, level_advice, sound_faults
from fendo_core.takes.ranking import Candidate, suggest
from fendo_core.takes.standing import Standing
from fendo_core.takes.weaving import words_in
from fendo_core.timebase import Span
from fendo_core.voice import Comp, Place, seams
from fendo_core.voice.level import gain_for
from fendo_core.words import LISTENS, ReadCheck, faults, remarks
from fendo_server.takes.models import Take
from fendo_server.takes.words import LineWords, words_of
from fendo_server.voice import sounding as sounding_jobs
from fendo_server.voice.models import Recording
from fendo_server.voice.polish import Polish
from fendo_server.voice.sounding import Sounding

OF_TAKE = (
    "id", "line_id", "recording_id", "first", "last", "number", "aside", "mark", "note", "place", "cue", "speech_start",
    "speech_end", "peak", "true_peak", "loudness", "noise", "clipped", "phrases", "bleed", "behind",
)  # fmt: skip
OF_RECORDING = ("start", "length", "state", "cut_off", "file_name", "folder_id", "reader_id", "within", "doubts")
COLUMNS = (*OF_TAKE, *(f"recording__{name}" for name in OF_RECORDING))
"""What is read of a take to say what sounds of it."""
LISTED = ("words", "read", "heard")
"""What is read besides where takes are listed: of a thousand lines it would be asked for in vain."""


def _rows(takes: QuerySet[Take]) -> Iterable[Any]:
    """Plain rows: there may be a thousand, and models would cost more than all the rest."""
    return takes.order_by("number").values_list(*COLUMNS, named=True)


def _listed(takes: QuerySet[Take]) -> Iterable[Any]:
    """The same, with what is read besides."""
    known = takes.order_by("number").annotate(
        latency_source=KeyTextTransform("source", "recording__clock"),
        marks=KeyTransform("marks", "recording__clock"),
    )
    return known.values_list(*COLUMNS, *LISTED, "latency_source", "marks", named=True)


def comp_of(take: Any) -> Comp:
    """What sounds of a take (a row of `COLUMNS`) by itself, where it lies now."""
    spoken = Span(take.speech_start, take.speech_end) if take.speech_start is not None else None
    place = take.recording__start if take.place is None else take.place
    return Comp.of_take(str(take.recording_id), Span(take.first, take.last), spoken, place)


def comp_of_take(take: Take) -> Comp:
    """The same of a model."""
    return comp_of(_rows(Take.objects.filter(pk=take.pk))[0])  # type: ignore[index]


def _spans(pairs: Iterable[Iterable[int]]) -> list[Span]:
    return [Span(*pair) for pair in pairs]


def _pairs(spans: Iterable[Span]) -> list[list[int]]:
    return [[span.start, span.end] for span in spans]


def _as_read(late: int | None, moved: int) -> int | None:
    """By how much something came late where it was read, before it was moved."""
    return None if late is None else late - moved


class Asked(Protocol):
    """What is asked of a line's reading: where it lies in the programme, or how many samples it is to last."""

    @property
    def slot(self) -> Span | None: ...

    @property
    def wanted_length(self) -> int | None: ...


class Describer:
    """Describes takes and comps of one production: what they all need is read once."""

    def __init__(self, production: Any, lines: Mapping[str, Asked]) -> None:
        self.production, self.lines = production, lines
        self.folders = dict(production.folders.values_list("id", "path"))
        self.readers = dict(production.readers.values_list("id", "name"))
        self.window = level_window(production.level_window)
        self.polish = Polish(production)
        self.unmade = False
        self.candidates = defaultdict[str, list[Candidate]](list)

    def voice(self, sounding: Sounding, phrases: Iterable[Span], loudness: float | None, **more: Any) -> dict[str, Any]:
        """What sounds, on the wire; `phrases` in programme samples, `loudness` in LUFS."""
        spoken, comp = sorted(phrases), sounding.comp
        return {
            "key": sounding.key,
            "bare": sounding.key if sounding.is_plain else self.polish.bare(replace(comp, treatment=None)).key,
            "span": [comp.span.start, comp.span.end],
            "speech": [spoken[0].start, max(span.end for span in spoken)] if spoken else None,
            "phrases": _pairs(spoken),
            "length": comp.length,
            "gain": gain_for(loudness, self.production.speech_level),
            **more,
        }

    def take_voice(self, take: Any) -> tuple[dict[str, Any], dict[str, Any] | None]:
        """What sounds of a finished take (a row of `COLUMNS`), on the wire; and its levels, None while they are made."""
        comp = comp_of(take)
        sounding = self.polish.sounding(comp, str(take.line_id))
        found: dict[str, Any] | None = {"loudness": take.loudness, "peak": take.peak}
        if not sounding.is_plain and take.peak is not None:
            found = self._levels(sounding)
        phrases = Place(comp).spans_in_programme(str(take.recording_id), _spans(take.phrases))
        # Until it is made it is as loud as it was read.
        loudness = found["loudness"] if found else take.loudness
        said = self.voice(sounding, phrases, loudness, id=str(take.id), kind="take", name=f"take {take.number}")
        return said, found

    def _asked(self, line: str) -> tuple[Span | None, int | None]:
        asked = self.lines.get(line)
        return (asked.slot, asked.wanted_length) if asked else (None, None)

    def _levels(self, sounding: Sounding) -> dict[str, Any] | None:
        """Levels of what is not plain. A comp is short work; of all treated lines at once a job makes them."""
        working = sounding.comp.treatment and sounding.comp.treatment.working
        found = sounding.measured() if working else sounding.measures()
        self.unmade = self.unmade or found is None
        return found

    def take(self, take: Any) -> dict[str, Any]:
        """One take (a row of `COLUMNS` and `LISTED`), judged against its line's slot as it is now."""
        finished = take.recording__state == Recording.State.FINISHED
        place = take.recording__start if take.place is None else take.place
        check = ReadCheck.from_row(take.read) if take.read and "words" in take.read else None
        moved = place - take.recording__start
        measured = take.peak is not None
        voice, said = None, None
        slot, wanted = self._asked(str(take.line_id))
        clipped = [Span(a + place, b + place) for a, b in take.clipped]
        level = sound_faults(take.peak, take.loudness, take.noise, take.bleed, self.window)
        if finished:
            voice, _ = self.take_voice(take)
            said = judge(
                Span(*voice["speech"]) if voice["speech"] else None,
                0,
                slot,
                len(clipped),
                take.recording__cut_off,
                take.recording__doubts,
                measured,
                None if take.cue is None else take.cue + moved,
                level,
                faults(check, take.words) if check else (),
                (*self._behind(take), *(remarks(check, take.words) if check else ()), *told(take.heard or {})),
                wanted,
            )
        self.candidates[str(take.line_id)].append(
            Candidate(
                str(take.id),
                take.number,
                usable=bool(voice and voice["speech"]) and not take.aside,
                scratch=take.mark == SCRATCH,
                whole=not take.recording__cut_off,
                amiss=check.amiss if check else None,
                clipped=len(clipped),
                late=_as_read(said.late if said else None, moved if slot else 0),
                past_end=_as_read(said.past_end if said else None, moved if slot else 0),
                level=len(level),
            )
        )
        return {
            "id": str(take.id),
            "kind": "take",
            "name": f"take {take.number}",
            "line": str(take.line_id),
            "number": take.number,
            "file": take.recording__file_name,
            "folder": self.folders[take.recording__folder_id],
            "reader": self.readers[take.recording__reader_id],
            "state": take.recording__state,
            "aside": take.aside,
            "mark": take.mark,
            "note": take.note,
            "start": place + take.first,
            "length": take.last - take.first if take.last else take.recording__length,
            "voice": voice,
            "seams": [],
            "peak": take.peak,
            "true_peak": take.true_peak,
            "loudness": take.loudness,
            "noise": take.noise,
            "clipped": _pairs(clipped),
            "late": said.late if said else None,
            "past_end": said.past_end if said else None,
            "too_long": bool(said and said.too_long),
            "faults": list(said.faults) if said else [],
            "remarks": list(said.remarks) if said else [],
            "measured": measured,
            "latency_source": take.latency_source or "",
            "marks": [at + place for at in take.marks or () if take.first <= at < (take.last or at + 1)],
            "within": take.recording__within,
            "advice": self._advice(take) if voice and voice["speech"] else [],
            "read": self._read(take, check, place) if said and measured else None,
        }

    @staticmethod
    def _behind(take: Any) -> tuple[str, ...]:
        return (delay.said(delay.Delay(*take.behind)),) if take.behind else ()

    def _advice(self, take: Any) -> list[str]:
        advice = list(level_advice(take.peak, take.loudness, take.noise, self.window))
        return [*advice, "turn the headphones down, or wear closed ones"] if take.bleed is not None else advice

    def _read(self, take: Any, check: ReadCheck | None, place: int) -> dict[str, Any]:
        """What was heard of the words, in programme samples."""
        if check is None:
            spoken = take.words and take.speech_start is not None and self.production.language in LISTENS
            waits = spoken and take.read is None
            return {"state": "waiting" if waits else "not checked", "words": [], "put_in": []}
        page = tokens(take.words)
        words = [
            {
                "ordinal": one.ordinal,
                "text": page[one.ordinal],
                "mark": one.mark,
                "span": [one.span.start + place, one.span.end + place] if one.span else None,
            }
            for one in check.words
            if one.ordinal < len(page)
        ]
        put_in = [[span.start + place, span.end + place] for span in check.put_in]
        return {"state": "checked", "words": words, "put_in": put_in}

    def comp(self, one: LineComp, spoken: Mapping[str, list[Span]], heard: LineWords) -> dict[str, Any]:
        """One comp, judged like a take; `spoken` are phrases by recording, in its samples, `heard` its line's words."""
        voice, found = self.comp_voice(one, spoken)
        clipped = [Span(a + one.comp.at, b + one.comp.at) for a, b in found["clipped"]] if found else []
        speech = Span(*voice["speech"]) if voice["speech"] else None
        slot, wanted = self._asked(one.line)
        said = judge(speech, 0, slot, len(clipped), measured=found is not None, wanted=wanted)
        levels = found or {"peak": None, "true_peak": None, "loudness": None, "noise": None}
        return {
            "id": one.id,
            "kind": "comp",
            "name": one.name,
            "line": one.line,
            "number": 0,
            "file": "",
            "folder": "",
            "reader": self.readers.get(one.reader, ""),
            "state": "finished",
            "aside": False,
            "mark": "",
            "note": "",
            "start": one.comp.at,
            "length": one.comp.length,
            "voice": voice,
            "seams": [one.comp.at + seam for seam in seams(one.comp)],
            **{name: levels[name] for name in ("peak", "true_peak", "loudness", "noise")},
            "clipped": _pairs(clipped),
            "late": said.late,
            "past_end": said.past_end,
            "too_long": said.too_long,
            "faults": list(said.faults),
            "remarks": list(said.remarks),
            "measured": found is not None,
            "latency_source": "",
            "marks": [],
            "within": None,
            "advice": [],
            "read": self._comp_read(one.comp, heard),
        }

    def _comp_read(self, comp: Comp, heard: LineWords) -> dict[str, Any]:
        """The words of a comp, as they were heard in the takes that it is made of."""
        page, found = tokens(heard.text), words_in(comp, heard.checks)
        words = [
            {"ordinal": ordinal, "text": page[ordinal], "mark": "read", "span": [span.start, span.end]}
            for ordinal, span in found.items()
            if ordinal < len(page)
        ]
        return {"state": "checked" if words else "not checked", "words": words, "put_in": []}

    def comp_voice(self, one: LineComp, spoken: Mapping[str, list[Span]]) -> tuple[dict[str, Any], dict[str, Any] | None]:
        """What sounds of a comp, on the wire; and its levels, None while they are made."""
        sounding = self.polish.sounding(one.comp, one.line)
        found = self._levels(sounding)
        phrases = Place(one.comp).all_in_programme(spoken)
        loudness = found["loudness"] if found else None
        return self.voice(sounding, phrases, loudness, id=one.id, kind="comp", name=one.name), found


def spoken_in(production: Any, comps: Iterable[Comp]) -> dict[str, list[Span]]:
    """The phrases of the recordings that comps use, by recording."""
    wanted = {recording for comp in comps for recording in comp.recordings}
    found = defaultdict[str, list[Span]](list)
    if wanted:
        rows = Take.objects.filter(recording__in=list(wanted), recording__production=production)
        for recording, phrases in rows.values_list("recording_id", "phrases"):
            found[str(recording)] += _spans(phrases)
    return found


def take_rows(
    production: Any, takes: QuerySet[Take], lines: Mapping[str, Asked], comps: Iterable[LineComp] = ()
) -> list[dict[str, Any]]:
    """Some takes of the production in order of their numbers, and comps; `lines` by their identities."""
    describer, comps = Describer(production, lines), list(comps)
    spoken = spoken_in(production, [one.comp for one in comps])
    heard = words_of({one.line for one in comps})
    made = (describer.comp(one, spoken, heard.get(one.line, LineWords())) for one in comps)
    rows = [*map(describer.take, _listed(takes)), *made]
    found = dict(one for takes in describer.candidates.values() if (one := suggest(takes)))
    return [row | {"suggested": list(found.get(row["id"], ()))} for row in rows]


def voices(production: Any, standing: Mapping[str, Standing], comps: Iterable[LineComp]) -> dict[str, dict[str, Any]]:
    """What sounds for lines, by line: a take or a comp, whether it is provisional, and what its file would be called."""
    by_voice = {found.voice: (line, found.provisional) for line, found in standing.items()}
    describer, said = Describer(production, {}), {}
    for take in _rows(Take.objects.filter(pk__in=list(by_voice))):
        if take.recording__state != Recording.State.FINISHED:
            continue
        line, provisional = by_voice[str(take.id)]
        voice, levels = describer.take_voice(take)
        said[line] = voice | {
            "takes": [take.number],
            "provisional": provisional,
            "file": take.recording__file_name,
            "folder": describer.folders[take.recording__folder_id],
            "loudness": levels["loudness"] if levels else None,
            "peak": levels["peak"] if levels else None,
            "measured": take.peak is not None and levels is not None,
        }
    chosen = [one for one in comps if one.id in by_voice]
    spoken = spoken_in(production, [one.comp for one in chosen])
    names, numbers = _files(production, chosen), _numbers(production, chosen)
    for one in chosen:
        line, provisional = by_voice[one.id]
        voice, found = describer.comp_voice(one, spoken)
        file, folder = names.get(one.comp.segments[0].recording, ("", ""))
        said[line] = voice | {
            "takes": [numbers[each] for each in (s.recording for s in one.comp.segments) if each in numbers],
            "provisional": provisional,
            "file": file,
            "folder": folder,
            "loudness": found["loudness"] if found else None,
            "peak": found["peak"] if found else None,
            "measured": found is not None,
        }
    if describer.unmade:
        sounding_jobs.make_missing(production)
    return said


def _numbers(production: Any, comps: Iterable[LineComp]) -> dict[str, int]:
    """The number of the take by the recording that it is."""
    wanted = {recording for one in comps for recording in one.comp.recordings}
    rows = Take.objects.filter(recording__in=list(wanted), recording__production=production) if wanted else ()
    return {str(take.recording_id): take.number for take in rows}


def _files(production: Any, comps: Iterable[LineComp]) -> dict[str, tuple[str, str]]:
    """File name and folder by the recording that a comp begins with."""
    first = [one.comp.segments[0].recording for one in comps]
    rows = Recording.objects.filter(pk__in=first, production=production) if first else Recording.objects.none()
    return {str(key): (name, folder) for key, name, folder in rows.values_list("id", "file_name", "folder__path")}
