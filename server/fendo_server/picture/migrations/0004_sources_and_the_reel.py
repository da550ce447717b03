"""Films become sources, and the picture of a production a reel of pieces."""

import uuid

import django.db.models.deletion
from django.db import migrations, models


def make_reels(apps, schema_editor):
    """The picture of each production becomes the one piece of its reel; the frames are counted at the production's rate."""
    production_model = apps.get_model("productions", "Production")
    piece_model, change_model = apps.get_model("picture", "Piece"), apps.get_model("productions", "Change")
    for production in production_model.objects.exclude(picture=None):
        above, below = production.fps_above, production.fps_below * 48_000
        frames = (production.picture.length - 1) * above // below + 1 if production.picture.length else 0
        if frames > 0:
            piece_model.objects.create(
                production=production, source=production.picture, length=frames, colour="slate", heard="lowered"
            )
    # Undo of what chose a picture would speak of what is no more.
    for change in change_model.objects.all():
        if "picture" in change.after:
            change.delete()


class Migration(migrations.Migration):
    dependencies = [
        ("picture", "0003_shot_names"),
        ("productions", "0003_wanted_length"),
    ]

    operations = [
        migrations.RenameModel("Film", "Source"),
        migrations.RemoveConstraint("source", "a_film_has_length"),
        migrations.AlterField(
            "source",
            "production",
            models.ForeignKey(
                on_delete=django.db.models.deletion.CASCADE, related_name="sources", to="productions.production"
            ),
        ),
        migrations.AddField("source", "kind", models.CharField(default="film", max_length=10)),
        migrations.AddField("source", "pages", models.PositiveIntegerField(default=1)),
        migrations.AddField("source", "notes", models.JSONField(default=list)),
        migrations.AddField("source", "digest", models.CharField(blank=True, default="", max_length=64)),
        migrations.AddField("source", "segments", models.PositiveIntegerField(default=0)),
        migrations.AddField("source", "segment_frames", models.PositiveIntegerField(default=0)),
        migrations.AddField("source", "segment_folder", models.CharField(blank=True, default="", max_length=40)),
        migrations.CreateModel(
            "Piece",
            [
                ("id", models.UUIDField(default=uuid.uuid4, editable=False, primary_key=True, serialize=False)),
                ("position", models.PositiveIntegerField(default=0)),
                ("length", models.PositiveIntegerField()),
                ("first", models.PositiveIntegerField(default=0)),
                ("page", models.PositiveIntegerField(default=0)),
                ("name", models.CharField(blank=True, max_length=200)),
                ("colour", models.CharField(max_length=10)),
                ("heard", models.CharField(max_length=10)),
                ("level", models.FloatField(default=0.0)),
                ("opens", models.BooleanField(default=True)),
                (
                    "production",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE, related_name="pieces", to="productions.production"
                    ),
                ),
                (
                    "source",
                    models.ForeignKey(
                        null=True, on_delete=django.db.models.deletion.PROTECT, related_name="+", to="picture.source"
                    ),
                ),
            ],
            options={"ordering": ["position"]},
        ),
        migrations.RunSQL(
            # A single file that holds the whole proxy counts as its one segment.
            "UPDATE picture_source SET segments = 1 WHERE has_proxy",
            migrations.RunSQL.noop,
        ),
        migrations.RunPython(make_reels, migrations.RunPython.noop),
    ]
