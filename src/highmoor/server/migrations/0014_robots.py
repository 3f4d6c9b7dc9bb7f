import django.db.models.deletion
from django.db import migrations, models


def _to(target: str, *, null: bool = False) -> models.ForeignKey:
    return models.ForeignKey(on_delete=django.db.models.deletion.DO_NOTHING, to=f"highmoor.{target}", null=null)


class Migration(migrations.Migration):
    dependencies = [("highmoor", "0013_axes")]

    operations = [
        migrations.CreateModel(
            "Robot",
            [
                ("key", models.CharField(max_length=80, primary_key=True, serialize=False)),
                ("rank", models.CharField(max_length=400)),
                ("name", models.CharField(max_length=200)),
                ("type", models.CharField(max_length=40)),
                ("note", models.TextField(default="")),
                ("settings", models.JSONField()),
                ("controller", _to("controller")),
                ("project", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, to="highmoor.project")),
            ],
            options={"abstract": False},
        ),
        migrations.AddField("axis", "robot", _to("robot", null=True)),
        migrations.AddField("axis", "arm", models.CharField(max_length=20, default="")),
    ]
