"""What belongs to requests alone moves out of the tickets into a table of its own."""

import django.db.models.deletion
from django.db import migrations, models

NAMES = "item, item_name, is_bundle, once_pence, monthly_pence, delivery, parts"
MOVE = f"""
    INSERT INTO requests_requestfacts (ticket_id, {NAMES})
    SELECT id, {NAMES} FROM tickets_ticket WHERE kind = 'request'
"""


class Migration(migrations.Migration):
    initial = True
    dependencies = [("tickets", "0014_kinds_of_record")]
    operations = [
        migrations.CreateModel(
            name="RequestFacts",
            fields=[
                (
                    "ticket",
                    models.OneToOneField(
                        on_delete=django.db.models.deletion.CASCADE,
                        primary_key=True,
                        related_name="request_facts",
                        serialize=False,
                        to="tickets.ticket",
                    ),
                ),
                ("item", models.CharField(blank=True, max_length=80)),
                ("item_name", models.CharField(blank=True, max_length=120)),
                ("is_bundle", models.PositiveSmallIntegerField(default=0)),
                ("once_pence", models.BigIntegerField(default=0)),
                ("monthly_pence", models.BigIntegerField(default=0)),
                ("delivery", models.CharField(blank=True, max_length=60)),
                ("parts", models.JSONField(default=dict)),
            ],
            options={"indexes": [models.Index(fields=["item"], name="request_item")]},
        ),
        migrations.RunSQL(MOVE, migrations.RunSQL.noop),
    ]
