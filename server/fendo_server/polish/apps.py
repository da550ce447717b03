"""Polish."""

from django.apps import AppConfig


class PolishConfig(AppConfig):
    """The app of this room."""

    name = "fendo_server.polish"
    label = "polish"
