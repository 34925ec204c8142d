"""The conversation: replies, notes, and what the requester writes."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any
from uuid import UUID

from django.core.exceptions import ValidationError
from django.core.validators import validate_email

from gannet.audit.models import Audience, Event
from gannet.people.acting import Acting
from gannet.people.models import Person
from gannet.tickets.actions.frame import RecordWrite, writing
from gannet.tickets.actions.routes import answered, go_on_waiting
from gannet.tickets.events import TicketEvent
from gannet.tickets.files import attach
from gannet.tickets.models import Follower, StateCode, Ticket
from gannet.tickets.telling import messenger
from gannet.web.errors import Conflict, Invalid
from gannet_core.lifecycle import Act, Waiting

MAX_TEXT = 50_000


@dataclass(frozen=True, kw_only=True)
class Readers:
    """Whom a reply goes to: the requester, followers (None: all), others, people outside."""

    requester: bool = True
    followers: Sequence[int] | None = None
    people: Sequence[int] = ()
    outside: Sequence[str] = ()


def reply(
    ticket_id: int,
    acting: Acting,
    text: str,
    attachments: Sequence[UUID] = (),
    *,
    readers: Readers | None = None,
    seen_event: int | None = None,
) -> Ticket:
    """Answer the requester and whoever else is chosen; meets the answer target.

    `seen_event` is the last message the writer has read: when the requester has written
    since, `Conflict` shows it before anything is sent.
    """
    check_body(text)
    with writing(ticket_id, acting, Act.REPLIED) as write:
        if seen_event is not None:
            _check_crossed(write, seen_event)
        set_replied(write, text, readers)
        attach_to_event(write, attachments)
    return write.ticket


def set_replied(write: RecordWrite, text: str, readers: Readers | None = None) -> None:
    """Answer on one ticket, within an act that has been checked."""
    body = check_body(text)
    chosen = readers or Readers()
    outside = _addresses(chosen.outside)
    told = _readers(write, chosen)
    if not told and not outside:
        raise Invalid(
            "Choose who reads it, or leave it as a note.", fields={"to": "Nobody is chosen."}
        )
    names = [person.name for person in told if person.pk != write.ticket.requester_id]
    values: dict[str, Any] = {}
    if readers is not None:
        values = {"to_requester": chosen.requester, "copies": names, "outside": outside}
    write.record(TicketEvent.REPLIED, text=body, audience=Audience.EVERYBODY, values=values)
    for person in told:
        write.tell(person, "replied", body)
    for address in outside:
        write.tell_outside(address, body)


def attach_to_event(write: RecordWrite, attachments: Sequence[UUID]) -> None:
    """Attach files to what is being said, in the same transaction: an act is whole in itself."""
    at = len(write.entries) - 1
    write.afterwards(lambda: attach(write.ticket, attachments, write.events[at].id, write.acting))


def _check_crossed(write: RecordWrite, seen_event: int) -> None:
    crossed = (
        Event.objects.filter(
            ticket=write.ticket,
            id__gt=seen_event,
            kind__in=(TicketEvent.REQUESTER_WROTE, TicketEvent.REPLIED, TicketEvent.REOPENED),
        )
        .exclude(actor=write.acting.person_id)
        .select_related("actor")
        .order_by("id")
        .last()
    )
    if crossed is None:
        return
    who = crossed.actor.name if crossed.actor else "Somebody"
    raise Conflict(
        f"{who} wrote while you were writing. Read it, then send once more.",
        crossed={"id": crossed.id, "actor": who, "text": crossed.text, "at_s": crossed.at_s},
    )


def _readers(write: RecordWrite, chosen: Readers) -> list[Person]:
    ticket = write.ticket
    found: dict[int, Person] = {}
    if chosen.requester:
        found[ticket.requester_id] = ticket.requester
    for follower in ticket.followers.select_related("person"):
        is_chosen = chosen.followers is None and not follower.only_reads
        if is_chosen or follower.person_id in (chosen.followers or ()):
            found.setdefault(follower.person_id, follower.person)
    for person in Person.objects.filter(pk__in=list(chosen.people), is_active=True):
        found.setdefault(person.pk, person)
        # A copy of what was said lets somebody read and answer it.
        Follower.objects.get_or_create(ticket=ticket, person=person)
    return list(found.values())


def _addresses(given: Sequence[str]) -> list[str]:
    found = []
    for address in given:
        try:
            validate_email(address.strip())
        except ValidationError as error:
            raise Invalid(
                f"{address} is not an e-mail address.", fields={"outside": "Correct it."}
            ) from error
        found.append(address.strip().casefold())
    if len(found) > 10:
        raise Invalid("At most ten people outside.", fields={"outside": "Too many."})
    return list(dict.fromkeys(found))


def note(ticket_id: int, acting: Acting, text: str, attachments: Sequence[UUID] = ()) -> Ticket:
    """Leave a note that only the desk reads."""
    check_body(text)
    with writing(ticket_id, acting, Act.NOTED) as write:
        set_noted(write, text)
        attach_to_event(write, attachments)
    return write.ticket


def set_noted(write: RecordWrite, text: str) -> None:
    """Leave a note on one ticket, within an act that has been checked."""
    write.record(TicketEvent.NOTED, text=check_body(text), audience=Audience.DESK)
    if write.acting.person_id in (write.ticket.requester_id, write.ticket.holder_id):
        answered(write, text)


def requester_writes(
    ticket_id: int, acting: Acting, text: str, attachments: Sequence[UUID] = ()
) -> Ticket:
    """The requester writes: what waited on them goes on at once and is marked answered."""
    body = check_body(text)
    with writing(ticket_id, acting, Act.REQUESTER_WROTE) as write:
        ticket = write.ticket
        if not ticket.is_open:
            raise Conflict(
                f"This is {write.state_name}. Say that it is not solved: that reopens it."
                if ticket.state == StateCode.RESOLVED
                else f"This is {write.state_name}. Report it again and name {ticket.pk}."
            )
        write.record(
            TicketEvent.REQUESTER_WROTE,
            text=body,
            by_desk=False,
            audience=Audience.EVERYBODY,
            values={"channel": "e-mail" if acting.by_mail else "portal"},
        )
        attach_to_event(write, attachments)
        write.tell(ticket.holder, "requester wrote", body)
        if ticket.state == StateCode.WAITING and ticket.waiting_on == Waiting.REQUESTER:
            write.end_wait()
            write.record(TicketEvent.RESUMED, by_desk=False, is_automatic=True)
            if ticket.approval == "pending" or ticket.open_approvals:
                go_on_waiting(write)
    return write.ticket


def open_ticket(ticket_id: int, acting: Acting) -> Ticket:
    """Somebody of the holding team looks at it: it is no longer unread."""
    with writing(ticket_id, acting) as write:
        ticket, person = write.ticket, acting.person
        if person is None or not write.by_desk():
            return ticket
        is_for_me = ticket.handed_to_id == person.pk
        messenger().read(person, ticket_id, acting.now_s)
        if is_for_me or (ticket.is_unread and write._acts_for_team()):
            write.record(TicketEvent.OPENED)
    return write.ticket


def check_body(text: str) -> str:
    body = text.strip()
    if not body:
        raise Invalid("There is nothing written yet.", fields={"text": "Write something first."})
    if len(body) > MAX_TEXT:
        raise Invalid(
            "That is too long for one message: attach it as a file instead.",
            fields={"text": f"At most {MAX_TEXT} characters; this has {len(body)}."},
        )
    return body
