"""Who may see what: the one place that decides. Nothing is fetched for a person but through here."""

from typing import Any, TypeVar
from uuid import UUID

from django.db.models import Model, QuerySet
from django.http import Http404

M = TypeVar("M", bound=Model)

_OWNER_PATH = {
    "Production": "owner",
    "Folder": "production__owner",
    "Source": "production__owner",
    "Arrival": "production__owner",
    "Line": "production__owner",
    "Take": "line__production__owner",
    "Recording": "production__owner",
    "Comp": "production__owner",
    "Job": "production__owner",
    "Handover": "production__owner",
    "Preset": "owner",
    "KeptTreatment": "owner",
}


def owned(model: type[M], user: Any) -> QuerySet[M]:
    """The rows of a model that belong to the user."""
    return model._default_manager.filter(**{_OWNER_PATH[model.__name__]: user.pk})


def get_owned(model: type[M], user: Any, key: UUID | str, *related: str) -> M:
    """One row of the user's, with what it is `related` to in the same query.

    Raises:
        Http404: when there is none, or it is somebody else's: no difference is told.
    """
    rows = owned(model, user)
    found = (rows.select_related(*related) if related else rows).filter(pk=key).first()
    if found is None:
        raise Http404
    return found
