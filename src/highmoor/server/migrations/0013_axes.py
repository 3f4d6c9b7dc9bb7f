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
            ("settings", models.JSONField()),
            *fields,
            ("project", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, to="highmoor.project")),
        ],
        options={"abstract": False},
    )


class Migration(migrations.Migration):
    dependencies = [("highmoor", "0012_programs")]

    operations = [
        _model(
            "Axis",
            ("name", models.CharField(max_length=200)),
            ("kind", models.CharField(max_length=20)),
            ("unit", models.CharField(max_length=20)),
            ("drive", models.CharField(max_length=48, null=True)),
            ("output", models.CharField(max_length=40, default="")),
            ("note", models.TextField(default="")),
            ("controller", _to("controller")),
        ),
        _model("ChainLink", ("kind", models.CharField(max_length=20)), ("axis", _to("axis"))),
        _model(
            "Move",
            ("name", models.CharField(max_length=200)),
            ("kind", models.CharField(max_length=20)),
            ("axis", _to("axis")),
        ),
    ]
