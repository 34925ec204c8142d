"""The columns of requests alone go: the requests keep them now."""

from django.db import migrations


class Migration(migrations.Migration):
    dependencies = [("tickets", "0014_kinds_of_record"), ("requests", "0001_initial")]
    operations = [
        migrations.RemoveField("ticket", name)
        for name in (
            "item",
            "item_name",
            "is_bundle",
            "once_pence",
            "monthly_pence",
            "delivery",
            "parts",
        )
    ]
