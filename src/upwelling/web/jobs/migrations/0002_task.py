"""The database is the queue: what waited elsewhere waits here."""

import django.db.models.deletion
import django.utils.timezone
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("jobs", "0001_initial")]
    operations = [
        migrations.CreateModel(
            "Task",
            [
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("kind", models.CharField(max_length=40)),
                ("key", models.BigIntegerField()),
                ("running", models.BooleanField(default=False)),
                ("stop", models.BooleanField(default=False)),
                ("starts", models.PositiveIntegerField(default=0)),
                ("deaths", models.PositiveIntegerField(default=0)),
                ("not_before", models.DateTimeField(default=django.utils.timezone.now)),
                (
                    "job",
                    models.ForeignKey(
                        null=True, on_delete=django.db.models.deletion.SET_NULL, related_name="+", to="jobs.job"
                    ),
                ),
            ],
        ),
        migrations.AddConstraint(
            "task", models.UniqueConstraint(fields=("kind", "key"), name="one_task_an_owner")
        ),
    ]
