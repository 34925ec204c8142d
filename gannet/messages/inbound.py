"""Mail coming in: threaded by headers and number, logged or added, never dropped.

A message is read and its files are looked at before the write lock is taken. What it says
of who sent it is believed only as far as it is proved, see `Proof`.
"""

import logging
import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from functools import partial
from hashlib import sha256
from io import BytesIO
from secrets import token_hex
from typing import Any
from uuid import UUID

from django.conf import settings
from django.core.files.uploadedfile import InMemoryUploadedFile
from django.db import OperationalError, transaction
from django.db.models import F

from gannet.audit.models import Event
from gannet.messages import notices, outbox
from gannet.messages.models import (
    Incoming,
    OtherAddress,
    Outcome,
    Outgoing,
    StandInMessage,
    Unwanted,
)
from gannet.messages.reader import UnreadableMail, reader
from gannet.messages.reading import File, ReadMail
from gannet.people import mail_keys
from gannet.people.models import Person
from gannet.tickets import policies
from gannet.tickets.actions import (
    Acting,
    NewTicket,
    follow,
    log_ticket,
    reopen,
    requester_writes,
    was_it,
)
from gannet.tickets.actions.approvals import decide
from gannet.tickets.actions.first_answers import offered_on
from gannet.tickets.actions.frame import writing
from gannet.tickets.actions.talk import note, reply
from gannet.tickets.classify import Guess, classify
from gannet.tickets.events import TicketEvent
from gannet.tickets.files import MAX_FILES, CheckedFile, attach, check_upload, keep_checked
from gannet.tickets.models import Approval, ApprovalState, Channel, StateCode, Through, Ticket
from gannet.web.errors import Problem
from gannet.web.isolation import attempt
from gannet_core.instants import instant_of
from gannet_core.knowledge import said_was_it

log = logging.getLogger(__name__)
MAX_MESSAGE_BYTES = 20 * 1024 * 1024
_MOST_TRIES = 3
_NUMBER = re.compile(r"\[Gannet (\d{1,9})\]")
_OUR_ID = re.compile(r"<gannet\.(\d{1,9})[.\w-]{0,120}@")
_BULK = ("bulk", "list", "junk", "auto_reply")
_LOOP_MESSAGES = 20
_MOST_UNPROVED = 60
_LOOP_SECONDS = 600


@dataclass(frozen=True)
class _Result:
    outcome: Outcome
    ticket_id: int | None = None
    because: str = ""


@dataclass(frozen=True)
class Proof:
    """Whether a message comes from whom its From says, and by what.

    It does when a server that the settings trust says so (an Authentication-Results header
    of RFC 8601 with `dmarc=pass`), or when it answers a message that only its sender was
    sent. Anything else can be written by anybody.
    """

    is_verified: bool
    because: str


@dataclass(frozen=True)
class Prepared:
    """A message as it is acted on: read, its keys taken out, its files looked at."""

    mail: ReadMail
    keys: list[str]
    files: list[CheckedFile]
    refused: list[str]
    guess: Guess
    proof: Proof = Proof(False, "")

    @property
    def whole(self) -> str:
        return self.mail.whole or "(no text)"


def read_waiting(now_s: int, most: int = 50) -> int:
    """Read the desk's unread mail from the stand-in; returns how many were read.

    A message that could not be read once is set aside; one during which everything stopped
    is tried again, but not for ever.
    """
    waiting = StandInMessage.objects.filter(for_desk=1, is_read=0).order_by("id")
    ids = list(waiting.values_list("id", flat=True)[:most])
    for message_id in ids:
        attempt("reading mail", message_id, partial(_read_one, message_id, now_s), now_s)
    return len(ids)


def _read_one(message_id: int, now_s: int) -> int:
    unread = StandInMessage.objects.filter(pk=message_id, is_read=0)
    unread.update(tries=F("tries") + 1)
    row = unread.first()
    if row is None:
        return 0
    raw = bytes(row.raw)
    found = None if row.tries > _MOST_TRIES else prepared(raw)
    with transaction.atomic():
        # Another worker may have been quicker.
        if unread.update(is_read=1):
            keep_message(raw, found, now_s, stand_in_id=row.pk)
    return 1


def read_message(raw: bytes, now_s: int, stand_in_id: int | None = None) -> Incoming:
    """Read one message and keep what became of it."""
    return keep_message(raw, prepared(raw), now_s, stand_in_id)


