"""A production keeps the folders that it has registered footage from as its own."""

from django.db import migrations


def _roots(apps, schema_editor):
    root = apps.get_model("productions", "FootageRoot")
    for production, file in (
        apps.get_model("footage", "Shot").objects.filter(registered=True).values_list("production_id", "file").distinct()
    ):
        root.objects.get_or_create(production_id=production, folder=file.split("/", 1)[0] if "/" in file else ".")


class Migration(migrations.Migration):
    dependencies = [("footage", "0004_looks_and_groups"), ("productions", "0004_roots_and_rights")]
    operations = [migrations.RunPython(_roots, migrations.RunPython.noop)]
