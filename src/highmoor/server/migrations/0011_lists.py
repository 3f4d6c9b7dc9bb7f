import django.db.models.deletion
from django.db import migrations, models


def _to(target: str, *, null: bool = False) -> models.ForeignKey:
    return models.ForeignKey(on_delete=django.db.models.deletion.DO_NOTHING, to=target, null=null)


_KEY = ("key", models.CharField(max_length=80, primary_key=True, serialize=False))
_RANK = ("rank", models.CharField(max_length=400))


def _project() -> tuple[str, models.ForeignKey]:
    return "project", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, to="highmoor.project")


class Migration(migrations.Migration):
    dependencies = [("highmoor", "0010_closing_cables")]

    operations = [
        migrations.AddField("signal", "tag", models.CharField(default="", max_length=200), preserve_default=False),
        migrations.AddField("signal", "area", models.CharField(default="", max_length=200), preserve_default=False),
        migrations.AddField("signal", "wiring", models.JSONField(default=dict), preserve_default=False),
        migrations.AddField("signal", "initial", models.CharField(default="", max_length=200), preserve_default=False),
        migrations.CreateModel(
            "DataStructure",
            [
                _KEY,
                ("name", models.CharField(max_length=200)),
                _RANK,
                ("shape", models.JSONField()),
                ("note", models.TextField(default="")),
                _project(),
            ],
            options={"abstract": False},
        ),
        migrations.CreateModel(
            "IoList",
            [
                _KEY,
                ("name", models.CharField(max_length=200)),
                _RANK,
                ("names", models.CharField(max_length=200)),
                ("columns", models.JSONField()),
                ("controller", _to("highmoor.controller", null=True)),
                _project(),
            ],
            options={"abstract": False},
        ),
        migrations.CreateModel(
            "ListLine",
            [
                _KEY,
                _RANK,
                ("values", models.JSONField()),
                ("left", models.JSONField()),
                ("list", _to("highmoor.iolist")),
                ("signal", _to("highmoor.signal", null=True)),
                _project(),
            ],
            options={"abstract": False},
        ),
    ]
