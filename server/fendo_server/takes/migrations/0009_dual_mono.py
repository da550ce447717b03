"""The loudness of a take is told as it is heard from two loudspeakers, like that of a film."""

import math

from django.db import migrations
from django.db.models import F


def told_as_dual_mono(apps, schema_editor):
    """One voice on two sides is 3.01 LU louder than on one."""
    takes = apps.get_model("takes", "Take").objects.filter(loudness__isnull=False)
    takes.update(loudness=F("loudness") + 10.0 * math.log10(2.0))


class Migration(migrations.Migration):
    dependencies = [("takes", "0008_spans")]

    operations = [migrations.RunPython(told_as_dual_mono, migrations.RunPython.noop)]
