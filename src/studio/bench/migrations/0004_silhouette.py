"""Seams are read for how far the silhouette of two pieces departs from that of one limb; older readings are anew."""

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("bench", "0003_situations")]

    operations = [
        migrations.AddField("reading", "beyond", models.FloatField(default=0)),
        migrations.AddField("reading", "short", models.FloatField(default=0)),
    ]
