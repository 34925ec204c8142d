"""Announcing an incident as a known outage, with a public title and when news is due."""

from collections.abc import Mapping
from datetime import datetime
from typing import Any

from gannet.audit.models import Audience
from gannet.people.acting import Acting
from gannet.tickets.actions import endings
from gannet.tickets.actions.endings import Ending
from gannet.tickets.actions.frame import Work, working
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
    with working(ticket_id, acting, Act.NOTED) as work:
        ticket = work.ticket
        if not ticket.is_open:
            raise Conflict("Only open work can be announced.")
        if ticket.is_confidential:
            raise Conflict("This is confidential, so it cannot be announced.")
        set_announced(work, title, seconds_of(next_news))
    return work.ticket


def end_announcement(ticket_id: int, acting: Acting) -> Ticket:
    """Take an announcement off the portal."""
    with working(ticket_id, acting, Act.NOTED) as work:
        if work.ticket.is_announced:
            _take_off(work)
    return work.ticket


def set_announced(work: Work, title: str, next_news_s: int | None) -> None:
    """Announce one incident, within an act that has been checked."""
    ticket = work.ticket
    ticket.public_title, ticket.is_announced = title[:200], 1
    ticket.next_news_s = next_news_s
    work.record(
        TicketEvent.ANNOUNCED,
        audience=Audience.EVERYBODY,
        text=title,
        facts={"next_news": next_news_s},
    )


def _take_off(work: Work) -> None:
    work.ticket.is_announced, work.ticket.next_news_s = 0, None
    work.record(TicketEvent.ANNOUNCEMENT_ENDED, audience=Audience.EVERYBODY)


def _drop(work: Work, ending: Ending) -> dict[str, Any] | None:
    """What is over is announced no more, and those it hit hear so – or where it goes on."""
    ticket = work.ticket
    if not ticket.is_announced:
        return None
    kept = {"next_news": ticket.next_news_s}
    _take_off(work)
    if ending.goes_on_as is None:
        _tell_hit(work, "outage over", f"It is over: {ticket.public_title}")
    return kept


def _restore(work: Work, kept: Mapping[str, Any], is_undo: bool) -> None:
    """The fault is back, and so is what was said of it; those it hits hear so too."""
    next_news_s = kept.get("next_news")
    if not is_undo and next_news_s is not None:
        next_news_s = max(next_news_s, work.acting.now_s)
    set_announced(work, work.ticket.public_title, next_news_s)
    if is_undo:
        messenger().gone(work.acting.now_s, about=f"outage:{work.ticket.pk}")
    else:
        _tell_hit(work, "outage back", f"It is back: {work.ticket.public_title}")


def carry_over(merged: Ticket, goes_on: Work, next_news_s: int | None) -> None:
    """A duplicate was announced: the record that goes on is, and tells whom it hits."""
    ticket = goes_on.ticket
    known = set(ticket.hits.values_list("person_id", flat=True))
    merged.hits.exclude(person__in=known).update(ticket=ticket)
    if not ticket.is_announced:
        set_announced(goes_on, merged.public_title, next_news_s)


def _tell_hit(work: Work, event: str, said: str) -> None:
    for hit in work.ticket.hits.select_related("person"):
        messenger().notify(
            hit.person,
            event,
            f"outage:{work.ticket.pk}",
            said,
            work.acting.now_s,
            text=work.ticket.public_title,
        )


endings.register(endings.EndingPart(name="announcement", drop=_drop, restore=_restore))
