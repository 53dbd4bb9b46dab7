"""Seams are read for the corner that the outline has outside the bend; older readings are made anew."""

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("bench", "0005_bends")]

    operations = [migrations.AddField("reading", "corner", models.FloatField(default=0))]
