"""Making productions and folders, and their settings."""

import shutil
import unicodedata
from datetime import date
from typing import Any

from django.conf import settings
from django.db import IntegrityError, transaction

from fendo_core.booth.naming import NameParts, check_pattern, file_name, safe_name, unused
from fendo_server.meetings import repeated
from fendo_server.problems import Problem
from fendo_server.productions.models import Folder, Production, Reader

RESERVED = {"picture", "handover", "outside", "room tone"}
DEEPEST = 6


def free_directory(name: str) -> str:
    """The name of a folder for a production of this name that no other has, and that does not lie on the disk."""

    def taken(directory: str) -> bool:
        return (settings.MEDIA / directory).exists() or Production.objects.filter(directory__iexact=directory).exists()

    return unused(safe_name(name, 80), taken)


@repeated
@transaction.atomic
def make_production(owner: Any, name: str, reader: str = "Narrator", folder: str = "Narration") -> Production:
    """A production with a reader and a folder where takes land, and its own folder on the disk."""
    name = " ".join(name.split())
    if not name:
        raise Problem(422, "Not possible", "A production needs a name. Type one and try again.")
    directory = free_directory(name)
    production = Production.objects.create(owner=owner, name=name[:120], directory=directory)
    (settings.MEDIA / directory).mkdir(parents=True)
    production.reader = Reader.objects.create(production=production, name=reader)
    production.landing = make_folder(production, None, folder)
    production.save()
    return production


def remove_stand_in(production: Production) -> None:
    """Remove a production that stood in for an archive: one in which there is anything is left alone."""
    if production.lines.exists() or production.recordings.exists() or production.sources.exists():
        return
    shutil.rmtree(settings.MEDIA / production.directory, ignore_errors=True)
    production.delete()


def make_reader(production: Production, name: str) -> Reader:
    """Another reader; one who is there already, in capitals or not, is refused."""
    name = " ".join(name.split())
    if not name:
        raise Problem(422, "Not possible", "A reader needs a name. Type one and try again.")
    known = Problem(422, "Not possible", f"“{name}” is a reader of this production already.")
    if production.readers.filter(name__iexact=name).exists():
        raise known
    try:
        with transaction.atomic():
            reader = Reader.objects.create(production=production, name=name)
    except IntegrityError as error:
        raise known from error
    production.touch()
    return reader


def folder_name(production: Production, parent: Folder | None, name: str, own: Folder | None = None) -> Folder:
    """A folder of this name that could be; `own` is the one that is to be called so, if it is there already.

    Raises:
        Problem: for a name that can't be, or that another folder has.
    """
    safe = safe_name(unicodedata.normalize("NFC", name), 60)
    if not name.strip():
        raise Problem(422, "Not possible", "A folder needs a name. Type one and try again.")
    if parent is None and safe.lower() in RESERVED:
        raise Problem(422, "Not possible", f"“{safe}” is Fendo's own folder in each production. Choose another name.")
    path = f"{parent.path}/{safe}" if parent else safe
    if path.count("/") >= DEEPEST or len(path) > 380:
        raise Problem(422, "Not possible", f"Folders can lie at most {DEEPEST} deep in one another. Nothing was made.")
    if production.folders.filter(path__iexact=path).exclude(pk__in=[own.pk] if own else []).exists():
        raise _there_is(path)
    return Folder(production=production, parent=parent, name=safe, path=path)


def _there_is(path: str) -> Problem:
    return Problem(422, "Not possible", f"There is a folder “{path}” already. Takes can land in that one.")


def make_folder(production: Production, parent: Folder | None, name: str) -> Folder:
    """A folder in the production, and on the disk."""
    folder = folder_name(production, parent, name)
    path = folder.path
    try:
        with transaction.atomic():
            folder.save(force_insert=True)
    except IntegrityError as error:
        raise _there_is(path) from error
    (settings.MEDIA / production.directory / path).mkdir(parents=True, exist_ok=True)
    production.touch()
    return folder


def folder_at(production: Production, path: str) -> Folder:
    """The folder at a path below the production's own, made with those above it if it is not there."""
    folder = None
    for part in path.split("/"):
        below = f"{folder.path}/{part}" if folder else part
        folder = production.folders.filter(path=below).first() or make_folder(production, folder, part)
    assert folder is not None
    return folder


def name_example(production: Production, pattern: str) -> str:
    """The file name that the pattern would give the next take of the first line.

    Raises:
        PatternError: for a pattern that can't make names.
    """
    check_pattern(pattern)
    line = production.lines.filter(dropped=False).first()
    return file_name(
        pattern,
        NameParts(
            production=production.name,
            folder=production.landing.name if production.landing else "Narration",
            line=line.number if line else "1",
            words=line.text if line else "The first words of the line",
            reader=production.reader.name if production.reader else "Narrator",
            date=date.today().isoformat(),
            take=(line.takes.count() if line else 0) + 1,
        ),
        set(),
    )
