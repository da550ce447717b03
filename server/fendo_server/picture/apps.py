"""Picture."""

from django.apps import AppConfig


class PictureConfig(AppConfig):
    """The app of this room."""

    name = "fendo_server.picture"
    label = "picture"
