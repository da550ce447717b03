"""A production's state out of the database and a difference back into it."""

import json
import uuid
from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from fractions import Fraction
from itertools import zip_longest
from typing import Any, TypeAlias, cast

from django.db import connection
from django.db.models import BooleanField, CharField, ExpressionWrapper, F, Func, IntegerField, Model, Q, TextField, Value
from django.db.models.functions import Cast, Concat, Left, Replace

from fendo_core.booth.levelwindow import level_window
from fendo_core.picture.laid import LaidSound as CoreSound
from fendo_core.picture.laid import own_sounds
from fendo_core.picture.reel import Clip as CoreClip
from fendo_core.picture.reel import Kind as SourceKind
from fendo_core.picture.reel import Source as CoreSource
from fendo_core.picture.shots import Shot
from fendo_core.picture.timeline import begins_at
from fendo_core.production.state import Difference, Row, Rows, State, TakeNote, TakeRef
from fendo_core.script.lines import Line as CoreLine
from fendo_core.script.syllables import speech_of_all
from fendo_core.takes.measures import sound_faults
from fendo_core.timebase import FrameRate, Span
from fendo_server.picture.models import Clip, Source
from fendo_server.productions.models import Production
from fendo_server.script import pace
from fendo_server.script.models import Line
from fendo_server.takes.models import STANDS, Pick, Take
from fendo_server.voice.models import Comp, Recording


def laid_sounds(production: Production, **only: Any) -> tuple[CoreSound, ...]:
    """What is laid under a production's picture, or those of it that are asked for, by the columns of `LaidSound`."""
    return tuple(
        CoreSound(str(row.id), str(row.source_id), Span(row.start, row.end), **_named(row, SOUND_COLUMNS))
        for row in production.laid.filter(**only)
    )


def own_sounds_of(production: Production) -> tuple[CoreSound, ...]:
    """The own sounds of the clips that show a film."""
    rate = production.rate
    sources = {str(source.id): _source(source, rate) for source in production.sources.all()}
    return own_sounds(_clips(production), sources, rate)


def load(production: Production, spoken: bool = True) -> State:
    """The state that edits change, for the production's present reader.

    Args:
        spoken: lengths of many lines are going to be asked for.
    """
    rows: Iterable[Any] = production.lines.order_by("position").values_list(
        "id",
        "number",
        "text",
        "slot_start",
        "slot_end",
        "dropped",
        "notes",
        "stress",
        "reader_id",
        "wild",
        "silences",
        "wanted_length",
        "settled",
    )
    lines = tuple(
        CoreLine(
            str(key),
            number,
            text,
            Span(start, end) if start is not None else None,
            dropped,
            notes,
            tuple(stress),
            str(reader) if reader else None,
            wild,
            silences,
            *more,
        )
        for key, number, text, start, end, dropped, notes, stress, reader, wild, silences, *more in rows
    )
    # All texts at once: the phoneme library is quick with many, not with one after another.
    if spoken:
        speech_of_all([line.text for line in lines if not line.dropped], production.language)
    picks = Pick.objects.filter(STANDS, line__production=production).values_list("line_id", "take_id", "comp_id")
    taken, aside, places = _taken(production)
    comps = tuple(one.value for one in production.comps.all())
    repairs = {str(one.id): one.value for one in production.repairs.all()}
    used = {recording for one in comps for recording in one.comp.recordings}
    known, sources = pace.paces(production), list(production.sources.all())
    return State(
        lines=lines,
        picks={str(line): str(take or comp) for line, take, comp in picks},
        aside=frozenset(aside),
        notes=_notes(production),
        comps=comps,
        repairs=repairs,
        chains={one.scope: one.value for one in production.treatments.all()},
        clips=_clips(production),
        laid=laid_sounds(production),
        places=places,
        sayings={key: (word, said) for key, word, said in production.sayings.values_list("key", "word", "said")},
        sync_points=dict(production.sync_points.values_list("at", "called")),
        sources={str(source.id): _source(source, production.rate) for source in sources},
        sounds={str(source.id): source.length for source in sources if source.facts.get("has_sound")},
        rate=production.rate,
        pace=known.get(str(production.reader_id), pace.starting(production)),
        start_frame=production.start_frame,
        wanted=production.wanted_length or 0,
        takes=taken,
        lengths={str(key): length for key, length in _lengths(used)},
        reader=str(production.reader_id or ""),
        folders=frozenset(map(str, production.folders.values_list("id", flat=True))),
        readers={str(key): name for key, name in production.readers.values_list("id", "name")},
        paces=known,
    )


def _clips(production: Production) -> tuple[CoreClip, ...]:
    rows: Iterable[Any] = production.clips.values_list("id", "source_id", *CLIP_COLUMNS)
    return tuple(CoreClip(str(key), length, str(source) if source else None, *rest) for key, source, length, *rest in rows)


