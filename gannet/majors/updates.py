"""Updates by audience, each on a clock of its own: drafted, sent, shown, late."""

from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any
from zoneinfo import ZoneInfo

from django.core.exceptions import ValidationError
from django.core.validators import validate_email
from django.db import transaction
from django.db.models import Max, Q

from gannet.majors import standing
from gannet.majors.events import MajorEvent
from gannet.majors.gathering import numbers_of
from gannet.majors.impact import affected_people, services_hit
from gannet.majors.models import KIND, Hearers, MajorFacts, Update
from gannet.majors.plans import COMMUNICATIONS, SHIPPED_WORDS
from gannet.majors.timeline import DERIVED, timeline
from gannet.messages.letters import Letter, post
from gannet.people.acting import Acting
from gannet.people.models import Person
from gannet.tickets.actions import timers
from gannet.tickets.actions.announce import set_announced
from gannet.tickets.actions.frame import writing
from gannet.tickets.events import TicketEvent
from gannet.tickets.models import Ticket, Timer
from gannet.tickets.telling import messenger
from gannet.web.errors import Conflict, Invalid, Missing, Refused
from gannet_core.instants import instant_of, seconds_of
from gannet_core.majors import (
    EVERYONE_AFFECTED,
    EVERYONE_REPORTED,
    RESPONDERS,
    lateness,
    next_update,
)
from gannet_core.tasks import filled

MOST_TEXT, MOST_ADDRESSES = 5_000, 200
_SOON_S, _AGAIN_S, _DAY_S = 5 * 60, 10 * 60, 86_400
DRILL = "Drill – nothing has happened. "


def may_send(facts: MajorFacts, person: Person | None) -> bool:
    """Who leads, and who has communications, speak for it."""
    return person is not None and (
        standing.is_lead(facts, person) or standing.has_role(facts, person, COMMUNICATIONS)
    )


def draft(facts: MajorFacts, hearers: Hearers, person: Person, now_s: int) -> dict[str, Any]:
    """The next update in the words for an audience, from what was entered since its last one.

    Only entries that all of the room may read are in it, and those that people wrote.
    """
    last = hearers.updates.filter(sent_s__isnull=False).order_by("-sent_s").first()
    since_s = last.sent_s if last else None
    entries = timeline(facts, person, since_s=since_s, is_for_all_only=True)
    told = [one for one in reversed(entries) if one["how"] != DERIVED]
    zone = ZoneInfo(person.zone or "Europe/London")
    lines = [f"{_time(one['at_s'], zone)} {one['text']}" for one in told]
    due_s = next_update(facts.declared_s, now_s, hearers.minutes * 60)
    values = {
        "title": facts.ticket.title,
        "call_sign": facts.call_sign,
        "services": ", ".join(name for name, _ in services_hit(facts)[:6]) or "nothing we know of",
        "people": str(affected_count(facts)),
        "since": "\n".join(lines) or "Nothing new: we work on it.",
        "next": _time(due_s, zone),
        "began": _time(facts.began_s or facts.reported_s, zone),
    }
    text, unknown = filled(hearers.words or SHIPPED_WORDS, values)
    number = (hearers.updates.aggregate(last=Max("number"))["last"] or 0) + 1
    return {
        "number": number,
        "title": facts.ticket.title,
        "text": text,
        "unknown": unknown,
        "entries": [{"id": one["id"], "line": line} for one, line in zip(told, lines, strict=True)],
        "people": len(recipients(facts, hearers)),
        "due_s": hearers.due_s,
    }


@transaction.atomic
def send(
    number: int,
    acting: Acting,
    hearers_id: int,
    title: str,
    text: str,
    *,
    at: datetime | None = None,
) -> Update:
    """Send an update to an audience now, or when its time has come."""
    with writing(number, acting, TicketEvent.NOTED) as write:
        facts = standing.locked(write)
        facts.ticket = write.ticket
        if not may_send(facts, acting.person):
            raise Refused("Who leads, or has communications, sends updates.")
        hearers = facts.audiences.select_for_update().filter(pk=hearers_id).first()
        if hearers is None:
            raise Missing("There is no such audience.")
        said, words = " ".join(title.split())[:160], text.strip()
        if not said:
            raise Invalid("Say in a few words what it is.", fields={"title": "This is empty."})
        if not words:
            raise Invalid("Say what is known.", fields={"text": "This is empty."})
        if len(words) > MOST_TEXT:
            raise Invalid("Say it shorter.", fields={"text": f"At most {MOST_TEXT} characters."})
        if facts.stood_down_s is not None and at is not None:
            raise Conflict("It is stood down: no further updates are due.")
        at_s = seconds_of(at) if at else None
        if at_s is not None and at_s <= acting.now_s:
            raise Invalid("That has passed: send it now.", fields={"at": "Choose a later time."})
        assert acting.person is not None
        row = Update(
            hearers=hearers,
            number=(hearers.updates.aggregate(last=Max("number"))["last"] or 0) + 1,
            title=said,
            text=words,
            by=acting.person,
            made_s=acting.now_s,
            send_at_s=at_s,
            due_s=hearers.due_s,
        )
        # One waits at a time: a newer word replaces what was to be said.
        hearers.updates.filter(sent_s=None).delete()
        row.save()
        if at_s is None:
            _leave(write, facts, hearers, row)
        else:
            write.record(
                TicketEvent.NOTED,
                text=f"An update to {hearers.name} is written and goes out by itself.",
            )
    return row


