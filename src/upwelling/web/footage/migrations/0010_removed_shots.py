from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("footage", "0009_presence")]

    operations = [
        migrations.AddField(
            model_name="shot", name="removed", field=models.DateTimeField(blank=True, db_index=True, null=True)
        ),
    ]
