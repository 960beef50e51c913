"""Footage folders and the right to begin productions.

Before, everybody might begin a production: those who are technicians somewhere keep that right.
"""

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


def _keep_rights(apps, schema_editor):
    members = apps.get_model("productions", "Member").objects.filter(role="technician")
    rights = apps.get_model("productions", "Rights")
    for user in members.values_list("user", flat=True).distinct():
        rights.objects.create(user_id=user, may_create=True)


class Migration(migrations.Migration):
    dependencies = [("productions", "0003_arithmetic"), migrations.swappable_dependency(settings.AUTH_USER_MODEL)]
    operations = [
        migrations.CreateModel(
            "FootageRoot",
            [
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("folder", models.CharField(max_length=1000)),
                (
                    "production",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE, related_name="footage_roots", to="productions.production"
                    ),
                ),
            ],
            options={"ordering": ("folder",)},
        ),
        migrations.AddConstraint(
            "footageroot", models.UniqueConstraint(fields=("production", "folder"), name="one_root_a_folder")
        ),
        migrations.CreateModel(
            "Rights",
            [
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("may_create", models.BooleanField(default=False)),
                (
                    "user",
                    models.OneToOneField(
                        on_delete=django.db.models.deletion.CASCADE, related_name="rights", to=settings.AUTH_USER_MODEL
                    ),
                ),
            ],
        ),
        migrations.RunPython(_keep_rights, migrations.RunPython.noop),
    ]
