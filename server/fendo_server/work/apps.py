"""Work."""

from django.apps import AppConfig


class WorkConfig(AppConfig):
    """The app of this room."""

    name = "fendo_server.work"
    label = "work"
