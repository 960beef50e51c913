"""Productions from before the arithmetic was kept were computed under the second."""

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("productions", "0002_own_outputs")]
    operations = [
        migrations.AddField("production", "arithmetic", models.PositiveSmallIntegerField(default=2), preserve_default=False),
        migrations.AlterField("production", "arithmetic", models.PositiveSmallIntegerField(default=3)),
    ]
