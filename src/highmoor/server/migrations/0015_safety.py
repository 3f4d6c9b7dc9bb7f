import django.db.models.deletion
from django.db import migrations, models


def _to(target: str) -> models.ForeignKey:
    return models.ForeignKey(on_delete=django.db.models.deletion.DO_NOTHING, to=f"highmoor.{target}")


def _model(name: str, *fields: tuple[str, models.Field]) -> migrations.CreateModel:
    return migrations.CreateModel(
        name,
        [
            ("key", models.CharField(max_length=80, primary_key=True, serialize=False)),
            ("rank", models.CharField(max_length=400)),
            ("name", models.CharField(max_length=200)),
            ("settings", models.JSONField()),
            *fields,
            ("project", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, to="highmoor.project")),
        ],
        options={"abstract": False},
    )


def of_without_project(apps, schema_editor):
    """A key that was that of a row becomes the plain id within its plant."""
    use = apps.get_model("highmoor", "Use")
    for row in use.objects.all().iterator():
        row.of = row.of.partition(".")[2]
        row.save(update_fields=["of"])


class Migration(migrations.Migration):
    dependencies = [("highmoor", "0014_robots")]

    operations = [
        migrations.AddField("controller", "settings", models.JSONField(default=dict)),
        _model(
            "SafetyFunction",
            ("asked", models.CharField(max_length=20, default="")),
            ("asked_ms", models.FloatField(null=True)),
            ("note", models.TextField(default="")),
            ("controller", _to("controller")),
        ),
        _model(
            "SafetyPart",
            ("role", models.CharField(max_length=20)),
            ("block", models.CharField(max_length=40, default="")),
            ("place", models.CharField(max_length=48, null=True)),
            ("place_key", models.CharField(max_length=40, default="")),
            ("device", models.CharField(max_length=48, null=True)),
            ("function", _to("safetyfunction")),
        ),
        migrations.AlterField("use", "of", models.CharField(max_length=96)),
        migrations.RunPython(of_without_project, migrations.RunPython.noop),
        migrations.AlterField("use", "of", models.CharField(max_length=48)),
    ]
