"""Every take of before is the whole of a recording of the same identity, and lies where it lay."""

from django.db import migrations

RECORDINGS = """
insert into voice_recording (id, production_id, reader_id, folder_id, file_name, state, cut_off, input, start, length,
                             clock, within, doubts, forgotten, made)
select t.id, l.production_id, t.reader_id, t.folder_id, t.file_name, t.state, t.cut_off, t.input, t.start, t.length,
       t.clock, t.within, t.doubts, t.forgotten, t.made
from takes_take t join script_line l on l.id = t.line_id
"""
TAKES = """
update takes_take set recording_id = id, last = length, place = case when moved = 0 then null else start + moved end
"""


def recorded(apps, schema_editor):
    """Recordings and spans."""
    with schema_editor.connection.cursor() as cursor:
        cursor.execute(RECORDINGS)
        cursor.execute(TAKES)


def told_by_places(apps, schema_editor):
    """What can be undone told by how much a take had moved; it tells its place now."""
    Change, Take = apps.get_model("productions", "Change"), apps.get_model("takes", "Take")
    starts = {f"take:{key}": start for key, start in Take.objects.values_list("id", "start")}

    def told(rows):
        for key, row in rows.items():
            if row is None or not key.startswith("take:"):
                continue
            moved = row.pop("moved", 0)
            row["place"] = starts[key] + moved if moved and key in starts else None
        return rows

    # Few changes touch takes, and only they are read.
    sql = "select id from productions_change where after::text like '%%\"take:%%'"
    with schema_editor.connection.cursor() as cursor:
        cursor.execute(sql)
        found = [row[0] for row in cursor.fetchall()]
    for change in Change.objects.filter(pk__in=found):
        change.before, change.after = told(change.before), told(change.after)
        change.save(update_fields=["before", "after"])


class Migration(migrations.Migration):
    dependencies = [("takes", "0006_recordings"), ("productions", "0005_recorded")]

    operations = [
        migrations.RunPython(recorded, migrations.RunPython.noop),
        migrations.RunPython(told_by_places, migrations.RunPython.noop),
    ]
