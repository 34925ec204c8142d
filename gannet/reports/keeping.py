"""Reports that people keep, change and share."""

from collections.abc import Mapping
from datetime import datetime
from typing import Any

from django.db import transaction
from django.db.models import Q, QuerySet

from gannet.people.models import Person
from gannet.reports.building import Builder
from gannet.reports.models import KeptReport
from gannet.reports.own_values import own_values
from gannet.rulebook.book import current
from gannet.web.errors import Conflict, Invalid, Missing
from gannet_core import reports as core
from gannet_core.errors import ReportError
from gannet_core.instants import seconds_of

MOST_KEPT = 100


def seen_by(person: Person) -> QuerySet[KeptReport]:
    """One's own reports and those that others share."""
    return KeptReport.objects.filter(Q(owner=person) | Q(is_shared=1)).select_related("owner")


def builder(
    definition: Mapping[str, Any], person: Person, now: datetime, *, is_open: bool = False
) -> Builder:
    """A report of a definition as a person sees it; `Invalid` says which word cannot be.

    An open one is for others to read, without what is confidential.
    """
    try:
        found = core.read_definition(definition, own_values(current()))
        return Builder(found, person, now, is_open=is_open)
    except ReportError as error:
        raise as_invalid(error) from error


def as_invalid(error: ReportError) -> Invalid:
    """What cannot be of a report, with its place."""
    words = str(error)
    return Invalid(f"{words[:1].upper()}{words[1:]}.", fields={error.place: words})


@transaction.atomic
def keep(
    person: Person, now: datetime, *, name: str, about: str, definition: Mapping[str, Any],
    is_shared: bool,
) -> KeptReport:  # fmt: skip
    """Keep a report under a name of one's own."""
    if KeptReport.objects.filter(owner=person).count() >= MOST_KEPT:
        raise Invalid(f"At most {MOST_KEPT} reports.", fields={"name": "Remove one first."})
    row = KeptReport(owner=person, made_s=seconds_of(now), version=0)
    return _write(row, person, now, name, about, definition, is_shared=is_shared)


@transaction.atomic
def change(
    person: Person, now: datetime, number: int, version: int, *, name: str, about: str,
    definition: Mapping[str, Any], is_shared: bool,
) -> KeptReport:  # fmt: skip
    """Change a report of one's own, unless another window has changed it meanwhile."""
    row = KeptReport.objects.select_for_update().filter(owner=person, pk=number).first()
    if row is None:
        raise Missing("There is no such report of yours.")
    if row.version != version:
        raise Conflict("It was changed meanwhile: look at it again.")
    return _write(row, person, now, name, about, definition, is_shared=is_shared)


def remove(person: Person, number: int) -> None:
    """Remove a report of one's own."""
    gone, _ = KeptReport.objects.filter(owner=person, pk=number).delete()
    if not gone:
        raise Missing("There is no such report of yours.")


def _write(
    row: KeptReport, person: Person, now: datetime, name: str, about: str,
    definition: Mapping[str, Any], *, is_shared: bool,
) -> KeptReport:  # fmt: skip
    said = " ".join(name.split())[:80]
    if not said:
        raise Invalid("Give it a name.", fields={"name": "This is empty."})
    same = KeptReport.objects.filter(owner=person, name=said).exclude(pk=row.pk)
    if same.exists():
        raise Invalid("You have a report of that name.", fields={"name": "Choose another."})
    builder(definition, person, now)  # what cannot be is not kept
    row.name, row.about = said, " ".join(about.split())[:500]
    row.definition, row.is_shared = dict(definition), int(is_shared)
    row.changed_s, row.version = seconds_of(now), row.version + 1
    row.save()
    return row
