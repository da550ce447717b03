"""Treatments that somebody keeps."""

import uuid

from django.conf import settings
from django.db import models

from fendo_core.voice.chain import Chain


class KeptTreatment(models.Model):
    """A treatment under a name of one's own, for all productions."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="+")
    name = models.CharField(max_length=60)
    chain = models.JSONField(help_text="as the core's `Chain.as_row` gives it")

    class Meta:
        ordering = ["name"]
        constraints = [models.UniqueConstraint(fields=["owner", "name"], name="one_kept_treatment_a_name")]

    @property
    def value(self) -> Chain:
        """As the core knows it."""
        return Chain.from_row(self.chain)
