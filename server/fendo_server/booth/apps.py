"""Booth."""

from django.apps import AppConfig


class BoothConfig(AppConfig):
    """The app of this room."""

    name = "fendo_server.booth"
    label = "booth"
