"""A production's own record: `production.json` in its folder, beside its recordings.

Recordings say themselves what they are; what they do not say stands here: settings, readers, lines that nobody has read
yet, picks, the reel and what was brought in. The worker writes it within seconds of a change. With it the folder alone is
the whole production: it can be put away, or opened on another machine.
"""

import json
import logging
import os
import uuid
from pathlib import Path
from typing import Any

from django.conf import settings
from django.db import DatabaseError, transaction
from django.db.models import F, Q
from django.db.models.functions import Coalesce
from rest_framework import serializers

from fendo_core.booth.naming import check_pattern
from fendo_core.picture.laid import CHANNELS
from fendo_core.picture.reel import BED_MODES, COLOURS
from fendo_core.polish.edits import checked
from fendo_core.production.refusal import EditRefused
from fendo_core.production.state import Rows, rows
from fendo_core.script.lines import LONGEST_TEXT
from fendo_core.script.syllables import LANGUAGES
from fendo_core.takes.edits import LONGEST_NOTE, MARKS
from fendo_core.takes.sync_points import LONGEST_NAME
from fendo_core.voice import Comp
from fendo_core.voice.chain import PRODUCTION, Chain
from fendo_core.voice.comp import LONGEST
from fendo_core.voice.level import DISTANCE
from fendo_core.voice.repair import REPAIR_KINDS
from fendo_server.picture import services as picture
from fendo_server.picture.models import Clip, LaidSound, Source
from fendo_server.polish.serializers import ChainSerializer
from fendo_server.productions import services, state
from fendo_server.productions.former import in_todays_words
from fendo_server.productions.models import Production, Reader
from fendo_server.productions.serializers import LevelWindowField
from fendo_server.script.models import Line
from fendo_server.takes.models import Pick, Take
from fendo_server.wire import DAY, SpanField

log = logging.getLogger("fendo")

NAME = "production.json"
FORM = 3
FORMS = (1, 2, FORM)
"""What is read: the first told by how much a take had moved, and knew no comps; the second said *piece* for clip."""
LARGEST = 64 << 20
SETTINGS = (
    "fps_above", "fps_below", "drop_frame", "start_frame", "name_pattern", "pace", "wanted_length", "learns_pace",
    "language", "level_window", "headphones", "monitor", "count_in", "speech_level", "duck_distance", "duck_rise", "input",
)  # fmt: skip


class RecordRefused(ValueError):
    """A record that can't be used; the message says why."""


def of(production: Production) -> dict[str, Any]:
    """The record as plain values."""
    picks = Pick.objects.filter(line__production=production).values_list(
        "line_id", "reader_id", Coalesce("take_id", "comp_id")
    )
    present = rows(state.load(production, spoken=False))
    return {
        "form": FORM,
        "id": str(production.id),
        "name": production.name,
        "settings": {name: getattr(production, name) for name in SETTINGS},
        "readers": [{"id": str(reader.id), "name": reader.name} for reader in production.readers.all()],
        "reader": str(production.reader_id) if production.reader_id else None,
        "folders": list(production.folders.order_by("path").values_list("path", flat=True)),
        "landing": production.landing.path if production.landing else None,
        "sources": [
            {
                "id": str(source.id),
                "kind": source.kind,
                "name": source.name,
                "shots": source.shots,
                "shot_names": source.shot_names,
            }
            for source in production.sources.order_by("made")
        ],
        "stretches": [[str(take), str(line), str(of), *rest] for take, line, of, *rest in _cut_takes(production)],
        "rows": _by_path(production, present),
        "picks": [[str(key) for key in pick] for pick in picks],
    }


def packed(production: Production) -> bytes:
    """The record as it lies in a file."""
    return json.dumps(of(production), ensure_ascii=False, indent=1).encode()


def _cut_takes(production: Production) -> Any:
    """The takes that are stretches of their recordings: no file tells of them."""
    finished = production_takes(production).filter(recording__state=Take.State.FINISHED)
    columns = ("pk", "line_id", "recording_id", "first", "last", "number", "words")
    return finished.exclude(first=0, last=F("recording__length")).values_list(*columns)


def write(production: Production) -> None:
    """Put the record into the production's folder; what was there before is replaced whole or not at all.

    The production is as it was read before its rows are: what is changed while they are read is written the next time.
    """
    path = settings.MEDIA / production.directory / NAME
    new = path.with_suffix(".new")
    with new.open("wb") as file:
        file.write(packed(production))
        file.flush()
        os.fsync(file.fileno())
    new.replace(path)
    Production.objects.filter(pk=production.pk).update(recorded=production.changed)


