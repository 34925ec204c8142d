"""Following a ticket."""

from gannet.people.acting import Acting
from gannet.people.models import Person
from gannet.tickets.actions.frame import RecordWrite, writing
from gannet.tickets.events import TicketEvent
from gannet.tickets.models import Follower, Ticket
from gannet_core.lifecycle import Act


def follow(ticket_id: int, acting: Acting, person: Person) -> Ticket:
    """Let somebody follow a ticket: anybody themselves, requesters and the desk others too."""
    is_theirs = Ticket.objects.filter(pk=ticket_id, requester=acting.person_id).exists()
    act = None if acting.person == person or is_theirs else Act.NOTED
    with writing(ticket_id, acting, act) as write:
        set_followed(write, person)
    return write.ticket


def set_followed(write: RecordWrite, person: Person) -> None:
    """Let somebody follow one ticket, within an act that has been checked."""
    found, is_new = Follower.objects.get_or_create(ticket=write.ticket, person=person)
    if found.only_reads:
        Follower.objects.filter(pk=found.pk).update(only_reads=False)
        is_new = True
    if is_new:
        write.record(TicketEvent.FOLLOWED, values={"person": person.name})
        write.tell(person, "followed")


def unfollow(ticket_id: int, acting: Acting, person: Person) -> Ticket:
    """Stop following a ticket."""
    act = None if acting.person == person else Act.NOTED
    with writing(ticket_id, acting, act) as write:
        gone, _ = Follower.objects.filter(ticket=write.ticket, person=person).delete()
        if gone:
            write.record(TicketEvent.UNFOLLOWED, values={"person": person.name})
    return write.ticket
