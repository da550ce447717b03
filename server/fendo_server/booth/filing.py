"""Where recordings lie, and under which names: files are moved and renamed, folders renamed, on the disk too."""

import os
from collections.abc import Iterator
from contextlib import contextmanager
from uuid import UUID

from django.conf import settings
from django.db import transaction
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from fendo_core.booth.naming import safe_name, unused
from fendo_server.access import get_owned, owned
from fendo_server.problems import Problem, ProblemSerializer
from fendo_server.productions.models import Folder
from fendo_server.productions.serializers import FolderSerializer
from fendo_server.productions.services import folder_name
from fendo_server.takes.description import take_rows
from fendo_server.takes.models import Take
from fendo_server.takes.serializers import TakeSerializer
from fendo_server.voice.models import Recording


class FilingSerializer(serializers.Serializer):
    """Where the recording of a take is to lie, and what its file is to be called."""

    folder = serializers.UUIDField(required=False)
    name = serializers.CharField(required=False, max_length=200, help_text="with or without its ending")


@extend_schema(operation_id="file_take", request=FilingSerializer, responses={200: TakeSerializer, 422: ProblemSerializer})
@api_view(["POST"])
def file_take(request: Request, take_id: UUID) -> Response:
    """Move the file of a take to another folder, or rename it; takes of the same recording go along."""
    take = get_owned(Take, request.user, take_id, "line__production", "recording")
    asked = FilingSerializer(data=request.data)
    asked.is_valid(raise_exception=True)
    folder = None
    if "folder" in asked.validated_data:
        folder = (
            owned(Folder, request.user).filter(production=take.line.production, pk=asked.validated_data["folder"]).first()
        )
        if folder is None:
            raise Problem(422, "Not possible", "This folder is not in this production. Choose one of the list.")
    filed(take, folder, asked.validated_data.get("name", ""))
    line = take.line
    (row,) = take_rows(line.production, Take.objects.filter(pk=take.pk), {str(line.id): line})
    return Response(row)


@transaction.atomic
def filed(take: Take, folder: Folder | None, name: str) -> None:
    """The recording of a take in another folder, under another name, or both; a name that is taken there is counted on.

    Raises:
        Problem: while it is recorded, or when its file is not where it should be.
    """
    recording = (
        Recording.objects.select_for_update(of=("self",)).select_related("production", "folder").get(pk=take.recording_id)
    )
    if recording.state != Recording.State.FINISHED:
        raise Problem(422, "Not possible", "This take is being recorded. Stop first, then move or rename it.")
    old, old_log = recording.path, recording.clock_log
    if folder is not None:
        recording.folder = folder
    stem = safe_name(name.strip().removesuffix(".wav")) if name.strip() else recording.file_name.removesuffix(".wav")
    others = {
        one.lower() for one in recording.folder.recordings.exclude(pk=recording.pk).values_list("file_name", flat=True)
    }
    top = settings.MEDIA / recording.production.directory / recording.folder.path

    def taken(file: str) -> bool:
        return file.lower() in others or ((top / file).exists() and top / file != old)

    recording.file_name = unused(stem, taken, ".wav")
    if recording.path == old:
        return
    recording.save(update_fields=["folder", "file_name"])
    recording.path.parent.mkdir(parents=True, exist_ok=True)
    with _moving({old: recording.path, **({old_log: recording.clock_log} if old_log.exists() else {})}):
        recording.production.touch()


@contextmanager
def _moving(moves: dict) -> Iterator[None]:
    """Files at their new places; back at their old ones when what is done meanwhile fails."""
    done = []
    try:
        for source, target in moves.items():
            os.rename(source, target)
            done.append((source, target))
        yield
    except FileNotFoundError as error:
        for source, target in reversed(done):
            os.rename(target, source)
        said = "The file is not where it should be on the server's disk. Nothing was changed."
        raise Problem(409, "The file is gone", said) from error
    except BaseException:
        for source, target in reversed(done):
            os.rename(target, source)
        raise


class FolderNameSerializer(serializers.Serializer):
    """What a folder is to be called."""

    name = serializers.CharField(max_length=200)


@extend_schema(
    operation_id="rename_folder", request=FolderNameSerializer, responses={200: FolderSerializer, 422: ProblemSerializer}
)
@api_view(["PATCH"])
def rename_folder(request: Request, folder_id: UUID) -> Response:
    """Call a folder something else, on the disk too; what lies in it goes along."""
    folder = get_owned(Folder, request.user, folder_id, "production")
    asked = FolderNameSerializer(data=request.data)
    asked.is_valid(raise_exception=True)
    renamed(folder, asked.validated_data["name"])
    return Response({"id": str(folder.id), "path": folder.path})


@transaction.atomic
def renamed(folder: Folder, name: str) -> None:
    """A folder under another name, with all that lies in it.

    Raises:
        Problem: while somebody records into it, and for a name that can't be.
    """
    production = folder.production
    # A take that begins waits for this lock, and finds the folder's new path behind it.
    below = list(Folder.objects.select_for_update().filter(production=production).order_by("path"))
    folder.refresh_from_db(fields=["path", "name", "parent"])
    new = folder_name(production, folder.parent, name, folder)
    inside = [one for one in below if one.path == folder.path or one.path.startswith(f"{folder.path}/")]
    if Recording.objects.filter(folder__in=inside, state=Recording.State.RECORDING).exists():
        raise Problem(422, "Not possible", "Somebody is recording into this folder. Stop first, then rename it.")
    old = folder.path
    if new.path == old:
        return
    for one in inside:
        one.path = new.path + one.path[len(old) :]
        if one.pk == folder.pk:
            one.name = new.name
        one.save(update_fields=["path", "name"])
    top = settings.MEDIA / production.directory
    (top / old).mkdir(parents=True, exist_ok=True)
    if (top / new.path).exists() and new.path.lower() != old.lower():
        raise Problem(422, "Not possible", f"Something called “{new.name}” lies on the disk there. Choose another name.")
    with _moving({top / old: top / new.path}):
        production.touch()
    folder.path, folder.name = new.path, new.name
