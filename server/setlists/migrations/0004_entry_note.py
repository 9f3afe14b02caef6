from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [
        ("setlists", "0003_entry_call_title"),
    ]

    operations = [
        migrations.AddField(
            model_name="entry",
            name="note",
            field=models.CharField(blank=True, default="", max_length=200),
        ),
    ]
