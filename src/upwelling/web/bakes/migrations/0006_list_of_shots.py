"""Packages of a list of shots; what a table of a package is of is called so, be it a camera or a shot."""

from django.db import migrations, models


def renamed(apps, schema_editor):
    for row in apps.get_model("bakes", "Package").objects.all():
        for held in (row.wishes, row.contents):
            for one in held:
                if "camera" in one:
                    one["of"] = one.pop("camera")
        row.save(update_fields=["wishes", "contents"])


class Migration(migrations.Migration):
    dependencies = [("bakes", "0005_line")]
    operations = [
        migrations.AddField("package", "ordered", models.JSONField(default=dict)),
        migrations.RunPython(renamed, migrations.RunPython.noop),
    ]
