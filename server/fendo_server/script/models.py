"""Lines."""

import uuid

from django.db import models
from django.db.models import F, Q

from fendo_core.timebase import Span
from fendo_server.fields import QuickJSONField


class Line(models.Model):
    """A numbered part of the script, with its slot in samples of the programme."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    production = models.ForeignKey("productions.Production", on_delete=models.CASCADE, related_name="lines")
    position = models.PositiveIntegerField()
    number = models.CharField(max_length=20)
    text = models.TextField(blank=True)
    slot_start = models.PositiveBigIntegerField(null=True)
    slot_end = models.PositiveBigIntegerField(null=True)
    dropped = models.BooleanField(default=False)
    notes = models.TextField(blank=True, help_text="for the reader alone")
    stress = QuickJSONField(default=list, help_text="ordinals of the words to be stressed")
    reader = models.ForeignKey(
        "productions.Reader", null=True, on_delete=models.SET_NULL, related_name="+", help_text="null: the production's"
    )
    wild = models.BooleanField(default=False, help_text="read without picture: it wants no slot")
    silences = models.BooleanField(default=False, help_text="the film's own sound is silent in its slot")
    wanted_length = models.PositiveBigIntegerField(
        null=True, help_text="samples that it is to last without a slot; null: as long as it takes"
    )
    settled = models.BooleanField(default=False, help_text="its pick is final")

    class Meta:
        ordering = ["position"]
        constraints = [
            models.UniqueConstraint(
                fields=["production", "number"], condition=Q(dropped=False), name="line_numbers_are_unique"
            ),
            models.CheckConstraint(
                condition=Q(slot_start=None, slot_end=None)
                | Q(slot_start__isnull=False, slot_end__isnull=False, slot_end__gt=F("slot_start")),
                name="slots_do_not_run_backwards",
            ),
        ]
        indexes = [models.Index(fields=["production", "position"], name="lines_in_order")]

    @property
    def slot(self) -> Span | None:
        """Where in the programme its words belong."""
        if self.slot_start is None or self.slot_end is None:
            return None
        return Span(self.slot_start, self.slot_end)


class Saying(models.Model):
    """How a word of a production is said."""

    production = models.ForeignKey("productions.Production", on_delete=models.CASCADE, related_name="sayings")
    key = models.CharField(max_length=70, help_text="the word in small letters")
    word = models.CharField(max_length=60)
    said = models.CharField(max_length=120)

    class Meta:
        ordering = ["key"]
        constraints = [models.UniqueConstraint(fields=["production", "key"], name="a_word_is_said_one_way")]
