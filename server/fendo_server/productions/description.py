"""A production as the interface sees it: whole, or what a change made different."""

from collections import defaultdict
from collections.abc import Iterable
from typing import Any

from django.contrib.postgres.aggregates import ArrayAgg

from fendo_core.booth.levelwindow import LEVEL_WINDOWS, LevelWindow, level_window
from fendo_core.picture.laid import LaidSound, cut_ends, own_sounds
from fendo_core.picture.reel import spans
from fendo_core.polish import places
from fendo_core.production.state import State
from fendo_core.script.lines import Line
from fendo_core.script.pace import STYLES, Pace
from fendo_core.script.pronunciation import hints
from fendo_core.script.slots import Fit, fit, out_of_order
from fendo_core.script.syllables import LANGUAGES, speech_of_all
from fendo_core.takes.standing import rooms_under, silence, standing
from fendo_core.timebase import Span
from fendo_server.meetings import one_moment
from fendo_server.picture.models import Source
from fendo_server.polish.scans import scans
from fendo_server.productions import changes, state
from fendo_server.productions.models import Change, Production
from fendo_server.takes.description import take_rows, voices
from fendo_server.takes.levels import Ducks
from fendo_server.takes.models import Take
from fendo_server.voice.polish import Polish


def line_rows(production: Production, present: State, only: Iterable[Line] | None = None) -> list[dict[str, Any]]:
    """Lines (all, or some) with their fit, how words in them are said, a stroke for each take, and the picked one."""
    lines = [line for line in present.lines if not line.dropped] if only is None else list(only)
    # All texts at once: one by one each would be a question to the phoneme library.
    speech_of_all([line.text for line in lines], production.language)
    takes = Take.objects.filter(line__production=production)
    if only is not None and len(lines) < state.MANY:
        takes = takes.filter(line_id__in=[line.id for line in lines])
    # One row a line: a production may have thousands of takes, and they are looked at line by line.
    each = {name: ArrayAgg(name, order_by="number") for name in ("number", "aside")}
    tallies = {
        str(key): [{"number": number, "aside": aside} for number, aside in zip(numbers, away, strict=True)]
        for key, numbers, away in takes.order_by().values_list("line_id").annotate(**{f"{n}s": a for n, a in each.items()})
    }
    standing_for = {line.id: found for line in lines if (found := standing(present, line))}
    sounding = voices(production, standing_for, present.comps)
    silences = {line.id: span for line in lines if (span := silence(line, standing_for.get(line.id)))}
    rooms = dict(zip(silences, rooms_under(present, list(silences.values())), strict=True))
    return [
        line_row(line, present)
        | {"tally": tallies.get(line.id, []), "pick": present.picks.get(line.id), "voice": sounding.get(line.id)}
        | {"silence": _pair(silences.get(line.id)), "rooms": [_room_row(part) for part in rooms.get(line.id, ())]}
        for line in lines
    ]


def _room_row(part: LaidSound) -> dict[str, Any]:
    """A stretch of a clip's sound that is heard where the clip is silent."""
    return {"clip": part.id, "span": _pair(part.span), "first": part.first}


def _pair(span: Span | None) -> list[int] | None:
    return [span.start, span.end] if span else None


def _fit(line: Line, present: State) -> Fit:
    return fit(line.text, line.slot, present.pace_of(line), line.wild, line.wanted_length)


def line_row(line: Line, present: State) -> dict[str, Any]:
    """One line by itself: its fit, and how words in it are said."""
    found = _fit(line, present)
    return {
        "id": line.id,
        "number": line.number,
        "text": line.text,
        "slot": _pair(line.slot),
        "needed": found.needed,
        "spare": found.spare,
        "fit": found.state,
        "fit_text": found.text,
        "words_over": found.words_over,
        "notes": line.notes,
        "stress": list(line.stress),
        "reader": line.reader,
        "wild": line.wild,
        "silences": line.silences,
        "wanted_length": line.wanted_length,
        "settled": line.settled,
        "sayings": [list(hint) for hint in hints(line.text, present.sayings)],
    }


def pace_row(production: Production, used: Pace) -> dict[str, Any]:
    """What lengths are told by: the starting value, and what the takes of the production's reader have taught."""
    style = next((name for name, value in STYLES.items() if abs(value - production.pace) < 0.05), None)
    return {
        "styles": [{"name": name, "pace": value} for name, value in STYLES.items()],
        "start": production.pace,
        "style": style,
        "learns": production.learns_pace,
        "language": production.language,
        "used": round(used.syllables_a_second, 2),
        "takes": used.takes,
    }


