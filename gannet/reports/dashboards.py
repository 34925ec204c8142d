"""Dashboards: parts in rows, one's own or shared; each reader sees what they may see."""

from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any

from django.db import transaction
from django.db.models import Q, QuerySet
from django.utils import timezone

from gannet.people.models import Person
from gannet.reports import keeping
from gannet.reports.models import Dashboard
from gannet.reports.shipped import BY_KEY
from gannet.tickets import listing
from gannet.tickets.listed import listed
from gannet.web.errors import Conflict, Invalid, Missing
from gannet_core.errors import ConditionError
from gannet_core.instants import seconds_of

MOST_DASHBOARDS, MOST_ROWS, MOST_IN_A_ROW, MOST_LETTERS = 30, 8, 4, 500
REPORT, TEXT, LIST, OUTLOOK, SCHEDULE = "report", "text", "list", "outlook", "schedule"
SHOWN = ("figures", "table", "drawing")


def seen_by(person: Person) -> QuerySet[Dashboard]:
    """One's own dashboards and those that others share."""
    return Dashboard.objects.filter(Q(owner=person) | Q(is_shared=1)).select_related("owner")


@transaction.atomic
def keep(
    person: Person, now: datetime, *, name: str, rows: Sequence[Any], is_shared: bool
) -> Dashboard:
    """Keep a dashboard under a name of one's own."""
    if Dashboard.objects.filter(owner=person).count() >= MOST_DASHBOARDS:
        raise Invalid(
            f"At most {MOST_DASHBOARDS} dashboards.", fields={"name": "Remove one first."}
        )
    row = Dashboard(owner=person, version=0)
    return _write(row, person, now, name, rows, is_shared=is_shared)


@transaction.atomic
def change(
    person: Person, now: datetime, number: int, version: int, *, name: str, rows: Sequence[Any],
    is_shared: bool,
) -> Dashboard:  # fmt: skip
    """Change a dashboard of one's own, unless another window has changed it meanwhile."""
    row = Dashboard.objects.select_for_update().filter(owner=person, pk=number).first()
    if row is None:
        raise Missing("There is no such dashboard of yours.")
    if row.version != version:
        raise Conflict("It was changed meanwhile: look at it again.")
    return _write(row, person, now, name, rows, is_shared=is_shared)


def remove(person: Person, number: int) -> None:
    """Remove a dashboard of one's own."""
    gone, _ = Dashboard.objects.filter(owner=person, pk=number).delete()
    if not gone:
        raise Missing("There is no such dashboard of yours.")


def _write(
    row: Dashboard, person: Person, now: datetime, name: str, rows: Sequence[Any], *,
    is_shared: bool,
) -> Dashboard:  # fmt: skip
    said = " ".join(name.split())[:80]
    if not said:
        raise Invalid("Give it a name.", fields={"name": "This is empty."})
    same = Dashboard.objects.filter(owner=person, name=said).exclude(pk=row.pk)
    if same.exists():
        raise Invalid("You have a dashboard of that name.", fields={"name": "Choose another."})
    row.name, row.rows, row.is_shared = said, _rows(person, rows), int(is_shared)
    row.changed_s, row.version = seconds_of(now), row.version + 1
    row.save()
    return row


def _rows(person: Person, given: Sequence[Any]) -> list[list[dict[str, Any]]]:
    """The parts as they are kept: rows without any are left out."""
    if len(given) > MOST_ROWS:
        raise Invalid(f"At most {MOST_ROWS} rows.", fields={"rows": "Too many rows."})
    found = [[_part(person, part) for part in row] for row in given if row]
    if any(len(row) > MOST_IN_A_ROW for row in found):
        raise Invalid(f"At most {MOST_IN_A_ROW} in a row.", fields={"rows": "Too many in a row."})
    return found


def _part(person: Person, part: Mapping[str, Any]) -> dict[str, Any]:
    if part["kind"] == TEXT:
        text = str(part.get("text") or "").strip()[:MOST_LETTERS]
        if not text:
            raise Invalid("A part says nothing.", fields={"rows": "Write what it says."})
        return {"kind": TEXT, "text": text}
    if part["kind"] == LIST:
        return _list(person, part)
    if part["kind"] in (OUTLOOK, SCHEDULE):
        return {"kind": part["kind"]}
    report, show = str(part.get("report") or ""), str(part.get("show") or "")
    if part["kind"] != REPORT or show not in SHOWN:
        raise Invalid("There is no such part.", fields={"rows": "A report, a list or a text."})
    if report not in BY_KEY and not _is_kept(person, report):
        raise Invalid("There is no such report.", fields={"rows": "Choose another report."})
    return {"kind": REPORT, "report": report, "show": show}


def _list(person: Person, part: Mapping[str, Any]) -> dict[str, Any]:
    """A live list: the condition and the order of a view, under its name."""
    name = " ".join(str(part.get("text") or "").split())[:80]
    where, order = part.get("where"), str(part.get("show") or "")
    if not name or not (where is None or isinstance(where, dict)):
        raise Invalid("A list says nothing.", fields={"rows": "Choose a list."})
    try:
        listing.page(listed(person, where, timezone.now()), order)
    except ConditionError as error:
        raise Invalid("There is no such list.", fields={"rows": str(error)}) from error
    return {"kind": LIST, "text": name, "where": where, "show": order}


def _is_kept(person: Person, report: str) -> bool:
    is_number = report.isascii() and report.isdigit() and len(report) < 15
    return is_number and keeping.seen_by(person).filter(pk=int(report)).exists()
