"""A production's state out of the database and a difference back into it."""

from collections.abc import Iterable, Mapping
from itertools import zip_longest
from typing import Any

from django.db.models import CharField, F, Q, Value
from django.db.models.functions import Cast, Concat, Left, Replace

from fendo_core.picture.shots import Shot
from fendo_core.production.state import Row, Rows, State
from fendo_core.script.lines import Line as CoreLine
from fendo_core.script.syllables import speech_of_all
from fendo_core.timebase import Span
from fendo_server.picture.models import Film
from fendo_server.productions.models import Production
from fendo_server.script import pace
from fendo_server.script.models import Line
from fendo_server.takes.models import Pick, Take


def load(production: Production) -> State:
    """The state that edits change, for the production's present reader."""
    rows = production.lines.order_by("position").values_list(
        "id", "number", "text", "slot_start", "slot_end", "dropped", "notes", "stress", "reader_id", "wild"
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
        )
        for key, number, text, start, end, dropped, notes, stress, reader, wild in rows
    )
    # All texts at once: the phoneme library is quick with many, not with one after another.
    speech_of_all([line.text for line in lines if not line.dropped], production.language)
    picks = (
        Pick.objects.filter(line__production=production)
        .filter(Q(reader=F("line__reader")) | Q(line__reader=None, reader=production.reader))
        .values_list("line_id", "take_id")
    )
    takes = Take.objects.filter(line__production=production)
    film, known, wanted = production.picture, pace.paces(production), production.wanted_length
    last = max((line.slot.end for line in lines if line.slot and not line.dropped), default=0)
    return State(
        lines=lines,
        picks={str(line): str(take) for line, take in picks},
        aside=frozenset(map(str, takes.filter(aside=True).values_list("id", flat=True))),
        picture=str(film.id) if film else None,
        sayings={key: (word, said) for key, word, said in production.sayings.values_list("key", "word", "said")},
        rate=production.rate,
        shots=tuple(Span(*shot) for shot in film.shots) if film else (Span(0, wanted),) if wanted else (),
        pace=known.get(str(production.reader_id), pace.starting(production)),
        cut=tuple(Shot(Span(*shot), name) for shot, name in zip_longest(film.shots, film.shot_names, fillvalue=""))
        if film
        else (),
        cut_of=str(film.id) if film else None,
        length=film.length if film else wanted or last,
        recorded=frozenset(map(str, takes.order_by().values_list("line_id", flat=True).distinct())),
        readers={str(key): name for key, name in production.readers.values_list("id", "name")},
        paces=known,
    )


def store(production: Production, rows: Rows) -> None:
    """Write the rows of a difference. A line that is no more is dropped, never deleted: it may have takes."""
    _lines(production, {key[5:]: row for key, row in rows.items() if key.startswith("line:")})
    # The order of lines comes last: it speaks of lines that the same change may have made.
    for key, row in sorted(rows.items(), key=lambda item: item[0] == "order"):
        kind, _, name = key.partition(":")
        match kind:
            case "pick":
                reader = Line.objects.values_list("reader_id", flat=True).get(pk=name) or production.reader_id
                Pick.objects.filter(line_id=name, reader_id=reader).delete()
                if row is not None:
                    Pick.objects.create(line_id=name, reader_id=reader, take_id=row["take"])
            case "say" if row is None:
                production.sayings.filter(key=name).delete()
            case "say":
                production.sayings.update_or_create(key=name, defaults=row)
            case "take":
                Take.objects.filter(line__production=production, pk=name).update(aside=row is not None)
            case "shots":
                Film.objects.filter(production=production, pk=name).update(shots=row["spans"], shot_names=row["names"])
            case "picture":
                production.picture_id = row["id"] if row else None
                production.save(update_fields=["picture"])
            case "order":
                _order(production, row["lines"] if row else [])


COLUMNS = ("number", "text", "dropped", "slot_start", "slot_end", "notes", "stress", "reader_id", "wild")


def _values(row: Row) -> dict[str, Any]:
    """A line's row as it is stored. Rows of changes made before a line had notes and the rest lack them."""
    start, end = row["slot"] or (None, None)
    values = {"number": row["number"], "text": row["text"], "dropped": row["dropped"], "slot_start": start}
    values |= {"slot_end": end, "notes": row.get("notes", ""), "stress": row.get("stress", [])}
    return values | {"reader_id": row.get("reader"), "wild": row.get("wild", False)}


def _lines(production: Production, rows: Mapping[str, Row | None]) -> None:
    known = {str(line.id): line for line in production.lines.filter(pk__in=list(rows))}
    gone = [name for name, row in rows.items() if row is None]
    Line.objects.filter(production=production, pk__in=gone).update(dropped=True)
    new, changed, renumbered = [], [], []
    for name, row in rows.items():
        if row is None:
            continue
        line = known.get(name)
        if line is None:
            new.append(Line(production=production, pk=name, position=0, **_values(row)))
            continue
        if line.number != row["number"]:
            renumbered.append(name)
        for column, value in _values(row).items():
            setattr(line, column, value)
        changed.append(line)
    Line.objects.filter(production=production, pk__in=[n for n, row in rows.items() if row and row["dropped"]]).update(
        dropped=True
    )
    if renumbered:
        # Two lines may change their numbers for one another's: for a moment each has one that nobody wants.
        for_now = Concat(Value("~"), Left(Replace(Cast("id", CharField()), Value("-")), 18))
        Line.objects.filter(production=production, pk__in=renumbered).update(number=for_now)
    Line.objects.bulk_update(changed, COLUMNS, batch_size=500)
    Line.objects.bulk_create(new, batch_size=500)


def _order(production: Production, wanted: Iterable[str]) -> None:
    """Lines in the wanted order; those that are not named (dropped since) keep their place at the end."""
    places = {line: place for place, line in enumerate(wanted)}
    moved = []
    for line in production.lines.only("id", "position"):
        place = places.get(str(line.id), len(places))
        if line.position != place:
            line.position = place
            moved.append(line)
    Line.objects.bulk_update(moved, ["position"], batch_size=2000)
