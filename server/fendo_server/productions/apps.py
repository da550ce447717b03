"""Productions."""

from django.apps import AppConfig


class ProductionsConfig(AppConfig):
    """The app of this room."""

    name = "fendo_server.productions"
    label = "productions"
