"""What is worked on is “in progress”: policies and views that said “in hand” say so too."""

from typing import Any

from django.db import migrations

_WAS, _IS = "in hand", "in progress"


def renamed(value: Any) -> Any:
    """The same document with the state under its new name, wherever it stands as a value."""
    if isinstance(value, dict):
        return {key: renamed(one) for key, one in value.items()}
    if isinstance(value, list):
        return [renamed(one) for one in value]
    return _IS if value == _WAS else value


def rename(apps: Any, schema_editor: Any) -> None:
    for app, model, fields in (
        ("rulebook", "Edition", ("document",)),
        ("rulebook", "Draft", ("document",)),
        ("rulebook", "DraftEdit", ("before", "after")),
        ("rulebook", "Rehearsal", ("given", "expected")),
        ("tickets", "View", ("body",)),
    ):
        for row in apps.get_model(app, model).objects.iterator():
            new = {name: renamed(getattr(row, name)) for name in fields}
            if any(new[name] != getattr(row, name) for name in fields):
                apps.get_model(app, model).objects.filter(pk=row.pk).update(**new)


class Migration(migrations.Migration):
    dependencies = [
        ("rulebook", "0005_jobs_moved"),
        ("tickets", "0019_lookout_reads_an_index"),
    ]
    operations = [migrations.RunPython(rename, migrations.RunPython.noop)]
