"""Reports as the API tells them: the words one is put together from, its table, its records."""

from collections.abc import Mapping, Sequence
from typing import Any

from django.db.models import F

from gannet.people.models import Person
from gannet.reports import delivering, keeping
from gannet.reports.building import BY_PERSON, Builder, Spot, groupable, may_group_people, value_of
from gannet.reports.models import Dashboard, Delivery, KeptReport
from gannet.reports.shipped import SHIPPED, Shipped
from gannet.rulebook.book import current
from gannet.tickets.fields import registry
from gannet.tickets.kinds import kinds
from gannet_core import reports as core
from gannet_core.deliveries import rhythm_words
from gannet_core.errors import ReportError
from gannet_core.instants import seconds_of

MOST_RECORDS, _MOST_SENT = 60, 12


def words_json(person: Person) -> dict[str, Any]:
    """All that the sentence of a report can be made of."""
    fields = [
        {
            "name": name,
            "label": field.label,
            "is_time": field.is_instant,
            "is_custom": field.is_custom,
        }
        for name, field in registry(current()).items()
        if groupable(field) and (name not in BY_PERSON or may_group_people(person))
    ]
    return {
        "kinds": [{"key": key, "name": kind.plural} for key, kind in kinds().items()],
        "events": list(core.EVENTS),
        "spans": [*core.SPANS, *(f"last {days} days" for days in (7, 30, 90, 365))],
        "bys": list(core.BYS),
        "dimensions": sorted(fields, key=_place),
        "values": [
            {
                "key": key,
                "label": value.label,
                "unit": value.unit,
                "about": value.about,
                "ways": _ways(key),
            }
            for key, value in core.VALUES.items()
        ],
        "against": [one for one in core.AGAINST if one],
        "drawn": list(core.DRAWN),
    }


# What most reports are made by, in the order in which it is offered.
_COMMON = (
    "team", "priority", "service", "category", "place", "opened", "resolved", "closed", "state",
    "ci", "kind", "channel", "holder", "resolver", "requester.department",
)  # fmt: skip


def _place(one: Mapping[str, Any]) -> tuple[int, bool, str]:
    name = one["name"]
    place = _COMMON.index(name) if name in _COMMON else len(_COMMON)
    return place, one["is_custom"], str(one["label"]).casefold()


def _ways(key: str) -> list[dict[str, str]]:
    if key == core.RECORDS:
        ways: Sequence[str] = (core.COUNT,)
    else:
        ways = (core.SHARE,) if core.VALUES[key].is_share else core.AGGREGATES
    return [{"key": way, "label": core.Measure(key, way).label} for way in ways]


def list_json(person: Person) -> dict[str, Any]:
    """The reports that somebody has, and the words for another."""
    shipped = [
        _shipped(one)
        for one in SHIPPED
        if may_group_people(person)
        or not any(row["field"] in BY_PERSON for row in one.definition["rows"])
    ]
    kept = [kept_json(one, person) for one in keeping.seen_by(person)]
    return {"shipped": shipped, "kept": kept, "words": words_json(person)}


def _shipped(one: Shipped) -> dict[str, Any]:
    return {"key": one.key, "name": one.name, "about": one.about, "definition": one.definition}


def kept_json(row: KeptReport, person: Person) -> dict[str, Any]:
    return {
        "id": row.pk,
        "name": row.name,
        "about": row.about,
        "definition": row.definition,
        "is_shared": bool(row.is_shared),
        "is_mine": row.owner_id == person.pk,
        "freezes": bool(row.freezes),
        "owner": row.owner.name,
        "version": row.version,
    }


def delivery_json(row: Delivery) -> dict[str, Any]:
    """A delivery with when it goes out next, and what went out."""
    return {
        "id": row.pk,
        "rhythm": {"weekdays": [], "day": 1, **row.rhythm},
        "says": rhythm_words(delivering.rhythm_of(row)),
        "threshold": row.threshold or None,
        "to": row.to,
        "kinds": row.kinds,
        "note": row.note,
        "is_on": row.is_on,
        "next_s": row.next_s,
        "version": row.version,
        "sent": [
            {
                "due_s": one.due_s,
                "at_s": one.at_s,
                "is_sent": one.is_sent,
                "to": one.to,
                "says": one.says,
            }
            for one in row.sent.all()[:_MOST_SENT]
        ],
    }


def dashboard_json(row: Dashboard, person: Person) -> dict[str, Any]:
    return {
        "id": row.pk,
        "name": row.name,
        "rows": [[{"report": "", "show": "", "text": "", "where": None, **part} for part in parts]
                 for parts in row.rows],
        "is_shared": bool(row.is_shared),
        "is_mine": row.owner_id == person.pk,
        "owner": row.owner.name,
        "version": row.version,
    }  # fmt: skip


def table_json(found: Builder) -> dict[str, Any]:
    """A report's table, beside that of the span it is held against."""
    try:
        shown = found.table()
        before = found.table(is_before=True) if _is_held(found) else None
    except ReportError as error:
        raise keeping.as_invalid(error) from error
    return {
        "measures": [_measure(one) for one in found.found.measures],
        "table": _table(shown),
        "before": _table(before) if before else None,
        "span": _span(found.span),
        "span_before": _span(found.span_before) if before else None,
        "zone": str(found.zone),
        "now_s": seconds_of(found.now),
    }


def _is_held(found: Builder) -> bool:
    return bool(found.found.against) and found.found.event not in core.SPANLESS


def _measure(one: core.Measure) -> dict[str, str]:
    about = core.VALUES[one.of].about
    return {"of": one.of, "way": one.way, "label": one.label, "unit": one.unit, "about": about}


def _span(span: core.Span) -> dict[str, Any]:
    return {
        "from_s": seconds_of(span.start),
        "to_s": seconds_of(span.end),
        "until_s": seconds_of(span.until),
    }


def _table(shown: core.Table) -> dict[str, Any]:
    return {
        "columns": [_heading(one) for one in shown.columns],
        "rows": [
            {
                "path": [_heading(one) for one in row.path],
                "cells": [list(cell) for cell in row.cells],
                "total": list(row.total),
            }
            for row in shown.rows
        ],
        "totals": [list(cell) for cell in shown.totals],
        "total": list(shown.total),
        "gathered": shown.gathered,
    }


def _heading(one: core.Heading) -> dict[str, Any]:
    return {"key": one.key, "label": one.label}


def records_json(found: Builder, spot: Spot, *, is_before: bool) -> dict[str, Any]:
    """The records of a cell: how many, their figures, and the first by what is measured."""
    tree, more = found.condition(spot, is_before=is_before)
    rows: Any = found.cell(spot, is_before=is_before).found.order_by()
    measure = next((one for one in found.found.measures if one.of != core.RECORDS), None)
    columns = ["pk", "kind", "title"]
    if measure is not None:
        rows = rows.annotate(measured=value_of(measure.of, found.now))
        ordered = rows.order_by(F("measured").desc(nulls_last=True), "-pk")
        columns.append("measured")
    else:
        ordered = rows.order_by("-opened_s", "-pk")
    shown = list(ordered.values_list(*columns)[:MOST_RECORDS])
    return {
        "count": rows.count(),
        "figures": list(found.figures(spot, is_before=is_before)),
        "tree": tree if more is None else None,
        "measure": _measure(measure) if measure is not None else None,
        "rows": [
            {
                "id": row[0],
                "kind": row[1],
                "mark": kinds()[row[1]].mark if row[1] in kinds() else "",
                "title": row[2],
                "value": row[3] if measure is not None else None,
            }
            for row in shown
        ],
    }
