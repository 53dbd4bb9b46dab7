from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("library", "0002_artsheet_waiting")]

    operations = [
        migrations.CreateModel(
            name="Leaving",
            fields=[
                ("digest", models.CharField(max_length=64, primary_key=True, serialize=False)),
                ("since", models.DateTimeField()),
            ],
        ),
    ]
