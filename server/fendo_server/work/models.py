"""Jobs."""

import uuid

from django.db import models
from django.db.models import Q


class Job(models.Model):
    """Work that lasts longer than a blink: what it is, how far it is, how it ended."""

    class State(models.TextChoices):
        WAITING = "waiting"
        RUNNING = "running"
        DONE = "done"
        FAILED = "failed"
        CANCELLED = "cancelled"

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    production = models.ForeignKey("productions.Production", on_delete=models.CASCADE, related_name="jobs")
    kind = models.CharField(max_length=40)
    arguments = models.JSONField(default=dict)
    state = models.CharField(max_length=10, choices=State, default=State.WAITING)
    progress = models.FloatField(default=0.0)
    step = models.CharField(max_length=200, blank=True)
    error = models.TextField(blank=True)
    result = models.JSONField(default=dict)
    cancel_wanted = models.BooleanField(default=False)
    attempts = models.PositiveIntegerField(default=0)
    made = models.DateTimeField(auto_now_add=True)
    begun = models.DateTimeField(null=True, help_text="its last attempt")
    ended = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-made"]
        constraints = [
            models.CheckConstraint(condition=Q(progress__gte=0.0, progress__lte=1.0), name="progress_is_a_share")
        ]
