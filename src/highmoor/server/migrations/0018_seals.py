import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("highmoor", "0017_scanners")]

    operations = [
        migrations.CreateModel(
            "Seal",
            [
                ("key", models.CharField(max_length=80, primary_key=True, serialize=False)),
                ("at", models.CharField(max_length=20)),
                ("rank", models.CharField(max_length=400)),
                ("by", models.CharField(max_length=200)),
                ("revision", models.PositiveBigIntegerField()),
                ("fingerprint", models.CharField(max_length=64)),
                ("data", models.JSONField()),
                (
                    "controller",
                    models.ForeignKey(on_delete=django.db.models.deletion.DO_NOTHING, to="highmoor.controller"),
                ),
                ("project", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, to="highmoor.project")),
            ],
            options={"abstract": False},
        ),
    ]
