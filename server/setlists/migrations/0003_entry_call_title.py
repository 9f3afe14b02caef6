from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("setlists", "0002_revisions")]

    operations = [
        migrations.AddField(model_name="entry", name="call_title", field=models.BooleanField(default=False)),
    ]