def prepared(raw: bytes) -> Prepared | None:
    """A message read and looked at, without the write lock; None when that did not work."""
    try:
        mail = reader.read(raw[:MAX_MESSAGE_BYTES])
    except UnreadableMail as error:
        log.warning("a message was set aside: %s", error)
        return None
    texts, keys = [], []
    for text in (mail.subject, mail.text, mail.carried):
        clean, found = mail_keys.without_keys(text)
        texts.append(clean)
        keys += found
    mail = replace(mail, subject=texts[0], text=texts[1], carried=texts[2])
    files, refused = _looked_at(mail.files)
    keys += [key for file in files for key in file.keys]
    guess = classify(f"{mail.subject}\n{mail.text}")
    return Prepared(mail, list(dict.fromkeys(keys)), files, refused, guess)


def keep_message(
    raw: bytes, found: Prepared | None, now_s: int, stand_in_id: int | None = None
) -> Incoming:
    """Act on a message that was read, and keep what became of it."""
    if found is not None:
        found = replace(found, proof=prove(found.mail))
    mail = found.mail if found else ReadMail()
    # Without an id of its own it is known by its content.
    message_id = mail.message_id or f"<without-id.{stand_in_id}.{sha256(raw).hexdigest()[:40]}>"
    if found is None:
        result = _Result(Outcome.UNREADABLE, because="It took too long, or could not be read.")
    elif Incoming.objects.filter(message_id=message_id).exists():
        result = _Result(Outcome.TWICE, because="The same Message-ID came in before.")
        message_id = f"{message_id[:150]}#{stand_in_id or token_hex(4)}"
    elif len(raw) > MAX_MESSAGE_BYTES:
        result = _too_large(mail, len(raw), now_s)
    else:
        result = _acted_on(found, now_s)
    if Incoming.objects.filter(message_id=message_id).exists():
        message_id = f"{message_id[:150]}#{token_hex(4)}"
    return Incoming.objects.create(
        message_id=message_id,
        stand_in_id=stand_in_id,
        from_address=mail.sender,
        path=_path(found) if found else "",
        about=_about(_threaded(mail)),
        subject=mail.subject,
        outcome=result.outcome,
        because=result.because[:300],
        ticket_id=result.ticket_id,
        read_at=instant_of(now_s),
    )


def _acted_on(found: Prepared, now_s: int) -> _Result:
    try:
        with transaction.atomic():
            result = _handle(found, now_s)
            # What decided is used up; any other key has been seen by whoever reads this.
            outbox.keys_were_seen(found.keys, now_s)
            return result
    except Problem as problem:
        return _Result(Outcome.UNREADABLE, because=problem.detail[:300])
    except OperationalError:
        raise  # the database is busy: it is read again
    except Exception as error:
        # One message that nobody foresaw must not keep all others from being read.
        log.exception("a message could not be acted on")
        return _Result(Outcome.UNREADABLE, because=f"{type(error).__name__}: {error}"[:300])


def prove(mail: ReadMail) -> Proof:
    """Whether a message comes from whom its From says."""
    if mail.senders != 1:
        return Proof(False, "its From names several senders, or none")
    if _answers_own(mail):
        return Proof(True, "it answers a message that only its sender was sent")
    if not settings.MAIL_TRUSTED_SERVER:
        return Proof(False, "no mail server is trusted to say who sent it")
    for line in mail.authentication:
        server, _, results = line.partition(";")
        if server.split(" ")[0].casefold() == settings.MAIL_TRUSTED_SERVER.casefold():
            return _dmarc(results.casefold(), mail.sender.rpartition("@")[2])
    return Proof(False, "the mail server says nothing of who sent it")


def _dmarc(results: str, domain: str) -> Proof:
    """What the trusted server found of the domain of the From (RFC 8601, RFC 7489)."""
    for one in results.split(";"):
        words = one.split()
        if not words or not words[0].startswith("dmarc="):
            continue
        found = words[0].removeprefix("dmarc=")
        of = next(
            (w.removeprefix("header.from=") for w in words if w.startswith("header.from=")), ""
        )
        if found == "pass" and of in ("", domain):
            return Proof(True, "the mail server has checked its sender")
        return Proof(False, f"the mail server says dmarc={found}"[:80])
    return Proof(False, "the mail server says nothing of who sent it")


