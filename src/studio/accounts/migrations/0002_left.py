"""How often somebody signed out everywhere."""

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("accounts", "0001_initial")]

    operations = [migrations.AddField("user", "left", models.PositiveIntegerField(default=0))]
