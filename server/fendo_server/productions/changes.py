"""Edits as recorded changes: perform, undo, redo, and what happens when two windows edit one production."""

import uuid
from typing import Any

from django.db import transaction

from fendo_core.production import edits
from fendo_core.production.following import carrying, is_of_reel
from fendo_core.production.state import Difference, State, conflicts, difference
from fendo_server.problems import Problem
from fendo_server.productions import quotas, state
from fendo_server.productions.models import Change, Production


def _locked(production: Production) -> Production:
    return Production.objects.select_for_update().get(pk=production.pk)


def perform(production: Production, author: Any, revision: int, edit: edits.Edit) -> Change | None:
    """Do an edit; see `performed`."""
    return performed(production, author, revision, edit)[0]


KEPT = 1_000
"""Edits that can be taken back; and revisions for which others' edits can be told apart."""


@transaction.atomic
def performed(production: Production, author: Any, revision: int, edit: edits.Edit) -> tuple[Change | None, State]:
    """Do an edit that was made at `revision`: the change (None when it changes nothing), and the state after it.

    Raises:
        Problem: 409 when somebody else changed the same rows since then, or so long ago that it can't be told. Nothing is
            written.
        EditRefused: from the core.
    """
    production = _locked(production)
    before = state.load(production)
    after, label = edits.perform(before, edit, lambda: str(uuid.uuid4()))
    quotas.check_length(before, after)
    made = state.of_readers(production, difference(before, after))
    if not made.touched:
        return None, after
    if production.revision - revision > KEPT:
        raise Problem(
            409,
            "Changed meanwhile",
            "This window has not heard of the last thousand changes. Reload it; what you typed stays here until then.",
        )
    since = production.changes.filter(revision__gt=revision).order_by("revision")
    if conflicts(made.touched, (change.after for change in since)):
        raise Problem(
            409,
            "Changed meanwhile",
            "This was changed in another window since you began. Yours is kept here and was not written: "
            "look at the other one, then write yours or leave it.",
            changes=[f"{change.label} ({change.kind})" for change in since],
        )
    production.changes.filter(undone=True, gone=False).update(gone=True)
    return _record(production, author, Change.Kind.EDIT, label, made), after


def _record(production: Production, author: Any, kind: str, label: str, made: Difference) -> Change:
    state.store(production, made.after)
    production.revision += 1
    production.save(update_fields=["revision", "changed"])
    if production.revision % 100 == 0:
        _prune(production)
    return Change.objects.create(
        production=production,
        revision=production.revision,
        kind=kind,
        label=label,
        author=author if getattr(author, "pk", None) else None,
        before=made.before,
        after=made.after,
    )


def _prune(production: Production) -> None:
    """Let go of changes that can neither be taken back any more nor be met by a window that is open still."""
    edits_made = production.changes.filter(kind=Change.Kind.EDIT).order_by("-revision").values_list("revision", flat=True)
    oldest = next(iter(edits_made[KEPT - 1 : KEPT]), None)
    if oldest is not None:
        production.changes.filter(kind=Change.Kind.EDIT, revision__lt=oldest).delete()
    taken_back = production.changes.exclude(kind=Change.Kind.EDIT)
    taken_back.filter(revision__lte=production.revision - KEPT).delete()


def to_undo(production: Production) -> Change | None:
    """The edit that undo takes back."""
    return production.changes.filter(kind=Change.Kind.EDIT, undone=False).order_by("-revision").first()


def to_redo(production: Production) -> Change | None:
    """The edit that redo does again."""
    return production.changes.filter(kind=Change.Kind.EDIT, undone=True, gone=False).order_by("revision").first()


@transaction.atomic
def undo(production: Production, author: Any) -> Change | None:
    """Take the newest edit back; None when there is none."""
    production = _locked(production)
    edit = to_undo(production)
    if edit is None:
        return None
    edit.undone = True
    edit.save(update_fields=["undone"])
    return _record(
        production, author, Change.Kind.UNDO, edit.label, _again(production, Difference(edit.after, edit.before))
    )


@transaction.atomic
def redo(production: Production, author: Any) -> Change | None:
    """Do the edit again that was undone last; None when there is none."""
    production = _locked(production)
    edit = to_redo(production)
    if edit is None:
        return None
    edit.undone = False
    edit.save(update_fields=["undone"])
    return _record(
        production, author, Change.Kind.REDO, edit.label, _again(production, Difference(edit.before, edit.after))
    )


def _again(production: Production, made: Difference) -> Difference:
    """A difference as it is now, with the takes that were recorded since it was made."""
    return carrying(made, state.load(production)) if is_of_reel(made) else made
