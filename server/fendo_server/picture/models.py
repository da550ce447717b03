"""Films that were brought in."""

import uuid
from pathlib import Path

from django.conf import settings
from django.db import models
from django.db.models import Q


class Film(models.Model):
    """One brought-in film and its playable forms. `shots` are [start, end] samples of the programme."""

    class State(models.TextChoices):
        ARRIVING = "arriving"
        PREPARING = "preparing"
        READY = "ready"
        FAILED = "failed"

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    production = models.ForeignKey("productions.Production", on_delete=models.CASCADE, related_name="films")
    name = models.CharField(max_length=200)
    file = models.CharField(max_length=300, help_text="below the production's folder")
    state = models.CharField(max_length=10, choices=State, default=State.ARRIVING)
    error = models.TextField(blank=True)
    remarks = models.JSONField(default=list)
    facts = models.JSONField(default=dict, help_text="kind, codec, width, height, what the browser may do with it")
    fps_above = models.PositiveIntegerField(default=25)
    fps_below = models.PositiveIntegerField(default=1)
    frames = models.PositiveIntegerField(default=0)
    length = models.PositiveBigIntegerField(default=0, help_text="samples")
    shots = models.JSONField(default=list)
    shot_names = models.JSONField(default=list, help_text="names of the shots in order; missing ones are none")
    sound_pieces = models.PositiveIntegerField(default=0)
    has_proxy = models.BooleanField(default=False)
    strip_columns = models.PositiveIntegerField(default=0, help_text="small pictures in the film strip")
    made = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [
            models.CheckConstraint(
                condition=Q(state="arriving") | Q(length__gt=0) | Q(state="failed"), name="a_film_has_length"
            )
        ]

    @property
    def original(self) -> Path:
        """The file as it was brought in."""
        return settings.MEDIA / self.production.directory / self.file

    @property
    def derived(self) -> Path:
        """The folder of its playable forms, which can be made again at any time."""
        return settings.DERIVED / "films" / str(self.id)
