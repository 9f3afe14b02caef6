from django.core.validators import MaxValueValidator, MinValueValidator
from django.db import migrations, models


def follow_the_song(apps, schema_editor):
    """An entry as recorded has no key and tempo of its own: it is played as its song is from now on."""
    apps.get_model("setlists", "Entry").objects.filter(semitones=0, tempo_percent=100).update(
        semitones=None, tempo_percent=None
    )


def as_recorded(apps, schema_editor):
    entries = apps.get_model("setlists", "Entry").objects
    entries.filter(semitones=None).update(semitones=0)
    entries.filter(tempo_percent=None).update(tempo_percent=100)


class Migration(migrations.Migration):
    dependencies = [("setlists", "0010_key_and_tempo")]

    operations = [
        migrations.AlterField(
            model_name="entry",
            name="semitones",
            field=models.SmallIntegerField(
                blank=True, null=True, validators=[MinValueValidator(-6), MaxValueValidator(6)]
            ),
        ),
        migrations.AlterField(
            model_name="entry",
            name="tempo_percent",
            field=models.FloatField(blank=True, null=True, validators=[MinValueValidator(50), MaxValueValidator(150)]),
        ),
        migrations.RunPython(follow_the_song, as_recorded),
    ]
