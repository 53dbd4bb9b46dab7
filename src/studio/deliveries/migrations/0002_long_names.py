"""Results lie in files named after their figures, whose names may be long."""

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("deliveries", "0001_initial")]

    operations = [migrations.AlterField("job", "result", models.FileField(null=True, max_length=400))]
