"""A production's state out of the database and a difference back into it."""

from collections.abc import Iterable

from fendo_core.production.state import Rows, State
from fendo_core.script.lines import Line as CoreLine
from fendo_core.timebase import Span
from fendo_server.productions.models import Production
from fendo_server.script.models import Line
from fendo_server.takes.models import Pick, Take


def load(production: Production) -> State:
    """The state that edits change, for the production's present reader."""
    lines = tuple(
        CoreLine(str(key), number, text, Span(start, end) if start is not None else None, dropped)
        for key, number, text, start, end, dropped in production.lines.order_by("position").values_list(
            "id", "number", "text", "slot_start", "slot_end", "dropped"
        )
    )
    picks = Pick.objects.filter(line__production=production, reader=production.reader).values_list("line_id", "take_id")
    aside = Take.objects.filter(line__production=production, aside=True).values_list("id", flat=True)
    film = production.picture
    return State(
        lines=lines,
        picks={str(line): str(take) for line, take in picks},
        aside=frozenset(map(str, aside)),
        picture=str(film.id) if film else None,
        rate=production.rate,
        shots=tuple(Span(*shot) for shot in film.shots) if film else (),
        pace=production.pace,
    )


def store(production: Production, rows: Rows) -> None:
    """Write the rows of a difference. A line that is no more is dropped, never deleted: it may have takes."""
    # The order of lines comes last: it speaks of lines that the same change may have made.
    for key, row in sorted(rows.items(), key=lambda item: item[0] == "order"):
        kind, _, name = key.partition(":")
        match kind:
            case "line" if row is None:
                Line.objects.filter(production=production, pk=name).update(dropped=True)
            case "line":
                start, end = row["slot"] or (None, None)
                values = {"number": row["number"], "text": row["text"], "dropped": row["dropped"]}
                values |= {"slot_start": start, "slot_end": end}
                if not Line.objects.filter(production=production, pk=name).update(**values):
                    Line.objects.create(production=production, pk=name, position=0, **values)
            case "pick":
                Pick.objects.filter(line_id=name, reader=production.reader).delete()
                if row is not None:
                    Pick.objects.create(line_id=name, reader=production.reader, take_id=row["take"])
            case "take":
                Take.objects.filter(line__production=production, pk=name).update(aside=row is not None)
            case "picture":
                production.picture_id = row["id"] if row else None
                production.save(update_fields=["picture"])
            case "order":
                _order(production, row["lines"] if row else [])


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
