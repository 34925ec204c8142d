"""The outbox: messages are rows, sent after commit, at least once."""

import hmac
import logging
import secrets
import smtplib
import ssl
from collections.abc import Iterable, Sequence
from email.message import EmailMessage
from email.utils import formataddr, formatdate
from typing import Any

from django.conf import settings
from django.db import transaction
from django.db.models import Q
from django.utils import timezone
from django.utils.text import slugify

from gannet.audit.models import Event
from gannet.messages import letters, notices
from gannet.messages.delivery import audience_of, plan
from gannet.messages.enclosed import NOTHING, Enclosed, enclosed_with
from gannet.messages.models import Outgoing
from gannet.people import mail_keys
from gannet.people.models import MailKey, Person
from gannet.rulebook.book import Book, current
from gannet.tickets import policies
from gannet.tickets.approval_json import asked_lines
from gannet.tickets.events import TicketEvent, author_of
from gannet.tickets.models import Approval, ApprovalState, Clock, SurveyAnswer, Ticket
from gannet.tickets.placeholders import values_of
from gannet.tickets.telling import Wanted
from gannet.web import kept_writes
from gannet.web.markdown import as_html
from gannet.web.network import speaking
from gannet_core.instants import instant_of, seconds_of
from gannet_core.texts import FOLD

log = logging.getLogger(__name__)
_BATCH = 50
_MAX_ATTEMPTS = 8
_MOST_AGAIN = 5
_AGAIN = (
    "The link of our last message stood in a text that others can read, so it opens nothing "
    "any more. Here is a new one; please leave it out when you answer."
)
# Told of with a notification of their own, which carries what can be done.
_NOTIFIED_ELSEWHERE = frozenset({"approval asked", "task given"})


def queue(
    ticket: Ticket, book: Book, now_s: int, clocks: Sequence[Clock], wanted: Iterable[Wanted]
) -> None:
    """Queue messages about events of a ticket, in the caller's transaction."""
    rows = []
    dues = {clock.kind: clock.due_s for clock in clocks if not clock.holder}
    for want in wanted:
        if want.person is None:
            rows.append(_to_outside(ticket, book, now_s, want))
            continue
        person, name, event = want.person, want.name, want.event
        if not person.is_active or not _may_know(ticket, person):
            continue
        actor = author_of(event, settings.DESK_NAME)
        if want.name != "survey" and name not in _NOTIFIED_ELSEWHERE:
            about = notices.about_of(want.fixed or name, ticket.pk)
            shown = want.text.partition(FOLD)[0]
            notices.notify(
                person, name, about, ticket.title, now_s, ticket=ticket, text=shown, actor=actor
            )
        if not person.email:
            continue
        audience = audience_of(ticket, person)
        message = want.fixed or _message_for(book, name, audience)
        delivery = plan(book, ticket, person, name, audience, now_s)
        if message is None or message not in book.messages or delivery is None:
            continue
        said = want.text.partition(FOLD)[0]
        places = KeyPlaces(ticket, person, event)
        values = values_of(ticket, dues, person, said, actor, now_s, places)
        subject, body = book.message(message, values)
        rows.append(
            Outgoing(
                message_id=message_id(
                    ticket.pk, event.id, person.pk, message if want.fixed else ""
                ),
                to=person.email,
                person=person,
                subject=subject[:300],
                body=body,
                keys=places.used_in(body),
                headers=_headers(ticket),
                ticket=ticket,
                event_id=event.id,
                made_at=instant_of(now_s),
                send_at_s=delivery.at_s,
                in_digest=int(delivery.in_digest),
                event_name=name,
            )
        )
    kept_writes.insert(rows)


def _to_outside(ticket: Ticket, book: Book, now_s: int, want: Wanted) -> Outgoing:
    """A copy of a reply for somebody who is no person here; it tells no more than was said."""
    actor = author_of(want.event, settings.DESK_NAME)
    subject = f"[Gannet {ticket.pk}] {ticket.title}"
    body = f"Hello,\n\n{actor} writes:\n\n{want.text}\n\nReply to this mail to answer."
    return Outgoing(
        message_id=message_id(ticket.pk, want.event.id, 0, want.address.replace("@", "-at-")),
        to=want.address,
        subject=subject[:300],
        body=body,
        headers=_headers(ticket),
        ticket=ticket,
        event_id=want.event.id,
        made_at=instant_of(now_s),
        send_at_s=now_s + settings.MAIL_DELAY_SECONDS,
        event_name=want.name,
    )


def withdraw(event_id: int) -> int:
    """Keep messages about an event from leaving; returns how many had not left."""
    return Outgoing.objects.filter(event_id=event_id, sent_s__isnull=True).update(withdrawn=1)


def was_sent(event_id: int) -> bool:
    """Whether a message about an event has left already."""
    return Outgoing.objects.filter(event_id=event_id, sent_s__isnull=False, in_digest=0).exists()


def _may_know(ticket: Ticket, person: Person) -> bool:
    """A rule or step cannot tell anybody of a confidential ticket who may not see it."""
    if not ticket.is_confidential:
        return True
    return policies.may_know(person, ticket.pk)


