"""Voices have a level, and other sound a distance from it. Productions of before stay as they were recorded."""

from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('productions', '0005_recorded'),
    ]

    operations = [
        migrations.RemoveConstraint(
            model_name='production',
            name='lowered_is_not_louder',
        ),
        migrations.RemoveField(
            model_name='production',
            name='duck_depth',
        ),
        migrations.AddField(
            model_name='production',
            name='duck_distance',
            field=models.FloatField(default=10.0, help_text='LU by which other sound lies under the voice'),
        ),
        migrations.AddField(
            model_name='production',
            name='speech_level',
            field=models.FloatField(default=None, help_text='LUFS (dual mono) at which voices are heard; null: as recorded', null=True),
        ),
        migrations.AddField(
            model_name='production',
            name='count_in',
            field=models.CharField(choices=[('heard', 'Heard'), ('seen', 'Seen')], default='heard', help_text='whether the count-in beeps, or is only seen', max_length=10),
        ),
        migrations.AlterField(
            model_name='production',
            name='speech_level',
            field=models.FloatField(default=-16.0, help_text='LUFS (dual mono) at which voices are heard; null: as recorded', null=True),
        ),
        migrations.AddConstraint(
            model_name='production',
            constraint=models.CheckConstraint(condition=models.Q(('duck_distance__gte', 0.0), ('duck_distance__lte', 40.0)), name='ducked_is_not_louder'),
        ),
        migrations.AddConstraint(
            model_name='production',
            constraint=models.CheckConstraint(condition=models.Q(('speech_level', None), models.Q(('speech_level__gte', -40.0), ('speech_level__lte', -6.0)), _connector='OR'), name='a_speech_level_is_one'),
        ),
    ]
