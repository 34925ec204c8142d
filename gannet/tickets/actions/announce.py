"""Announcing an incident as a known outage, with a public title and when news is due."""

from collections.abc import Mapping
from datetime import datetime
from typing import Any

from gannet.audit.models import Audience
from gannet.people.acting import Acting
from gannet.tickets.actions import endings
from gannet.tickets.actions.endings import Ending
from gannet.tickets.actions.frame import RecordWrite, writing
from gannet.tickets.events import TicketEvent
from gannet.tickets.models import Ticket
from gannet.tickets.telling import messenger
from gannet.web.errors import Conflict, Invalid
from gannet_core.instants import seconds_of
from gannet_core.lifecycle import Act


def announce(ticket_id: int, acting: Acting, *, public_title: str, next_news: datetime) -> Ticket:
    """Show an open incident on everybody's portal until it is resolved."""
    title = " ".join(public_title.split())
    if not title:
        raise Invalid("Say it in public words.", fields={"public_title": "This is empty."})
    if next_news <= acting.now:
        raise Invalid("The next news must lie ahead.", fields={"next_news": "Choose a later time."})
    with writing(ticket_id, acting, Act.NOTED) as write:
        ticket = write.ticket
        if not ticket.is_open:
            raise Conflict("Only open work can be announced.")
        if ticket.is_confidential:
            raise Conflict("This is confidential, so it cannot be announced.")
        set_announced(write, title, seconds_of(next_news))
    return write.ticket


def end_announcement(ticket_id: int, acting: Acting) -> Ticket:
    """Take an announcement off the portal."""
    with writing(ticket_id, acting, Act.NOTED) as write:
        if write.ticket.is_announced:
            take_off(write)
    return write.ticket


def set_announced(write: RecordWrite, title: str, next_news_s: int | None) -> None:
    """Announce one incident, within an act that has been checked."""
    ticket = write.ticket
    ticket.public_title, ticket.is_announced = title[:200], True
    ticket.next_news_s = next_news_s
    write.record(
        TicketEvent.ANNOUNCED,
        audience=Audience.EVERYBODY,
        text=title,
        facts={"next_news": next_news_s},
    )


def take_off(write: RecordWrite) -> None:
    write.ticket.is_announced, write.ticket.next_news_s = False, None
    write.record(TicketEvent.ANNOUNCEMENT_ENDED, audience=Audience.EVERYBODY)


def over(write: RecordWrite) -> None:
    """What was announced is over, though its record goes on; those it hit hear so."""
    if write.ticket.is_announced:
        take_off(write)
        _tell_hit(write, "outage over", f"It is over: {write.ticket.public_title}")


def _drop(write: RecordWrite, ending: Ending) -> dict[str, Any] | None:
    """What is over is announced no more, and those it hit hear so – or where it goes on."""
    ticket = write.ticket
    if not ticket.is_announced:
        return None
    kept = {"next_news": ticket.next_news_s}
    take_off(write)
    if ending.goes_on_as is None:
        _tell_hit(write, "outage over", f"It is over: {ticket.public_title}")
    return kept


def _restore(write: RecordWrite, kept: Mapping[str, Any], is_undo: bool) -> None:
    """The fault is back, and so is what was said of it; those it hits hear so too."""
    next_news_s = kept.get("next_news")
    if not is_undo and next_news_s is not None:
        next_news_s = max(next_news_s, write.acting.now_s)
    set_announced(write, write.ticket.public_title, next_news_s)
    if is_undo:
        messenger().gone(write.acting.now_s, about=f"outage:{write.ticket.pk}")
    else:
        _tell_hit(write, "outage back", f"It is back: {write.ticket.public_title}")


def carry_over(merged: Ticket, goes_on: RecordWrite, next_news_s: int | None) -> None:
    """A duplicate was announced: the record that goes on is, and tells whom it hits."""
    ticket = goes_on.ticket
    known = set(ticket.hits.values_list("person_id", flat=True))
    merged.hits.exclude(person__in=known).update(ticket=ticket)
    if not ticket.is_announced:
        set_announced(goes_on, merged.public_title, next_news_s)


def _tell_hit(write: RecordWrite, event: str, said: str) -> None:
    for hit in write.ticket.hits.select_related("person"):
        messenger().notify(
            hit.person,
            event,
            f"outage:{write.ticket.pk}",
            said,
            write.acting.now_s,
            text=write.ticket.public_title,
        )


endings.register(endings.EndingPart(name="announcement", drop=_drop, restore=_restore))
