from django.db import migrations

import fendo_server.fields


class Migration(migrations.Migration):

    dependencies = [
        ('takes', '0015_character'),
    ]

    operations = [
        migrations.AddField(
            model_name='take',
            name='heard',
            field=fendo_server.fields.QuickJSONField(help_text="clicks and the like, as the core's `heard_in` gives them; null: not listened to yet", null=True),
        ),
    ]