def reader_row(key: str, name: str, pace: Pace) -> dict[str, Any]:
    """A reader with the pace that is used."""
    return {"id": key, "name": name, "pace": round(pace.syllables_a_second, 2), "takes": pace.takes}


def reader_rows(production: Production, present: State) -> list[dict[str, Any]]:
    """The readers, each with the pace that is used."""
    named = sorted(present.readers.items(), key=lambda item: item[1].casefold())
    return [reader_row(key, name, present.paces[key]) for key, name in named]


def source_row(source: Source) -> dict[str, Any]:
    """Something that was brought in."""
    facts = source.facts
    return {
        "id": str(source.id),
        "kind": source.kind,
        "name": source.name,
        "state": source.state,
        "error": source.error,
        "remarks": source.remarks,
        "length": source.length,
        "fps": [source.fps_above, source.fps_below],
        "pages": source.pages,
        "noted": any(source.notes),
        "sound_pieces": source.sound_pieces,
        "loudness": source.loudness,
        "segments": source.segments,
        "segment_frames": source.segment_frames,
        "has_proxy": source.has_proxy,
        "plays_at_once": bool(facts.get("plays_in_browser")),
        "strip_columns": source.strip_columns,
        "width": facts.get("width", 0),
        "height": facts.get("height", 0),
    }


def picture_rows(production: Production, present: State) -> dict[str, Any]:
    """The reel as it is played: clips and shots by programme samples, laid sounds, and what was brought in."""
    rate, lengths, clips = present.rate, present.sounds, []
    ducks = Ducks(production)
    own = {sound.id: sound for sound in own_sounds(present.clips, present.sources, rate)}
    for clip, span in zip(present.clips, spans(present.clips, rate), strict=True):
        source = present.sources.get(clip.source or "")
        clips.append(
            {
                "id": clip.id,
                "kind": source.kind if source else "card",
                "source": clip.source,
                "page": clip.page,
                "span": [span.start, span.end],
                "first": rate.first_sample(clip.first),
                "name": clip.name,
                "colour": clip.colour,
                "bed": clip.bed,
                "level": clip.level,
                "opens": clip.opens,
                "cut": cut_ends(own[clip.id], lengths.get(clip.source or "", 0)) if clip.id in own else (False, False),
                "duck": ducks.of(own[clip.id]) if clip.id in own else 0.0,
            }
        )
    shots = present.reel_shots
    laid = [
        {
            "id": sound.id,
            "source": sound.source,
            "span": [sound.span.start, sound.span.end],
            "first": sound.first,
            "channel": sound.channel,
            "level": sound.level,
            "bed": sound.bed,
            "original": sound.original,
            "cut": cut_ends(sound, lengths.get(sound.source, 0)),
            "duck": ducks.of(sound),
        }
        for sound in present.laid
    ]
    return {
        "length": present.length,
        "clips": clips,
        "laid": laid,
        "shots": [[shot.span.start, shot.span.end] for shot in shots],
        "shot_names": [shot.name for shot in shots],
        "sources": [_source_row_then(source, present) for source in production.sources.order_by("made")],
    }


def _source_row_then(source: Source, present: State) -> dict[str, Any]:
    """A source beside a state that was read a moment earlier. Whoever sees *ready* asks no more: a source whose shots were
    found in that moment is told as still being prepared."""
    known = present.sources.get(str(source.id))
    late = known is not None and [[one.span.start, one.span.end] for one in known.shots] != source.shots
    row = source_row(source)
    return row | {"state": Source.State.PREPARING} if late and source.state == Source.State.READY else row


def to_do(present: State, lines_with_takes: set[str], left: int) -> dict[str, int]:
    """What is left in each room: the numbers on the spine; `left` in Polish."""
    lines = [line for line in present.lines if not line.dropped]
    wordy = [line for line in lines if line.text]
    fits = [_fit(line, present).state for line in wordy]
    return {
        "picture": sum(1 for clip in present.clips if clip.is_hole) if present.clips else 1,
        "script": len(lines) - len(wordy) + fits.count("no slot") + fits.count("over"),
        "booth": sum(1 for line in wordy if line.id not in lines_with_takes),
        "takes": sum(1 for line in lines if line.id in lines_with_takes and line.id not in present.picks),
        "polish": left,
        "handover": sum(1 for line in lines if line.id in present.picks),
    }