def _answers_own(mail: ReadMail) -> bool:
    """Whether it names a message that went to this address and no other."""
    ours = [one for one in mail.answers if one.startswith("<gannet.")]
    sent = Outgoing.objects.filter(message_id__in=ours, sent_s__isnull=False)
    rows = sent.values_list("to", "person_id")
    person = person_of(mail.sender) if rows else None
    return any(
        to.casefold() == mail.sender or (person is not None and person.pk == person_id)
        for to, person_id in rows
    )


def _handle(found: Prepared, now_s: int) -> _Result:
    mail = found.mail
    if mail.bounced is not None:
        return _note_bounce(mail, now_s)
    if mail.sender == settings.DESK_ADDRESS.casefold() or mail.is_ours:
        return _Result(Outcome.LOOP, because="It is one of our own: answering it would go round.")
    if mail.automatic not in ("", "no") or mail.precedence in _BULK:
        return _Result(Outcome.AUTOMATIC, because="Its headers say that nobody wrote it.")
    if mail.list_id:
        return _Result(Outcome.AUTOMATIC, because="It went to a list, not to us.")
    unwanted = Unwanted.objects.filter(address=mail.sender).update(kept_aside=F("kept_aside") + 1)
    if unwanted:
        return _Result(Outcome.UNWANTED, because=f"{mail.sender} was marked as not ours.")
    threaded = _threaded(mail)
    too_many = _too_many(found, threaded, now_s)
    if too_many:
        return _Result(Outcome.LOOP, because=too_many)
    person = person_of(mail.sender)
    if person is None:
        return _from_outside(found, threaded, now_s)
    acting = Acting(
        person=person,
        now=instant_of(now_s),
        by_mail=True,
        unverified="" if found.proof.is_verified else found.proof.because,
    )
    decided = _decided(found, acting)
    if decided is not None:
        return decided
    ticket = _thread(threaded, person)
    if ticket is None:
        return log_mail(found, person, acting)
    if ticket.is_confidential and not found.proof.is_verified:
        return _keep_aside(found, ticket, now_s)
    if _was_it(ticket, found, acting):
        return _Result(Outcome.ANSWERED, ticket.pk, "solved with an article that was offered")
    files = kept_files(found, person, acting)
    _add(ticket, person, found, acting, files)
    _say_refused(ticket.pk, found.refused, acting)
    return _Result(Outcome.ANSWERED, ticket.pk, "; ".join(found.refused))


def _keep_aside(found: Prepared, ticket: Ticket, now_s: int) -> _Result:
    """A mail that nobody vouches for neither shows nor changes what is confidential."""
    leads = (m.person for m in ticket.team.memberships.filter(is_lead=True))
    for person in (ticket.holder, *leads):
        if person is not None:
            notices.notify(
                person,
                "mail quarantined",
                f"aside:{ticket.pk}",
                f"A mail about {ticket.pk} was quarantined",
                now_s,
                ticket=ticket,
                text=f"It says that it is from {found.mail.sender}, but {found.proof.because}.",
            )
    return _Result(
        Outcome.UNVERIFIED, because=f"{found.proof.because}; {ticket.pk} is confidential"
    )


def _was_it(ticket: Ticket, found: Prepared, acting: Acting) -> bool:
    """An answer that an article which was offered was it; said by its proved requester alone.

    What cannot be done so goes on as an ordinary message, so that no word is lost.
    """
    place = said_was_it(found.mail.text)
    if place is None or not found.proof.is_verified or acting.person_id != ticket.requester_id:
        return False
    if found.files or found.refused:
        return False  # somebody who sends files has more to say
    if not ticket.is_open and offered_on(ticket):
        # It was resolved meanwhile, and these words are no reason to open it again.
        note_from(ticket.pk, found, acting.now_s, acting.person)
        return True
    try:
        with transaction.atomic():
            was_it(ticket.pk, acting, place=place, said=found.whole)
    except Problem:
        return False
    return True


_YES = ("approve", "approved", "yes", "ok")
_NO = ("reject", "rejected", "refuse", "refused", "no")


