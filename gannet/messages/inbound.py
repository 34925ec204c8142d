"""Mail coming in: threaded by headers and number, logged or added, never dropped."""

import logging
import re
from dataclasses import dataclass
from email.message import EmailMessage
from email.utils import parseaddr
from hashlib import sha256
from io import BytesIO
from secrets import token_hex
from uuid import UUID

from django.conf import settings
from django.core.files.uploadedfile import InMemoryUploadedFile
from django.db import OperationalError, transaction
from django.db.models import F

from gannet.audit.models import Event, Kind
from gannet.messages import reading
from gannet.messages.models import (
    Incoming,
    OtherAddress,
    Outcome,
    Outgoing,
    StandInMessage,
    Unwanted,
)
from gannet.messages.outbox import DECIDE_SECONDS
from gannet.messages.reading import addresses, header, headers, sender
from gannet.people.models import Person
from gannet.tickets import policies
from gannet.tickets.actions import Acting, NewTicket, follow, log_ticket, reopen, requester_writes
from gannet.tickets.actions.approvals import decide
from gannet.tickets.actions.frame import working
from gannet.tickets.actions.talk import note, reply
from gannet.tickets.classify import classify
from gannet.tickets.files import MAX_FILES, keep_upload
from gannet.tickets.models import Approval, Ask, Channel, StateCode, Ticket
from gannet.web.errors import Problem
from gannet_core.instants import instant_of

log = logging.getLogger(__name__)
MAX_MESSAGE_BYTES = 20 * 1024 * 1024
_NUMBER = re.compile(r"\[Gannet (\d{1,9})\]")
_OUR_ID = re.compile(r"<gannet\.(\d{1,9})(?:\.\d+\.\d+)?@")
_FINAL_RECIPIENT = re.compile(r"(?im)^Final-Recipient:[^;\n]*;\s*<?([^\s<>]+@[^\s<>]+)>?")
_BULK = ("bulk", "list", "junk", "auto_reply")
_LOOP_MESSAGES = 20
_LOOP_SECONDS = 600


@dataclass(frozen=True)
class _Result:
    outcome: Outcome
    ticket_id: int | None = None
    because: str = ""


def read_waiting(now_s: int, most: int = 50) -> int:
    """Read the desk's unread mail from the stand-in; returns how many were read."""
    waiting = StandInMessage.objects.filter(for_desk=1, is_read=0).order_by("id")
    ids = list(waiting.values_list("id", flat=True)[:most])
    for message_id in ids:
        with transaction.atomic():
            row = StandInMessage.objects.select_for_update().get(pk=message_id)
            if row.is_read:
                continue
            read_message(bytes(row.raw), now_s, stand_in_id=row.pk)
            StandInMessage.objects.filter(pk=row.pk).update(is_read=1)
    return len(ids)


def read_message(raw: bytes, now_s: int, stand_in_id: int | None = None) -> Incoming:
    """Read one message and keep what became of it."""
    message = reading.parse(raw[:MAX_MESSAGE_BYTES])
    message_id = header(message, "Message-ID")[:200]
    # Without an id of its own it is known by its content.
    message_id = message_id or f"<without-id.{stand_in_id}.{sha256(raw).hexdigest()[:40]}>"
    if Incoming.objects.filter(message_id=message_id).exists():
        result = _Result(Outcome.TWICE, because="The same Message-ID came in before.")
        message_id = f"{message_id[:150]}#{stand_in_id or token_hex(4)}"
    elif len(raw) > MAX_MESSAGE_BYTES:
        result = _too_large(message, len(raw), now_s)
    else:
        try:
            with transaction.atomic():
                result = _handle(message, now_s)
        except Problem as problem:
            result = _Result(Outcome.UNREADABLE, because=problem.detail[:300])
        except OperationalError:
            raise  # the database is busy: it is read again
        except Exception as error:
            # One message that nobody foresaw must not keep all others from being read.
            log.exception("a message could not be read")
            result = _Result(Outcome.UNREADABLE, because=str(error)[:300])
    return Incoming.objects.create(
        message_id=message_id,
        stand_in_id=stand_in_id,
        from_address=sender(message)[:254],
        subject=header(message, "Subject")[:300],
        outcome=result.outcome,
        because=result.because[:300],
        ticket_id=result.ticket_id,
        read_at=instant_of(now_s),
    )