def write_changed() -> list[str]:
    """Write the records of productions that were changed since theirs was written; their names."""
    stale = Production.objects.filter(Q(recorded=None) | Q(recorded__lt=F("changed"))).select_related("landing")
    written = []
    for production in stale:
        if not (settings.MEDIA / production.directory).is_dir():
            continue
        try:
            write(production)
        except OSError:
            log.exception("the record of %s can't be written now", production.directory)
            continue
        written.append(production.name)
    return written


class _Settings(serializers.ModelSerializer):
    """Settings. Records of before voices had a level lack some, and tell `duck_depth` in their place."""

    count_in = serializers.ChoiceField(Production.CountIn.choices, default=Production.CountIn.HEARD)
    speech_level = serializers.FloatField(allow_null=True, default=None)
    duck_distance = serializers.FloatField(default=DISTANCE, min_value=0.0, max_value=40.0)
    language = serializers.ChoiceField(list(LANGUAGES))
    level_window = LevelWindowField()
    input = serializers.DictField()

    class Meta:
        model = Production
        fields = SETTINGS


def _span(**more: Any) -> SpanField:
    return SpanField(child=serializers.IntegerField(min_value=0), **more)


class _Reader(serializers.Serializer):
    id = serializers.UUIDField()
    name = serializers.CharField(max_length=80)


class _Source(serializers.Serializer):
    id = serializers.UUIDField()
    kind = serializers.ChoiceField(Source.Kind.choices)
    name = serializers.CharField(max_length=200)
    shots = serializers.ListField(child=_span())
    shot_names = serializers.ListField(child=serializers.CharField(allow_blank=True, max_length=200))


class _LineRow(serializers.ModelSerializer):
    slot = _span(allow_null=True)
    reader = serializers.UUIDField(allow_null=True)
    stress = serializers.ListField(child=serializers.IntegerField(min_value=0))

    class Meta:
        model = Line
        fields = (
            "number",
            "text",
            "slot",
            "dropped",
            "notes",
            "stress",
            "reader",
            "wild",
            "silences",
            "wanted_length",
            "settled",
        )


class _ClipRow(serializers.ModelSerializer):
    source = serializers.UUIDField(allow_null=True)  # type: ignore[assignment]
    colour = serializers.ChoiceField(list(COLOURS))
    bed = serializers.ChoiceField(list(BED_MODES))

    class Meta:
        model = Clip
        fields = ("source", *state.CLIP_COLUMNS)


class _SoundRow(serializers.ModelSerializer):
    source = serializers.UUIDField()  # type: ignore[assignment]
    span = _span()
    channel = serializers.ChoiceField(list(CHANNELS))
    bed = serializers.ChoiceField(list(BED_MODES))

    class Meta:
        model = LaidSound
        fields = ("source", "span", *state.SOUND_COLUMNS)


class _SayRow(serializers.Serializer):
    word = serializers.CharField(max_length=60)
    said = serializers.CharField(max_length=120)


class _TakeRow(serializers.Serializer):
    aside = serializers.BooleanField()
    place = serializers.IntegerField(allow_null=True, required=False, min_value=-DAY, max_value=DAY)
    moved = serializers.IntegerField(required=False, min_value=-DAY, max_value=DAY)


class _NoteRow(serializers.Serializer):
    mark = serializers.ChoiceField(MARKS, allow_blank=True)
    text = serializers.CharField(max_length=LONGEST_NOTE, allow_blank=True)


class _CompRow(serializers.Serializer):
    line = serializers.UUIDField()
    reader = serializers.UUIDField()
    name = serializers.CharField(max_length=80)
    comp = serializers.DictField()

    def validate_comp(self, found: dict[str, Any]) -> dict[str, Any]:
        return Comp.from_row(found).as_row()


class _RepairRow(serializers.Serializer):
    recording = serializers.UUIDField()
    kind = serializers.ChoiceField(REPAIR_KINDS)
    span = _span()
    settings = serializers.DictField(child=serializers.FloatField(min_value=-60.0, max_value=60.0))
    on = serializers.BooleanField()


class _ChainRow(ChainSerializer):
    def validate(self, found: dict[str, Any]) -> dict[str, Any]:
        try:
            return checked(Chain.from_row(found)).as_row()
        except EditRefused as error:
            raise serializers.ValidationError(str(error)) from error


class _SyncRow(serializers.Serializer):
    called = serializers.CharField(allow_blank=True, max_length=LONGEST_NAME)