def _decided(found: Prepared, acting: Acting) -> _Result | None:
    """An answer to what was asked: the key of its mail, and a first word that decides.

    The key is good once and for two weeks; whoever sends it must be asked themselves.
    Anything else goes on as an ordinary message, so that no word is lost.
    """
    said = found.mail.text.strip()
    first, _, rest = said.partition(" ")
    line = said.partition("\n")[0]
    word = re.sub(r"\W", "", first.partition("\n")[0][:40]).casefold()
    if word not in (*_YES, *_NO):
        return None
    asked = _asked_by(found, acting)
    if asked is None or acting.person is None:
        return None
    reason = rest if line.casefold() != first.casefold() else said[len(line) :]
    try:
        decide(
            acting,
            asked.pk,
            approves=word in _YES,
            reason=reason.strip(" :,-–\n"),
            through=Through.MAIL,
        )
    except Problem as error:
        _tell_undecided(acting.person, asked, error.detail, acting)
        return _Result(Outcome.ANSWERED, asked.ticket_id, f"Not answered: {error.detail}")
    return _Result(Outcome.ANSWERED, asked.ticket_id, f"decided: {word}")


def _asked_by(found: Prepared, acting: Acting) -> Approval | None:
    """What a mail opens for its sender: by a key in it, or as an answer to the mail with one."""
    rows = [mail_keys.find(key, mail_keys.DECIDE) for key in found.keys]
    answered = Outgoing.objects.filter(message_id__in=found.mail.answers)
    rows += mail_keys.in_messages(answered.values_list("pk", flat=True), mail_keys.DECIDE)
    for row in rows:
        is_theirs = row is not None and row.person_id == acting.person_id
        if row is not None and is_theirs and mail_keys.is_alive(row, acting.now_s):
            return Approval.objects.filter(pk=row.what, state=ApprovalState.PENDING).first()
    return None


def _tell_undecided(person: Person, asked: Approval, why: str, acting: Acting) -> None:
    """An answer that decided nothing says so to whoever sent it: nobody waits in vain."""
    domain = settings.DESK_ADDRESS.partition("@")[2]
    Outgoing.objects.create(
        message_id=f"<gannet.undecided.{token_hex(8)}@{domain}>",
        to=person.email,
        person=person,
        subject=f"[Gannet {asked.ticket_id}] Your answer was not taken as a decision",
        body=f"Hello {person.first_name},\n\nyour answer about “{asked.what}” was not taken as a "
        f"decision: {why}\n\n{settings.PUBLIC_URL}/approvals",
        ticket_id=asked.ticket_id,
        made_at=acting.now,
        send_at_s=acting.now_s,
    )


def person_of(address: str) -> Person | None:
    """Whose address it is: their own, or another one that is known to be theirs."""
    if not address:
        return None
    found = Person.objects.filter(email=address, is_active=True).first()
    if found is not None:
        return found
    other = OtherAddress.objects.filter(address=address).select_related("person").first()
    return other.person if other is not None and other.person.is_active else None


def _from_outside(found: Prepared, threaded: list[Ticket], now_s: int) -> _Result:
    """Somebody who is no person here: part of a conversation they were copied on, or unknown."""
    address = found.mail.sender
    for ticket in threaded:
        copied = Event.objects.filter(ticket=ticket, kind=TicketEvent.REPLIED)
        asked = any(address in event.values.get("outside", ()) for event in copied)
        if not asked or ticket.state > StateCode.RESOLVED:
            continue
        if ticket.is_confidential and not found.proof.is_verified:
            return _keep_aside(found, ticket, now_s)
        note_from(ticket.pk, found, now_s)
        return _Result(Outcome.ANSWERED, ticket.pk, because=f"{address} was copied on it.")
    if settings.UNKNOWN_SENDERS == "log" and "@" in address:
        guest = Person.objects.create_user(
            address,
            name=found.mail.sender_name or address.partition("@")[0][:120],
            department="Outside",
            job="Guest",
        )
        unverified = "" if found.proof.is_verified else found.proof.because
        acting = Acting(person=guest, now=instant_of(now_s), by_mail=True, unverified=unverified)
        return log_mail(found, guest, acting)
    return _Result(Outcome.UNKNOWN, because=f"Nobody here has {address or 'this address'}.")