def _handle(message: EmailMessage, now_s: int) -> _Result:
    bounced = _bounced(message)
    if bounced is not None:
        return _note_bounce(message, bounced, now_s)
    address = sender(message)
    if address == settings.DESK_ADDRESS.casefold() or header(message, "X-Gannet"):
        return _Result(Outcome.LOOP, because="It is one of our own: answering it would go round.")
    automatic = header(message, "Auto-Submitted").casefold().split(";")[0].strip()
    if automatic not in ("", "no") or header(message, "Precedence").casefold() in _BULK:
        return _Result(Outcome.AUTOMATIC, because="Its headers say that nobody wrote it.")
    if header(message, "List-Id"):
        return _Result(Outcome.AUTOMATIC, because="It went to a list, not to us.")
    unwanted = Unwanted.objects.filter(address=address).update(kept_aside=F("kept_aside") + 1)
    if unwanted:
        return _Result(Outcome.UNWANTED, because=f"{address} was marked as not for us.")
    person = person_of(address)
    if person is None:
        return _from_outside(message, address, now_s)
    too_many = _too_many(person, now_s)
    if too_many:
        return _Result(Outcome.LOOP, because=too_many)
    acting = Acting(person=person, now=instant_of(now_s), by_mail=True)
    decided = _decided(message, acting)
    if decided is not None:
        return decided
    ticket = _thread(message, person)
    if ticket is None:
        return _log(message, person, acting)
    files, refused = _attachments(message, person, acting)
    _add(ticket, person, reading.read_text(message).whole or "(no text)", acting, files)
    _say_refused(ticket.pk, refused, acting)
    return _Result(Outcome.ANSWERED, ticket.pk, "; ".join(refused))


_REF = re.compile(r"\bref-([0-9a-f]{20})\b")
_YES = ("approve", "approved", "yes", "ok")
_NO = ("refuse", "refused", "no", "reject")


def _decided(message: EmailMessage, acting: Acting) -> _Result | None:
    """An answer to what was asked: its secret line, and a first word that decides.

    The line is good once and for two weeks; whoever sends it must be asked themselves.
    Anything else goes on as an ordinary message, so that no word is lost.
    """
    said = reading.read_text(message)
    found = _REF.search(f"{header(message, 'Subject')}\n{said.whole}")
    if found is None:
        return None
    since = acting.now_s - DECIDE_SECONDS
    asked = Approval.objects.filter(nonce=found[1], state=Ask.PENDING, asked_s__gt=since).first()
    if asked is None:
        return None
    first, _, rest = said.text.strip().partition(" ")
    line = said.text.strip().partition("\n")[0]
    word = re.sub(r"\W", "", first.partition("\n")[0]).casefold()
    if word not in (*_YES, *_NO):
        return None
    reason = (
        rest if line.casefold() != first.casefold() else said.text.strip()[len(line) :]
    ).strip(" :,-–\n")
    try:
        decide(acting, asked.pk, approves=word in _YES, reason=reason)
    except Problem as error:
        return _Result(Outcome.ANSWERED, asked.ticket_id, f"Not decided: {error.detail}")
    return _Result(Outcome.ANSWERED, asked.ticket_id, f"decided: {word}")


def person_of(address: str) -> Person | None:
    """Whose address it is: their own, or another one that is known to be theirs."""
    if not address:
        return None
    found = Person.objects.filter(email=address, is_active=True).first()
    if found is not None:
        return found
    other = OtherAddress.objects.filter(address=address).select_related("person").first()
    return other.person if other is not None and other.person.is_active else None


