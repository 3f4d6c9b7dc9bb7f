import django.db.models.deletion
from django.db import migrations, models


def _to(target: str, **more) -> models.ForeignKey:
    return models.ForeignKey(on_delete=django.db.models.deletion.DO_NOTHING, to=f"highmoor.{target}", **more)


def _model(name: str, *fields: tuple[str, models.Field]) -> migrations.CreateModel:
    return migrations.CreateModel(
        name,
        [
            ("key", models.CharField(max_length=80, primary_key=True, serialize=False)),
            ("rank", models.CharField(max_length=400)),
            *fields,
            ("project", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, to="highmoor.project")),
        ],
        options={"abstract": False},
    )


class Migration(migrations.Migration):
    dependencies = [("highmoor", "0016_proofs")]

    operations = [
        _model(
            "Scanner",
            ("name", models.CharField(max_length=200)),
            ("type", models.CharField(default="own", max_length=40)),
            ("note", models.TextField(default="")),
            ("settings", models.JSONField()),
            ("controller", _to("controller")),
            ("device", _to("station", null=True)),
        ),
        _model(
            "Situation",
            ("name", models.CharField(max_length=200)),
            ("select", models.CharField(default="", max_length=40)),
            ("settings", models.JSONField()),
            ("scanner", _to("scanner")),
        ),
        _model(
            "Zone",
            ("letter", models.CharField(max_length=8)),
            ("kind", models.CharField(max_length=20)),
            ("settings", models.JSONField()),
            ("scanner", _to("scanner")),
        ),
        _model(
            "PlanShape",
            ("kind", models.CharField(max_length=20)),
            ("settings", models.JSONField()),
            ("scanner", _to("scanner")),
            ("situation", _to("situation", null=True)),
        ),
        _model(
            "ZoneUse",
            ("output", models.IntegerField()),
            ("situation", _to("situation")),
            ("zone", _to("zone", null=True)),
        ),
    ]
