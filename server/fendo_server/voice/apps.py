"""The app."""

from django.apps import AppConfig


class VoiceConfig(AppConfig):
    """What sounds for a line."""

    name = "fendo_server.voice"
    default_auto_field = "django.db.models.BigAutoField"
