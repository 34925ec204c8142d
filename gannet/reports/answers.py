"""Reports as the API tells them: the words one is put together from, its table, its records."""

from collections.abc import Mapping
from typing import Any

from django.db.models import F, Value

from gannet.people.models import Person
from gannet.reports import delivering, keeping, stretches
from gannet.reports.asking import Spot
from gannet.reports.building import Builder
from gannet.reports.fields import fields_of, groupable, may_group_people, names_people
from gannet.reports.models import Dashboard, Delivery, KeptReport, Stretch
from gannet.reports.own_values import own_values
from gannet.reports.shipped import SHIPPED, Shipped
from gannet.reports.source import Source, ways_of
from gannet.reports.sources import SOURCES
from gannet.reports.values import OF_TICKETS, Values
from gannet.rulebook.book import current
from gannet.tickets.api.lists import field_json
from gannet.tickets.field import Field
from gannet.tickets.kinds import kinds
from gannet_core import reports as core
from gannet_core.deliveries import rhythm_words
from gannet_core.errors import ReportError
from gannet_core.instants import seconds_of

MOST_RECORDS, _MOST_SENT, _MOST_SAID = 60, 12, 300


def words_json(person: Person) -> dict[str, Any]:
    """All that the sentence of a report can be made of."""
    leads = may_group_people(person)
    fields = [
        _dimension(field)
        for name, field in fields_of(None, current()).items()
        if groupable(field) and (leads or not names_people(None, name))
    ]
    return {
        "kinds": [
            *({"key": key, "name": kind.plural} for key, kind in kinds().items()),
            *(_source(one, leads=leads) for one in SOURCES.values()),
        ],
        "events": list(core.OF_TICKETS),
        "spans": [*core.SPANS, *(f"last {days} days" for days in (7, 30, 90, 365))],
        "bys": list(core.BYS),
        "dimensions": sorted(fields, key=_place),
        "values": [*_values(OF_TICKETS), *(_value(*one) for one in own_values(current()).items())],
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


def _dimension(field: Field) -> dict[str, Any]:
    return {
        "name": field.name,
        "label": field.label,
        "is_time": field.is_instant,
        "is_custom": field.is_custom or field.computed is not None,
    }


def _source(one: Source, *, leads: bool) -> dict[str, Any]:
    """A kind of record beside tickets, with what only it has."""
    mine = [field for field in one.fields if leads or field.name not in one.people]
    return {
        "key": one.key,
        "name": one.plural,
        "about": one.about,
        "own": {
            "events": list(one.events),
            "dimensions": [_dimension(field) for field in mine if groupable(field)],
            "values": _values(one.values),
            "conditions": [field_json(field) for field in mine],
            "on_ticket": one.on_ticket,
        },
    }


def _values(known: Values) -> list[dict[str, Any]]:
    return [
        _value(key, value)
        for key, value in core.VALUES.items()
        if key in (core.RECORDS, core.CAME, core.WENT) or key in known
    ]


def _value(key: str, value: core.Value) -> dict[str, Any]:
    return {
        "key": key,
        "label": value.label,
        "unit": value.unit,
        "about": value.about,
        "ways": [
            {"key": way, "label": core.Measure(key, way, value).label} for way in ways_of(key)
        ],
    }


def list_json(person: Person) -> dict[str, Any]:
    """The reports that somebody has, and the words for another."""
    shipped = [
        _shipped(one) for one in SHIPPED if may_group_people(person) or not _groups_people(one)
    ]
    kept = [kept_json(one, person) for one in keeping.seen_by(person)]
    return {"shipped": shipped, "kept": kept, "words": words_json(person)}


def _groups_people(one: Shipped) -> bool:
    source, said = SOURCES.get(one.definition["kind"]), one.definition
    asked = [*said["rows"], *([said["columns"]] if said.get("columns") else [])]
    return any(names_people(source, str(row["field"])) for row in asked)


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
        "measures": [_measure(one, found) for one in found.found.measures],
        "table": _table(shown),
        "before": _table(before) if before else None,
        "span": _span(found.span),
        "span_before": _span(found.span_before) if before else None,
        "zone": str(found.zone),
        "now_s": seconds_of(found.now),
        "known_s": _known_s(found),
    }


def _known_s(found: Builder) -> int | None:
    """Up to when a report knows, where what it counts is kept from the histories."""
    if found.source is None or found.source.model is not Stretch:
        return None
    return stretches.known_until_s(seconds_of(found.now))


def _is_held(found: Builder) -> bool:
    return bool(found.found.against) and found.found.event not in core.SPANLESS


def _measure(one: core.Measure, found: Builder) -> dict[str, str]:
    label = one.label
    if one.of == core.RECORDS and found.found.event == core.OPEN_AT_END:
        label = "open"
    return {
        "of": one.of,
        "way": one.way,
        "label": label,
        "unit": one.unit,
        "about": one.value.about,
    }


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


def records_json(found: Builder, spot: Spot, *, is_before: bool, after: int = 0) -> dict[str, Any]:
    """The records of a cell: how many, their figures, and a page of them by what is measured."""
    rows = found.records(spot, is_before=is_before)
    count = rows.count()
    counted = (core.RECORDS, core.CAME, core.WENT)
    measure = next((one for one in found.found.measures if one.of not in counted), None)
    named = _named(found.source)
    if measure is not None:
        rows = rows.annotate(measured=found.value(measure.of))
        rows = rows.order_by(F("measured").desc(nulls_last=True), "-pk")
    else:
        rows = rows.order_by("-pk" if found.source else "-opened_s", "-pk")
    columns = [*named, "measured"] if measure is not None else named
    shown = list(rows.values_list(*columns)[after : after + MOST_RECORDS])
    tree, more = found.condition(spot, is_before=is_before)
    return {
        "count": count,
        "figures": list(found.figures(spot, is_before=is_before)),
        "tree": tree if more is None and found.source is None else None,
        "measure": _measure(measure, found) if measure is not None else None,
        "rows": [
            {
                "id": row[0],
                "kind": row[1],
                "mark": kinds()[row[1]].mark if row[1] in kinds() else "",
                "title": row[2] or row[5] or "",
                "opens": row[3],
                "on": str(row[4] or ""),
                "value": _in_units(row[-1], measure) if measure is not None else None,
                "says": str(row[6] or "")[:_MOST_SAID],
            }
            for row in shown
        ],
    }


def _in_units(value: int | None, measure: core.Measure) -> float | None:
    scale = measure.value.scale
    return value if value is None or scale == 1 else value / scale


def _named(source: Source | None) -> list[Any]:
    """What a row is read from: number, kind, title, what opens, its key, a title instead, and
    what was written with it."""
    if source is None:
        return ["pk", "kind", "title", Value("ticket"), F("pk"), Value(""), Value("")]
    opens, key = source.link
    other: Any = F("ticket__title") if source.on_ticket else Value("")
    says = source.says() if source.says else Value("")
    return ["pk", Value(source.key), F(source.title), Value(opens), F(key), other, says]
