"""The conversation: replies, notes, and what the requester writes."""

from collections.abc import Sequence
from uuid import UUID

from gannet.audit.models import Audience, Kind
from gannet.tickets.actions.frame import Acting, Work, working
from gannet.tickets.files import attach
from gannet.tickets.models import StateCode, Ticket
from gannet.web.errors import Conflict, Invalid
from gannet_core.lifecycle import Act, Waiting

MAX_TEXT = 50_000


def reply(ticket_id: int, acting: Acting, text: str, attachments: Sequence[UUID] = ()) -> Ticket:
    """Answer the requester and the followers; meets the answer target."""
    body = _body(text)
    with working(ticket_id, acting, Act.REPLIED) as work:
        work.record(Kind.REPLIED, text=body, audience=Audience.EVERYBODY)
        work.tell(work.ticket.requester, "replied", body)
        _tell_followers(work, "replied", body)
    attach(work.ticket, attachments, work.events[0].id, acting)
    return work.ticket


def note(ticket_id: int, acting: Acting, text: str, attachments: Sequence[UUID] = ()) -> Ticket:
    """Leave a note that only the desk reads."""
    body = _body(text)
    with working(ticket_id, acting, Act.NOTED) as work:
        work.record(Kind.NOTED, text=body, audience=Audience.DESK)
    attach(work.ticket, attachments, work.events[0].id, acting)
    return work.ticket


def requester_writes(
    ticket_id: int, acting: Acting, text: str, attachments: Sequence[UUID] = ()
) -> Ticket:
    """The requester writes: what waited on them goes on at once and is marked answered."""
    body = _body(text)
    with working(ticket_id, acting, Act.REQUESTER_WROTE) as work:
        ticket = work.ticket
        if not ticket.is_open:
            raise Conflict(
                f"This is {work.state.label}. Say that it is not solved: that reopens it."
                if ticket.state == StateCode.RESOLVED
                else f"This is {work.state.label}. Report it again and name {ticket.pk}."
            )
        work.record(
            Kind.REQUESTER_WROTE,
            text=body,
            by_desk=False,
            audience=Audience.EVERYBODY,
            values={"channel": "e-mail" if acting.by_mail else "portal"},
        )
        work.tell(ticket.holder, "requester wrote", body)
        if ticket.state == StateCode.WAITING and ticket.waiting_on == Waiting.REQUESTER:
            end_wait(work)
            work.record(Kind.RESUMED, by_desk=False, is_automatic=True)
    attach(work.ticket, attachments, work.events[0].id, acting)
    return work.ticket


def open_ticket(ticket_id: int, acting: Acting) -> Ticket:
    """Somebody of the holding team looks at it: it is no longer unread."""
    with working(ticket_id, acting) as work:
        ticket, person = work.ticket, acting.person
        if person is None or not work.by_desk():
            return ticket
        is_for_me = ticket.handed_to_id == person.pk
        if is_for_me or (ticket.is_unread and work._acts_for_team()):
            work.record(Kind.OPENED)
    return work.ticket


def end_wait(work: Work) -> None:
    """Clear what a wait left on the ticket."""
    ticket = work.ticket
    ticket.waiting_on, ticket.waiting_reason, ticket.waiting_supplier = "", "", ""
    ticket.waiting_since_s, ticket.waiting_until_s = None, None


def _tell_followers(work: Work, template: str, body: str) -> None:
    for follower in work.ticket.followers.select_related("person"):
        work.tell(follower.person, template, body)


def _body(text: str) -> str:
    body = text.strip()
    if not body:
        raise Invalid("There is nothing written yet.", fields={"text": "Write something first."})
    if len(body) > MAX_TEXT:
        raise Invalid(
            "That is too long for one message: attach it as a file instead.",
            fields={"text": f"At most {MAX_TEXT} characters; this has {len(body)}."},
        )
    return body