_ROWS = {
    "sync": _SyncRow,
    "line": _LineRow,
    "clip": _ClipRow,
    "sound": _SoundRow,
    "say": _SayRow,
    "take": _TakeRow,
    "note": _NoteRow,
    "comp": _CompRow,
    "repair": _RepairRow,
    "chain": _ChainRow,
}
_ORDERS = {"order": "lines", "reel": "clips"}


class _Record(serializers.Serializer):
    form = serializers.ChoiceField(FORMS)
    id = serializers.UUIDField()
    name = serializers.CharField(max_length=120)
    settings = _Settings()
    readers = _Reader(many=True)
    reader = serializers.UUIDField(allow_null=True)
    folders = serializers.ListField(child=serializers.CharField(max_length=400))
    landing = serializers.CharField(max_length=400, allow_null=True)
    sources = _Source(many=True)
    stretches = serializers.ListField(child=serializers.ListField(min_length=7, max_length=7), default=list)
    rows = serializers.DictField()
    picks = serializers.ListField(child=serializers.ListField(child=serializers.UUIDField(), min_length=3, max_length=3))

    def validate_stretches(self, found: list[list[Any]]) -> list[list[Any]]:
        number = serializers.IntegerField(min_value=0, max_value=2**53)
        words = serializers.CharField(allow_blank=True, max_length=LONGEST_TEXT)
        kinds: list[serializers.Field] = [*[serializers.UUIDField()] * 3, *[number] * 3, words]
        return [[kind.run_validation(value) for kind, value in zip(kinds, row, strict=True)] for row in found]

    def validate(self, found: dict[str, Any]) -> dict[str, Any]:
        known = {str(one["id"]) for one in (*found["sources"], *found["readers"])}
        for key, row in found["rows"].items():
            for name in ("source", "reader"):
                if row.get(name) and str(row[name]) not in known:
                    raise serializers.ValidationError(f"{key} speaks of a {name} that is not there")
        return found

    def validate_rows(self, found: dict[str, Any]) -> dict[str, Any]:
        checked: dict[str, Any] = {}
        for key, row in in_todays_words(found).items():
            kind, _, name = key.partition(":")
            if kind in _ORDERS:
                keys = serializers.ListField(child=serializers.UUIDField()).run_validation(row.get(_ORDERS[kind]))
                checked[key] = {_ORDERS[kind]: [str(each) for each in keys]}
                continue
            if kind not in _ROWS:
                raise serializers.ValidationError(f"there is no row “{kind}”")
            own = _ROWS[kind](data=row)
            own.is_valid(raise_exception=True)
            if kind == "chain":
                scope, _, of = name.partition(":")
                if scope == "folder":
                    name = f"folder:{of[:400]}"
                else:
                    name = scope if scope == PRODUCTION else f"line:{uuid.UUID(of)}"
            elif kind == "sync":
                name = str(serializers.IntegerField(min_value=0, max_value=LONGEST).run_validation(name))
            elif kind != "say":
                name = str(uuid.UUID(name))
            checked[f"{kind}:{name}"] = dict(own.validated_data)
        return checked


_OF_FOLDER = "chain:folder:"


def _renamed(key: str, names: dict[str, str]) -> str:
    """The key of a row, with another name where it speaks of a folder; empty where there is none of that name."""
    if not key.startswith(_OF_FOLDER):
        return key
    name = names.get(key.removeprefix(_OF_FOLDER))
    return f"{_OF_FOLDER}{name}" if name else ""


def _by_path(production: Production, present: Rows) -> dict[str, Any]:
    """The rows of a record. A folder is known by its path: elsewhere it is another row."""
    paths = {str(key): path for key, path in production.folders.values_list("id", "path")}
    kept = {_renamed(key, paths): row for key, row in present.items() if not key.startswith(("pick:", "shots:"))}
    return {key: row for key, row in kept.items() if key}


def _no_number(text: str) -> None:
    raise ValueError(f"{text} is no number")


def read(folder: Path) -> dict[str, Any] | None:
    """The record in a folder, checked; None when there is none.

    Raises:
        RecordRefused: for one that is damaged, or is none.
    """
    path = folder / NAME
    if path.is_symlink() or not path.is_file():
        return None
    if path.stat().st_size > LARGEST:
        raise RecordRefused("it is larger than any record")
    try:
        found = _Record(data=json.loads(path.read_text(encoding="utf-8"), parse_constant=_no_number))
        found.is_valid(raise_exception=True)
    except (ValueError, TypeError, AttributeError, RecursionError, serializers.ValidationError) as error:
        raise RecordRefused(f"it is damaged, or of a newer Fendo ({str(error)[:200]})") from error
    return dict(found.validated_data)