def _message_for(book: Book, name: str, audience: str) -> str | None:
    found = book.wants(name, audience)
    return None if found is None else str(found["message"])


def message_id(ticket_id: int, event_id: int, person_id: int, fixed: str = "") -> str:
    """The Message-ID of one message to one person: who answers it has had it.

    It ends in a part that nobody can guess, so that an answer which names it comes from
    its recipient, or from somebody to whom they have forwarded it.
    """
    named = f"{ticket_id}.{event_id}.{person_id}" + (f".{slugify(fixed)}" if fixed else "")
    proof = hmac.new(settings.SECRET_KEY.encode(), f"message:{named}".encode(), "sha256")
    return f"<gannet.{named}.{proof.hexdigest()[:20]}@{_domain()}>"


def thread_id(ticket_id: int) -> str:
    """The reference that every message about a ticket carries."""
    return f"<gannet.{ticket_id}@{_domain()}>"


def send_due(now_s: int) -> int:
    """Send what is due, oldest first; returns how many were sent.

    A row is marked only after the server took the message: a crash between the two sends
    it once more, under the same Message-ID.
    """
    due = Outgoing.objects.filter(
        sent_s__isnull=True, withdrawn=0, in_digest=0, send_at_s__lte=now_s
    )
    rows = list(due.order_by("send_at_s", "id")[:_BATCH])
    if not rows:
        return 0
    try:
        with speaking("the mail server"):
            server = _server()
    except (OSError, smtplib.SMTPException) as error:
        _put_off(rows, now_s, f"The mail server does not answer: {error}")
        return 0
    sent = 0
    with server:
        for row in rows:
            try:
                message = as_message(row, with_keys(row, now_s), enclosed_with(row))
                with speaking("the mail server"):
                    server.send_message(message)
            except Exception as error:  # of one message: the others leave all the same
                _put_off([row], now_s, str(error) or type(error).__name__)
                continue
            Outgoing.objects.filter(pk=row.pk).update(sent_s=now_s)
            sent += 1
    return sent


def _server() -> smtplib.SMTP:
    """A connection to the mail server, encrypted and signed in as the settings say."""
    server = smtplib.SMTP(settings.EMAIL_HOST, settings.EMAIL_PORT, timeout=10)
    if settings.MAIL_STARTTLS:
        server.starttls(context=ssl.create_default_context())
    if settings.EMAIL_HOST_USER:
        server.login(settings.EMAIL_HOST_USER, settings.EMAIL_HOST_PASSWORD)
    return server


def with_keys(row: Outgoing, now_s: int) -> str:
    """The text of a message with keys made for it now: nothing but digests of them is kept."""
    body = row.body
    for place in row.keys:
        if row.person is not None:
            key = mail_keys.make(row.person, place["opens"], place["what"], now_s, row.pk)
            body = body.replace(place["marker"], key)
    return body


def send_again(key: MailKey, now_s: int) -> Outgoing | None:
    """Send a message once more with a key of its own, when the one it had was seen by others."""
    sent = Outgoing.objects.filter(pk=key.message or 0).first()
    if sent is None or not opens_something(key.opens, key.what):
        return None
    first = sent.again_of or sent.pk
    count = Outgoing.objects.filter(again_of=first).count()
    if count >= _MOST_AGAIN:
        return None
    name, _, domain = sent.message_id.strip("<>").rpartition("@")
    sent.pk, sent.again_of = None, first
    sent.message_id = f"<{name}.{secrets.token_hex(8)}@{domain}>"
    sent.body = f"{_AGAIN}\n\n{sent.body.removeprefix(_AGAIN).lstrip()}"
    sent.made_at, sent.send_at_s, sent.sent_s = instant_of(now_s), now_s, None
    sent.withdrawn, sent.attempts, sent.problem, sent.in_digest = 0, 0, "", 0
    sent.save(force_insert=True)
    return sent


def opens_something(opens: str, what: int) -> bool:
    """Whether there is still something to decide, or to say."""
    if opens == mail_keys.DECIDE:
        return Approval.objects.filter(pk=what, state=ApprovalState.PENDING).exists()
    return SurveyAnswer.objects.filter(pk=what, answered_s=None).exists()


def guard(text: str) -> str:
    """A text without keys of mails; those that were alive are dead, and others are sent."""
    clean, found = mail_keys.without_keys(text)
    if found:
        keys_were_seen(found, seconds_of(timezone.now()))
    return clean


def keys_were_seen(found: Sequence[str], now_s: int) -> None:
    """Keys stood in a text that others can read: they die, and new ones are sent."""
    if not found:
        return
    with transaction.atomic():
        for key in mail_keys.seen(found, now_s):
            send_again(key, now_s)


