"""Removing a text or a file everywhere, with a trace that it was done and by whom."""

from collections.abc import Callable, Sequence

from django.db import transaction
from django.db.models import Q

from gannet.audit import log as audit
from gannet.audit.events import AuditEvent
from gannet.audit.kinds import kind_of
from gannet.audit.models import Event
from gannet.messages.models import Incoming, Notification, Outgoing, StandInMessage
from gannet.messages.reader import UnreadableMail, reader
from gannet.messages.reading import FOLD, ReadMail
from gannet.people.acting import Acting
from gannet.people.models import Role
from gannet.tickets import search
from gannet.tickets.actions.frame import working
from gannet.tickets.events import TicketEvent
from gannet.tickets.models import Attachment, Draft, Ticket
from gannet.web.errors import Conflict, Invalid, Missing, Refused
from gannet_core.instants import instant_of

GONE = "(removed)"


def redact_text(ticket_id: int, acting: Acting, event_id: int, reason: str) -> Ticket:
    """Remove what an event says: from the log, the search, queued and kept mail, the ticket.

    Its author may, and a lead or administrator; the event stays, and says that it was done.
    """
    if not reason.strip():
        raise Invalid("Say why it is removed.", fields={"reason": "This is empty."})
    texts = Event.objects.filter(pk=event_id, ticket_id=ticket_id).values_list("text", flat=True)
    start = next(iter(texts), "").partition(FOLD)[0].strip()[:60]
    folded = _one_line(start)
    kept = _kept_mail(ticket_id, lambda mail: folded in _one_line(mail.whole)) if start else []
    with transaction.atomic():
        with working(ticket_id, acting) as work:
            ticket = work.ticket
        event = Event.objects.filter(pk=event_id, ticket_id=ticket_id).first()
        if event is None:
            raise Missing("There is no such text.")
        if event.redacted_by is not None:
            raise Conflict("It has been removed already.")
        _check_may(acting, ticket, event)
        words, title = event.text, str(event.values.get("title", ""))
        audit.redact(event, acting.person_id or 0, instant_of(acting.now_s), reason.strip()[:300])
        _clear_columns(ticket, event, words)
        if event.kind == TicketEvent.LOGGED and title and ticket.title == title:
            ticket.title, ticket.title_folded = GONE, GONE
        ticket.version += 1
        ticket.changed_s = max(ticket.changed_s, acting.now_s)
        ticket.save()
        _clear_messages(ticket, event, words)
        _clear_raw(kept)
        search.again(ticket_id)
    return ticket


def redact_file(ticket_id: int, acting: Acting, file_id: str, reason: str) -> Ticket:
    """Remove a file: its content and its name; the message it came with stays."""
    if not reason.strip():
        raise Invalid("Say why it is removed.", fields={"reason": "This is empty."})
    files = Attachment.objects.filter(pk=file_id, ticket_id=ticket_id)
    name = next(iter(files.values_list("name", flat=True)), "")
    kept = _kept_mail(ticket_id, lambda mail: any(one.name == name for one in mail.files))
    with working(ticket_id, acting) as work:
        file = Attachment.objects.filter(pk=file_id, ticket_id=ticket_id).first()
        if file is None or file.event_id is None:
            raise Missing("There is no such file.")
        event = Event.objects.get(pk=file.event_id)
        _check_may(acting, work.ticket, event)
        work.record(
            AuditEvent.REDACTED,
            facts={"event": event.pk, "reason": reason.strip()[:300], "file": True},
        )
        stored = file.file
        _clear_raw(kept)
        file.name, file.size, file.content_type = GONE, 0, "text/plain"
        file.file = ""
        file.save()
        transaction.on_commit(lambda: stored.storage.delete(str(stored.name)))
    return work.ticket


def _check_may(acting: Acting, ticket: Ticket, event: Event) -> None:
    person = acting.person
    if person is None or event.actor_id == person.pk:
        return
    leads = person.memberships.filter(team=ticket.team_id, is_lead=True).exists()
    if not leads and not person.has_role(Role.ADMINISTRATOR, Role.TEAM_LEAD):
        raise Refused("Only who wrote it, a team lead or an administrator removes a text.")


def _one_line(text: str) -> str:
    """Without the line ends that mail folds a text by."""
    return " ".join(text.split())


def _clear_columns(ticket: Ticket, event: Event, words: str) -> None:
    kind = kind_of(event.kind)
    column = kind.column if kind is not None else ""
    if column and words and words.startswith(getattr(ticket, column)[:60] or "\0"):
        setattr(ticket, column, GONE)


def _kept_mail(ticket_id: int, is_it: Callable[[ReadMail], bool]) -> list[StandInMessage]:
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


def _clear_raw(rows: Sequence[StandInMessage]) -> None:
    """Each message that has it is emptied; its trace stays."""
    for row in rows:
        row.raw = f"From: {row.sender}\nSubject: {GONE}\n\n{GONE}\n".encode()
        row.subject = GONE
        row.save(update_fields=["raw", "subject"])


def _clear_messages(ticket: Ticket, event: Event, words: str) -> None:
    """Mail about the event that waits or is kept, notifications, drafts that quote it."""
    about = Outgoing.objects.filter(Q(event_id=event.pk) | Q(ticket=ticket, body__contains=words))
    about = about if words.strip() else Outgoing.objects.filter(event_id=event.pk)
    about.filter(sent_s__isnull=True).update(
        body=GONE, subject=f"[Gannet {ticket.pk}]", withdrawn=1
    )
    about.filter(sent_s__isnull=False).update(body=GONE, subject=f"[Gannet {ticket.pk}]")
    Notification.objects.filter(ticket=ticket).update(text="")
    if words.strip():
        start = words.strip()[:40]
        for draft in Draft.objects.filter(place__contains=str(ticket.pk)):
            if start in str(draft.body):
                draft.delete()
