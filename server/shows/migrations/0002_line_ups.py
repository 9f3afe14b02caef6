import django.db.models.deletion
from django.db import migrations, models


def line_ups_of_shows(apps, schema_editor):
    """Who was away from a show becomes a line-up of its band; the same players are one line-up."""
    Show, LineUp = apps.get_model("shows", "Show"), apps.get_model("people", "LineUp")
    made = {}
    for show in Show.objects.prefetch_related("away"):
        away = sorted(show.away.all(), key=lambda p: (p.position, p.name))
        if not away:
            continue
        key = (show.band_id, *(p.pk for p in away))
        if key not in made:
            name = ("Without " + ", ".join(p.name for p in away))[:80]
            made[key] = LineUp.objects.create(band_id=show.band_id, name=name, position=len(made) + 1)
            made[key].away.set(away)
        show.line_up = made[key]
        show.save()


class Migration(migrations.Migration):
    dependencies = [("people", "0002_line_ups"), ("shows", "0001_initial")]

    operations = [
        migrations.AddField(
            model_name="show",
            name="line_up",
            field=models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name="shows", to="people.lineup"),
        ),
        migrations.RunPython(line_ups_of_shows, migrations.RunPython.noop),
        migrations.RemoveField(model_name="show", name="away"),
    ]
