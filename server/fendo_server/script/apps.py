"""Script."""

from django.apps import AppConfig


class ScriptConfig(AppConfig):
    """The app of this room."""

    name = "fendo_server.script"
    label = "script"
