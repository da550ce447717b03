"""What a loop test found, and what a room check did."""

from pathlib import Path

from django.conf import settings
from django.db import models


class RoundTrip(models.Model):
    """The measured way from schedule to label for one pair of devices in one browser; in samples."""

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="+")
    input = models.CharField(max_length=200)
    output = models.CharField(max_length=200)
    browser = models.CharField(max_length=200)
    latency = models.PositiveIntegerField()
    spread = models.PositiveIntegerField()
    made = models.DateTimeField(auto_now=True)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["owner", "input", "output", "browser"], name="one_round_trip_a_pair_of_devices")
        ]


class RoomCheck(models.Model):
    """What was heard in a production's room while nobody spoke. Its sound is kept as room tone."""

    production = models.ForeignKey("productions.Production", on_delete=models.CASCADE, related_name="room_checks")
    input = models.CharField(max_length=200, blank=True)
    room = models.JSONField(help_text="as the core's `Room`")
    file_name = models.CharField(max_length=140)
    made = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-made"]


class Outside(models.Model):
    """A reading that lies in the folder `Outside/` for another sound editor, as it was sent: other than that it is back."""

    production = models.ForeignKey("productions.Production", on_delete=models.CASCADE, related_name="outside")
    line = models.ForeignKey("script.Line", on_delete=models.CASCADE, related_name="+")
    voice = models.UUIDField(help_text="the take or comp that was sent")
    name = models.CharField(max_length=80, help_text="what that was called")
    file_name = models.CharField(max_length=140)
    at = models.BigIntegerField(help_text="programme sample of its first sample")
    size = models.PositiveBigIntegerField()
    changed = models.BigIntegerField(help_text="the file's time of change in ns, when it was sent or came back last")
    made = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["production", "file_name"], name="one_file_outside")]

    @property
    def path(self) -> Path:
        """Its file."""
        return settings.MEDIA / self.production.directory / "Outside" / self.file_name
