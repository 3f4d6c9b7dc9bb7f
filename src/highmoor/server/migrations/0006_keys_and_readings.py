from typing import Any

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


def given_to_their_plants(apps: Any, _: Any) -> None:
    """Readings that came inside a plant file, and whose file was never read here, belong to the plants that pin them."""
    kept = apps.get_model("highmoor", "DescriptionFile").objects.exclude(octets=None).values("sha256")
    pins = apps.get_model("highmoor", "PinnedType")
    readings = apps.get_model("highmoor", "StoredReading")
    for reading in readings.objects.exclude(sha256__in=kept):
        for project in set(pins.objects.filter(type_key=reading.type_key).values_list("project_id", flat=True)):
            readings.objects.create(
                type_key=reading.type_key, project_id=project, sha256=reading.sha256, data=reading.data
            )
        reading.delete()


class Migration(migrations.Migration):
    dependencies = [
        ("highmoor", "0005_cables_and_partners"),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.AddField("entry", "asked", models.CharField(max_length=64, default="")),
        migrations.RemoveConstraint("entry", "an_edit_once"),
        migrations.AddConstraint(
            "entry",
            models.UniqueConstraint(fields=["project", "author", "client_key"], name="an_edit_once_a_user"),
        ),
        migrations.AddField(
            "storedreading",
            "project",
            models.ForeignKey(
                "highmoor.project", django.db.models.deletion.CASCADE, null=True, related_name="readings"
            ),
        ),
        migrations.AlterField("storedreading", "type_key", models.CharField(max_length=300)),
        migrations.RunPython(given_to_their_plants, migrations.RunPython.noop),
        migrations.AddConstraint(
            "storedreading",
            models.UniqueConstraint(
                fields=["type_key"], condition=models.Q(project=None), name="one_true_reading_a_type"
            ),
        ),
        migrations.AddConstraint(
            "storedreading",
            models.UniqueConstraint(fields=["type_key", "project"], name="one_reading_a_plant"),
        ),
    ]
