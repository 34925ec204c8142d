"""Escalating: to the next team of the service's support chain, without knowing whom."""

from gannet.people.acting import Acting
from gannet.tickets import routing
from gannet.tickets.actions.facts import set_facts
from gannet.tickets.actions.frame import writing
from gannet.tickets.actions.holding import check_receiver, give
from gannet.tickets.models import Ticket
from gannet.web.errors import Conflict, Invalid
from gannet_core.lifecycle import Act


def escalate(
    ticket_id: int,
    acting: Acting,
    comment: str,
    seen_version: int | None = None,
    *,
    service: int | None = None,
) -> Ticket:
    """Hand a ticket up its support chain; at the end of the chain it stays and says so.

    `service` is the number of the service of a ticket that had none: it is set with the act.
    """
    with writing(ticket_id, acting, Act.HANDED_OVER) as write:
        write.check_seen(seen_version, "team", "holder")
        if write.ticket.service_id is None:
            if service is None:
                raise Invalid(
                    "Say which service it is: its support chain says where it goes.",
                    fields={"service": "Choose the service."},
                )
            set_facts(write, {"service": service})
        following, sentence = routing.next_in_chain(write.policy, write.ticket)
        if following is None:
            raise Conflict(sentence)
        check_receiver(following, None, comment)
        give(write, following, None, comment)
    return write.ticket
