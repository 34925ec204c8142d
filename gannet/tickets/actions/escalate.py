"""Escalating: to the next team of the service's support chain, without knowing whom."""

from gannet.people.acting import Acting
from gannet.tickets import routing
from gannet.tickets.actions.frame import working
from gannet.tickets.actions.holding import check_receiver, give
from gannet.tickets.models import Ticket
from gannet.web.errors import Conflict
from gannet_core.lifecycle import Act


def escalate(
    ticket_id: int, acting: Acting, comment: str, seen_version: int | None = None
) -> Ticket:
    """Hand a ticket up its support chain; at the end of the chain it stays and says so."""
    with working(ticket_id, acting, Act.HANDED_OVER) as work:
        work.check_seen(seen_version, "team", "holder")
        following, sentence = routing.next_in_chain(work.policy, work.ticket)
        if following is None:
            raise Conflict(sentence)
        check_receiver(following, None, comment)
        give(work, following, None, comment)
    return work.ticket
