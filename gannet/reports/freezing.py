"""Reports as they were at an instant: frozen by hand, or by themselves at each month's end.

What is frozen is what went out by mail would be: with its owner's eyes, without what is
confidential. So everybody who may read the report may read what is frozen of it.
"""

from datetime import datetime, timedelta
from typing import Any

from django.db import transaction

from gannet.people.models import Person
from gannet.reports import answers, keeping
from gannet.reports.delivering import builder_of
from gannet.reports.fields import zone
from gannet.reports.models import FrozenReport, KeptReport
from gannet.web.errors import Conflict, Invalid, Missing, Problem
from gannet_core.errors import ReportError
from gannet_core.instants import instant_of, seconds_of

MOST_FROZEN = 120
# A month's end is frozen within so long after it, or not at all: what is open is open now.
_WITHIN = timedelta(days=1)


def of_report(person: Person, number: int) -> list[FrozenReport]:
    """What is frozen of a report that somebody may read, the newest first."""
    report = keeping.seen_by(person).filter(pk=number).first()
    if report is None:
        raise Missing("There is no such report.")
    return list(report.frozen.select_related("by").defer("shown"))


def one(person: Person, number: int) -> FrozenReport:
    """One that is frozen, of a report that somebody may read."""
    rows = FrozenReport.objects.select_related("by", "report")
    row = rows.filter(pk=number, report__in=keeping.seen_by(person)).first()
    if row is None:
        raise Missing("There is no such report.")
    return row


def freeze(person: Person, number: int, now: datetime) -> FrozenReport:
    """Freeze a report of one's own as it is now."""
    report = _mine(person, number)
    if report.frozen.count() >= MOST_FROZEN:
        raise Invalid(f"At most {MOST_FROZEN} of a report are kept frozen: remove one first.")
    try:
        return _freeze(report, person, now)
    except ReportError as error:
        raise keeping.as_invalid(error) from error


def _freeze(report: KeptReport, by: Person | None, now: datetime) -> FrozenReport:
    shown = answers.table_json(builder_of(report, now))
    with transaction.atomic():
        row, is_new = FrozenReport.objects.get_or_create(
            report=report, at_s=seconds_of(now),
            defaults={"by": by, "definition": report.definition, "shown": shown},
        )  # fmt: skip
    if not is_new and by is not None:
        raise Conflict("It is frozen at this very second.")
    return row


def thaw(person: Person, number: int) -> None:
    """Remove one that is frozen, of a report of one's own."""
    row = one(person, number)
    if row.report.owner_id != person.pk:
        raise Missing("There is no such report of yours.")
    row.delete()


def set_monthly(person: Person, number: int, *, is_on: bool) -> KeptReport:
    """Whether a report of one's own is frozen by itself at each month's end."""
    report = _mine(person, number)
    report.freezes = int(is_on)
    report.save(update_fields=["freezes"])
    return report


def _mine(person: Person, number: int) -> KeptReport:
    report = KeptReport.objects.select_related("owner").filter(owner=person, pk=number).first()
    if report is None:
        raise Missing("There is no such report of yours.")
    return report


def freeze_due(now_s: int) -> int:
    """Freeze what is frozen at the month's end, once, as it was a second before it."""
    now = instant_of(now_s)
    local = now.astimezone(zone())
    begins = local.replace(day=1, hour=0, minute=0, second=0, microsecond=0)
    if now - begins > _WITHIN:
        return 0
    ended = begins - timedelta(seconds=1)
    at_s = seconds_of(ended)
    done = 0
    rows = KeptReport.objects.filter(freezes=1, made_s__lte=at_s, owner__is_active=True)
    for report in rows.exclude(frozen__at_s=at_s).select_related("owner"):
        try:
            _freeze(report, None, ended)
        except (Problem, ReportError):
            continue  # it asks for what there is no more; its page says so
        done += 1
    return done


def line_json(row: FrozenReport) -> dict[str, Any]:
    return {"id": row.pk, "at_s": row.at_s, "by": row.by.name if row.by else ""}