def _taken(production: Production) -> tuple[dict[str, tuple[TakeRef, ...]], set[str], dict[str, int]]:
    """The takes of each line, those that were set aside, and where those lie that were moved."""
    taken, aside, places = defaultdict[str, list[TakeRef]](list), set[str](), dict[str, int]()
    # Identities as text at once: there are thousands.
    keys: dict[str, Func | ExpressionWrapper] = {
        "key": Cast("id", TextField()),
        "of": Cast("line_id", TextField()),
        "rec": Cast("recording_id", TextField()),
    }
    keys["who"] = Cast("recording__reader_id", TextField())
    keys["spoken"] = ExpressionWrapper(
        Q(recording__state=Recording.State.FINISHED) & (Q(speech_start__isnull=False) | Q(peak=None)), BooleanField()
    )
    keys["places"] = Func(F("clipped"), function="jsonb_array_length", output_field=IntegerField())
    rows = Take.objects.filter(line__production=production).order_by("number").annotate(**keys)
    columns = ("key", "of", "rec", "who", "number", "recording__start", "spoken", "cue", "aside", "place")
    spans = ("speech_start", "speech_end", "first", "last")
    heard = ("recording__cut_off", "amiss", "places", "peak", "loudness", "noise", "bleed")
    window = level_window(production.level_window)
    found: Iterable[Any] = rows.values_list(*columns, *spans, *heard)
    for take, line, recording, reader, number, start, spoken, cue, away, at, *more in found:
        speaks, ends, first, last, cut_off, amiss, clipped, peak, loudness, noise, bleed = more
        level = len(sound_faults(peak, loudness, noise, bleed, window))
        taken[line].append(
            TakeRef(
                take,
                recording,
                reader,
                number,
                start,
                spoken,
                is_pickup=cue is not None,
                speaks=speaks,
                ends=ends,
                first=first,
                last=last,
                whole=not cut_off,
                amiss=amiss,
                clipped=clipped,
                level=level,
            )
        )
        if away:
            aside.add(take)
        if at is not None:
            places[take] = at
    return {line: tuple(refs) for line, refs in taken.items()}, aside, places


def _notes(production: Production) -> dict[str, TakeNote]:
    """Marks and notes of takes; few have any."""
    noted = Take.objects.filter(~Q(mark="") | ~Q(note=""), line__production=production)
    return {str(key): TakeNote(mark, note) for key, mark, note in noted.values_list("id", "mark", "note")}


def _lengths(recordings: Iterable[str]) -> Iterable[tuple[Any, int]]:
    wanted = list(recordings)
    return Recording.objects.filter(pk__in=wanted).values_list("id", "length") if wanted else ()


CLIP_COLUMNS = ("length", "first", "page", "name", "colour", "bed", "level", "opens")
SOUND_COLUMNS = ("first", "channel", "level", "bed", "original")


def _named(row: Any, names: Iterable[str]) -> dict[str, Any]:
    return {name: getattr(row, name) for name in names}


def _source(source: Source, rate: FrameRate) -> CoreSource:
    """A source as the core knows it; its frames counted at the production's rate."""
    frames = rate.frame_at(source.length - 1) + 1 if source.kind == Source.Kind.FILM and source.length else 0
    named = zip_longest(source.shots, source.shot_names[: len(source.shots)], fillvalue="")
    cut = tuple(Shot(Span(*shot), name) for shot, name in named)
    own = FrameRate(Fraction(source.fps_above, source.fps_below))
    begins = begins_at(source.facts.get("timecode", ""), own, rate)
    quiet = tuple(Span(*pair) for pair in source.quiet or ())
    return CoreSource(
        str(source.id),
        source.name,
        cast(SourceKind, source.kind),
        frames,
        source.pages,
        cut,
        tuple(source.notes),
        begins,
        quiet,
    )


def of_readers(production: Production, made: Difference) -> Difference:
    """A difference whose picks say whose they are: to take it back later must not touch another reader's pick."""

    def told(rows: Rows) -> Rows:
        return {
            key: {**(row or {"take": None}), "reader": readers[key]} if key in readers else row for key, row in rows.items()
        }

    lines = [key[5:] for key in made.touched if key.startswith("pick:")]
    own = Line.objects.filter(production=production, pk__in=lines).values_list("id", "reader_id")
    readers = {f"pick:{line}": str(reader or production.reader_id) for line, reader in own}
    return Difference(told(made.before), told(made.after))


