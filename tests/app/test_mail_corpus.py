"""Five thousand messages that nobody should send: none is lost, none stops the reading."""

import random
from collections import Counter
from collections.abc import Callable
from email.message import EmailMessage
from typing import Any

import pytest

from gannet.audit.models import Event
from gannet.messages import inbound, reading
from gannet.messages.models import Incoming, OtherAddress, Outcome, Outgoing, Unwanted
from gannet.tickets import actions
from gannet.tickets.events import TicketEvent
from gannet.tickets.models import Attachment, Ticket
from gannet_core.instants import seconds_of
from tests.conftest import NOW
from tests.lengths import up_to

pytestmark = pytest.mark.django_db
MAEVE = "maeve.tarrant@northmere.example"
WORDS = "gate till blank paper Straße naïve 票 Ω 🚢 reader quay \x00 \u202e rost".split(" ")
CHARSETS = ["utf-8", "iso-8859-1", "windows-1252", "koi8-r", "no-such-charset", "", "utf-16"]
ODD_HEADERS = [
    b"Subject: =?utf-8?q?broken",
    b"Subject: =?no-such?b?////?=",
    b"Subject: " + b"x" * 5000,
    b"Subject: \xff\xfe raw bytes",
    b"From: <<<>>>",
    b'From: "unclosed <maeve.tarrant@northmere.example>',
    b"From:",
    b"Date: yesterday-ish",
    b"Message-ID: no brackets at all",
    b"Message-ID: <>",
    b"References: " + b"<a@b> " * 400,
    b"Content-Type: text/plain; charset=\xff",
    b"Content-Type: ;;;",
    b"Content-Type: multipart/mixed",
    b"Content-Disposition: attachment; filename*=utf-8''%FF%FE",
    b"Content-Transfer-Encoding: base65",
    b"To: undisclosed recipients:;",
    b"Cc: ,,,@,<>",
    b"In-Reply-To: <gannet.99999999999999999999@x>",
    b"no colon in this header line",
]


def oddity(rng: random.Random, number: int) -> bytes:
    """One message, well-formed or broken in one of many ways."""
    sender = rng.choice([MAEVE, MAEVE, "nobody@elsewhere.example", "", "x" * 300 + "@y.example"])
    lines = [
        f"From: {sender}".encode(),
        f"Message-ID: <odd.{number}@example>".encode(),
        f"Subject: odd {number} {rng.choice(WORDS)}".encode("utf-8", "replace"),
    ]
    if rng.random() < 0.6:
        lines.append(rng.choice(ODD_HEADERS))
    if rng.random() < 0.15:
        lines.append(
            rng.choice([b"Auto-Submitted: auto-replied", b"Precedence: bulk", b"List-Id: x"])
        )
    body = " ".join(rng.choices(WORDS, k=rng.randint(0, 40)))
    charset = rng.choice(CHARSETS)
    try:
        content = body.encode(charset or "utf-8", "replace")
    except LookupError:
        content = body.encode("utf-8")
    match rng.randrange(7):
        case 0:
            lines.append(f"Content-Type: text/plain; charset={charset}".encode())
        case 1:
            lines.append(f"Content-Type: text/html; charset={charset}".encode())
            content = b"<p><script>x</script><b>" + content + b"</p><blockquote>old"
        case 2:
            lines += [b"Content-Type: text/plain", b"Content-Transfer-Encoding: base64"]
            content = b"!!!! not base64 ====" + content
        case 3:
            content = nested(rng.randint(1, 60), content)
            lines.append(b"Content-Type: multipart/mixed; boundary=b0")
        case 4:
            lines.append(b"Content-Type: multipart/mixed; boundary=never")
        case 5:
            content = rng.randbytes(rng.randint(0, 2000))
        case _:
            lines.append(b"Content-Type: multipart/alternative; boundary=z")
            content = (
                b"--z\n\nplain "
                + content
                + b"\n--z\nContent-Type: application/x\n"
                + (b"Content-Disposition: attachment; filename=../../x.exe\n\nMZ\n--z--")
            )
    raw = b"\r\n".join(lines) + rng.choice([b"\r\n\r\n", b"\n\n", b"\r\n"]) + content
    return raw[: rng.randint(1, len(raw))] if rng.random() < 0.08 else raw


def nested(depth: int, content: bytes) -> bytes:
    inner = b"Content-Type: text/plain\n\n" + content
    for level in range(depth, 0, -1):
        inner = (
            b"Content-Type: multipart/mixed; boundary=b%d\n\n--b%d\n" % (level, level)
            + inner
            + b"\n--b%d--" % level
        )
    return b"--b0\n" + inner + b"\n--b0--"