def restore(owner: Any, record: dict[str, Any], folder: Path, directory: str) -> Production:
    """The production of a record, but for its takes; `directory` below the media folder is its own.

    Files of its sources are copied from `folder` where that is another one, and prepared by jobs.

    Raises:
        RecordRefused: when something of it can't be stored, or is here already. Nothing is stored then.
    """
    if Production.objects.filter(pk=record["id"]).exists():
        raise RecordRefused("this production is here already")
    try:
        with transaction.atomic():
            return _restore(owner, record, folder, directory)
    except (DatabaseError, ValueError, TypeError, KeyError) as error:
        raise RecordRefused("what it says can't be stored") from error


def _restore(owner: Any, record: dict[str, Any], folder: Path, directory: str) -> Production:
    check_pattern(record["settings"]["name_pattern"])
    production = Production.objects.create(
        owner=owner, id=record["id"], name=record["name"], directory=directory, **record["settings"]
    )
    assert production.rate
    (settings.MEDIA / directory).mkdir(parents=True, exist_ok=True)
    readers = [Reader(production=production, **reader) for reader in record["readers"]]
    Reader.objects.bulk_create(readers)
    production.reader = next((reader for reader in readers if reader.id == record["reader"]), None)
    for path in sorted(record["folders"]):
        services.folder_at(production, path)
    production.landing = production.folders.filter(path=record["landing"] or "").first()
    production.save()
    for source in record["sources"]:
        picture.bring_back(production, folder, **source)
    ids = {path: str(key) for key, path in production.folders.values_list("id", "path")}
    known = {_renamed(key, ids): row for key, row in record["rows"].items() if not key.startswith(OF_TAKES)}
    state.store(production, {key: row for key, row in known.items() if key})
    return production


OF_TAKES = ("take:", "note:", "comp:", "repair:")


def stretches(production: Production, record: dict[str, Any]) -> list[Take]:
    """The takes of a record that are stretches of recordings which are there now; not stored yet."""
    lengths = dict(production.recordings.values_list("pk", "length"))
    lines, there = set(production.lines.values_list("pk", flat=True)), set(Take.objects.values_list("pk", flat=True))
    used = set(production_takes(production).values_list("line_id", "number"))
    found = []
    for key, line, recording, first, last, number, words in record["stretches"]:
        if key in there or line not in lines or not first < last <= lengths.get(recording, 0) or (line, number) in used:
            continue
        used.add((line, number))
        take = Take(pk=key, line_id=line, recording_id=recording, first=first, last=last, number=number, words=words)
        found.append(take)
    return found


def restore_takes(production: Production, record: dict[str, Any]) -> int:
    """What the record says of takes that are there now: picks, comps, set aside, moved. How many picks."""
    starts = {str(key): start for key, start in production_takes(production).values_list("pk", "recording__start")}
    recordings = {str(key) for key in production.recordings.values_list("pk", flat=True)}
    lines = {str(key) for key in production.lines.values_list("pk", flat=True)}
    readers = set(production.readers.values_list("pk", flat=True))
    known: dict[str, Any] = {}
    for key, row in record["rows"].items():
        kind, _, name = key.partition(":")
        if kind == "take" and name in starts:
            moved = row.get("moved", 0)
            known[key] = {"aside": row["aside"], "place": starts[name] + moved if moved else row.get("place")}
        elif kind == "note" and name in starts:
            known[key] = dict(row)
        elif kind == "repair" and str(row["recording"]) in recordings:
            known[key] = {**row, "recording": str(row["recording"])}
        elif kind == "comp" and str(row["line"]) in lines and row["reader"] in readers:
            needed = Comp.from_row(row["comp"]).recordings
            if needed <= recordings:
                known[key] = {**row, "line": str(row["line"]), "reader": str(row["reader"])}
    state.store(production, known)
    takes = set(production_takes(production).values_list("line_id", "pk"))
    comps = set(production.comps.values_list("line_id", "pk"))
    picks = [
        Pick(line_id=line, reader_id=reader, **{"take_id" if (line, voice) in takes else "comp_id": voice})
        for line, reader, voice in record["picks"]
        if ((line, voice) in takes or (line, voice) in comps) and reader in readers
    ]
    return len(Pick.objects.bulk_create(picks, ignore_conflicts=True))


def production_takes(production: Production) -> Any:
    """The takes of a production's lines."""
    return Take.objects.filter(line__production=production)
