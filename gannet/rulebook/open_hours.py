"""The open spans of calendars as rows, so that the database can count service hours by itself.

Kept for the calendars that computed fields name, by what they say and not by their key: an
edition that changes a calendar has spans of its own.
"""

import hashlib
import json
from collections.abc import Mapping
from datetime import UTC, datetime
from typing import Any

from django.db.models.signals import post_save
from django.dispatch import receiver

from gannet.rulebook.models import Edition, OpenHours
from gannet_core.instants import seconds_of
from gannet_core.servicetime import ServiceCalendar

FIRST_YEAR, LAST_YEAR = 2000, 2060


def mark_of(calendar: Mapping[str, Any]) -> str:
    """What stands for a calendar: the same for the same hours, another for others."""
    said = json.dumps(calendar, sort_keys=True, separators=(",", ":"))
    return hashlib.sha256(said.encode()).hexdigest()[:32]


@receiver(post_save, sender=Edition)
def _of_edition(instance: Edition, **about: Any) -> None:
    keep_open_hours(instance.document)


def keep_open_hours(document: Mapping[str, Any]) -> None:
    """Keep the spans of every calendar by which a computed field of a rulebook counts."""
    named = {one.get("calendar") for one in document.get("computed") or ()}
    for calendar in document.get("calendars") or ():
        if calendar["key"] in named:
            _keep(calendar)


def _keep(calendar: Mapping[str, Any]) -> None:
    mark = mark_of(calendar)
    if OpenHours.objects.filter(mark=mark).exists():
        return
    low, high = (seconds_of(datetime(year, 1, 1, tzinfo=UTC)) for year in (FIRST_YEAR, LAST_YEAR))
    rows, before = [], 0
    for start, end in ServiceCalendar.from_json(calendar).open_spans_s(low, high):
        rows.append(OpenHours(mark=mark, from_s=start, to_s=end, before_s=before))
        before += end - start
    OpenHours.objects.bulk_create(rows, batch_size=5_000)