def test_no_message_is_lost_and_none_stops_the_reading(
    northmere: None, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(inbound, "_LOOP_MESSAGES", 10**6)
    monkeypatch.setattr(inbound, "_MOST_UNPROVED", 10**6)
    # Logging thousands of tickets is another test's matter; the reading is this one's.
    logged: list[str] = []

    def stand_in(found: Any, person: Any, acting: Any) -> Any:
        found.whole.encode()
        logged.append(found.mail.text)
        return inbound._Result(Outcome.LOGGED)

    monkeypatch.setattr(inbound, "log_mail", stand_in)
    rng = random.Random(11)
    many = up_to(1_500, 5_000)
    for number in range(many):
        inbound.read_message(oddity(rng, number), seconds_of(NOW), stand_in_id=number)
    kept = Counter(Incoming.objects.values_list("outcome", flat=True))
    assert sum(kept.values()) == many
    assert kept[Outcome.LOGGED] == len(logged) > many // 5
    assert kept[Outcome.UNKNOWN] > many // 5 and kept[Outcome.AUTOMATIC] > many // 50
    assert kept[Outcome.UNREADABLE] == 0, "whatever it is, something is read of it"
    assert any("票" in text for text in logged) and not any("\0" in text for text in logged)


def test_odd_messages_become_tickets_whole(northmere: None) -> None:
    rng = random.Random(5)
    for number in range(40):
        inbound.read_message(oddity(rng, number), seconds_of(NOW) + number * 60, number)
    for ticket in Ticket.objects.all():
        assert ticket.title.strip() and "\0" not in ticket.title
        assert Event.objects.filter(ticket=ticket, kind=TicketEvent.LOGGED).count() == 1


def test_thirty_megabytes_are_kept_aside_and_said_so(northmere: None) -> None:
    head = f"From: {MAEVE}\nSubject: the whole log\nMessage-ID: <big@x>\n\n".encode()
    kept = inbound.read_message(head + b"x" * (30 * 1024 * 1024), seconds_of(NOW))
    assert kept.outcome == Outcome.TOO_LARGE and "30 MB" in kept.because
    told = Outgoing.objects.get()
    assert told.to == MAEVE and "too large" in told.subject and "the whole log" in told.body


def plain(sender: str, subject: str, text: str, **more: str) -> bytes:
    message = EmailMessage()
    message["From"], message["Subject"] = sender, subject
    for name, value in more.items():
        message[name.replace("_", "-")] = value
    message.set_content(text)
    return bytes(message)


def read(raw: bytes, minutes: int = 0) -> Incoming:
    return inbound.read_message(raw, seconds_of(NOW) + minutes * 60, stand_in_id=minutes + 9_000)


def test_another_address_of_a_person_is_theirs(
    northmere: None, log: Callable[..., Any], person: Callable[[str], Any]
) -> None:
    ticket = log("Maeve", "Boarding gates")
    OtherAddress.objects.create(person=person("Maeve"), address="maeve@home.example")
    kept = read(plain("Maeve@Home.example", f"Re: [Gannet {ticket.pk}] x", "from home"))
    assert (kept.outcome, kept.ticket_id) == (Outcome.ANSWERED, ticket.pk)
    assert Event.objects.filter(
        ticket=ticket, kind=TicketEvent.REQUESTER_WROTE, text="from home"
    ).exists()


def test_a_sender_marked_as_not_for_us_is_kept_aside(
    northmere: None, by: Callable[[str | None], Any]
) -> None:
    first = read(plain(MAEVE, "Win a cruise", "Click here"))
    assert first.ticket_id is not None
    actions.set_unwanted(first.ticket_id, by("Signe"), remembers=True)
    ticket = Ticket.objects.get(pk=first.ticket_id)
    assert ticket.is_spam and not ticket.is_open
    told = Outgoing.objects.filter(ticket=ticket, withdrawn=0).exclude(subject__contains="Win")
    assert not told.exists(), "nobody is told that it was set aside"
    assert read(plain(MAEVE, "Win again", "Click"), 1).outcome == Outcome.UNWANTED
    assert Unwanted.objects.get().kept_aside == 1


def test_a_bounce_is_noted_where_it_belongs(
    northmere: None, log: Callable[..., Any], by: Callable[[str | None], Any]
) -> None:
    ticket = log("Maeve", "Boarding gates")
    actions.take(ticket.pk, by("Signe"))
    actions.reply(ticket.pk, by("Signe"), "Try the other gate.")
    sent = Outgoing.objects.filter(ticket=ticket, event_name="replied").get()
    forged = f"From: postmaster@evil.example\nSubject: {sent.message_id}\n\nFinal-Recipient: rfc822; {MAEVE}"
    assert read(forged.encode()).ticket_id is None, "nothing has been sent to it yet"
    Outgoing.objects.filter(pk=sent.pk).update(sent_s=seconds_of(NOW))
    raw = (
        b"From: MAILER-DAEMON@relay.example\nSubject: Undelivered\nMessage-ID: <dsn@relay>\n"
        b"Content-Type: multipart/report; report-type=delivery-status; boundary=r\n\n"
        b"--r\nContent-Type: message/delivery-status\n\nReporting-MTA: dns; relay.example\n\n"
        b"Final-Recipient: rfc822; " + MAEVE.encode() + b"\nAction: failed\n"
        b"--r\nContent-Type: message/rfc822\n\nMessage-ID: "
        + sent.message_id.encode()
        + b"\nSubject: x\n\nTry\n--r--\n"
    )
    kept = read(raw)
    assert (kept.outcome, kept.ticket_id) == (Outcome.BOUNCE, ticket.pk)
    said = Event.objects.get(ticket=ticket, kind=TicketEvent.MAIL_FAILED)
    assert MAEVE in said.text and said.is_automatic


def test_a_loop_is_stopped_and_people_are_not(northmere: None) -> None:
    outcomes = [
        read(plain(MAEVE, f"again {n}", "x"), 0 if n < 30 else 40).outcome for n in range(31)
    ]
    assert outcomes[:20] == [Outcome.LOGGED] * 20
    assert set(outcomes[20:30]) == {Outcome.LOOP}
    assert outcomes[30] == Outcome.LOGGED, "once it is quiet, mail is read again"
    ours = read(plain("desk@northmere.example", "hello me", "x"), 60)
    assert ours.outcome in (Outcome.LOOP, Outcome.UNKNOWN)


def test_people_outside_answer_only_what_they_were_copied_on(
    northmere: None, log: Callable[..., Any], by: Callable[[str | None], Any]
) -> None:
    ticket = log("Maeve", "Boarding gates")
    readers = actions.Readers(outside=["tech@brightmast.example"])
    actions.reply(ticket.pk, by("Signe"), "Please look at the reader.", readers=readers)
    copy = Outgoing.objects.get(to="tech@brightmast.example")
    assert copy.person is None and "Please look" in copy.body
    subject = f"Re: [Gannet {ticket.pk}]"
    answer = read(plain("tech@brightmast.example", subject, "The head is worn."))
    assert (answer.outcome, answer.ticket_id) == (Outcome.ANSWERED, ticket.pk)
    note = Event.objects.filter(ticket=ticket, kind=TicketEvent.NOTED).get()
    assert note.text == "The head is worn."
    assert note.values["from_address"] == "tech@brightmast.example"
    why_unknown = read(plain("other@brightmast.example", subject, "Me too"), 1)
    assert why_unknown.outcome == Outcome.UNKNOWN and why_unknown.ticket_id is None


def test_files_that_cannot_be_kept_are_said_on_the_ticket(northmere: None) -> None:
    message = EmailMessage()
    message["From"], message["Subject"] = MAEVE, "Two files"
    message.set_content("See the files.")
    message.add_attachment(b"line one", maintype="text", subtype="plain", filename="gate.log")
    message.add_attachment(b"MZ\x90", maintype="application", subtype="x", filename="run.exe")
    kept = read(bytes(message))
    assert Attachment.objects.filter(ticket=kept.ticket_id).get().name == "gate.log"
    note = Event.objects.get(ticket=kept.ticket_id, kind=TicketEvent.NOTED)
    assert "run.exe" in note.text and "run.exe" in kept.because


@pytest.mark.parametrize(
    ("html", "own", "carried"),
    [
        ("<p>New</p><blockquote>old</blockquote>", "New", "old"),
        ("<div>A<br>B</div><script>evil()</script>", "A\nB", ""),
        ("<p>Hi</p><p>-- </p>", "Hi", "--"),
        ("<blockquote>only quoted</blockquote>", "only quoted", ""),
        ("&lt;b&gt; stays text", "<b> stays text", ""),
    ],
)
def test_html_is_read_as_text(html: str, own: str, carried: str) -> None:
    message = EmailMessage()
    message.set_content(html, subtype="html")
    found = reading.read_text(message)
    assert (found.text, found.carried) == (own, carried)
