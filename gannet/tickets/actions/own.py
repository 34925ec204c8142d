"""What a person keeps for themselves about a ticket: a mark for later, reminders."""

from datetime import datetime

from django.db import transaction

from gannet.knowledge.search import readable
from gannet.people.models import Person
from gannet.tickets import policies
from gannet.tickets.actions import timers
from gannet.tickets.models import Mark, PassedArticle, Reminder, Ticket
from gannet.tickets.telling import messenger
from gannet.web.errors import Invalid, Missing, Refused
from gannet_core.instants import seconds_of

MOST_REMINDERS = 200


def mark(person: Person, ticket_id: int, now_s: int, *, is_marked: bool) -> None:
    """Mark a ticket for later, or no longer; nobody else sees it."""
    ticket = _visible(person, ticket_id)
    if is_marked:
        Mark.objects.get_or_create(person=person, ticket=ticket, defaults={"made_s": now_s})
    else:
        Mark.objects.filter(person=person, ticket=ticket).delete()


def pass_article(person: Person, ticket_id: int, number: int, *, fits: bool) -> None:
    """Say that an article does not fit a ticket, so that it is not suggested there; or that it
    may again."""
    ticket = _visible(person, ticket_id)
    if not policies.works_on(person, ticket):
        raise Refused("The desk says what fits a ticket.")
    if not readable(person).filter(pk=number).exists():
        raise Missing("There is no such article.")
    if fits:
        PassedArticle.objects.filter(ticket=ticket, article=number).delete()
    else:
        PassedArticle.objects.get_or_create(
            ticket=ticket, article=number, defaults={"person": person}
        )


def remind(
    person: Person, now: datetime, *, at: datetime, text: str, ticket_id: int | None
) -> Reminder:
    """A note to oneself that comes back at an instant, about a ticket or nothing."""
    words = " ".join(text.split())[:300]
    if at <= now:
        raise Invalid("That moment has passed already.", fields={"at": "Choose a later one."})
    ticket = None if ticket_id is None else _visible(person, ticket_id)
    if ticket is None and not words:
        raise Invalid("Say of what.", fields={"text": "This is empty."})
    if person.reminders.filter(done_s=None).count() >= MOST_REMINDERS:
        raise Invalid(f"At most {MOST_REMINDERS} reminders wait at once.")
    with transaction.atomic():
        made = Reminder.objects.create(
            person=person, ticket=ticket, text=words, at_s=seconds_of(at)
        )
        timers.set_timer("reminder", str(made.pk), made.at_s)
    return made


def end_reminder(person: Person, reminder_id: int, now_s: int) -> None:
    """Dealt with, or not needed any more."""
    with transaction.atomic():
        ended = person.reminders.filter(pk=reminder_id, done_s=None).update(done_s=now_s)
        if not ended:
            raise Missing("There is no such reminder.")
        timers.drop_timer("reminder", str(reminder_id))
    messenger().gone(now_s, about=f"reminder:{reminder_id}")


def put_off_reminder(person: Person, reminder_id: int, now: datetime, until: datetime) -> None:
    """Be reminded again later."""
    if until <= now:
        raise Invalid("That moment has passed already.", fields={"at": "Choose a later one."})
    with transaction.atomic():
        moved = person.reminders.filter(pk=reminder_id, done_s=None).update(
            at_s=seconds_of(until), fired_s=None
        )
        if not moved:
            raise Missing("There is no such reminder.")
        timers.set_timer("reminder", str(reminder_id), seconds_of(until))
    messenger().gone(seconds_of(now), about=f"reminder:{reminder_id}")


def fire_reminder(reminder_id: int, now_s: int) -> None:
    """Notify of a reminder that is due, once."""
    rows = Reminder.objects.filter(pk=reminder_id, fired_s=None, done_s=None)
    row = rows.select_related("person", "ticket").first()
    if row is None:
        return
    title = row.text or (row.ticket.title if row.ticket else "")
    messenger().notify(
        row.person, "reminder", f"reminder:{row.pk}", title, now_s, ticket=row.ticket
    )
    rows.update(fired_s=now_s)


timers.register(
    timers.TimerKind(
        key="reminder", fire=lambda timer, acting: fire_reminder(int(timer.subject), acting.now_s)
    )
)


def _visible(person: Person, ticket_id: int) -> Ticket:
    ticket = policies.visible_to(person).filter(pk=ticket_id).first()
    if ticket is None:
        raise Missing("There is no such ticket, or it is not for you to see.")
    return ticket
