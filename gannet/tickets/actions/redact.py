"""Removing a text or a file everywhere, with a trace that it was done and by whom."""

from django.db import transaction
from django.dispatch import Signal

from gannet.audit import log as audit
from gannet.audit.events import AuditEvent
from gannet.audit.kinds import kind_of
from gannet.audit.models import Event
from gannet.people.acting import Acting
from gannet.people.models import Role
from gannet.tickets import search
from gannet.tickets.actions.frame import writing
from gannet.tickets.events import TicketEvent
from gannet.tickets.models import Attachment, Draft, Ticket
from gannet.tickets.telling import messenger
from gannet.web.errors import Conflict, Invalid, Missing, Refused
from gannet_core.instants import instant_of
from gannet_core.texts import FOLD

GONE = "(removed)"
# Sent in the same transaction with `ticket`, `acting` and the `words` or the `file` that goes.
text_removed, file_removed = Signal(), Signal()


def redact_text(ticket_id: int, acting: Acting, event_id: int, reason: str) -> Ticket:
    """Remove what an event says: from the log, the search, queued and kept mail, the ticket.

    Its author may, and a lead or administrator; the event stays, and says that it was done.
    """
    if not reason.strip():
        raise Invalid("Say why it is removed.", fields={"reason": "This is empty."})
    texts = Event.objects.filter(pk=event_id, ticket_id=ticket_id).values_list("text", flat=True)
    start = next(iter(texts), "").partition(FOLD)[0].strip()[:60]
    folded = _one_line(start)
    kept = (
        messenger().kept(ticket_id, lambda mail: folded in _one_line(mail.whole)) if start else []
    )
    with transaction.atomic():
        with writing(ticket_id, acting) as write:
            ticket = write.ticket
        event = Event.objects.filter(pk=event_id, ticket_id=ticket_id).first()
        if event is None:
            raise Missing("There is no such text.")
        if event.redacted_by is not None:
            raise Conflict("It has been removed already.")
        _check_may(acting, ticket, event)
        words, title = event.text, str(event.values.get("title", ""))
        search.forget(ticket_id, ticket.title)
        audit.redact(event, acting.person_id or 0, instant_of(acting.now_s), reason.strip()[:300])
        _clear_columns(ticket, event, words)
        if event.kind == TicketEvent.LOGGED and title and ticket.title == title:
            ticket.title, ticket.title_folded = GONE, GONE
        ticket.version += 1
        ticket.changed_s = max(ticket.changed_s, acting.now_s)
        ticket.save()
        messenger().forget(ticket, event.pk, words)
        messenger().empty(kept)
        _drop_drafts(ticket, words)
        search.again(ticket_id, ticket.title)
        text_removed.send(Ticket, ticket=ticket, words=words, acting=acting)
    return ticket


def redact_file(ticket_id: int, acting: Acting, file_id: str, reason: str) -> Ticket:
    """Remove a file: its content and its name; the message it came with stays."""
    if not reason.strip():
        raise Invalid("Say why it is removed.", fields={"reason": "This is empty."})
    files = Attachment.objects.filter(pk=file_id, ticket_id=ticket_id)
    name = next(iter(files.values_list("name", flat=True)), "")
    kept = messenger().kept(ticket_id, lambda mail: any(one.name == name for one in mail.files))
    with writing(ticket_id, acting) as write:
        file = Attachment.objects.filter(pk=file_id, ticket_id=ticket_id).first()
        if file is None or file.event_id is None:
            raise Missing("There is no such file.")
        event = Event.objects.get(pk=file.event_id)
        _check_may(acting, write.ticket, event)
        write.record(
            AuditEvent.REDACTED,
            facts={"event": event.pk, "reason": reason.strip()[:300], "file": True},
        )
        stored = file.file
        file_removed.send(Ticket, ticket=write.ticket, file=file, acting=acting)
        messenger().empty(kept)
        file.name, file.size, file.content_type = GONE, 0, "text/plain"
        file.file = ""
        file.save()
        transaction.on_commit(lambda: stored.storage.delete(str(stored.name)))
    return write.ticket


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


def _drop_drafts(ticket: Ticket, words: str) -> None:
    """Drafts that quote it."""
    if not words.strip():
        return
    start = words.strip()[:40]
    for draft in Draft.objects.filter(place__contains=str(ticket.pk)):
        if start in str(draft.body):
            draft.delete()
