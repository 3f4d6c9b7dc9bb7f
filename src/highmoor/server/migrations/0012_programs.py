import django.db.models.deletion
from django.db import migrations, models


def _to(target: str, *, null: bool = False) -> models.ForeignKey:
    return models.ForeignKey(on_delete=django.db.models.deletion.DO_NOTHING, to=target, null=null)


class Migration(migrations.Migration):
    dependencies = [("highmoor", "0011_lists")]

    operations = [
        migrations.CreateModel(
            "Program",
            [
                ("key", models.CharField(max_length=80, primary_key=True, serialize=False)),
                ("name", models.CharField(max_length=200)),
                ("rank", models.CharField(max_length=400)),
                ("text", models.TextField()),
                ("note", models.TextField(default="")),
                ("controller", _to("highmoor.controller")),
                ("task", _to("highmoor.task", null=True)),
                (
                    "project",
                    models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, to="highmoor.project"),
                ),
            ],
            options={"abstract": False},
        ),
    ]
