"""What was brought in, and the reel that is made of it."""

import uuid
from pathlib import Path

from django.conf import settings
from django.db import models
from django.db.models import Q

from fendo_server.fields import QuickJSONField


class Source(models.Model):
    """Something brought in and its playable forms. `shots` are [start, end] samples of itself."""

    class Kind(models.TextChoices):
        FILM = "film"
        STILL = "still"
        SLIDES = "slides"
        SOUND = "sound"

    class State(models.TextChoices):
        ARRIVING = "arriving"
        PREPARING = "preparing"
        READY = "ready"
        FAILED = "failed"

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    production = models.ForeignKey("productions.Production", on_delete=models.CASCADE, related_name="sources")
    kind = models.CharField(max_length=10, choices=Kind, default=Kind.FILM)
    name = models.CharField(max_length=200)
    file = models.CharField(max_length=300, help_text="below the production's folder")
    state = models.CharField(max_length=10, choices=State, default=State.ARRIVING)
    error = models.TextField(blank=True)
    remarks = models.JSONField(default=list)
    facts = models.JSONField(default=dict, help_text="kind, codec, width, height, what the browser may do with it")
    fps_above = models.PositiveIntegerField(default=25)
    fps_below = models.PositiveIntegerField(default=1)
    frames = models.PositiveIntegerField(default=0)
    length = models.PositiveBigIntegerField(default=0, help_text="samples; 0: no length of its own")
    shots = models.JSONField(default=list)
    shot_names = models.JSONField(default=list, help_text="names of the shots in order; missing ones are none")
    sound_pieces = models.PositiveIntegerField(default=0)
    segments = models.PositiveIntegerField(default=0, help_text="of its proxy that can be played")
    segment_frames = models.PositiveIntegerField(default=0, help_text="frames in one of them; 0: one file holds all")
    segment_folder = models.CharField(max_length=40, blank=True)
    quiet = QuickJSONField(null=True, help_text="[first, last] of stretches of nothing but its room; null: not known")
    loudness = models.FloatField(null=True, help_text="of its own sound, LUFS; null: not known")
    has_proxy = models.BooleanField(default=False)
    strip_columns = models.PositiveIntegerField(default=0, help_text="small pictures in the film strip")
    pages = models.PositiveIntegerField(default=1, help_text="of slides")
    notes = models.JSONField(default=list, help_text="of slides: what each page's notes say, else its text")
    digest = models.CharField(max_length=64, blank=True, help_text="tells the same file when it comes again")
    made = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [
            models.CheckConstraint(
                condition=Q(length__gt=0) | Q(kind__in=("still", "slides")) | Q(state__in=("arriving", "failed")),
                name="a_source_has_length",
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


class Clip(models.Model):
    """A clip of the reel; lengths in frames at the production's rate."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    production = models.ForeignKey("productions.Production", on_delete=models.CASCADE, related_name="clips")
    source = models.ForeignKey(Source, null=True, on_delete=models.PROTECT, related_name="+")
    position = models.PositiveIntegerField(default=0)
    length = models.PositiveIntegerField()
    first = models.PositiveIntegerField(default=0)
    page = models.PositiveIntegerField(default=0)
    name = models.CharField(max_length=200, blank=True)
    colour = models.CharField(max_length=10)
    bed = models.CharField(max_length=10)
    level = models.FloatField(default=0.0)
    opens = models.BooleanField(default=True)

    class Meta:
        ordering = ["position"]
        constraints = [models.CheckConstraint(condition=Q(length__gt=0), name="a_clip_has_frames")]


class LaidSound(models.Model):
    """Sound laid under the programme; samples."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    production = models.ForeignKey("productions.Production", on_delete=models.CASCADE, related_name="laid")
    source = models.ForeignKey(Source, on_delete=models.PROTECT, related_name="+")
    start = models.PositiveBigIntegerField()
    end = models.PositiveBigIntegerField()
    first = models.PositiveBigIntegerField(default=0)
    channel = models.CharField(max_length=10)
    level = models.FloatField(default=0.0)
    bed = models.CharField(max_length=10)
    original = models.BooleanField(default=False)

    class Meta:
        ordering = ["start", "id"]
        constraints = [
            models.CheckConstraint(condition=Q(end__gt=models.F("start")), name="laid_sound_does_not_run_backwards"),
            models.UniqueConstraint(
                fields=["production"],
                condition=Q(original=True),
                name="one_original_a_production",
            ),
        ]


class Arrival(models.Model):
    """A file on its way in. What has arrived lies in a file of its own; its size is how much that is."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    production = models.ForeignKey("productions.Production", on_delete=models.CASCADE, related_name="arrivals")
    name = models.CharField(max_length=200)
    size = models.PositiveBigIntegerField()
    digest = models.CharField(max_length=64)
    archive = models.BooleanField(default=False, help_text="a zip that is to be opened as a production")
    made = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["production", "digest", "size"], name="one_arrival_a_file"),
        ]

    @property
    def path(self) -> Path:
        """What has arrived."""
        return settings.DATA / "arriving" / str(self.id)

    @property
    def received(self) -> int:
        """Bytes that have arrived."""
        return self.path.stat().st_size if self.path.exists() else 0


class SyncPoint(models.Model):
    """A place in the picture that a word is put to."""

    production = models.ForeignKey("productions.Production", on_delete=models.CASCADE, related_name="sync_points")
    at = models.BigIntegerField(help_text="programme sample of its frame")
    called = models.CharField(max_length=60, blank=True)

    class Meta:
        ordering = ["at"]
        constraints = [models.UniqueConstraint(fields=["production", "at"], name="one_sync_point_a_frame")]
