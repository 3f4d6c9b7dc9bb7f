from django.db import migrations, models

HEADS = "UPDATE highmoor_rail SET head = substr(controller_id, instr(controller_id, '.') + 1)"


class Migration(migrations.Migration):
    dependencies = [("highmoor", "0001_initial")]

    operations = [
        migrations.AddField("rail", "head", models.CharField(max_length=48, default="")),
        migrations.RunSQL(HEADS, migrations.RunSQL.noop),
        migrations.RemoveField("rail", "controller"),
        migrations.AlterField("rail", "head", models.CharField(max_length=48)),
    ]
