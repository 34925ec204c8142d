"""Reports that go out by mail: in a rhythm, to people inside and outside, perhaps only when.

Files are made before the lock is taken; what goes out, and that it went, are committed
together. A worker that is killed at any instant sends it once all the same.
"""

from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any

from django.core.exceptions import ValidationError
from django.core.validators import validate_email
from django.db import transaction

from gannet.messages.letters import Letter, MadeFile, post
from gannet.people.models import Person
from gannet.reports import files, keeping
from gannet.reports.building import Builder
from gannet.reports.fields import zone
from gannet.reports.models import Delivery, KeptReport, SentReport
from gannet.reports.own_values import own_values
from gannet.rulebook.book import current
from gannet.web.errors import Conflict, Invalid, Missing, Problem
from gannet_core import reports as core
from gannet_core.deliveries import Rhythm, Threshold, after, read_rhythm, rhythm_words
from gannet_core.errors import ReportError
from gannet_core.instants import instant_of, seconds_of

MOST_ADDRESSES, MOST_DELIVERIES, MOST_AT_ONCE, KEPT_SENT = 30, 5, 5, 60
_MAKES = {"pdf": files.as_pages, "xlsx": files.as_xlsx, "csv": files.as_csv}


def of_report(person: Person, number: int) -> KeptReport:
    """A report of one's own."""
    row = KeptReport.objects.filter(owner=person, pk=number).first()
    if row is None:
        raise Missing("There is no such report of yours: save it first.")
    return row


@transaction.atomic
def add(person: Person, number: int, now: datetime, said: Mapping[str, Any]) -> Delivery:
    """Let a report of one's own go out."""
    report = of_report(person, number)
    if report.deliveries.count() >= MOST_DELIVERIES:
        raise Invalid(f"At most {MOST_DELIVERIES} deliveries of a report.")
    return _write(Delivery(report=report, version=0), now, said)


@transaction.atomic
def change(person: Person, number: int, now: datetime, said: Mapping[str, Any]) -> Delivery:
    """Change a delivery of one's own, unless another window has changed it meanwhile."""
    row = _mine(person, number)
    if row.version != said.get("version"):
        raise Conflict("It was changed meanwhile: look at it again.")
    return _write(row, now, said)


def remove(person: Person, number: int) -> None:
    """Let a report go out no more."""
    _mine(person, number).delete()


def _mine(person: Person, number: int) -> Delivery:
    rows = Delivery.objects.select_related("report__owner")
    row = rows.filter(report__owner=person, pk=number).first()
    if row is None:
        raise Missing("There is no such delivery of yours.")
    return row


def _write(row: Delivery, now: datetime, said: Mapping[str, Any]) -> Delivery:
    try:
        rhythm = read_rhythm(dict(said["rhythm"]))
    except ReportError as error:
        raise keeping.as_invalid(error) from error
    row.rhythm, row.threshold = dict(said["rhythm"]), _threshold(row.report, said)
    row.to, row.kinds = _addresses(said["to"]), _kinds(said["kinds"])
    row.note, row.is_on = " ".join(said["note"].split())[:500], bool(said["is_on"])
    row.next_s, row.version = seconds_of(after(rhythm, now)), row.version + 1
    row.save()
    return row


def _addresses(given: Sequence[str]) -> list[str]:
    found = list(dict.fromkeys(one.strip().casefold() for one in given if one.strip()))
    if not found:
        raise Invalid("Say to whom it goes.", fields={"to": "This is empty."})
    if len(found) > MOST_ADDRESSES:
        raise Invalid(f"At most {MOST_ADDRESSES} addresses.", fields={"to": "Too many."})
    for one in found:
        try:
            validate_email(one)
        except ValidationError as error:
            raise Invalid(
                f"“{one[:80]}” is no address.", fields={"to": f"“{one[:80]}” is no address."}
            ) from error
    return found


def _kinds(given: Sequence[str]) -> list[str]:
    found = [kind for kind in files.KINDS if kind in given]
    if not found or set(given) - set(files.KINDS):
        raise Invalid("Choose which files go with it.", fields={"kinds": "PDF, XLSX or CSV."})
    return found


