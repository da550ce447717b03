"""Takes become spans of recordings: room for that."""

import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("takes", "0005_reel"), ("voice", "0001_initial")]

    operations = [
        migrations.AddField(
            "take",
            "recording",
            models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, related_name="takes", to="voice.recording"),
        ),
        migrations.AddField("take", "first", models.PositiveBigIntegerField(default=0)),
        migrations.AddField(
            "take",
            "last",
            models.PositiveBigIntegerField(default=0, help_text="the sample after its last; 0 while it is recorded"),
        ),
        migrations.AddField(
            "take",
            "place",
            models.BigIntegerField(
                help_text="programme sample at which the recording's first lies now; null: where it was recorded", null=True
            ),
        ),
        migrations.AddField(
            "pick",
            "comp",
            models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, to="voice.comp"),
        ),
        migrations.AlterField(
            "pick",
            "take",
            models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, to="takes.take"),
        ),
    ]
