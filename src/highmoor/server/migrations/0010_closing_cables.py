from django.db import migrations, models


def _to(target: str, *, null: bool = False, name: str | None = None) -> models.ForeignKey:
    return models.ForeignKey(on_delete=models.DO_NOTHING, to=target, null=null, related_name=name)


class Migration(migrations.Migration):
    dependencies = [("highmoor", "0009_as_built")]

    operations = [
        migrations.CreateModel(
            "ClosingCable",
            [
                ("key", models.CharField(max_length=80, primary_key=True, serialize=False)),
                ("project", models.ForeignKey(on_delete=models.CASCADE, to="highmoor.project")),
                ("rank", models.CharField(max_length=400)),
                ("one_socket", models.IntegerField(null=True)),
                ("other_socket", models.IntegerField(null=True)),
                ("settings", models.JSONField()),
                ("network", _to("highmoor.network")),
                ("one", _to("highmoor.station", name="+")),
                ("other", _to("highmoor.station", null=True)),
            ],
        ),
    ]
