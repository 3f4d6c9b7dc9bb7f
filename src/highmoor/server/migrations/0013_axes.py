import django.db.models.deletion
from django.db import migrations, models


def _to(target: str, *, null: bool = False) -> models.ForeignKey:
    return models.ForeignKey(on_delete=django.db.models.deletion.DO_NOTHING, to=f"highmoor.{target}", null=null)


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
    dependencies = [("highmoor", "0012_programs")]

    operations = [
        _model(
            "CommandProfile",
            ("settings", models.JSONField()),
            ("name", models.CharField(max_length=200)),
            ("base", models.CharField(max_length=40)),
            ("note", models.TextField(default="")),
        ),
        _model(
            "Axis",
            ("settings", models.JSONField()),
            ("name", models.CharField(max_length=200)),
            ("kind", models.CharField(max_length=20)),
            ("unit", models.CharField(max_length=20)),
            ("drive", models.CharField(max_length=48, null=True)),
            ("output", models.CharField(max_length=40, default="")),
            ("note", models.TextField(default="")),
            ("controller", _to("controller")),
            ("profile", _to("commandprofile", null=True)),
        ),
        _model(
            "Use", ("role", models.CharField(max_length=40)), ("of", _to("axis")), ("signal", _to("signal"))
        ),
        _model("ChainLink", ("settings", models.JSONField()), ("kind", models.CharField(max_length=20)), ("axis", _to("axis"))),
        _model(
            "Move",
            ("settings", models.JSONField()),
            ("name", models.CharField(max_length=200)),
            ("kind", models.CharField(max_length=20)),
            ("axis", _to("axis")),
        ),
    ]
