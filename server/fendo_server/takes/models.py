"""Takes and picks."""

import uuid
from pathlib import Path

from django.db import models
from django.db.models import F, Func, Q

from fendo_server.fields import QuickJSONField
from fendo_server.voice.models import Recording


class Take(models.Model):
    """A stretch of a recording that was read for a line: samples `first` to `last` of it.

    Cutting a recording anew touches no file. What was measured counts in samples of the recording.
    """

    State = Recording.State

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    line = models.ForeignKey("script.Line", on_delete=models.PROTECT, related_name="takes")
    recording = models.ForeignKey(Recording, on_delete=models.PROTECT, related_name="takes")
    first = models.PositiveBigIntegerField(default=0)
    last = models.PositiveBigIntegerField(default=0, help_text="the sample after its last; 0 while it is recorded")
    number = models.PositiveIntegerField()
    aside = models.BooleanField(default=False)
    mark = models.CharField(max_length=10, blank=True, default="")
    note = models.CharField(max_length=500, blank=True, default="")
    words = models.TextField(blank=True, help_text="what its line said when it was read")
    place = models.BigIntegerField(
        null=True, help_text="programme sample at which the recording's first lies now; null: where it was recorded"
    )
    cue = models.BigIntegerField(null=True, help_text="where a pick-up was to begin; null: with the slot")
    speech_start = models.PositiveBigIntegerField(null=True)
    speech_end = models.PositiveBigIntegerField(null=True)
    peak = models.FloatField(null=True)
    true_peak = models.FloatField(null=True)
    loudness = models.FloatField(null=True)
    noise = models.FloatField(null=True)
    bleed = models.FloatField(null=True, help_text="dB below the voice at which the programme is heard; null: it is not")
    behind = QuickJSONField(
        null=True,
        help_text="samples behind the original, at the median and at most; null: there is none, or it can't be told",
    )
    character = QuickJSONField(null=True, help_text="pitch in Hz and tone in dB; nothing in it: they can't be told")
    clipped = QuickJSONField(default=list)
    phrases = QuickJSONField(default=list)
    read = QuickJSONField(
        null=True, help_text="the read check, as the core's `ReadCheck.as_row` gives it; null: not listened to yet"
    )
    heard = QuickJSONField(
        null=True, help_text="clicks and the like, as the core's `heard_in` gives them; null: not listened to yet"
    )
    amiss = models.GeneratedField(
        expression=Func(
            F("read"),
            # Strict: a lax path would look into the words, each of which is a list. Silent: of what failed there are none.
            template="(jsonb_array_length(jsonb_path_query_array(%(expressions)s, "
            """'strict $.words[*] ? (@[1] == "left out" || @[1] == "again")', '{}', true)) + """
            "jsonb_array_length(%(expressions)s -> 'put_in'))",
        ),
        output_field=models.IntegerField(null=True),
        db_persist=True,
        help_text="words left out, said again, put in, by the read check; null: it has not listened",
    )

    class Meta:
        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["line", "number"], name="take_numbers_are_unique")]

    @property
    def placed(self) -> int:
        """The programme sample at which its recording's first sample lies now."""
        return self.recording.start if self.place is None else self.place

    @property
    def path(self) -> Path:
        """The WAV file that it is a stretch of."""
        return self.recording.path


STANDS = Q(reader=F("line__reader")) | Q(line__reader=None, reader=F("line__production__reader"))
"""Of a line's picks the one that stands: that of its own reader, or of the production's."""


class Pick(models.Model):
    """What stands for a line, for one reader: a take as it is, or a comp."""

    line = models.ForeignKey("script.Line", on_delete=models.CASCADE, related_name="picks")
    reader = models.ForeignKey("productions.Reader", on_delete=models.CASCADE)
    take = models.ForeignKey(Take, null=True, on_delete=models.PROTECT)
    comp = models.ForeignKey("voice.Comp", null=True, on_delete=models.PROTECT)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["line", "reader"], name="one_pick_a_line_and_reader"),
            models.CheckConstraint(
                condition=Q(take=None, comp__isnull=False) | Q(comp=None, take__isnull=False), name="a_pick_is_one_thing"
            ),
        ]
