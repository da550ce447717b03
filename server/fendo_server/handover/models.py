"""What was handed over, and the presets that people keep."""

import uuid
from pathlib import Path

from django.conf import settings
from django.db import models


class Handover(models.Model):
    """Something that left: a folder of files, each with what it holds and its checksum. It is never changed."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    production = models.ForeignKey("productions.Production", on_delete=models.CASCADE, related_name="handovers")
    folder = models.CharField(max_length=140, help_text="its folder in the production's folder Handover")
    order = models.JSONField(help_text="as the core's `Order.as_row` gives it")
    files = models.JSONField(help_text="[{path, bytes, sha256, md5}], in order")
    lines = models.JSONField(help_text="state of each line that left, by line")
    placed = models.JSONField(default=dict, help_text="each line's file, by path: as the core's `Handed`")
    findings = models.JSONField(default=list, help_text="what was known to be open")
    limited = models.JSONField(default=dict, help_text="how hard the ceiling worked")
    made = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-made"]
        constraints = [models.UniqueConstraint(fields=["production", "folder"], name="handover_folders_are_unique")]

    @property
    def path(self) -> Path:
        """Its folder."""
        return settings.MEDIA / self.production.directory / "Handover" / self.folder


class Preset(models.Model):
    """An order that somebody keeps under its name."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="+")
    name = models.CharField(max_length=60)
    order = models.JSONField()

    class Meta:
        ordering = ["name"]
        constraints = [models.UniqueConstraint(fields=["owner", "name"], name="one_preset_a_name")]
