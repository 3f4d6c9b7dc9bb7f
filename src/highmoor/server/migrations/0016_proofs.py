import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("highmoor", "0015_safety")]

    operations = [
        migrations.CreateModel(
            "Proof",
            [
                ("key", models.CharField(max_length=80, primary_key=True, serialize=False)),
                ("of", models.CharField(max_length=48)),
                ("kind", models.CharField(max_length=20)),
                ("where", models.CharField(max_length=20)),
                ("at", models.CharField(max_length=10)),
                ("rank", models.CharField(max_length=400)),
                ("by", models.CharField(default="", max_length=200)),
                ("result", models.CharField(default="", max_length=20)),
                ("voided", models.TextField(default="")),
                ("data", models.JSONField()),
                ("project", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, to="highmoor.project")),
            ],
            options={"abstract": False},
        ),
    ]
