"""Lines."""

import uuid

from django.db import models
from django.db.models import F, Q


class Line(models.Model):
    """A numbered piece of the script, with its slot in samples of the programme."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    production = models.ForeignKey("productions.Production", on_delete=models.CASCADE, related_name="lines")
    position = models.PositiveIntegerField()
    number = models.CharField(max_length=20)
    text = models.TextField(blank=True)
    slot_start = models.PositiveBigIntegerField(null=True)
    slot_end = models.PositiveBigIntegerField(null=True)
    dropped = models.BooleanField(default=False)

    class Meta:
        ordering = ["position"]
        constraints = [
            models.UniqueConstraint(fields=["production", "number"], name="line_numbers_are_unique"),
            models.CheckConstraint(
                condition=Q(slot_start=None, slot_end=None)
                | Q(slot_start__isnull=False, slot_end__isnull=False, slot_end__gt=F("slot_start")),
                name="slots_do_not_run_backwards",
            ),
        ]
        indexes = [models.Index(fields=["production", "position"], name="lines_in_order")]
