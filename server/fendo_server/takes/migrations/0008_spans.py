"""What a recording tells is told by it alone."""

import django.db.models.deletion
from django.db import migrations, models

GONE = ("reader", "folder", "file_name", "state", "cut_off", "input", "start", "length", "moved", "clock", "within")


class Migration(migrations.Migration):
    dependencies = [("takes", "0007_every_take_is_a_recording")]

    operations = [
        migrations.RemoveConstraint("take", "take_files_are_unique"),
        migrations.RemoveConstraint("take", "a_finished_take_has_sound"),
        *(migrations.RemoveField("take", name) for name in (*GONE, "doubts", "forgotten", "made")),
        migrations.AlterField(
            "take",
            "recording",
            models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name="takes", to="voice.recording"),
        ),
        migrations.AddConstraint(
            "pick",
            models.CheckConstraint(
                condition=models.Q(("comp__isnull", False), ("take", None)) | models.Q(("comp", None), ("take__isnull", False)),
                name="a_pick_is_one_thing",
            ),
        ),
    ]