def note_from(
    ticket_id: int,
    found: Prepared,
    now_s: int,
    person: Person | None = None,
    files: Sequence[UUID] = (),
    keeper: Acting | None = None,
) -> None:
    """Words of a mail that are nobody's public reply: a note under their own name.

    `files` are those of the mail, kept in the name of the `keeper`.
    """
    system = Acting(person=None, now=instant_of(now_s), by_mail=True)
    mail = found.mail
    who = person.name if person is not None else mail.sender_name or mail.sender
    values: dict[str, Any] = {"from_name": who, "from_address": mail.sender}
    if not found.proof.is_verified:
        values["unverified"] = found.proof.because
    with writing(ticket_id, system) as write:
        write.record(
            TicketEvent.NOTED,
            text=found.whole,
            values=values,
            is_automatic=True,
            by_desk=False,
        )
        if keeper is not None:
            write.afterwards(lambda: attach(write.ticket, files, write.events[0].id, keeper))
        write.tell(write.ticket.holder, "requester wrote", found.whole)


def _note_bounce(mail: ReadMail, now_s: int) -> _Result:
    """Say on the ticket that somebody could not be reached, and tell its holder.

    Anybody can write such a report; it is believed when it names a message that we sent
    to that address.
    """
    said = f"Mail to {mail.bounced or 'somebody'} could not be delivered."
    for number in mail.bounced_of:
        sent = Outgoing.objects.filter(ticket=number, sent_s__isnull=False)
        if mail.bounced:
            sent = sent.filter(to__iexact=mail.bounced)
        if not sent.exists():
            continue
        sent.filter(pk=sent.order_by("-sent_s", "-id").values("pk")[:1]).update(bounced_s=now_s)
        system = Acting(person=None, now=instant_of(now_s), by_mail=True)
        with writing(number, system) as write:
            write.record(TicketEvent.MAIL_FAILED, text=said, is_automatic=True, by_desk=False)
            write.tell(write.ticket.holder, "outside changed", said)
        return _Result(Outcome.BOUNCE, number, said)
    return _Result(Outcome.BOUNCE, because=said)


def _path(found: Prepared) -> str:
    """By which way a message came: who handed it to us, and whether its sender is proved.

    What somebody else sends under a person's name comes by another way than their own mail,
    so that it cannot use up their patience.
    """
    proved = "proved" if found.proof.is_verified else "unproved"
    via = sha256(found.mail.received.encode()).hexdigest()[:16] if found.mail.received else ""
    return f"{proved}:{_peer(found.mail.received) or via}"[:120]


_PEER = re.compile(r"from [^\[]{0,200}\[([0-9a-fA-F.:]{3,60})\]")


def _peer(received: str) -> str:
    named = _PEER.search(received[:400])
    return named[1].lower() if named else ""


def _too_many(found: Prepared, threaded: list[Ticket], now_s: int) -> str:
    """A person does not write so often; a program that answers ours does.

    Counted are messages of one sender by one way about the same: others who write under
    that name do not count. What nobody vouches for is also counted about everything.
    """
    lately = Incoming.objects.filter(
        from_address=found.mail.sender,
        path=_path(found),
        read_at__gt=instant_of(now_s - _LOOP_SECONDS),
        outcome__in=(Outcome.LOGGED, Outcome.ANSWERED, Outcome.LOOP, Outcome.UNVERIFIED),
    )
    same = lately.filter(about=_about(threaded)).count()
    in_all = 0 if found.proof.is_verified else lately.count()
    if same < _LOOP_MESSAGES and in_all < _MOST_UNPROVED:
        return ""
    count = max(same, in_all)
    return f"{count} messages in {_LOOP_SECONDS // 60} minutes: a loop, until it is quiet."


def _about(threaded: list[Ticket]) -> str:
    return str(threaded[0].pk) if threaded else ""


def _too_large(mail: ReadMail, size: int, now_s: int) -> _Result:
    """Kept aside; its sender, if known, is told so."""
    because = f"{size // 1_048_576} MB; at most {MAX_MESSAGE_BYTES // 1_048_576} MB are read."
    person = person_of(mail.sender)
    if person is not None and mail.automatic in ("", "no"):
        Outgoing.objects.create(
            message_id=f"<gannet.large.{token_hex(8)}@{settings.DESK_ADDRESS.partition('@')[2]}>",
            to=person.email,
            person=person,
            subject="Your message was too large",
            body=f"Hello {person.first_name},\n\nyour message “{mail.subject[:120]}” "
            f"has {because} It was quarantined and nobody has read it. Send it again without the "
            "large files, or report it on the portal and attach them there.",
            made_at=instant_of(now_s),
            send_at_s=now_s,
        )
    return _Result(Outcome.TOO_LARGE, because=because)


