"""Handover."""

from django.apps import AppConfig


class HandoverConfig(AppConfig):
    """The app of this room."""

    name = "fendo_server.handover"
    label = "handover"
