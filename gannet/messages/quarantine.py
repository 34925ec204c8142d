"""Mail that was quarantined: looked at by the desk, let in as a ticket or to one, or dismissed.

The message itself stands as it came over the wire; letting it in reads it again, so that it
becomes what it would have been, with its files, and marked as unverified where it is.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace

from django.db import transaction
from django.db.models import QuerySet

from gannet.messages.inbound import Prepared, kept_files, log_mail, note_from, prepared, prove
from gannet.messages.models import Incoming, Outcome, StandInMessage
from gannet.messages.reading import ReadMail
from gannet.people.acting import Acting
from gannet.people.models import Person
from gannet.tickets import policies
from gannet.tickets.actions.talk import note
from gannet.tickets.models import Ticket
from gannet.web.errors import Conflict, Invalid, Missing

QUARANTINED = (
    Outcome.UNKNOWN,
    Outcome.UNWANTED,
    Outcome.LOOP,
    Outcome.TOO_LARGE,
    Outcome.UNREADABLE,
    Outcome.UNVERIFIED,
)
LOGGED, ADDED, DISMISSED = "logged", "added", "dismissed"


def quarantined(person: Person, *, is_waiting: bool = True) -> QuerySet[Incoming]:
    """Quarantined mail that somebody of the desk may see, the newest first.

    What claims to be about something confidential is for those who may know of that.
    """
    found = Incoming.objects.filter(outcome__in=QUARANTINED).order_by("-read_at", "-id")
    found = found.filter(handled_how="") if is_waiting else found.exclude(handled_how="")
    secret = found.filter(outcome=Outcome.UNVERIFIED).exclude(about="")
    numbers = {int(about) for about in secret.values_list("about", flat=True) if about.isdigit()}
    known = set(policies.visible_to(person).filter(pk__in=numbers).values_list("pk", flat=True))
    hidden = [str(number) for number in numbers - known]
    return found.exclude(outcome=Outcome.UNVERIFIED, about__in=hidden)


@dataclass(frozen=True)
class Opened:
    """A quarantined message with what it says; nothing is said where it cannot be read."""

    row: Incoming
    mail: ReadMail
    prepared: Prepared | None


def opened(person: Person, number: int) -> Opened:
    """One message, read; without the write lock, for reading may take its time."""
    row = quarantined(person).filter(pk=number).first()
    row = row or quarantined(person, is_waiting=False).filter(pk=number).first()
    if row is None:
        raise Missing("There is no such message, or it is not for you to see.")
    raw = (
        StandInMessage.objects.filter(pk=row.stand_in_id or 0).values_list("raw", flat=True).first()
    )
    found = prepared(bytes(raw)) if raw is not None and row.outcome != Outcome.UNREADABLE else None
    if found is not None:
        found = replace(found, proof=prove(found.mail))
    return Opened(row, found.mail if found else ReadMail(), found)


def log_it(message: Opened, acting: Acting, requester: Person) -> Ticket:
    """Make it a ticket of somebody, as if it had been let in when it came."""
    found = _readable(message)
    with transaction.atomic():
        _take(message.row, acting, LOGGED)
        result = log_mail(found, requester, _as(requester, found, acting))
        ticket = Ticket.objects.get(pk=result.ticket_id or 0)
        _settle(message, acting, ticket)
    return ticket


def add_it(message: Opened, acting: Acting, number: int) -> Ticket:
    """Add its words to a ticket, under the name of who wrote it."""
    found = _readable(message)
    assert acting.person is not None
    ticket = policies.visible_to(acting.person).filter(pk=number).first()
    if ticket is None:
        raise Invalid(f"There is no ticket {number}.", fields={"ticket": "Choose another."})
    with transaction.atomic():
        _take(message.row, acting, ADDED)
        files = kept_files(found, acting.person, acting)
        note_from(ticket.pk, found, acting.now_s, files=files, keeper=acting)
        _settle(message, acting, ticket)
    return ticket


def dismiss(person: Person, numbers: Sequence[int], acting: Acting) -> int:
    """Nothing shall become of them; they stay where they can be found."""
    rows = quarantined(person).filter(pk__in=numbers)
    return rows.update(handled_how=DISMISSED, handled_by=acting.person, handled_s=acting.now_s)


def take_back(person: Person, numbers: Sequence[int]) -> int:
    """What was dismissed waits again."""
    rows = quarantined(person, is_waiting=False).filter(pk__in=numbers, handled_how=DISMISSED)
    return rows.update(handled_how="", handled_by=None, handled_s=None)


def _readable(message: Opened) -> Prepared:
    if message.prepared is None:
        raise Conflict("It cannot be read, so nothing can be made of it: write to its sender.")
    return message.prepared


def _take(row: Incoming, acting: Acting, how: str) -> None:
    """Let one person deal with it, once."""
    waiting = Incoming.objects.filter(pk=row.pk, handled_how="")
    if not waiting.update(handled_how=how, handled_by=acting.person, handled_s=acting.now_s):
        raise Conflict("Somebody has dealt with it already.")


def _settle(message: Opened, acting: Acting, ticket: Ticket) -> None:
    Incoming.objects.filter(pk=message.row.pk).update(ticket=ticket)
    why = message.row.get_outcome_display().partition(";")[0]
    note(
        ticket.pk,
        acting,
        f"Let in from quarantine: the mail of {message.mail.sender or 'nobody'} {why}.",
    )


def _as(requester: Person, found: Prepared, acting: Acting) -> Acting:
    """The requester by mail; whoever else wrote it is said to be unverified."""
    unverified = "" if found.proof.is_verified else found.proof.because
    if found.mail.sender != requester.email.casefold():
        unverified = f"it came from {found.mail.sender}"
    return Acting(person=requester, now=acting.now, by_mail=True, unverified=unverified)