def _add(
    ticket: Ticket, person: Person, found: Prepared, acting: Acting, files: list[UUID]
) -> None:
    if ticket.requester_id == person.pk:
        if ticket.state == StateCode.RESOLVED:
            reopen(ticket.pk, acting, found.whole)
        else:
            requester_writes(ticket.pk, acting, found.whole, files)
    elif policies.works_on(person, ticket) and found.proof.is_verified:
        reply(ticket.pk, acting, found.whole, files)
    else:
        # A follower's words reach the desk without pretending to be the requester's, and
        # what only claims to be a colleague's is no answer of the desk.
        note_from(ticket.pk, found, acting.now_s, person, files, acting)


def log_mail(found: Prepared, person: Person, acting: Acting) -> _Result:
    """Log a mail as a ticket of somebody, with its files and those in copy."""
    mail, guess = found.mail, found.guess
    title = _NUMBER.sub("", mail.subject).strip() or mail.text[:80] or "(no subject)"
    ticket = log_ticket(
        NewTicket(
            requester=person,
            title=title,
            text=mail.whole,
            channel=Channel.MAIL,
            service=guess.service if guess.is_sure else None,
            attachments=kept_files(found, person, acting),
            suggestion_why=guess.why,
        ),
        acting,
    )
    if found.proof.is_verified or not ticket.is_confidential:
        for follower in _copied(mail, person):
            follow(ticket.pk, acting, follower)
    _say_refused(ticket.pk, found.refused, acting)
    return _Result(Outcome.LOGGED, ticket.pk, "; ".join(found.refused))


def _say_refused(ticket_id: int, refused: list[str], acting: Acting) -> None:
    """What was quarantined is said on the ticket, so that nobody waits for a file."""
    if refused:
        system = Acting(person=None, now=acting.now, by_mail=True)
        note(ticket_id, system, "Left out of the mail: " + "; ".join(refused) + ".")


def _copied(mail: ReadMail, writer: Person) -> list[Person]:
    """Colleagues in copy follow what they were copied on, if they may know of it."""
    found = Person.objects.filter(email__in=mail.copies, is_active=True)
    return [person for person in found.exclude(pk=writer.pk) if person.is_on_desk][:20]


def _threaded(mail: ReadMail) -> list[Ticket]:
    """The tickets that a message says it belongs to: by headers first, then by number."""
    numbers: list[int] = []
    by_id: dict[str, int] = {}
    for model in (Incoming, Outgoing):
        rows = model.objects.filter(message_id__in=mail.answers, ticket__isnull=False)
        by_id.update(rows.values_list("message_id", "ticket_id"))
    for one in mail.answers:
        if one in by_id:
            numbers.append(by_id[one])
        numbers.extend(int(number) for number in _OUR_ID.findall(one))
    numbers.extend(int(number) for number in _NUMBER.findall(mail.subject))
    known = {row.pk: row for row in Ticket.objects.filter(pk__in=numbers)}
    return [known[number] for number in dict.fromkeys(numbers) if number in known]


def _thread(threaded: Iterable[Ticket], person: Person) -> Ticket | None:
    """The open or resolved ticket a message belongs to, if its sender may know of it."""
    for ticket in threaded:
        # A merged duplicate goes on as the other one.
        goes_on = ticket.duplicate_of or ticket
        if goes_on.state > StateCode.RESOLVED:
            continue
        if policies.visible_to(person).filter(pk=goes_on.pk).exists():
            return goes_on
    return None


def _looked_at(files: Iterable[File]) -> tuple[list[CheckedFile], list[str]]:
    """The files that can be kept, and in words those that cannot."""
    kept: list[CheckedFile] = []
    refused: list[str] = []
    for file in files:
        if len(kept) >= MAX_FILES:
            refused.append(f"{file.name} (more than {MAX_FILES} files)")
            continue
        upload = InMemoryUploadedFile(
            BytesIO(file.content), "file", file.name, file.content_type, len(file.content), None
        )
        try:
            kept.append(check_upload(upload))
        except Problem as problem:
            refused.append(f"{file.name} ({problem.detail})"[:200])
    return kept, refused


def kept_files(found: Prepared, person: Person, acting: Acting) -> list[UUID]:
    """The files of a mail, kept in the name of somebody."""
    return [keep_checked(file, person, acting.now).pk for file in found.files]