def store(production: Production, rows: Rows) -> None:
    """Write the rows of a difference. A line that is no more is dropped, never deleted: it may have takes."""
    of = {kind: {key[len(kind) + 1 :]: row for key, row in rows.items() if key.startswith(f"{kind}:")} for kind in IN_BULK}
    order = rows.get("order") or {"lines": []}
    _lines(production, of["line"], {key: place for place, key in enumerate(order["lines"])})
    _takes(production, of["take"])
    _comps(production, of["comp"], of["pick"])
    # The order of lines comes last: it speaks of lines that the same change may have made.
    # One original a production: the one that was is written before the one that is.
    last = ("order", "reel")
    for key, row in sorted(rows.items(), key=lambda item: (item[0] in last, bool(item[1] and item[1].get("original")))):
        kind, _, name = key.partition(":")
        given = row or {}
        match kind:
            case "repair" if row is None:
                production.repairs.filter(pk=name).delete()
            case "repair":
                production.repairs.update_or_create(pk=name, defaults={"recording_id": given["recording"], "row": given})
            case "note":
                values = {"mark": given["mark"], "note": given["text"]} if row else {"mark": "", "note": ""}
                Take.objects.filter(line__production=production, pk=name).update(**values)
            case "chain" if row is None:
                production.treatments.filter(scope=name).delete()
            case "chain":
                production.treatments.update_or_create(scope=name, defaults={"chain": given})
            case "say" if row is None:
                production.sayings.filter(key=name).delete()
            case "say":
                production.sayings.update_or_create(key=name, defaults=given)
            case "sync" if row is None:
                production.sync_points.filter(at=name).delete()
            case "sync":
                production.sync_points.update_or_create(at=name, defaults=given)
            case "shots":
                Source.objects.filter(production=production, pk=name).update(
                    shots=given["spans"], shot_names=given["names"]
                )
            case "clip" if row is None:
                production.clips.filter(pk=name).delete()
            case "clip":
                values = {**{column: given[column] for column in CLIP_COLUMNS}, "source_id": given["source"]}
                production.clips.update_or_create(pk=name, defaults=values)
            case "sound" if row is None:
                production.laid.filter(pk=name).delete()
            case "sound":
                start, end = given["span"]
                values = {**{column: given[column] for column in SOUND_COLUMNS}, "source_id": given["source"]}
                production.laid.update_or_create(pk=name, defaults={**values, "start": start, "end": end})
            case "reel":
                _in_order(Clip, production, row["clips"] if row else [])
            case "order":
                _in_order(Line, production, row["lines"] if row else [])


IN_BULK = ("line", "take", "comp", "pick")
"""Kinds of rows of which an edit may touch thousands: they are written together."""


def _takes(production: Production, rows: Mapping[str, Row | None]) -> None:
    """Takes set aside, and where they lie."""
    known = Take.objects.filter(line__production=production, pk__in=list(rows)).values_list("id", flat=True)
    told = {key: rows[str(key)] or {"aside": False, "place": None} for key in known}
    asides, places = ([row[column] for row in told.values()] for column in ("aside", "place"))
    _written(Take, list(told), {"aside": ("bool", asides), "place": ("bigint", places)})


Columns: TypeAlias = Mapping[str, tuple[str, Sequence[Any]]]
"""Columns of rows, each with its type in the database and a value a row."""


def _arrays(model: type[Model], columns: Columns) -> tuple[str, str, str]:
    """A model's table, the names of columns, and their values as arrays that are still to be filled in."""
    values = ", ".join(f"%s::{kind}[]" for kind, _ in columns.values())
    return connection.ops.quote_name(model._meta.db_table), ", ".join(columns), values


def _written(model: type[Model], keys: Sequence[uuid.UUID], columns: Columns) -> None:
    """Columns of rows, each with its type and a value a row, by one statement of arrays: a case for each of twenty thousand
    rows takes a minute."""
    if not keys:
        return
    table, named, values = _arrays(model, columns)
    with connection.cursor() as cursor:
        cursor.execute(
            f"UPDATE {table} SET {', '.join(f'{name} = wanted.{name}' for name in columns)} "
            f"FROM unnest(%s::uuid[], {values}) AS wanted (id, {named}) WHERE {table}.id = wanted.id",
            [list(keys), *(list(given) for _, given in columns.values())],
        )


def _inserted(model: type[Model], columns: Columns) -> None:
    """New rows, each column with its type and a value a row, by one statement of arrays."""
    table, named, values = _arrays(model, columns)
    with connection.cursor() as cursor:
        cursor.execute(
            f"INSERT INTO {table} ({named}) SELECT * FROM unnest({values})", [list(given) for _, given in columns.values()]
        )