@transaction.atomic
def take_back(number: int, acting: Acting, update: int) -> None:
    """Keep an update that waits for its time from going out."""
    with writing(number, acting, TicketEvent.NOTED) as write:
        facts = standing.locked(write)
        if not may_send(facts, acting.person):
            raise Refused("Who leads, or has communications, sends updates.")
        gone, _ = Update.objects.filter(hearers__major=facts, pk=update, sent_s=None).delete()
        if not gone:
            raise Conflict("It has gone out already.")
        write.record(TicketEvent.NOTED, text="An update that waited does not go out.")


def _leave(write: Any, facts: MajorFacts, hearers: Hearers, row: Update) -> None:
    """It goes out: letters in the outbox, the portal and the status page read the row."""
    now_s = write.acting.now_s
    people = recipients(facts, hearers)
    mark = DRILL if facts.is_drill else ""
    letters = [
        Letter(f"update-{row.pk}", address, f"{mark}{row.title}", f"{mark}{row.text}", [], person)
        for address, person in people.items()
    ]
    post(letters, now_s, "major update")
    row.sent_s, row.count = now_s, len(people)
    row.save()
    late_s = lateness(row.due_s, now_s) if row.due_s is not None else 0
    if facts.stood_down_s is None:
        hearers.due_s = next_update(facts.declared_s, now_s, hearers.minutes * 60)
    hearers.reminded_s = 0
    hearers.save(update_fields=["due_s", "reminded_s"])
    messenger().gone(now_s, about=f"update:{facts.ticket_id}")
    is_shown = hearers.on_portal and not facts.is_drill and not write.ticket.is_confidential
    if is_shown and facts.stood_down_s is None:
        set_announced(write, row.title, hearers.due_s)
    if facts.first_update_s is None:
        MajorFacts.objects.filter(pk=facts.pk).update(first_update_s=now_s)
    write.record(
        MajorEvent.UPDATE_SENT,
        values={
            "number": row.number,
            "audience": hearers.name,
            "count": len(people),
            "late_minutes": late_s // 60,
            "update": row.pk,
        },
    )


def recipients(facts: MajorFacts, hearers: Hearers) -> dict[str, Person | None]:
    """To whom an update goes, each address once. Of a drill nobody outside it hears."""
    found: dict[str, Person | None] = {}
    if facts.is_drill:
        return {one.email: one for one in standing.people_of(facts) if one.email}
    for who in hearers.to:
        if "@" in str(who):
            address = str(who).strip().casefold()
            found.setdefault(address, Person.objects.filter(email=address).first())
            continue
        for person in _people(facts, str(who)):
            if person.email and person.is_active:
                found[person.email] = person
    return found


def _people(facts: MajorFacts, who: str) -> list[Person]:
    if who == EVERYONE_AFFECTED:
        # Who said on the portal that it hits them too, is affected.
        hits = [one.person for one in facts.ticket.hits.select_related("person")]
        return list(dict.fromkeys([*affected_people(facts), *hits]))
    if who == EVERYONE_REPORTED:
        incidents = numbers_of(facts)
        hit = Q(pk__in=Ticket.objects.filter(pk__in=incidents).values("requester"))
        return list(Person.objects.filter(hit, is_active=True).distinct())
    if who == RESPONDERS:
        return standing.people_of(facts)
    return list(Person.objects.filter(memberships__team__name=who, is_active=True).distinct())


def affected_count(facts: MajorFacts) -> int:
    said = facts.instead.get("people")
    return int(said["value"]) if said else len(affected_people(facts))


@transaction.atomic
def change_hearers(
    number: int, acting: Acting, given: Mapping[str, Any], pk: int | None
) -> Hearers:
    """Add an audience, or change how often and how it hears."""
    with writing(number, acting, TicketEvent.NOTED) as write:
        facts = standing.locked(write)
        facts.ticket = write.ticket
        if not may_send(facts, acting.person):
            raise Refused("Who leads, or has communications, says who hears what.")
        row = Hearers(major=facts, minutes=30, position=facts.audiences.count())
        if pk is not None:
            found = facts.audiences.filter(pk=pk).first()
            if found is None:
                raise Missing("There is no such audience.")
            row = found
        name = " ".join(str(given.get("name", row.name)).split())[:60]
        if not name:
            raise Invalid("Say who it is.", fields={"name": "This is empty."})
        row.name, row.minutes = name, int(given.get("minutes", row.minutes))
        row.to = _checked_to(given.get("to", row.to))
        closed = write.ticket.is_confidential or facts.is_drill
        for way in ("on_portal", "on_status_page"):
            wanted = bool(given.get(way, getattr(row, way)))
            if wanted and closed:
                raise Conflict("It is confidential, or a drill: it is shown to nobody outside.")
            setattr(row, way, int(wanted))
        last = (
            row.updates.filter(sent_s__isnull=False).aggregate(last=Max("sent_s"))["last"]
            if row.pk
            else None
        )
        if facts.stood_down_s is None:
            from_s = facts.declared_s if row.pk else acting.now_s
            row.due_s = next_update(from_s, last, row.minutes * 60)
        row.save()
        write.record(TicketEvent.NOTED, text=f"{row.name} hear every {row.minutes} minutes.")
    return row


