"""Tables in the JSON of bakes are kept once by their hash."""

from django.db import migrations, models


def _put_away(apps, schema_editor):
    import hashlib

    kept, bakes = apps.get_model("bakes", "KeptText"), apps.get_model("bakes", "Bake")

    def away(body):
        if isinstance(body, list):
            return [away(inner) for inner in body]
        if not isinstance(body, dict):
            return body
        out = {}
        for key, inner in body.items():
            if key == "data" and isinstance(inner, str) and len(inner) >= 4096:
                digest = hashlib.sha256(inner.encode()).hexdigest()
                kept.objects.get_or_create(digest=digest, defaults={"text": inner})
                inner = "kept:" + digest
            out[key] = away(inner)
        return out

    for number in bakes.objects.values_list("pk", flat=True):
        row = bakes.objects.get(pk=number)
        row.order, row.recipe, row.certificate_json = away(row.order), away(row.recipe), away(row.certificate_json)
        row.save(update_fields=["order", "recipe", "certificate_json"])


class Migration(migrations.Migration):
    dependencies = [("bakes", "0003_without_shot_since")]
    operations = [
        migrations.CreateModel(
            "KeptText",
            [
                ("digest", models.CharField(max_length=64, primary_key=True, serialize=False)),
                ("text", models.TextField()),
            ],
        ),
        migrations.RunPython(_put_away, migrations.RunPython.noop),
    ]
