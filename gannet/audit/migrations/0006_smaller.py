"""The log takes less room: hexadecimal as bytes, values packed, instants and numbers once.

What the chain is computed from stays the same to the letter, so it still verifies.
"""

from itertools import islice
from typing import Any

from django.conf import settings
from django.db import migrations, models
from django.db.models.sql import InsertQuery

from gannet.web.columns import HexField, PackedJSONField

_AT_ONCE = 2_000


def smaller(apps: Any, schema_editor: Any) -> None:
    """Fill a new table from the old one, and let it take its place."""
    old = apps.get_model("audit", "Event")
    new = _as_it_will_be(apps)
    names = [field.attname for field in new._meta.concrete_fields]
    schema_editor.create_model(new)
    rows = old.objects.order_by("id").values_list(*names).iterator(chunk_size=_AT_ONCE)
    # Compiled once: there are ten rows to a ticket.
    fields = list(new._meta.concrete_fields)
    query = InsertQuery(new)
    query.insert_values(fields, [new()], raw=False)
    ((insert, _),) = query.get_compiler(schema_editor.connection.alias).as_sql()
    with schema_editor.connection.cursor() as cursor:
        while some := list(islice(rows, _AT_ONCE)):
            cursor.executemany(
                insert,
                [
                    [
                        field.get_db_prep_save(value, schema_editor.connection)
                        for field, value in zip(fields, row, strict=True)
                    ]
                    for row in some
                ],
            )
    schema_editor.delete_model(old)  # and its indexes
    schema_editor.alter_db_table(new, "new__audit_event", "audit_event")
    schema_editor.add_index(old, models.Index(fields=["ticket", "id"], name="event_ticket"))


def _as_it_will_be(apps: Any) -> Any:
    """The model of the new table, under a name of its own while it is filled."""
    columns = {
        "id": models.BigAutoField(primary_key=True),
        "at_s": models.BigIntegerField(),
        "kind": models.CharField(max_length=30),
        "actor_id": models.BigIntegerField(null=True),
        "by_desk": models.SmallIntegerField(default=0),
        "is_automatic": models.SmallIntegerField(default=0),
        "audience": models.SmallIntegerField(default=2),
        "ticket_id": models.BigIntegerField(null=True),
        "facts": models.JSONField(default=dict),
        "values": PackedJSONField(default=dict),
        "text": models.TextField(blank=True),
        "salt": HexField(max_length=16, blank=True, default=""),
        "digest": HexField(max_length=32),
        "hash": HexField(max_length=32),
        "redacted_by": models.BigIntegerField(null=True),
    }
    about = {"app_label": "audit", "db_table": "new__audit_event", "apps": apps}
    return type(
        "NewEvent",
        (models.Model,),
        {"Meta": type("Meta", (), about), "__module__": __name__, **columns},
    )


class Migration(migrations.Migration):
    dependencies = [("audit", "0005_kinds_are_registered"), ("tickets", "0017_open_is_a_truth")]

    operations = [
        migrations.SeparateDatabaseAndState(
            database_operations=[migrations.RunPython(smaller)],
            state_operations=[
                migrations.RemoveField("event", "at"),
                migrations.AlterField(
                    "event", "id", models.BigAutoField(primary_key=True, serialize=False)
                ),
                migrations.AlterField(
                    "event",
                    "actor",
                    models.ForeignKey(
                        db_constraint=False,
                        db_index=False,
                        null=True,
                        on_delete=models.DO_NOTHING,
                        to=settings.AUTH_USER_MODEL,
                    ),
                ),
                migrations.AlterField(
                    "event",
                    "values",
                    PackedJSONField(default=dict),
                ),
                migrations.AlterField(
                    "event",
                    "salt",
                    HexField(blank=True, default="", max_length=16),
                ),
                migrations.AlterField(
                    "event",
                    "digest",
                    HexField(max_length=32),
                ),
                migrations.AlterField(
                    "event", "hash", HexField(max_length=32)
                ),
            ],
        ),
    ]