def _checked_to(found: Any) -> list[str]:
    listed = [" ".join(str(one).split())[:120] for one in found][:MOST_ADDRESSES]
    for one in listed:
        if "@" in one:
            try:
                validate_email(one)
            except ValidationError as error:
                raise Invalid(f"{one} is no address.", fields={"to": "Correct it."}) from error
    return [one for one in listed if one]


# --- their clocks ---


def _wanted(standing_now: timers.Standing) -> dict[str, int]:
    """For each audience when to act next: send what waits, remind, shout once it is late."""
    if standing_now.ticket.kind != KIND:
        return {}
    found: dict[str, int] = {}
    rows = Hearers.objects.filter(major=standing_now.ticket.pk).prefetch_related("updates")
    for row in rows:
        waiting = next((one for one in row.updates.all() if one.sent_s is None), None)
        if waiting is not None and waiting.send_at_s is not None:
            found[f"send {waiting.pk}"] = waiting.send_at_s
        if row.due_s is not None:
            found[f"due {row.pk}"] = _next_look(row.due_s, row.reminded_s)
    return found


def _next_look(due_s: int, reminded_s: int) -> int:
    if reminded_s < due_s - _SOON_S:
        return due_s - _SOON_S
    return due_s if reminded_s < due_s else reminded_s + _AGAIN_S


def _fire(timer: Timer, acting: Acting) -> None:
    what, _, number = timer.subject.partition(" ")
    with writing(timer.ticket_id or 0, acting) as write:
        facts = standing.locked(write)
        facts.ticket = write.ticket
        if facts.stood_down_s is not None:
            return
        if what == "send":
            row = Update.objects.select_for_update().filter(pk=int(number), sent_s=None).first()
            if row is not None:
                _leave(write, facts, row.hearers, row)
            return
        hearers = facts.audiences.select_for_update().filter(pk=int(number)).first()
        if hearers is None or hearers.due_s is None or timer.at_s <= hearers.reminded_s:
            return
        was_late = hearers.reminded_s >= hearers.due_s
        is_late = acting.now_s >= hearers.due_s
        hearers.reminded_s = max(timer.at_s, acting.now_s)
        hearers.save(update_fields=["reminded_s"])
        if is_late and not was_late:
            write.record(MajorEvent.UPDATE_LATE, values={"audience": hearers.name})
        else:
            write.record(MajorEvent.REMINDED, values={"audience": hearers.name})
        minutes = (acting.now_s - hearers.due_s) // 60
        words = (
            f"The update to {hearers.name} is {minutes} min late"
            if is_late
            else f"The update to {hearers.name} is due in a few minutes"
        )
        for person in _who_speaks(facts):
            write.tell(person, "update late" if is_late else "update due", words)


def _who_speaks(facts: MajorFacts) -> list[Person]:
    rows = facts.held_roles.filter(to_s=None, role__in=("lead", COMMUNICATIONS))
    return [one.person for one in rows.select_related("person")]


TIMER = timers.TimerKind(key="update", fire=_fire, wanted=_wanted)


def _time(at_s: int, zone: ZoneInfo) -> str:
    return f"{instant_of(at_s).astimezone(zone):%H:%M}"


def update_json(row: Update) -> dict[str, Any]:
    late_s = lateness(row.due_s, row.sent_s) if row.due_s and row.sent_s else 0
    return {
        "id": row.pk,
        "number": row.number,
        "title": row.title,
        "text": row.text,
        "sent_s": row.sent_s,
        "audience": row.hearers.name,
        "by": row.by.name,
        "send_at_s": row.send_at_s,
        "due_s": row.due_s,
        "late_s": late_s,
        "count": row.count,
    }


def _told_outside(way: str) -> Any:
    return Update.objects.filter(
        sent_s__isnull=False,
        hearers__major__is_drill=0,
        hearers__major__ticket__is_confidential=0,
        **{f"hearers__{way}": 1},
    )


def told_in_public(now_s: int) -> list[Update]:
    """What the status page may show: what was told of running ones, and of those that ended
    within a day; the newest first."""
    rows = _told_outside("on_status_page").select_related("hearers__major")
    running = Q(hearers__major__stood_down_s=None)
    lately = Q(hearers__major__stood_down_s__gt=now_s - _DAY_S)
    return list(rows.filter(running | lately).order_by("-sent_s", "-id")[:200])


def news_of(numbers: Sequence[int]) -> dict[int, str]:
    """What everybody was told last of announced major incidents."""
    rows = _told_outside("on_portal").filter(hearers__major__in=list(numbers))
    return dict(rows.order_by("sent_s").values_list("hearers__major", "text"))
