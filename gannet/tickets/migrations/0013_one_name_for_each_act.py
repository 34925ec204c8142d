"""An act has one name: what acts on many called “hand over” is “hand-over”."""

from typing import Any

from django.db import migrations

_NAMES = {"hand over": "hand-over"}


def rename(apps: Any, schema_editor: Any) -> None:
    routine = apps.get_model("tickets", "Routine")
    for row in routine.objects.all():
        acts = [{**act, "act": _NAMES.get(act["act"], act["act"])} for act in row.acts]
        if acts != row.acts:
            row.acts = acts
            row.save(update_fields=["acts"])


class Migration(migrations.Migration):
    dependencies = [("tickets", "0012_changed_at_version")]
    operations = [migrations.RunPython(rename, migrations.RunPython.noop)]