def _common(production: Production, present: State) -> dict[str, Any]:
    finished = Take.objects.filter(line__production=production, recording__state=Take.State.FINISHED)
    with_takes = {str(line) for line in finished.order_by().values_list("line_id", flat=True).distinct()}
    undo, redo = changes.to_undo(production), changes.to_redo(production)
    return {
        "revision": production.revision,
        "undo": undo.label if undo else None,
        "redo": redo.label if redo else None,
        "to_do": to_do(present, with_takes, places.left(present, scans(production), Polish(production, present).chain)),
        "crossing": out_of_order(present.lines),
        "sync_points": [{"at": at, "called": called} for at, called in sorted(present.sync_points.items())],
        "sayings": [{"word": word, "said": said} for _, (word, said) in sorted(present.sayings.items())],
    }


def _window_row(key: str, window: LevelWindow) -> dict[str, Any]:
    return {"key": key, "name": window.name, "low": window.low, "high": window.high}


@one_moment()
def whole(production: Production) -> dict[str, Any]:
    """Everything the rooms show of a production."""
    present = state.load(production)
    return {
        "id": str(production.id),
        "name": production.name,
        "fps": [production.fps_above, production.fps_below],
        "drop_frame": production.drop_frame,
        "start_frame": production.start_frame,
        "name_pattern": production.name_pattern,
        "directory": production.directory,
        "wanted_length": production.wanted_length,
        "pace": pace_row(production, present.pace),
        "languages": [{"code": code, "name": name} for code, name in LANGUAGES.items()],
        "level_window": _window_row(production.level_window, level_window(production.level_window)),
        "level_windows": [_window_row(key, window) for key, window in LEVEL_WINDOWS.items()],
        "headphones": production.headphones,
        "input": production.input,
        "reader": str(production.reader_id) if production.reader_id else "",
        "readers": reader_rows(production, present),
        "landing": str(production.landing_id) if production.landing_id else None,
        "folders": [{"id": str(f.id), "path": f.path} for f in production.folders.order_by("path")],
        "monitor": production.monitor,
        "count_in": production.count_in,
        "speech_level": production.speech_level,
        "duck_distance": production.duck_distance,
        "duck_rise": production.duck_rise,
        "picture": picture_rows(production, present),
        "lines": line_rows(production, present),
        **_common(production, present),
    }


def _lines_of(present: State, recording: str) -> set[str]:
    """Lines in which a recording sounds."""
    taken = {line for line, takes in present.takes.items() if any(take.recording == recording for take in takes)}
    return taken | {one.line for one in present.comps if recording in one.comp.recordings}


MOST_LINES = 20
"""So many lines' takes come with a change; of a change of more lines the interface asks for those that it shows."""

PICTURE_ROWS = {"clip", "reel", "sound", "shots"}


@one_moment()
def patch(production: Production, change: Change | None, present: State | None = None) -> dict[str, Any]:
    """What a change made different: changed lines and their takes, the order if it moved, the picture.

    Args:
        present: the state just after it, where that is known: then this is what is told, whatever others did meanwhile.
    """
    production.refresh_from_db()
    told_of = change.revision if change and present else production.revision
    present = present or state.load(production)
    touched: dict[str, set[str]] = defaultdict(set)
    for key in change.after if change else ():
        kind, _, name = key.partition(":")
        touched[kind].add(name)
    lines = touched["line"] | touched["pick"]
    for key in touched["comp"]:
        # A comp that is gone tells its line in what it was.
        row = (change.after[f"comp:{key}"] or change.before[f"comp:{key}"]) if change else None
        lines |= {row["line"]} if row else set()
    if touched["chain"]:
        lines |= set(present.takes)
    for key in touched["repair"]:
        row = (change.after[f"repair:{key}"] or change.before[f"repair:{key}"]) if change else None
        lines |= _lines_of(present, row["recording"]) if row else set()
    if touched["say"]:
        said = {key: (key, "") for key in touched["say"]}
        lines |= {line.id for line in present.lines if hints(line.text, said)}
    if takes_touched := touched["take"] | touched["note"]:
        lines |= {str(line) for line in Take.objects.filter(pk__in=takes_touched).values_list("line_id", flat=True)}
    by_id = {line.id: line for line in present.lines if not line.dropped}
    takes = None
    if len(lines) <= MOST_LINES:
        comps = [one for one in present.comps if one.line in lines and one.line in by_id]
        takes = take_rows(production, Take.objects.filter(line_id__in=lines, line__dropped=False), by_id, comps)
    return {
        "label": change.label if change else None,
        "order": list(by_id) if touched["order"] or touched["line"] else None,
        "lines": line_rows(production, present, [line for key, line in by_id.items() if key in lines]),
        "takes": takes,
        "picture": picture_rows(production, present) if touched.keys() & PICTURE_ROWS else None,
        **_common(production, present),
        "revision": told_of,
    }
