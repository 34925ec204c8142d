"""Taking a text that is removed out of mail, received, waiting or sent, and of notifications."""

from collections.abc import Callable, Sequence
from typing import Any

from django.db.models import Q

from gannet.messages.models import Incoming, Notification, Outgoing, StandInMessage
from gannet.messages.reader import UnreadableMail, reader
from gannet.messages.reading import ReadMail
from gannet.tickets.models import Ticket

GONE = "(removed)"


def kept(ticket_id: int, is_it: Callable[[ReadMail], bool]) -> list[StandInMessage]:
    """The mails of a ticket, received or sent, that hold what is to go.

    They are read before anything is written; one that cannot be read may hold it.
    """
    came = Incoming.objects.filter(ticket=ticket_id).values_list("stand_in_id", flat=True)
    sent = Outgoing.objects.filter(ticket=ticket_id).values_list("message_id", flat=True)
    rows = StandInMessage.objects.filter(
        Q(pk__in=[key for key in came if key is not None]) | Q(message_id__in=list(sent))
    )
    found = []
    for row in rows.iterator(chunk_size=20):
        try:
            if not is_it(reader.read(bytes(row.raw))):
                continue
        except UnreadableMail:
            pass
        found.append(row)
    return found


def empty(rows: Sequence[Any]) -> None:
    """Each message that has it is emptied; its trace stays."""
    for row in rows:
        row.raw = f"From: {row.sender}\nSubject: {GONE}\n\n{GONE}\n".encode()
        row.subject = GONE
        row.save(update_fields=["raw", "subject"])


def forget(ticket: Ticket, event_id: int, words: str) -> None:
    """Mail about the event that waits or is kept, and the notifications of the ticket."""
    about = Outgoing.objects.filter(Q(event_id=event_id) | Q(ticket=ticket, body__contains=words))
    about = about if words.strip() else Outgoing.objects.filter(event_id=event_id)
    about.filter(sent_s__isnull=True).update(
        body=GONE, subject=f"[Gannet {ticket.pk}]", withdrawn=1
    )
    about.filter(sent_s__isnull=False).update(body=GONE, subject=f"[Gannet {ticket.pk}]")
    Notification.objects.filter(ticket=ticket).update(text="")
