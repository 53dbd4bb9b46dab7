"""Seams are read with neighbouring joints turned and in kept poses, too, and kept as rows."""

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("bench", "0002_kept_and_folded")]

    operations = [
        migrations.AddField(
            "seamread", "situation", models.CharField(max_length=200, blank=True, default=""), preserve_default=False
        ),
    ]
