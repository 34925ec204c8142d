"""Not for us: advertising and scams, with the sender remembered."""

from gannet.audit.models import Audience
from gannet.people.acting import Acting
from gannet.tickets.actions.endings import end
from gannet.tickets.actions.frame import writing
from gannet.tickets.events import TicketEvent
from gannet.tickets.models import Channel, Ticket
from gannet.tickets.telling import messenger
from gannet.web.errors import Invalid
from gannet_core.lifecycle import Act


def set_unwanted(ticket_id: int, acting: Acting, *, remembers: bool) -> Ticket:
    """Close a ticket as not for us, telling nobody; later mail of its sender is kept aside.

    Only mail has a sender to remember, and a colleague on the desk is never one.
    """
    with writing(ticket_id, acting, Act.CANCELLED) as write:
        ticket = write.ticket
        sender = ticket.requester.email.casefold()
        if remembers and ticket.channel != Channel.MAIL:
            raise Invalid("This did not come by mail, so there is no sender to remember.")
        if remembers and ticket.requester.is_on_desk:
            raise Invalid(f"{ticket.requester.name} works on the desk: talk to them instead.")
        end(write, TicketEvent.CANCELLED, audience=Audience.DESK, is_unwanted=True)
        write.record(TicketEvent.SET_UNWANTED, values={"sender": sender if remembers else ""})
        ticket.is_spam = 1
        if remembers and acting.person is not None:
            messenger().set_aside(sender, acting.person, acting.now_s)
    return write.ticket
