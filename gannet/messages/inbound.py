"""Mail coming in: threaded by headers and number, logged or added, never dropped."""

import logging
import re
from dataclasses import dataclass
from email import message_from_bytes, policy
from email.message import EmailMessage
from email.utils import parseaddr
from io import BytesIO

import nh3
from django.core.files.uploadedfile import InMemoryUploadedFile
from django.db import OperationalError, transaction

from gannet.messages.models import Incoming, Outcome, Outgoing, StandInMessage
from gannet.people.models import Person
from gannet.tickets import policies
from gannet.tickets.actions import Acting, NewTicket, follow, log_ticket, reopen, requester_writes
from gannet.tickets.actions.talk import note, reply
from gannet.tickets.classify import classify
from gannet.tickets.files import keep_upload
from gannet.tickets.models import Channel, StateCode, Ticket
from gannet.web.errors import Problem
from gannet_core.instants import instant_of

log = logging.getLogger(__name__)
MAX_MESSAGE_BYTES = 20 * 1024 * 1024
_NUMBER = re.compile(r"\[Gannet (\d{1,9})\]")
_OUR_ID = re.compile(r"<gannet\.(\d{1,9})(?:\.\d+\.\d+)?@")
_QUOTE_START = re.compile(
    r"^(On .{5,120} wrote:|-{2,} ?Original Message ?-{2,}|_{10,}|From: .+)$", re.IGNORECASE
)
_SIGNATURE = re.compile(r"^-- ?$")


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
    message = message_from_bytes(raw[:MAX_MESSAGE_BYTES], policy=policy.default)
    if not isinstance(message, EmailMessage):
        message = EmailMessage()
    message_id = _header(message, "Message-ID")[:200] or f"<without-id.{stand_in_id}.{now_s}>"
    if Incoming.objects.filter(message_id=message_id).exists():
        result = _Result(Outcome.TWICE, because="The same Message-ID came in before.")
        message_id = f"{message_id[:150]}#{stand_in_id}"
    elif len(raw) > MAX_MESSAGE_BYTES:
        result = _Result(Outcome.TOO_LARGE, because=f"{len(raw)} bytes.")
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
        from_address=_sender(message)[:254],
        subject=_header(message, "Subject")[:300],
        outcome=result.outcome,
        because=result.because,
        ticket_id=result.ticket_id,
        read_at=instant_of(now_s),
    )


def _handle(message: EmailMessage, now_s: int) -> _Result:
    automatic = _header(message, "Auto-Submitted").casefold()
    if automatic not in ("", "no") or _header(message, "Precedence") in ("bulk", "list", "junk"):
        return _Result(Outcome.AUTOMATIC, because="Its headers say that nobody wrote it.")
    person = Person.objects.filter(email=_sender(message), is_active=True).first()
    if person is None:
        return _Result(Outcome.UNKNOWN, because=f"Nobody here has {_sender(message)}.")
    acting = Acting(person=person, now=instant_of(now_s), by_mail=True)
    ticket = _thread(message, person)
    text = fold_quotes(body_text(message))
    if ticket is None:
        return _log(message, person, text, acting)
    files = _attachments(message, person, acting)
    _add(ticket, person, text or "(no text)", acting, files)
    return _Result(Outcome.ANSWERED, ticket.pk)


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


def _log(message: EmailMessage, person: Person, text: str, acting: Acting) -> _Result:
    title = _NUMBER.sub("", _header(message, "Subject")).strip() or text[:80] or "(no subject)"
    guess = classify(f"{title}\n{text}")
    files = _attachments(message, person, acting)
    ticket = log_ticket(
        NewTicket(
            requester=person,
            title=title,
            text=text,
            channel=Channel.MAIL,
            service=guess.service if guess.is_sure else None,
            attachments=files,
            suggestion_why=guess.why,
        ),
        acting,
    )
    for follower in _copied(message, person):
        follow(ticket.pk, acting, follower)
    return _Result(Outcome.LOGGED, ticket.pk)


def _copied(message: EmailMessage, sender: Person) -> list[Person]:
    """Colleagues in copy follow what they were copied on, if they may know of it."""
    addresses = [address.casefold() for _, address in _addresses(message, "Cc")]
    found = Person.objects.filter(email__in=addresses, is_active=True).exclude(pk=sender.pk)
    return [person for person in found if person.is_on_desk][:20]


def _addresses(message: EmailMessage, name: str) -> list[tuple[str, str]]:
    from email.utils import getaddresses

    return getaddresses([str(value) for value in message.get_all(name, [])])


def _thread(message: EmailMessage, person: Person) -> Ticket | None:
    """The open or resolved ticket a message belongs to, if its sender may know of it."""
    numbers: list[int] = []
    for name in ("In-Reply-To", "References"):
        header = _header(message, name)
        for found in re.findall(r"<[^>]+>", header):
            numbers.extend(
                Outgoing.objects.filter(message_id=found, ticket__isnull=False).values_list(
                    "ticket_id", flat=True
                )
            )
            numbers.extend(
                Incoming.objects.filter(message_id=found, ticket__isnull=False).values_list(
                    "ticket_id", flat=True
                )
            )
        numbers.extend(int(number) for number in _OUR_ID.findall(header))
    numbers.extend(int(n) for n in _NUMBER.findall(_header(message, "Subject")))
    for number in numbers:
        ticket = policies.visible_to(person).filter(pk=number).first()
        if ticket is not None and ticket.state <= StateCode.RESOLVED:
            return ticket
    return None


def body_text(message: EmailMessage) -> str:
    """The readable text of a message: its plain part, else its HTML without markup."""
    part = message.get_body(preferencelist=("plain", "html"))
    if part is None:
        return ""
    try:
        content = part.get_content()
    except (LookupError, UnicodeError, KeyError):
        payload = part.get_payload(decode=True)
        content = payload.decode("utf-8", "replace") if isinstance(payload, bytes) else ""
    if part.get_content_type() == "text/html":
        content = _html_to_text(str(content))
    return str(content).replace("\r\n", "\n").strip()


def _html_to_text(html: str) -> str:
    from html import unescape

    broken = re.sub(r"(?i)<(br|/p|/div|/li|/tr|/h\d)[^>]*>", "\n", html)
    return re.sub(r"\n{3,}", "\n\n", unescape(nh3.clean(broken, tags=set())))


def fold_quotes(text: str) -> str:
    """The new words of a message: without what it quotes, and without a signature."""
    kept: list[str] = []
    for line in text.splitlines():
        if _SIGNATURE.match(line) or _QUOTE_START.match(line.strip()):
            break
        if line.startswith(">"):
            continue
        kept.append(line)
    folded = "\n".join(kept).strip()
    return folded or text.strip()


def _attachments(message: EmailMessage, person: Person, acting: Acting) -> list:  # type: ignore[type-arg]
    kept = []
    for part in list(message.iter_attachments())[:10]:
        payload = part.get_payload(decode=True)
        if not isinstance(payload, bytes) or not payload:
            continue
        name = part.get_filename() or "attachment"
        upload = InMemoryUploadedFile(
            BytesIO(payload), "file", name, part.get_content_type(), len(payload), None
        )
        try:
            kept.append(keep_upload(upload, person, acting.now).pk)
        except Problem:
            continue  # the whole message stays in the Mail room
    return kept


def _sender(message: EmailMessage) -> str:
    return parseaddr(_header(message, "From"))[1].casefold()


def _header(message: EmailMessage, name: str) -> str:
    try:
        value = message.get(name, "")
    except (ValueError, IndexError, AttributeError):
        value = ""
    return " ".join(str(value or "").split())
