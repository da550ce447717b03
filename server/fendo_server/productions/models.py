"""Productions, their folders and readers, and the recorded changes that undo and redo rest on."""

import uuid
from fractions import Fraction

from django.conf import settings
from django.db import models
from django.db.models import F, Q
from django.utils import timezone

from fendo_core.booth.naming import DEFAULT_PATTERN
from fendo_core.script.pace import DEFAULT_PACE
from fendo_core.script.syllables import DEFAULT_LANGUAGE
from fendo_core.timebase import FrameRate
from fendo_core.voice.level import DISTANCE, LOUDEST, QUIETEST, WANTED


class Production(models.Model):
    """One job of work: a picture, a script, and the takes read against it."""

    class Monitor(models.TextChoices):
        PROGRAMME = "programme"
        ORIGINAL = "original"
        SILENT = "silent"

    class CountIn(models.TextChoices):
        HEARD = "heard"
        SEEN = "seen"

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="productions")
    name = models.CharField(max_length=120)
    directory = models.CharField(max_length=140, unique=True, help_text="its folder below media/")
    binned = models.DateTimeField(null=True, help_text="since when it lies in the bin; null: it does not")
    revision = models.PositiveIntegerField(default=0)
    fps_above = models.PositiveIntegerField(default=25)
    fps_below = models.PositiveIntegerField(default=1)
    drop_frame = models.BooleanField(default=False)
    start_frame = models.PositiveIntegerField(default=10 * 3600 * 25, help_text="frames since midnight of its first frame")
    landing = models.ForeignKey("Folder", null=True, on_delete=models.SET_NULL, related_name="+")
    reader = models.ForeignKey("Reader", null=True, on_delete=models.SET_NULL, related_name="+")
    name_pattern = models.CharField(max_length=200, default=DEFAULT_PATTERN)
    pace = models.FloatField(default=DEFAULT_PACE, help_text="syllables a second, where no takes tell better")
    wanted_length = models.PositiveBigIntegerField(
        null=True, help_text="samples that the programme is to last while it has no picture; null: not said"
    )
    learns_pace = models.BooleanField(default=True, help_text="the takes of a reader tell the pace")
    language = models.CharField(max_length=10, default=DEFAULT_LANGUAGE)
    level_window = models.CharField(max_length=20, default="lively")
    headphones = models.BooleanField(default=False)
    monitor = models.CharField(
        max_length=10, choices=Monitor, default=Monitor.PROGRAMME, help_text="what is heard in headphones while recording"
    )
    count_in = models.CharField(
        max_length=10, choices=CountIn, default=CountIn.HEARD, help_text="whether the count-in beeps, or is only seen"
    )
    speech_level = models.FloatField(
        null=True, default=WANTED, help_text="LUFS (dual mono) at which voices are heard; null: as recorded"
    )
    duck_distance = models.FloatField(default=DISTANCE, help_text="LU by which other sound lies under the voice")
    duck_rise = models.PositiveIntegerField(default=38_400, help_text="samples in which it comes back")
    input = models.JSONField(default=dict, help_text="the input and channel chosen in the Booth")
    made = models.DateTimeField(auto_now_add=True)
    changed = models.DateTimeField(auto_now=True)
    recorded = models.DateTimeField(null=True, help_text="the change up to which its own record in its folder is written")

    class Meta:
        constraints = [
            models.CheckConstraint(condition=Q(fps_above__gt=0, fps_below__gt=0), name="a_frame_rate_is_positive"),
            models.CheckConstraint(condition=Q(wanted_length=None) | Q(wanted_length__gt=0), name="a_wanted_length_is_one"),
            models.CheckConstraint(condition=Q(pace__gte=1.0, pace__lte=12.0), name="a_pace_is_speakable"),
            models.CheckConstraint(
                condition=Q(duck_distance__gte=0.0, duck_distance__lte=40.0), name="ducked_is_not_louder"
            ),
            models.CheckConstraint(
                condition=Q(speech_level=None) | Q(speech_level__gte=QUIETEST, speech_level__lte=LOUDEST),
                name="a_speech_level_is_one",
            ),
        ]

    def touch(self) -> None:
        """Something of it was changed that is no edit: its own record is to be written again."""
        Production.objects.filter(pk=self.pk).update(changed=timezone.now())

    @property
    def rate(self) -> FrameRate:
        """The frame rate as the core speaks it."""
        return FrameRate(Fraction(self.fps_above, self.fps_below), self.drop_frame)


class Folder(models.Model):
    """A named folder inside a production; folders may hold folders."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    production = models.ForeignKey(Production, on_delete=models.CASCADE, related_name="folders")
    parent = models.ForeignKey("self", null=True, on_delete=models.PROTECT, related_name="children")
    name = models.CharField(max_length=80)
    path = models.CharField(max_length=400, help_text="below the production's folder, with / between")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["production", "path"], name="folder_paths_are_unique")]


class Reader(models.Model):
    """Somebody who reads."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    production = models.ForeignKey(Production, on_delete=models.CASCADE, related_name="readers")
    name = models.CharField(max_length=80)
    learned = models.JSONField(default=dict, help_text="the pace learned from this reader's takes; {} before the first")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["production", "name"], name="reader_names_are_unique")]


class Change(models.Model):
    """One recorded change: the rows it touched, before and after. Never altered but for `undone` and `gone`."""

    class Kind(models.TextChoices):
        EDIT = "edit"
        UNDO = "undo"
        REDO = "redo"

    production = models.ForeignKey(Production, on_delete=models.CASCADE, related_name="changes")
    revision = models.PositiveIntegerField(help_text="the production's revision after it")
    kind = models.CharField(max_length=4, choices=Kind)
    label = models.CharField(max_length=200)
    author = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    before = models.JSONField()
    after = models.JSONField()
    undone = models.BooleanField(default=False)
    gone = models.BooleanField(default=False, help_text="undone, and then something else was edited: no way back to it")
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["production", "revision"], name="revisions_are_unique"),
            models.CheckConstraint(condition=~Q(gone=True, undone=False), name="only_undone_changes_are_gone"),
        ]
        indexes = [models.Index(F("production"), F("revision").desc(), name="changes_newest_first")]
