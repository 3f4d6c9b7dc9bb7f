import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("highmoor", "0018_seals")]

    operations = [
        migrations.CreateModel(
            "BuiltScanner",
            [
                ("key", models.CharField(max_length=80, primary_key=True, serialize=False)),
                ("scanner", models.CharField(max_length=48)),
                ("rank", models.CharField(max_length=400)),
                ("at", models.CharField(max_length=20)),
                ("by", models.CharField(max_length=200)),
                ("copy", models.JSONField()),
                ("project", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, to="highmoor.project")),
            ],
            options={"abstract": False},
        ),
        migrations.CreateModel(
            "DevicePassword",
            [
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("row", models.CharField(max_length=48)),
                ("hash", models.CharField(max_length=200)),
                (
                    "project",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE,
                        related_name="device_passwords",
                        to="highmoor.project",
                    ),
                ),
            ],
        ),
        migrations.AddConstraint(
            model_name="devicepassword",
            constraint=models.UniqueConstraint(fields=("project", "row"), name="one_password_a_device"),
        ),
    ]
