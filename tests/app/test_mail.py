"""Mail in and out, over a real SMTP connection to the stand-in."""

import smtplib
import socket
from collections.abc import Callable, Iterator
from email.message import EmailMessage
from typing import Any
from uuid import uuid4

import pytest

from gannet.audit.models import Event, Kind
from gannet.messages import inbound, outbox, reading, standin
from gannet.messages.models import Incoming, Outcome, Outgoing, StandInMessage
from gannet.tickets import actions
from gannet.tickets.models import Ticket
from gannet_core.instants import seconds_of
from gannet_core.lifecycle import Waiting
from tests.conftest import NOW

S = seconds_of(NOW)


def free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


@pytest.fixture
def server(transactional_db: None, settings: Any) -> Iterator[int]:
    settings.EMAIL_PORT = free_port()
    controller = standin.start()
    yield settings.EMAIL_PORT
    controller.stop()


def message(sender: str, subject: str, text: str, **headers: str) -> EmailMessage:
    made = EmailMessage()
    made["From"], made["To"], made["Subject"] = sender, "help@northmere.example", subject
    made["Message-ID"] = headers.pop("message_id", f"<{uuid4()}@sea.example>")
    for name, value in headers.items():
        made[name.replace("_", "-")] = value
    made.set_content(text)
    return made


def read(made: EmailMessage) -> Incoming:
    return inbound.read_message(bytes(made), S)


def test_out_and_back_over_the_wire(
    server: int, northmere: None, log: Callable[..., Any], by: Callable[[str | None], Any]
) -> None:
    ticket = log("Maeve", "Boarding gates")
    actions.reply(ticket.pk, by("Signe"), "Which gate is it?")
    actions.wait(ticket.pk, by("Signe"), on=Waiting.REQUESTER, reason="asked which gate")
    assert outbox.send_due(S) == 0, "mail waits ten seconds"
    assert outbox.send_due(S + 10) == 2
    assert outbox.send_due(S + 10) == 0
    kept = [reading.parse(bytes(row.raw)) for row in StandInMessage.objects.order_by("id")]
    asked = next(m for m in kept if "Which gate" in reading.read_text(m).whole)
    answer = message(
        "maeve.tarrant@northmere.example", "a subject without a number", "Gate 3.\n\n> Which gate is it?\n-- \nMaeve",
        In_Reply_To=str(asked["Message-ID"]),
    )  # fmt: skip
    with smtplib.SMTP("127.0.0.1", server) as wire:
        wire.send_message(answer)
        wire.send_message(answer)
    assert inbound.read_waiting(S + 60) == 2
    seen = Ticket.objects.get(pk=ticket.pk)
    assert seen.is_answered and seen.waiting_on == ""
    wrote = Event.objects.get(ticket=ticket, kind=Kind.REQUESTER_WROTE)
    assert wrote.text.partition(reading.FOLD)[0] == "Gate 3."
    assert "> Which gate" in wrote.text, "what was quoted is folded, not lost"
    assert [i.outcome for i in Incoming.objects.order_by("id")] == [Outcome.ANSWERED, Outcome.TWICE]


def test_a_server_that_is_away_puts_mail_off(
    northmere: None, log: Callable[..., Any], settings: Any
) -> None:
    settings.EMAIL_PORT = free_port()
    log("Maeve", "Boarding gates")
    assert outbox.send_due(S + 10) == 0
    row = Outgoing.objects.latest("id")
    assert row.attempts == 1 and row.send_at_s > S + 10 and "does not answer" in row.problem


CASES = [
    ("a new fault", message("maeve.tarrant@northmere.example", "Gate broken", "It beeps."), Outcome.LOGGED),
    ("a stranger", message("who@elsewhere.example", "Hello", "Buy this"), Outcome.UNKNOWN),
    ("out of office", message("maeve.tarrant@northmere.example", "Away", "I am away", Auto_Submitted="auto-replied"), Outcome.AUTOMATIC),
    ("a list", message("maeve.tarrant@northmere.example", "News", "news", Precedence="bulk"), Outcome.AUTOMATIC),
]  # fmt: skip


@pytest.mark.django_db
@pytest.mark.parametrize(("why", "made", "outcome"), CASES, ids=[case[0] for case in CASES])
def test_what_becomes_of_a_message(
    northmere: None, why: str, made: EmailMessage, outcome: Outcome
) -> None:
    before = Ticket.objects.count()
    assert read(made).outcome == outcome
    assert Ticket.objects.count() - before == (outcome == Outcome.LOGGED)


@pytest.mark.django_db
@pytest.mark.parametrize(
    "raw",
    [
        b"",
        b"\xff\xfe\x00",
        b"From: x\r\nContent-Type: text/plain; charset=nope\r\n\r\n\xff",
        b"A" * 10_000,
    ],
)
def test_hostile_bytes_are_kept_aside(northmere: None, raw: bytes) -> None:
    assert inbound.read_message(raw, S, 7).outcome in (Outcome.UNKNOWN, Outcome.UNREADABLE)


@pytest.mark.django_db
def test_threads_by_number_but_never_into_what_is_not_theirs(
    northmere: None, log: Callable[..., Any], by: Callable[[str | None], Any]
) -> None:
    ticket = log("Maeve", "Boarding gates")
    mine = read(
        message("Maeve.Tarrant@northmere.example", f"Re: [Gannet {ticket.pk}] x", "still dark")
    )
    assert (mine.outcome, mine.ticket_id) == (Outcome.ANSWERED, ticket.pk)
    other = read(
        message("piotr.dallow@northmere.example", f"Re: [Gannet {ticket.pk}] x", "let me in")
    )
    assert other.outcome == Outcome.LOGGED and other.ticket_id != ticket.pk
    desk = read(message("signe.hallam@northmere.example", f"[Gannet {ticket.pk}]", "On it."))
    assert desk.ticket_id == ticket.pk
    assert Event.objects.filter(ticket=ticket, kind=Kind.REPLIED, text="On it.").exists()
    actions.resolve(ticket.pk, by("Signe"), "done")
    read(message("maeve.tarrant@northmere.example", f"[Gannet {ticket.pk}]", "not done"))
    assert Ticket.objects.get(pk=ticket.pk).get_state_display() == "in hand"
    actions.resolve(ticket.pk, by("Signe"), "done")
    actions.close(ticket.pk, by(None))
    late = read(
        message("maeve.tarrant@northmere.example", f"Re: [Gannet {ticket.pk}] again", "it is back")
    )
    assert late.outcome == Outcome.LOGGED and late.ticket_id != ticket.pk


def test_quotes_and_signatures_are_folded_away() -> None:
    text = "New words.\n\nOn Mon, 23 Nov 2026, the desk wrote:\n> old\n> older"
    folded = reading.fold_quotes(text)
    assert folded.text == "New words." and "> older" in folded.carried
    assert reading.fold_quotes("> only a quote").text == "> only a quote"
    html = EmailMessage()
    html.set_content("<p>One</p><script>alert(1)</script><p>Two &amp; three</p>", subtype="html")
    assert reading.read_text(html).text.split() == ["One", "Two", "&", "three"]
