"""Takes and picks."""

import uuid
from pathlib import Path

from django.conf import settings
from django.db import models
from django.db.models import F, Q

from fendo_server.fields import QuickJSONField


class Take(models.Model):
    """One recording of a line. Once it is finished its sound never changes.

    `start` is the programme sample at which its first sample was recorded (it may lie before the programme), `length` its
    samples; `placed` is where it lies now.
    """

    class State(models.TextChoices):
        RECORDING = "recording"
        FINISHED = "finished"

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    line = models.ForeignKey("script.Line", on_delete=models.PROTECT, related_name="takes")
    reader = models.ForeignKey("productions.Reader", on_delete=models.PROTECT)
    folder = models.ForeignKey("productions.Folder", on_delete=models.PROTECT)
    number = models.PositiveIntegerField()
    file_name = models.CharField(max_length=140)
    state = models.CharField(max_length=10, choices=State, default=State.RECORDING)
    cut_off = models.BooleanField(default=False, help_text="ended by a fault, not by the reader")
    aside = models.BooleanField(default=False)
    input = models.CharField(max_length=200, blank=True)
    words = models.TextField(blank=True, help_text="what its line said when it was read")
    start = models.BigIntegerField(default=0)
    length = models.PositiveBigIntegerField(default=0)
    moved = models.BigIntegerField(default=0, help_text="samples that it was moved with its picture since")
    cue = models.BigIntegerField(null=True, help_text="where a pick-up was to begin; null: with the slot")
    clock = models.JSONField(default=dict, help_text="its clock map")
    within = models.PositiveIntegerField(null=True, help_text="samples by which its place may be off; null: not known")
    doubts = QuickJSONField(default=list, help_text="[sample, words]: what speaks against its place")
    forgotten = models.BooleanField(
        default=False, help_text="closed by housekeeping: what its browser still has goes on it"
    )
    speech_start = models.PositiveBigIntegerField(null=True)
    speech_end = models.PositiveBigIntegerField(null=True)
    peak = models.FloatField(null=True)
    true_peak = models.FloatField(null=True)
    loudness = models.FloatField(null=True)
    noise = models.FloatField(null=True)
    clipped = QuickJSONField(default=list)
    phrases = QuickJSONField(default=list)
    made = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["number"]
        constraints = [
            models.UniqueConstraint(fields=["line", "number"], name="take_numbers_are_unique"),
            models.UniqueConstraint(fields=["folder", "file_name"], name="take_files_are_unique"),
            models.CheckConstraint(condition=Q(state="recording") | Q(length__gt=0), name="a_finished_take_has_sound"),
        ]

    @property
    def placed(self) -> int:
        """The programme sample at which it lies now."""
        return self.start + self.moved

    @property
    def source(self) -> str:
        """Where the latencies of its clock map come from."""
        return str(self.clock.get("source", ""))

    @property
    def path(self) -> Path:
        """Its WAV file."""
        return settings.MEDIA / self.line.production.directory / self.folder.path / self.file_name

    @property
    def part(self) -> Path:
        """The growing file while it is recorded: the WAV itself, under a name that says it is not finished."""
        return self.path.with_name(f"{self.file_name}.part")

    @property
    def clock_log(self) -> Path:
        """What arrived of its clock log while it is recorded, one part a line."""
        return self.path.with_name(f"{self.file_name}.clock")

    @property
    def wave(self) -> Path:
        """Its drawn waveform."""
        return settings.DERIVED / "takes" / f"{self.id}.wave"


STANDS = Q(reader=F("line__reader")) | Q(line__reader=None, reader=F("line__production__reader"))
"""Of a line's picks the one that stands: that of its own reader, or of the production's."""


class Pick(models.Model):
    """The take that stands for a line, for one reader."""

    line = models.ForeignKey("script.Line", on_delete=models.CASCADE, related_name="picks")
    reader = models.ForeignKey("productions.Reader", on_delete=models.CASCADE)
    take = models.ForeignKey(Take, on_delete=models.PROTECT)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["line", "reader"], name="one_pick_a_line_and_reader")]