def _from_outside(message: EmailMessage, address: str, now_s: int) -> _Result:
    """Somebody who is no person here: part of a conversation they were copied on, or unknown."""
    for ticket in _threaded(message):
        copied = Event.objects.filter(ticket=ticket, kind=Kind.REPLIED)
        asked = any(address in event.values.get("outside", ()) for event in copied)
        if not asked or ticket.state > StateCode.RESOLVED:
            continue
        text = reading.read_text(message).whole or "(no text)"
        system = Acting(person=None, now=instant_of(now_s), by_mail=True)
        with working(ticket.pk, system) as work:
            work.record(
                Kind.NOTED,
                text=f"{address} wrote from outside:\n\n{text}",
                is_automatic=True,
                by_desk=False,
            )
            work.tell(work.ticket.holder, "requester wrote", f"{address}: {text}")
        return _Result(Outcome.ANSWERED, ticket.pk, because=f"{address} was copied on it.")
    if settings.UNKNOWN_SENDERS == "log" and "@" in address:
        name = parseaddr(header(message, "From"))[0] or address.partition("@")[0]
        guest = Person.objects.create_user(
            address, name=" ".join(name.split())[:120], department="Outside", job="Guest"
        )
        acting = Acting(person=guest, now=instant_of(now_s), by_mail=True)
        return _log(message, guest, acting)
    return _Result(Outcome.UNKNOWN, because=f"Nobody here has {address or 'this address'}.")


def _bounced(message: EmailMessage) -> str | None:
    """The address that could not be reached, when a message is such a report (RFC 3464)."""
    is_report = "report-type=delivery-status" in header(message, "Content-Type").casefold().replace(
        '"', ""
    )
    is_daemon = sender(message).partition("@")[0] in ("mailer-daemon", "postmaster")
    if not is_report and not is_daemon:
        return None
    for part in message.walk():
        try:
            text = str(part)
        except Exception:
            text = ""  # a part that cannot be written down names nobody
        found = _FINAL_RECIPIENT.search(text)
        if found:
            return found[1].strip().casefold()
    return ""


def _note_bounce(message: EmailMessage, address: str, now_s: int) -> _Result:
    """Say on the ticket that somebody could not be reached, and tell its holder."""
    try:
        whole = message.as_string()
    except Exception:
        whole = " ".join(headers(message, "References") + headers(message, "In-Reply-To"))
    numbers = [int(number) for number in _OUR_ID.findall(whole)]
    said = f"Mail to {address or 'somebody'} could not be delivered."
    for number in dict.fromkeys(numbers):
        if not Ticket.objects.filter(pk=number).exists():
            continue
        system = Acting(person=None, now=instant_of(now_s), by_mail=True)
        with working(number, system) as work:
            work.record(Kind.MAIL_FAILED, text=said, is_automatic=True, by_desk=False)
            work.tell(work.ticket.holder, "outside changed", said)
        return _Result(Outcome.BOUNCE, number, said)
    return _Result(Outcome.BOUNCE, because=said)


def _too_many(person: Person, now_s: int) -> str:
    """A person does not write so often; a program that answers ours does."""
    addresses = [person.email, *person.other_addresses.values_list("address", flat=True)]
    since = instant_of(now_s - _LOOP_SECONDS)
    lately = Incoming.objects.filter(
        from_address__in=addresses,
        read_at__gt=since,
        outcome__in=(Outcome.LOGGED, Outcome.ANSWERED, Outcome.LOOP),
    )
    if lately.count() < _LOOP_MESSAGES:
        return ""
    return f"{_LOOP_MESSAGES} messages in {_LOOP_SECONDS // 60} minutes: a loop, until it is quiet."


def _too_large(message: EmailMessage, size: int, now_s: int) -> _Result:
    """Kept aside; its sender, if known, is told so."""
    because = f"{size // 1_048_576} MB; at most {MAX_MESSAGE_BYTES // 1_048_576} MB are read."
    person = person_of(sender(message))
    is_automatic = header(message, "Auto-Submitted").casefold() not in ("", "no")
    if person is not None and not is_automatic:
        Outgoing.objects.create(
            message_id=f"<gannet.large.{token_hex(8)}@{settings.DESK_ADDRESS.partition('@')[2]}>",
            to=person.email,
            person=person,
            subject="Your message was too large",
            body=f"Hello {person.first_name},\n\nyour message “{header(message, 'Subject')[:120]}” "
            f"has {because} It was kept aside and nobody has read it. Send it again without the "
            "large files, or report it on the portal and attach them there.",
            made_at=instant_of(now_s),
            send_at_s=now_s,
        )
    return _Result(Outcome.TOO_LARGE, because=because)


