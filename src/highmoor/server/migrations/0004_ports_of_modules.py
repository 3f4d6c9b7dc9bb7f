from django.db import migrations, models

DEVICES = "UPDATE highmoor_port SET device = substr(controller_id, instr(controller_id, '.') + 1)"


class Migration(migrations.Migration):
    dependencies = [("highmoor", "0003_pinned_types_and_templates")]

    operations = [
        migrations.AddField("port", "device", models.CharField(max_length=48, default="")),
        migrations.RunSQL(DEVICES, migrations.RunSQL.noop),
        migrations.RemoveField("port", "controller"),
        migrations.AlterField("port", "device", models.CharField(max_length=48)),
    ]
