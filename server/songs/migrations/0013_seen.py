from django.db import migrations, models


def forget_summaries(apps, schema_editor):
    """They have something new in them, and are kept anew at the next start."""
    apps.get_model("songs", "Song").objects.update(summary={})


class Migration(migrations.Migration):
    dependencies = [("songs", "0012_marks_done")]

    operations = [
        migrations.AddField(model_name="song", name="seen", field=models.JSONField(default=list)),
        migrations.RunPython(forget_summaries, migrations.RunPython.noop),
    ]