def _add(ticket: Ticket, person: Person, text: str, acting: Acting, files: list) -> None:  # type: ignore[type-arg]
    if ticket.requester_id == person.pk:
        if ticket.state == StateCode.RESOLVED:
            reopen(ticket.pk, acting, text)
        else:
            requester_writes(ticket.pk, acting, text, files)
    elif policies.works_on(person, ticket):
        reply(ticket.pk, acting, text, files)
    else:
        # A follower's words reach the desk without pretending to be the requester's.
        with_name = f"{person.name} wrote by e-mail:\n\n{text}"
        system = Acting(person=None, now=acting.now, by_mail=True)
        note(ticket.pk, system, with_name)


def _log(message: EmailMessage, person: Person, acting: Acting) -> _Result:
    said = reading.read_text(message)
    subject = header(message, "Subject")
    title = _NUMBER.sub("", subject).strip() or said.text[:80] or "(no subject)"
    guess = classify(f"{title}\n{said.text}")
    files, refused = _attachments(message, person, acting)
    ticket = log_ticket(
        NewTicket(
            requester=person,
            title=title,
            text=said.whole,
            channel=Channel.MAIL,
            service=guess.service if guess.is_sure else None,
            attachments=files,
            suggestion_why=guess.why,
        ),
        acting,
    )
    for follower in _copied(message, person):
        follow(ticket.pk, acting, follower)
    _say_refused(ticket.pk, refused, acting)
    return _Result(Outcome.LOGGED, ticket.pk, "; ".join(refused))


def _say_refused(ticket_id: int, refused: list[str], acting: Acting) -> None:
    """What was kept aside is said on the ticket, so that nobody waits for a file."""
    if refused:
        system = Acting(person=None, now=acting.now, by_mail=True)
        note(ticket_id, system, "Kept aside from the mail: " + "; ".join(refused) + ".")


def _copied(message: EmailMessage, writer: Person) -> list[Person]:
    """Colleagues in copy follow what they were copied on, if they may know of it."""
    found = Person.objects.filter(email__in=addresses(message, "Cc"), is_active=True)
    return [person for person in found.exclude(pk=writer.pk) if person.is_on_desk][:20]


def _threaded(message: EmailMessage) -> list[Ticket]:
    """The tickets that a message says it belongs to: by headers first, then by number."""
    numbers: list[int] = []
    for name in ("In-Reply-To", "References"):
        line = header(message, name)
        for found in re.findall(r"<[^>]+>", line)[-20:]:
            for model in (Outgoing, Incoming):
                rows = model.objects.filter(message_id=found, ticket__isnull=False)
                numbers.extend(rows.values_list("ticket_id", flat=True))
        numbers.extend(int(number) for number in _OUR_ID.findall(line))
    numbers.extend(int(n) for n in _NUMBER.findall(header(message, "Subject")))
    known = {row.pk: row for row in Ticket.objects.filter(pk__in=numbers)}
    return [known[number] for number in dict.fromkeys(numbers) if number in known]


def _thread(message: EmailMessage, person: Person) -> Ticket | None:
    """The open or resolved ticket a message belongs to, if its sender may know of it."""
    for ticket in _threaded(message):
        # A merged duplicate goes on as the other one.
        goes_on = ticket.duplicate_of or ticket
        if goes_on.state > StateCode.RESOLVED:
            continue
        if policies.visible_to(person).filter(pk=goes_on.pk).exists():
            return goes_on
    return None


def _attachments(
    message: EmailMessage, person: Person, acting: Acting
) -> tuple[list[UUID], list[str]]:
    """The files that were kept, and in words those that were not."""
    kept: list[UUID] = []
    refused: list[str] = []
    for file in reading.files(message):
        if len(kept) >= MAX_FILES:
            refused.append(f"{file.name} (more than {MAX_FILES} files)")
            continue
        upload = InMemoryUploadedFile(
            BytesIO(file.content), "file", file.name, file.content_type, len(file.content), None
        )
        try:
            kept.append(keep_upload(upload, person, acting.now).pk)
        except Problem as problem:
            refused.append(f"{file.name} ({problem.detail})"[:200])
    return kept, refused