def _threshold(report: KeptReport, said: Mapping[str, Any]) -> dict[str, Any]:
    given = said.get("threshold") or {}
    if not given:
        return {}
    figures = len(core.read_definition(report.definition, own_values(current())).measures)
    if given["op"] not in (">", "<") or not 0 <= given["figure"] < figures:
        raise Invalid("There is no such figure.", fields={"threshold": "Choose a figure."})
    return {"figure": given["figure"], "op": given["op"], "value": float(given["value"])}


def rhythm_of(row: Delivery) -> Rhythm:
    """When a delivery goes out."""
    return read_rhythm(row.rhythm)


def builder_of(report: KeptReport, now: datetime) -> Builder:
    """A report as it goes out: with its owner's eyes, and without what is confidential."""
    return keeping.builder(report.definition, report.owner, now, is_open=True)


def send_due(now_s: int) -> int:
    """Send what is due; returns how many deliveries were looked at."""
    due = list(
        Delivery.objects.filter(is_on=True, next_s__lte=now_s)
        .select_related("report__owner")
        .order_by("next_s")[:MOST_AT_ONCE]
    )
    for row in due:
        _send(row, now_s)
    return len(due)


def _send(row: Delivery, now_s: int) -> None:
    due_s, now = row.next_s, instant_of(now_s)
    letters: list[Letter] = []
    try:
        says = _why_not(row, now)
        if not says:
            letters, says = _letters(row, now)
    except (Problem, ReportError) as error:
        letters, says = [], str(error)
    with transaction.atomic():
        fresh = Delivery.objects.select_for_update().filter(pk=row.pk, is_on=True).first()
        if fresh is None or fresh.next_s != due_s or fresh.version != row.version:
            return  # another worker did, or somebody has changed it meanwhile
        post(letters, now_s, "report delivery")
        SentReport.objects.create(
            delivery=fresh, due_s=due_s, at_s=now_s, is_sent=bool(letters),
            to=row.to if letters else [], says=says[:500],
        )  # fmt: skip
        # What was due while nothing ran goes out once, not as often as it was due.
        fresh.next_s = seconds_of(after(rhythm_of(fresh), now))
        fresh.save(update_fields=["next_s"])
        old = fresh.sent.order_by("-due_s").values_list("pk", flat=True)[KEPT_SENT:]
        SentReport.objects.filter(pk__in=list(old)).delete()


def _why_not(row: Delivery, now: datetime) -> str:
    """Why it does not go out this time, in words, or nothing."""
    owner = row.report.owner
    if not owner.is_active:
        return f"{owner.name} has left: nobody answers for it any more."
    if not row.threshold:
        return ""
    found = builder_of(row.report, now)
    threshold = Threshold(**row.threshold)
    figure = found.table().total[threshold.figure]
    if threshold.holds(figure):
        return ""
    measure = found.found.measures[threshold.figure]
    said = "nothing" if figure is None else files.plain_words(figure, measure)
    side = "above" if threshold.op == ">" else "below"
    return f"{measure.label} was {said}, not {side} {files.plain_words(threshold.value, measure)}."


def _letters(row: Delivery, now: datetime) -> tuple[list[Letter], str]:
    report, found = row.report, builder_of(row.report, now)
    total = found.table().total
    figures = [
        f"{measure.label}: {files.plain_words(value, measure)}"
        for value, measure in zip(total, found.found.measures, strict=True)
        if value is not None
    ]
    says = "; ".join(figures) or "nothing in that span"
    plain = files.file_name(report.name)
    made = [
        MadeFile(f"{plain}.{kind}", files.KINDS[kind].split(";")[0], _make(kind, row, found))
        for kind in row.kinds
    ]
    local = now.astimezone(zone())
    body = "\n".join(
        [
            *([row.note, ""] if row.note else []),
            f"{report.name}, {local:%-d %B %Y}",
            *([report.about] if report.about else []),
            "",
            *figures,
            "",
            f"{report.owner.name} lets it go out {rhythm_words(rhythm_of(row))}. "
            "What is confidential is not counted in it.",
        ]
    )
    known = {one.email.casefold(): one for one in Person.objects.filter(email__in=row.to)}
    return [
        Letter(
            f"report-{row.pk}-{row.next_s}", to, f"{report.name}, {local:%-d %B %Y}", body, made,
            known.get(to),
        )
        for to in row.to
    ], says  # fmt: skip


def _make(kind: str, row: Delivery, found: Builder) -> bytes:
    if kind == "pdf":
        return files.as_pages(found, row.report.name, row.note)
    return _MAKES[kind](found, row.report.name)
