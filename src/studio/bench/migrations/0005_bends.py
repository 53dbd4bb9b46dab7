"""What was read of bends is kept, so that those that miss are findings of the figure."""

import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("bench", "0004_silhouette"), ("library", "0003_leaving")]

    operations = [
        migrations.CreateModel(
            name="BendRead",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("mark", models.CharField(max_length=64)),
                ("bone", models.CharField(max_length=10)),
                ("times", models.FloatField()),
                ("angle", models.FloatField()),
                ("words", models.CharField(max_length=200)),
                ("created", models.DateTimeField(auto_now_add=True)),
                (
                    "figure",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE, related_name="bends", to="library.figure"
                    ),
                ),
            ],
            options={
                "constraints": [models.UniqueConstraint(fields=("figure", "mark"), name="one_bend_per_mark")],
            },
        ),
    ]
