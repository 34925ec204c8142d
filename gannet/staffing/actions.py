"""How people work and are served: absences, set aside, calendars, tiers, preferences."""

from collections.abc import Mapping
from datetime import datetime
from typing import Any

from django.db import transaction

from gannet.audit import log as audit
from gannet.people.events import PersonEvent
from gannet.people.models import Absence, Membership, Person, Role
from gannet.people.roles import edits_rulebook, leads
from gannet.rulebook.book import current
from gannet.tickets.actions import Acting, writing
from gannet.tickets.models import Ticket
from gannet.web.errors import Invalid, Missing, Refused

WISHES = ("at once", "in the digest", "never")


def add_absence(
    by: Person, person: Person, starts_at: datetime, ends_at: datetime, note: str, now: datetime
) -> Absence:
    """Somebody is away; they say so themselves, or a lead does."""
    if by.pk != person.pk and not leads(by):
        raise Refused("People enter their own absences; leads enter others'.")
    if ends_at <= starts_at:
        raise Invalid("An absence ends after it starts.", fields={"ends_at": "Choose a later end."})
    with transaction.atomic():
        found = Absence.objects.create(
            person=person, starts_at=starts_at, ends_at=ends_at, note=note.strip()[:120]
        )
        _keep(by, now, {"person": person.name, "away": [str(starts_at), str(ends_at)]})
    return found


def drop_absence(by: Person, number: int, now: datetime) -> None:
    absence = Absence.objects.select_related("person").filter(pk=number).first()
    if absence is None or (absence.person_id != by.pk and not leads(by)):
        raise Missing("There is no such absence, or it is not yours.")
    with transaction.atomic():
        _keep(by, now, {"person": absence.person.name, "not away": str(absence.starts_at)})
        absence.delete()


def set_aside(by: Person, membership: Membership, value: bool, now: datetime) -> None:
    """Keep somebody out of automatic assignment in a team, or put them back."""
    is_lead = membership.team.memberships.filter(person=by, is_lead=True).exists()
    if not is_lead and not edits_rulebook(by):
        raise Refused(f"Only the leads of {membership.team.name} set people aside.")
    with transaction.atomic():
        membership.is_set_aside = value
        membership.save(update_fields=["is_set_aside"])
        _keep(by, now, {"person": membership.person.name, "set aside": value})


def serve(by: Person, person: Person, changes: Mapping[str, Any], now: datetime) -> int:
    """Change a person's care tiers and working calendar; their open tickets follow.

    Returns how many tickets were promised anew.
    """
    if not by.has_role(Role.ADMINISTRATOR):
        raise Refused("Only administrators change how somebody is served.")
    book = current()
    tiers = changes.get("care_tiers")
    calendar = changes.get("working_calendar")
    if tiers is not None and set(tiers) - set(book.care_tiers):
        raise Invalid("There is no such care tier.", fields={"care_tiers": "Choose one."})
    if calendar and not book.has_calendar(calendar):
        raise Invalid("There is no such calendar.", fields={"working_calendar": "Choose one."})
    moved = 0
    with transaction.atomic():
        if calendar is not None:
            person.working_calendar = calendar
        is_other = tiers is not None and sorted(tiers) != sorted(person.care_tiers)
        if tiers is not None:
            person.care_tiers = sorted(tiers)
        person.save()
        _keep(by, now, {"person": person.name, **changes})
        if is_other:
            mine = Ticket.objects.filter(requester=person, is_open=True)
            for number in mine.values_list("pk", flat=True):
                with writing(number, Acting(person=None, now=now)) as write:
                    write.retarget()
                moved += 1
    return moved


def prefer(person: Person, wishes: Mapping[str, Any]) -> None:
    """What somebody wants to be told, and when it is quiet for them."""
    events = wishes.get("events") or {}
    for event, wish in events.items():
        if wish not in WISHES:
            raise Invalid(f"Choose {', '.join(WISHES)}.", fields={event: "Not one of them."})
    kept = {**person.preferences, "events": dict(events)}
    for name in ("quiet", "digest_at"):
        if name in wishes:
            kept[name] = wishes[name]
    person.preferences = kept
    person.save(update_fields=["preferences"])


def _keep(by: Person, now: datetime, values: dict[str, Any]) -> None:
    entry = audit.Entry(
        kind=PersonEvent.PERSON_CHANGED, at=now, actor_id=by.pk, by_desk=True, values=values
    )
    audit.append([entry])
