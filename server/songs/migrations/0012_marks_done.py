from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("songs", "0011_audio_crc32")]

    operations = [
        migrations.AddField(model_name="song", name="marks_done", field=models.JSONField(default=list)),
    ]