def _comps(production: Production, rows: Mapping[str, Row | None], picks: Mapping[str, Row | None]) -> None:
    """Comps, and picks: a pick needs what it picks, and what is picked can't go."""
    known = {str(one.id): one for one in production.comps.filter(pk__in=list(rows))}
    new = []
    for name, row in rows.items():
        if row is None:
            continue
        values = {"line_id": row["line"], "reader_id": row["reader"], "name": row["name"], "comp": row["comp"]}
        if name not in known:
            new.append(Comp(production=production, pk=name, **values))
            continue
        for column, value in values.items():
            setattr(known[name], column, value)
    Comp.objects.bulk_create(new, batch_size=500)
    changed = [one for name, one in known.items() if rows[name] is not None]
    Comp.objects.bulk_update(changed, ["line_id", "reader_id", "name", "comp"], batch_size=500)
    _picks(production, picks)
    production.comps.filter(pk__in=[name for name, row in rows.items() if row is None]).delete()


def _picks(production: Production, rows: Mapping[str, Row | None]) -> None:
    own = dict(Line.objects.filter(production=production, pk__in=list(rows)).values_list("id", "reader_id"))
    readers = {
        # Rows of changes made before they told whose pick it is lack that.
        name: str((row or {}).get("reader") or own.get(uuid.UUID(name)) or production.reader_id)
        for name, row in rows.items()
    }
    for reader in set(readers.values()):
        lines = [name for name, whose in readers.items() if whose == reader]
        Pick.objects.filter(line_id__in=lines, line__production=production, reader_id=reader).delete()
    new = [
        Pick(line_id=name, reader_id=readers[name], take_id=row.get("take"), comp_id=row.get("comp"))
        for name, row in rows.items()
        if row and (row.get("take") or row.get("comp"))
    ]
    Pick.objects.bulk_create(new, batch_size=500)


def _in_order(model: type[Clip] | type[Line], production: Production, wanted: Iterable[str]) -> None:
    """Rows of a production in the wanted order; those that are not named (dropped since) keep their place at the end."""
    places = {key: place for place, key in enumerate(wanted)}
    known = model.objects.filter(production=production).values_list("id", "position")
    moved = {key: place for key, at in known if (place := places.get(str(key), len(places))) != at}
    _written(model, list(moved), {"position": ("int", list(moved.values()))})


MANY = 1_000
"""Rows of one kind in a change from which on all of the production's are asked for."""
LINE_COLUMNS = {
    "number": "text", "text": "text", "notes": "text", "stress": "jsonb", "reader_id": "uuid",
    "slot_start": "bigint", "slot_end": "bigint", "wanted_length": "bigint",
    "dropped": "bool", "wild": "bool", "silences": "bool", "settled": "bool",
}  # fmt: skip
"""Columns of a line, with their types in the database."""


def _values(row: Row) -> dict[str, Any]:
    """A line's row as it is stored. Rows of changes made before a line had notes and the rest lack them."""
    start, end = row["slot"] or (None, None)
    values = {"number": row["number"], "text": row["text"], "dropped": row["dropped"], "slot_start": start}
    values |= {"slot_end": end, "notes": row.get("notes", ""), "stress": row.get("stress", [])}
    values |= {name: row.get(name, False) for name in ("wild", "silences", "settled")}
    return values | {"reader_id": row.get("reader"), "wanted_length": row.get("wanted_length")}


def _lines(production: Production, rows: Mapping[str, Row | None], places: Mapping[str, int]) -> None:
    """Lines; new ones are put where the order wants them (`places`)."""
    # Thousands of them are told apart here: to name each in a question takes seconds.
    asked = production.lines.filter(pk__in=list(rows)) if len(rows) < MANY else production.lines
    known = dict(asked.annotate(key=Cast("id", TextField())).values_list("key", "number"))
    given = {name: row for name, row in rows.items() if row is not None}
    gone = [uuid.UUID(name) for name in known if name in rows and (not (row := rows[name]) or row["dropped"])]
    _written(Line, gone, {"dropped": ("bool", [True] * len(gone))})
    renumbered = [name for name, row in given.items() if name in known and known[name] != row["number"]]
    if renumbered:
        # Two lines may change their numbers for one another's: for a moment each has one that nobody wants.
        for_now = Concat(Value("~"), Left(Replace(Cast("id", CharField()), Value("-")), 18))
        Line.objects.filter(production=production, pk__in=renumbered).update(number=for_now)
    changed, new = ([name for name in given if (name in known) is there] for there in (True, False))
    _written(Line, [uuid.UUID(name) for name in changed], _line_columns(given[name] for name in changed))
    if not new:
        return
    ours: Columns = {
        "id": ("uuid", new),
        "production_id": ("uuid", [production.pk] * len(new)),
        "position": ("int", [places.get(name, 0) for name in new]),
    }
    _inserted(Line, {**ours, **_line_columns(given[name] for name in new)})


def _line_columns(rows: Iterable[Row]) -> dict[str, tuple[str, list[Any]]]:
    """Lines' rows, column by column."""
    values = [_values(row) for row in rows]
    return {
        name: (kind, [json.dumps(each[name]) if kind == "jsonb" else each[name] for each in values])
        for name, kind in LINE_COLUMNS.items()
    }
