"""Recordings, and the comps that somebody made of them."""

import uuid
from pathlib import Path

from django.conf import settings
from django.db import models
from django.db.models import Q

from fendo_core.production.state import LineComp
from fendo_core.voice import Comp as CoreComp
from fendo_core.voice.chain import Chain
from fendo_core.voice.repair import Repair as CoreRepair
from fendo_server.fields import QuickJSONField


class Recording(models.Model):
    """One WAV with its clock map. Once it is finished it never changes, and no edit deletes it.

    `start` is the programme sample at which its first sample was recorded (it may lie before the programme), `length` its
    samples.
    """

    class State(models.TextChoices):
        RECORDING = "recording"
        FINISHED = "finished"

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    production = models.ForeignKey("productions.Production", on_delete=models.PROTECT, related_name="recordings")
    reader = models.ForeignKey("productions.Reader", on_delete=models.PROTECT, related_name="recordings")
    folder = models.ForeignKey("productions.Folder", on_delete=models.PROTECT, related_name="recordings")
    file_name = models.CharField(max_length=140)
    state = models.CharField(max_length=10, choices=State, default=State.RECORDING)
    cut_off = models.BooleanField(default=False, help_text="ended by a fault, not by the reader")
    input = models.CharField(max_length=200, blank=True)
    start = models.BigIntegerField(default=0)
    length = models.PositiveBigIntegerField(default=0)
    clock = models.JSONField(default=dict, help_text="its clock map")
    within = models.PositiveIntegerField(null=True, help_text="samples by which its place may be off; null: not known")
    doubts = QuickJSONField(default=list, help_text="[sample, words]: what speaks against its place")
    forgotten = models.BooleanField(
        default=False, help_text="closed by housekeeping: what its browser still has goes on it"
    )
    made = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["folder", "file_name"], name="recording_files_are_unique"),
            models.CheckConstraint(condition=Q(state="recording") | Q(length__gt=0), name="a_finished_recording_has_sound"),
        ]

    @property
    def path(self) -> Path:
        """Its WAV file."""
        return settings.MEDIA / self.production.directory / self.folder.path / self.file_name

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


class Comp(models.Model):
    """A comp that somebody made for a line; what sounds of a take by itself needs no row."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    production = models.ForeignKey("productions.Production", on_delete=models.CASCADE, related_name="comps")
    line = models.ForeignKey("script.Line", on_delete=models.CASCADE, related_name="comps")
    reader = models.ForeignKey("productions.Reader", on_delete=models.PROTECT, related_name="+")
    name = models.CharField(max_length=80)
    comp = QuickJSONField(help_text="segments and place, as the core's `Comp.as_row` gives them")
    made = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["made", "id"]

    @property
    def value(self) -> LineComp:
        """As the core knows it."""
        return LineComp(str(self.id), str(self.line_id), str(self.reader_id), self.name, CoreComp.from_row(self.comp))


class Repair(models.Model):
    """Something mended in a recording, or left as it is: every comp that uses the stretch sounds so."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    production = models.ForeignKey("productions.Production", on_delete=models.CASCADE, related_name="repairs")
    recording = models.ForeignKey(Recording, on_delete=models.CASCADE, related_name="repairs")
    row = QuickJSONField(help_text="as the core's `Repair.as_row` gives it")

    @property
    def value(self) -> CoreRepair:
        """As the core knows it."""
        return CoreRepair.from_row(str(self.id), self.row)


class Treatment(models.Model):
    """How the lines of a scope are treated: `production`, or `line:` or `folder:` and its identity."""

    production = models.ForeignKey("productions.Production", on_delete=models.CASCADE, related_name="treatments")
    scope = models.CharField(max_length=60)
    chain = QuickJSONField(help_text="as the core's `Chain.as_row` gives it")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["production", "scope"], name="one_treatment_a_scope")]

    @property
    def value(self) -> Chain:
        """As the core knows it."""
        return Chain.from_row(self.chain)


class Scan(models.Model):
    """What was found suspicious in a recording; made again when it is scanned again."""

    recording = models.OneToOneField(Recording, on_delete=models.CASCADE, related_name="scan")
    places = QuickJSONField(default=list, help_text="[kind, first, last, sure, settings], samples of the recording")
