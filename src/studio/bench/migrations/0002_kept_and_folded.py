"""Readings tell what of width and area is kept and what is folded; those made before are made anew when asked for."""

from django.db import migrations, models


def forget_readings(apps, schema_editor):
    apps.get_model("bench", "SeamRead").objects.all().delete()


class Migration(migrations.Migration):
    dependencies = [("bench", "0001_initial")]

    operations = [
        migrations.RunPython(forget_readings, migrations.RunPython.noop),
        migrations.AddField("reading", "width_kept", models.FloatField(default=1.0), preserve_default=False),
        migrations.AddField("reading", "area_kept", models.FloatField(default=1.0), preserve_default=False),
        migrations.AddField("reading", "folded", models.PositiveIntegerField(default=0), preserve_default=False),
        migrations.AddField("reading", "jump", models.FloatField(default=0.0), preserve_default=False),
    ]
