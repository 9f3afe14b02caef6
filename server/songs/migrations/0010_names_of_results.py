from django.db import migrations


class Migration(migrations.Migration):

    dependencies = [("songs", "0009_summaries")]

    operations = [
        migrations.RenameField("comparison", "told", "compared"),
        migrations.RenameField("measurement", "told", "result"),
        migrations.RenameField("offer", "told", "content"),
    ]
