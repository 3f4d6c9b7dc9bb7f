from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("highmoor", "0007_ways_of_links")]

    operations = [
        migrations.AddField("station", "socket", models.IntegerField(null=True)),
        migrations.AddField("station", "entry", models.IntegerField(null=True)),
    ]
