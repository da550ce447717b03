"""Recordings, and the comps that are made of them."""

import uuid

import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    initial = True
    dependencies = [("productions", "0005_recorded"), ("script", "0003_numbers_of_dropped_lines")]

    operations = [
        migrations.CreateModel(
            name="Recording",
            fields=[
                ("id", models.UUIDField(default=uuid.uuid4, editable=False, primary_key=True, serialize=False)),
                ("file_name", models.CharField(max_length=140)),
                (
                    "state",
                    models.CharField(
                        choices=[("recording", "Recording"), ("finished", "Finished")], default="recording", max_length=10
                    ),
                ),
                ("cut_off", models.BooleanField(default=False, help_text="ended by a fault, not by the reader")),
                ("input", models.CharField(blank=True, max_length=200)),
                ("start", models.BigIntegerField(default=0)),
                ("length", models.PositiveBigIntegerField(default=0)),
                ("clock", models.JSONField(default=dict, help_text="its clock map")),
                (
                    "within",
                    models.PositiveIntegerField(
                        help_text="samples by which its place may be off; null: not known", null=True
                    ),
                ),
                (
                    "doubts",
                    models.JSONField(default=list, help_text="[sample, words]: what speaks against its place"),
                ),
                (
                    "forgotten",
                    models.BooleanField(
                        default=False, help_text="closed by housekeeping: what its browser still has goes on it"
                    ),
                ),
                ("made", models.DateTimeField(auto_now_add=True)),
                (
                    "folder",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.PROTECT, related_name="recordings", to="productions.folder"
                    ),
                ),
                (
                    "production",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.PROTECT, related_name="recordings", to="productions.production"
                    ),
                ),
                (
                    "reader",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.PROTECT, related_name="recordings", to="productions.reader"
                    ),
                ),
            ],
            options={
                "constraints": [
                    models.UniqueConstraint(fields=("folder", "file_name"), name="recording_files_are_unique"),
                    models.CheckConstraint(
                        condition=models.Q(("state", "recording"), ("length__gt", 0), _connector="OR"),
                        name="a_finished_recording_has_sound",
                    ),
                ],
            },
        ),
        migrations.CreateModel(
            name="Comp",
            fields=[
                ("id", models.UUIDField(default=uuid.uuid4, editable=False, primary_key=True, serialize=False)),
                ("name", models.CharField(max_length=80)),
                (
                    "comp",
                    models.JSONField(help_text="segments and place, as the core's `Comp.as_row` gives them"),
                ),
                ("made", models.DateTimeField(auto_now_add=True)),
                (
                    "line",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE, related_name="comps", to="script.line"
                    ),
                ),
                (
                    "production",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE, related_name="comps", to="productions.production"
                    ),
                ),
                (
                    "reader",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.PROTECT, related_name="+", to="productions.reader"
                    ),
                ),
            ],
            options={"ordering": ["made", "id"]},
        ),
    ]
