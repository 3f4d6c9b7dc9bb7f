from django.db import migrations, models

# Letters before the key become columns: f the partner's end, w what goes back; what stands beside data needs no key.
BESIDE = """UPDATE highmoor_link SET way = place_key, place_key = ''
WHERE place_key IN ('status', 'code', 'running', 'length', 'start')"""
FAR = """UPDATE highmoor_link SET "end" = 'partner', place_key = substr(place_key, 2)
WHERE place_key GLOB 'f[rob][0-9]*' OR place_key GLOB 'fw[rob][0-9]*'"""
BACK = """UPDATE highmoor_link SET way = 'back', place_key = substr(place_key, 2)
WHERE place_key GLOB 'w[rob][0-9]*'"""


class Migration(migrations.Migration):
    dependencies = [("highmoor", "0006_keys_and_readings")]

    operations = [
        migrations.AddField("link", "way", models.CharField(max_length=8, default="data")),
        migrations.AddField("link", "end", models.CharField(max_length=8, default="own")),
        *(migrations.RunSQL(statement, migrations.RunSQL.noop) for statement in (BESIDE, FAR, BACK)),
        migrations.AlterField("link", "way", models.CharField(max_length=8)),
        migrations.AlterField("link", "end", models.CharField(max_length=8)),
    ]
