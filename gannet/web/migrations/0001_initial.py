"""The answers that are kept have moved here from the tickets; their table stays where it is."""

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models

import gannet.web.markdown


class Migration(migrations.Migration):
    initial = True
    dependencies = [("tickets", "0013_one_name_for_each_act")]
    operations = [
        migrations.SeparateDatabaseAndState(
            state_operations=[
                migrations.CreateModel(
                    name="IdempotentAnswer",
                    fields=[
                        ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                        ("key", models.CharField(max_length=80)),
                        ("fingerprint", models.CharField(max_length=64)),
                        ("status", models.PositiveSmallIntegerField()),
                        ("body", models.JSONField(decoder=gannet.web.markdown.RestoresTexts, encoder=gannet.web.markdown.KeepsTexts, null=True)),
                        ("made_at", models.DateTimeField(db_index=True)),
                        ("person", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, to=settings.AUTH_USER_MODEL)),
                    ],
                    options={
                        "db_table": "tickets_idempotentanswer",
                        "constraints": [models.UniqueConstraint(fields=("person", "key"), name="one_answer_per_key")],
                    },
                ),
            ],
        ),
    ]
