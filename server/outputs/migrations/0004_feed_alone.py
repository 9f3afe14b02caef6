from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("outputs", "0003_rig_interface")]

    operations = [
        migrations.AddField(model_name="feed", name="alone", field=models.BooleanField(default=False)),
    ]
