"""Opening a record out of another, as rules and steps want it."""

from collections.abc import Mapping
from typing import Any

from gannet.estate.models import Service
from gannet.tickets.actions.effects import carries_out
from gannet.tickets.actions.frame import RecordWrite
from gannet.tickets.actions.log import NewTicket, log_ticket
from gannet.tickets.events import TicketEvent
from gannet.tickets.models import Channel


@carries_out("child")
def _open_child(write: RecordWrite, parts: Mapping[str, Any], by: str) -> None:
    """Open a child record; a child never opens another, or two rules could go on for ever."""
    if write.ticket.parent_id is not None:
        return
    write.record(
        TicketEvent.CHILD_OPENED,
        is_automatic=True,
        by_desk=False,
        values={"title": parts["title"], "by": by},
    )

    def open_it() -> None:
        ticket = write.ticket
        service = Service.objects.filter(name=parts.get("service") or "").first()
        child = NewTicket(
            requester=ticket.requester,
            title=parts["title"],
            text=parts.get("text") or f"Opened for {ticket.kind} {ticket.pk} by {by}.",
            channel=Channel.API,
            service=service or ticket.service,
            place=ticket.place,
            is_confidential=bool(ticket.is_confidential),
            parent=ticket,
        )
        log_ticket(child, write.acting)

    write.afterwards(open_it)
