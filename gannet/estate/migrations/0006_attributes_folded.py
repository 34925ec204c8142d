"""Attributes are kept folded as well, so that conditions compare them as they do all text."""

from typing import Any

from django.db import migrations, models

from gannet_core.conditions import fold


def fill(apps: Any, schema_editor: Any) -> None:
    items = apps.get_model("estate", "ConfigItem")
    changed = []
    for item in items.objects.exclude(attributes={}).iterator(chunk_size=1000):
        item.attributes_folded = {
            key: fold(value) if isinstance(value, str) else value
            for key, value in item.attributes.items()
        }
        changed.append(item)
    items.objects.bulk_update(changed, ["attributes_folded"], batch_size=400)


class Migration(migrations.Migration):
    dependencies = [("estate", "0005_estate")]

    operations = [
        migrations.AddField(
            model_name="configitem",
            name="attributes_folded",
            field=models.JSONField(blank=True, default=dict, editable=False),
        ),
        migrations.RunPython(fill, migrations.RunPython.noop),
    ]
