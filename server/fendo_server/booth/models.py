"""What a loop test found, and what a room check did."""

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
