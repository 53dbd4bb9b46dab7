from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("library", "0001_initial")]

    operations = [
        migrations.AddField("artsheet", "sheet", models.JSONField(null=True)),
        migrations.AddField("artsheet", "source", models.CharField(default="", max_length=200)),
    ]
