"""Announcing an incident as a known outage, with a public title and when news is due."""

from datetime import datetime

from gannet.audit.models import Audience, Kind
from gannet.tickets.actions.frame import Acting, working
from gannet.tickets.models import Ticket
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
        ticket.public_title, ticket.is_announced = title[:200], 1
        ticket.next_news_s = seconds_of(next_news)
        work.record(
            Kind.ANNOUNCED,
            audience=Audience.EVERYBODY,
            text=title,
            facts={"next_news": ticket.next_news_s},
        )
    return work.ticket


def end_announcement(ticket_id: int, acting: Acting) -> Ticket:
    """Take an announcement off the portal."""
    with working(ticket_id, acting, Act.NOTED) as work:
        if work.ticket.is_announced:
            work.ticket.is_announced, work.ticket.next_news_s = 0, None
            work.record(Kind.ANNOUNCEMENT_ENDED, audience=Audience.EVERYBODY)
    return work.ticket
