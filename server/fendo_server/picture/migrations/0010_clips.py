"""The pieces of a reel are clips, and what of a sound is heard under a voice is its bed: ducked, full or muted."""

import django.db.models.deletion
from django.db import migrations, models
from django.db.models import Q

from fendo_server.productions.former import BEDS, in_todays_words


def said_anew(apps, schema_editor):
    """Rows, and the changes that can be undone, in today's words."""
    for name in ("Clip", "LaidSound"):
        for before, now in BEDS.items():
            apps.get_model("picture", name).objects.filter(bed=before).update(bed=now)
    # Most changes touch neither reel nor sounds, and are not read.
    told = "(before::text || after::text) ~ '\"(piece:|sound:|reel\")'"
    with schema_editor.connection.cursor() as cursor:
        cursor.execute(f"select id from productions_change where {told}")
        found = [row[0] for row in cursor.fetchall()]
    for change in apps.get_model("productions", "Change").objects.filter(pk__in=found).iterator(100):
        change.before, change.after = in_todays_words(change.before), in_todays_words(change.after)
        change.save(update_fields=["before", "after"])


class Migration(migrations.Migration):
    dependencies = [("picture", "0009_sync_points"), ("productions", "0007_bin")]

    operations = [
        migrations.RemoveConstraint("Piece", "a_piece_has_frames"),
        migrations.RenameModel("Piece", "Clip"),
        migrations.AlterField(
            "Clip",
            "production",
            models.ForeignKey(
                on_delete=django.db.models.deletion.CASCADE, related_name="clips", to="productions.production"
            ),
        ),
        migrations.RenameField("Clip", "heard", "bed"),
        migrations.RenameField("LaidSound", "heard", "bed"),
        migrations.AddConstraint(
            "Clip", models.CheckConstraint(condition=Q(length__gt=0), name="a_clip_has_frames")
        ),
        migrations.RunPython(said_anew, migrations.RunPython.noop),
    ]
