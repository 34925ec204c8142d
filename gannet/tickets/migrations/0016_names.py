"""Names that a stranger understands."""

from django.db import migrations


class Migration(migrations.Migration):
    dependencies = [("tickets", "0015_facts_of_requests")]
    operations = [
        migrations.RenameModel("HitToo", "Affected"),
        migrations.RenameModel("Outward", "ExternalWork"),
        migrations.RenameField("ticket", "left_s", "left_seconds"),
    ]