def as_message(row: Outgoing, body: str, enclosed: Enclosed = NOTHING) -> EmailMessage:
    body += enclosed.in_words()
    message = EmailMessage()
    message["From"] = formataddr((settings.DESK_NAME, settings.DESK_ADDRESS))
    message["To"] = row.to
    message["Subject"] = row.subject
    message["Message-ID"] = row.message_id
    message["Date"] = formatdate(row.made_at.timestamp(), usegmt=True)
    if not _is_written_by_somebody(row):
        message["Auto-Submitted"] = "auto-generated"
    message["X-Gannet"] = "yes"
    for name, value in row.headers.items():
        message[name] = value
    message.set_content(body)
    html = as_html(body)
    if html:
        message.add_alternative(f"<!doctype html><html><body>{html}</body></html>", subtype="html")
    enclosed.put_into(message)
    if row.ticket_id is None and row.pk:
        letters.put_files(message, row)
    return message


def _is_written_by_somebody(row: Outgoing) -> bool:
    """Whether a person's own words go out: then a machine may be answered, and out of office
    replies come back, as to any letter."""
    if row.event_name != "replied" or row.event_id is None:
        return False
    said = Event.objects.filter(pk=row.event_id, actor__isnull=False, is_automatic=0)
    return said.exists()


def deliveries(ticket_id: int, events: Sequence[int]) -> dict[int, list[dict[str, Any]]]:
    """How the messages about some events of a ticket fared: to whom, and when each left."""
    rows = Outgoing.objects.filter(ticket=ticket_id, event_id__in=events, again_of=None)
    found: dict[int, list[dict[str, Any]]] = {}
    for row in rows.select_related("person").order_by("id"):
        found.setdefault(row.event_id or 0, []).append(
            {
                "to": row.person.name if row.person else row.to,
                "state": _fared(row),
                "at_s": row.bounced_s or row.sent_s or row.send_at_s,
                "problem": row.problem if row.sent_s is None else "",
            }
        )
    return found


def _fared(row: Outgoing) -> str:
    if row.bounced_s is not None:
        return "bounced"
    if row.withdrawn:
        return "not sent"
    if row.sent_s is not None:
        return "left"
    return "failing" if row.attempts else "waiting"


def _headers(ticket: Ticket) -> dict[str, str]:
    return {"References": thread_id(ticket.pk), "In-Reply-To": thread_id(ticket.pk)}


def _put_off(rows: Iterable[Outgoing], now_s: int, problem: str) -> None:
    with transaction.atomic():
        for row in rows:
            row.attempts += 1
            row.problem = problem[:500]
            row.send_at_s = now_s + min(15 * 2**row.attempts, 3600)
            if row.attempts >= _MAX_ATTEMPTS:
                row.send_at_s = now_s + 3600
            row.save(update_fields=["attempts", "problem", "send_at_s"])
    log.warning("mail put off: %s", problem)


class KeyPlaces:
    """Where in a message's text keys will stand once it is sent, and what they will open.

    A place is marked with something random, which no text that people write can hold.
    """

    def __init__(self, ticket: Ticket, person: Person, event: Event) -> None:
        self._ticket, self._person, self._event = ticket, person, event
        self._marks: dict[tuple[str, int], str] = {}

    def decide(self) -> str:
        asked = self._asked()
        if asked is None:
            return f"{settings.PUBLIC_URL}/approvals"
        # Behind the # nothing of it reaches a server, its logs, or the next page.
        return f"{settings.PUBLIC_URL}/decide#{self._mark(mail_keys.DECIDE, asked)}"

    def ref(self) -> str:
        asked = self._asked()
        return "" if asked is None else self._mark(mail_keys.DECIDE, asked)

    def asked(self) -> str:
        """What is to be approved, in lines; nothing if nothing is."""
        number = self._asked()
        found = Approval.objects.select_related("asked_of").filter(pk=number or 0).first()
        if found is None:
            return ""
        found.ticket = self._ticket
        return asked_lines(found, self._person, current())

    def survey(self) -> str:
        is_asked = self._event.kind == TicketEvent.SURVEY_ASKED
        survey = None
        if is_asked:
            found = SurveyAnswer.objects.filter(ticket=self._ticket)
            survey = found.values_list("pk", flat=True).first()
        if survey is None:
            return f"{settings.PUBLIC_URL}/my/{self._ticket.pk}"
        return f"{settings.PUBLIC_URL}/how#{self._mark(mail_keys.SURVEY, survey)}"

    def used_in(self, body: str) -> list[dict[str, Any]]:
        return [
            {"marker": marker, "opens": opens, "what": what}
            for (opens, what), marker in self._marks.items()
            if marker in body
        ]

    def _mark(self, opens: str, what: int) -> str:
        return self._marks.setdefault((opens, what), f"key-{secrets.token_hex(12)}")

    def _asked(self) -> int | None:
        """What this message asks of its reader, else the newest that the ticket asks them."""
        if not self._ticket.open_approvals:
            return None
        mine = Q(asked_of=self._person) | Q(asked_of__deputies__deputy=self._person)
        rows = self._ticket.approvals.filter(mine, state=ApprovalState.PENDING).order_by("-id")
        keys = list(rows.values_list("pk", flat=True))
        this = self._event.facts.get("approval")
        return this if this in keys else next(iter(keys), None)


def _domain() -> str:
    return settings.DESK_ADDRESS.partition("@")[2] or "localhost"
