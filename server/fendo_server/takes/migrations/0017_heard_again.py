from django.db import migrations


def forget(apps, _schema):
    """Heavy breaths and a sharp s are listened for since: the takes are heard again, some at a time."""
    apps.get_model("takes", "Take").objects.update(heard=None)


class Migration(migrations.Migration):
    dependencies = [("takes", "0016_heard")]

    operations = [migrations.RunPython(forget, migrations.RunPython.noop)]
