import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("highmoor", "0004_ports_of_modules")]

    operations = [
        migrations.AddField(
            "station",
            "upstream",
            models.ForeignKey("highmoor.station", django.db.models.deletion.DO_NOTHING, null=True),
        ),
        migrations.AddField(
            "station",
            "partner",
            models.ForeignKey("highmoor.controller", django.db.models.deletion.DO_NOTHING, null=True),
        ),
    ]
