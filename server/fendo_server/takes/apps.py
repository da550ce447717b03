"""Takes."""

from django.apps import AppConfig


class TakesConfig(AppConfig):
    """The app of this room."""

    name = "fendo_server.takes"
    label = "takes"
