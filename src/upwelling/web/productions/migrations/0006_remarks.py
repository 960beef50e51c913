"""Notes become remarks: those of before are remarks without a frame."""

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [
        ("productions", "0005_care"),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.RenameModel("Note", "Remark"),
        migrations.RenameIndex(
            "remark", new_name="productions_product_5cc1be_idx", old_name="productions_product_79804f_idx"
        ),
        migrations.AlterField(
            "remark",
            "production",
            models.ForeignKey(
                on_delete=django.db.models.deletion.CASCADE, related_name="remarks", to="productions.production"
            ),
        ),
        migrations.AddField(
            "remark",
            "thread",
            models.ForeignKey(
                null=True,
                on_delete=django.db.models.deletion.CASCADE,
                related_name="replies",
                to="productions.remark",
            ),
        ),
        migrations.AddField(
            "remark",
            "answered_by",
            models.ForeignKey(
                null=True,
                on_delete=django.db.models.deletion.SET_NULL,
                related_name="+",
                to=settings.AUTH_USER_MODEL,
            ),
        ),
        migrations.AddField("remark", "answer", models.CharField(blank=True, max_length=300)),
        migrations.AddField("remark", "ticked", models.DateTimeField(blank=True, null=True)),
        migrations.AddField("remark", "frame", models.PositiveIntegerField(null=True)),
        migrations.AddField("remark", "place", models.JSONField(null=True)),
        migrations.AddField("remark", "output", models.CharField(blank=True, max_length=80)),
        migrations.AddField("remark", "seen", models.CharField(blank=True, max_length=12)),
        migrations.AddField("remark", "settings_then", models.JSONField(null=True)),
    ]
