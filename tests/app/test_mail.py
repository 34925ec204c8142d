"""Mail in and out, over a real SMTP connection to the stand-in."""

import re
import smtplib
from collections.abc import Callable
from datetime import timedelta
from email import message_from_bytes
from email.message import EmailMessage
from email.policy import default
from typing import Any
from uuid import uuid4

import pytest
import time_machine
from django.core.files.uploadedfile import SimpleUploadedFile

from gannet.audit.models import Event
from gannet.messages import inbound, outbox, reading, standin
from gannet.messages.models import Incoming, Outcome, Outgoing, StandInMessage
from gannet.tickets import actions
from gannet.tickets.events import TicketEvent
from gannet.tickets.files import keep_upload
from gannet.tickets.models import Attachment, Ticket
from gannet.tickets.states import state_name
from gannet_core.instants import seconds_of
from gannet_core.lifecycle import Waiting
from tests.app.conftest import free_port
from tests.conftest import NOW

S = seconds_of(NOW)


def message(
    sender: str, subject: str, text: str, *, dmarc: str = "pass", **headers: str
) -> EmailMessage:
    """A mail as the trusted server hands it on; `dmarc=""` for what it says nothing of."""
    made = EmailMessage()
    if dmarc:
        made["Authentication-Results"] = f"mail.northmere.example; dmarc={dmarc}"
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
    wrote = Event.objects.get(ticket=ticket, kind=TicketEvent.REQUESTER_WROTE)
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
    assert Event.objects.filter(ticket=ticket, kind=TicketEvent.REPLIED, text="On it.").exists()
    actions.resolve(ticket.pk, by("Signe"), "It is done.")
    read(message("maeve.tarrant@northmere.example", f"[Gannet {ticket.pk}]", "not done"))
    assert state_name(Ticket.objects.get(pk=ticket.pk).state) == "in progress"
    actions.resolve(ticket.pk, by("Signe"), "It is done.")
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


# Whose mail it is


SIGNE, MAEVE = "signe.hallam@northmere.example", "maeve.tarrant@northmere.example"
RESULTS = "mail.northmere.example"


@pytest.mark.django_db
@pytest.mark.parametrize(
    ("results", "is_believed"),
    [
        (f"{RESULTS}; dmarc=pass header.from=northmere.example", True),
        (
            f"{RESULTS}; spf=pass; dkim=pass; dmarc=pass (p=reject) header.from=northmere.example",
            True,
        ),
        (f"{RESULTS.upper()} 1; dmarc=pass", True),
        (f"{RESULTS}; dmarc=fail header.from=northmere.example", False),
        (f"{RESULTS}; dmarc=none", False),
        (f"{RESULTS}; spf=pass; dkim=pass", False),
        (f"{RESULTS}; dmarc=pass header.from=evil.example", False),
        ("mail.evil.example; dmarc=pass header.from=northmere.example", False),
        (f"{RESULTS}.evil.example; dmarc=pass", False),
        ("", False),
    ],
)
@pytest.mark.parametrize("is_trusted", [True, False])
def test_a_colleague_speaks_for_the_desk_only_when_the_mail_server_vouches_for_it(
    northmere: None, log: Callable[..., Any], settings: Any, results: str, is_believed: bool,
    is_trusted: bool,
) -> None:  # fmt: skip
    settings.MAIL_TRUSTED_SERVER = RESULTS if is_trusted else ""
    ticket = log("Maeve", "Boarding gates")
    made = message(SIGNE, f"[Gannet {ticket.pk}]", "It is solved.", dmarc="")
    if results:
        made["Authentication-Results"] = results
    assert read(made).outcome == Outcome.ANSWERED
    said = Event.objects.get(ticket=ticket, text__contains="It is solved.")
    if is_believed and is_trusted:
        assert said.kind == TicketEvent.REPLIED and said.actor.name == "Signe Hallam"
        return
    assert (said.kind, said.actor, said.audience) == (TicketEvent.NOTED, None, 2)
    assert said.values["unverified"]
    told = Outgoing.objects.filter(ticket=ticket, body__contains="It is solved.", to=MAEVE)
    assert not told.exists(), "the requester hears nothing of it"


@pytest.mark.django_db
def test_of_several_results_the_one_on_top_counts(northmere: None, log: Callable[..., Any]) -> None:
    """What stands below was there before the trusted server got the message."""
    ticket = log("Maeve", "Boarding gates")
    made = message(SIGNE, f"[Gannet {ticket.pk}]", "Hello.", dmarc="fail")
    made["Authentication-Results"] = f"{RESULTS}; dmarc=pass"
    read(made)
    assert Event.objects.get(ticket=ticket, text__contains="Hello.").kind == TicketEvent.NOTED


@pytest.mark.django_db
@pytest.mark.parametrize("names", ["who had it", "somebody else", "nobody"])
def test_who_answers_a_message_that_only_they_had_is_believed(
    northmere: None, log: Callable[..., Any], by: Callable[[str | None], Any], names: str
) -> None:
    ticket = log("Maeve", "Boarding gates")
    actions.take(ticket.pk, by("Signe"))
    actions.requester_writes(ticket.pk, by("Maeve"), "Gate 3.")
    to = {"who had it": SIGNE, "somebody else": MAEVE}.get(names)
    sent = Outgoing.objects.filter(ticket=ticket, to=to).last() if to else None
    Outgoing.objects.update(sent_s=S)
    own = sent.message_id if sent else f"<gannet.{ticket.pk}.7.3@northmere.example>"
    read(message(SIGNE, "Re:", "On my way.", dmarc="", In_Reply_To=own))
    said = Event.objects.get(ticket=ticket, text__contains="On my way.")
    assert (said.kind == TicketEvent.REPLIED) is (names == "who had it")


@pytest.mark.django_db
@pytest.mark.parametrize("sender", [SIGNE, MAEVE, "security"])
def test_a_mail_that_nobody_vouches_for_changes_nothing_confidential(
    northmere: None, log: Callable[..., Any], person: Any, sender: str
) -> None:
    from gannet.messages.models import Notification
    from gannet.people.models import Person

    ticket = log("Maeve", "Safe computing")
    agent = Person.objects.filter(memberships__team__key="security").order_by("pk")[0]
    before = Event.objects.filter(ticket=ticket).count()
    address = agent.email if sender == "security" else sender
    kept = read(message(address, f"[Gannet {ticket.pk}]", "Please close it.", dmarc="fail"))
    assert Event.objects.filter(ticket=ticket).count() == before
    if sender == SIGNE:  # who may not see it learns nothing either: it is a mail of its own
        assert kept.outcome == Outcome.LOGGED and kept.ticket_id != ticket.pk
        return
    assert kept.outcome == Outcome.UNVERIFIED and kept.ticket_id is None
    told = Notification.objects.filter(event_name="mail quarantined", ticket=ticket)
    assert told.exists() and "Please close it" not in str(told.values())
    genuine = read(message(address, f"[Gannet {ticket.pk}]", "Please close it."))
    assert genuine.outcome == Outcome.ANSWERED


@pytest.mark.django_db
def test_what_a_requester_writes_unproved_is_kept_and_marked(
    northmere: None, log: Callable[..., Any], api: Callable[[str], Any]
) -> None:
    ticket = log("Maeve", "Boarding gates")
    read(message(MAEVE, f"[Gannet {ticket.pk}]", "It works again.", dmarc=""))
    said = Event.objects.get(ticket=ticket, kind=TicketEvent.REQUESTER_WROTE)
    assert said.values["unverified"]
    shown = api("Signe").get(f"/api/tickets/{ticket.pk}").json()["conversation"]
    assert shown[-1]["unverified"]
    fresh = read(message(MAEVE, "Printer", "It is dark.", dmarc=""))
    first = Event.objects.get(ticket=fresh.ticket_id, kind=TicketEvent.LOGGED)
    assert first.values["unverified"]
    proved = read(message(MAEVE, "Printer again", "It is dark."))
    first = Event.objects.get(ticket=proved.ticket_id, kind=TicketEvent.LOGGED)
    assert "unverified" not in first.values


@pytest.mark.django_db
def test_forged_mails_do_not_silence_whom_they_name(
    northmere: None, log: Callable[..., Any]
) -> None:
    ticket = log("Maeve", "Boarding gates")
    for n in range(25):
        read(message(MAEVE, f"[Gannet {ticket.pk}]", f"forged {n}", dmarc="none"))
    assert Incoming.objects.filter(outcome=Outcome.LOOP).count() == 5
    assert read(message(MAEVE, f"[Gannet {ticket.pk}]", "really me")).outcome == Outcome.ANSWERED
    by_another_way = message(MAEVE, f"[Gannet {ticket.pk}]", "me too", dmarc="none")
    by_another_way["Received"] = "from ship (ship.example [192.0.2.7]) by mail.northmere.example"
    assert read(by_another_way).outcome == Outcome.ANSWERED


@pytest.mark.django_db
@pytest.mark.parametrize("sender", [f"{SIGNE}, {MAEVE}", f"{SIGNE}\nFrom: x@evil.example"])
def test_a_mail_of_several_senders_is_nobody_s(
    northmere: None, log: Callable[..., Any], sender: str
) -> None:
    ticket = log("Maeve", "Boarding gates")
    raw = (
        f"Authentication-Results: {RESULTS}; dmarc=pass\nFrom: {sender}\nMessage-ID: <x@y>\n"
        f"Subject: [Gannet {ticket.pk}]\n\nIt is solved.\n"
    )
    inbound.read_message(raw.encode(), S)
    assert not Event.objects.filter(ticket=ticket, kind=TicketEvent.REPLIED).exists()


def test_the_stand_in_says_who_sent_what_and_takes_away_what_others_said(
    server: int, northmere: None
) -> None:
    forged = message(SIGNE, "x", "y")
    forged["X-Standin-Seal"] = "0" * 64
    genuine = message(SIGNE, "x", "y", dmarc="")
    genuine["X-Standin-Seal"] = standin.seal(str(genuine["Message-ID"]))
    with smtplib.SMTP("127.0.0.1", server) as wire:
        wire.send_message(forged)
        wire.send_message(genuine)
    kept = [reading.read_mail(bytes(row.raw)) for row in StandInMessage.objects.order_by("id")]
    assert [mail.authentication for mail in kept] == [
        [f"{RESULTS}; dmarc=none header.from=northmere.example"],
        [f"{RESULTS}; dmarc=pass header.from=northmere.example"],
    ]
    assert all("127.0.0.1" in mail.received for mail in kept)
    assert b"Seal" not in b"".join(bytes(row.raw) for row in StandInMessage.objects.all())


def sent_mails() -> list[EmailMessage]:
    return [
        message_from_bytes(bytes(row.raw), policy=default)  # type: ignore[misc]
        for row in StandInMessage.objects.order_by("id")
    ]


def attached(person: Any, name: str, size: int = 40) -> Attachment:
    made = SimpleUploadedFile(name, (b"line of a log\n" * (size // 14 + 1))[:size])
    return keep_upload(made, person, NOW)


def test_what_is_attached_to_a_reply_goes_with_its_mail(
    server: int,
    log: Callable[..., Any],
    by: Callable[[str | None], Any],
    settings: Any,
    client: Any,
) -> None:
    settings.MAIL_MOST_ATTACHED_BYTES = 2_000
    ticket, signe = log("Maeve", "Boarding gates"), by("Signe")
    files = [attached(signe.person, "steps.txt"), attached(signe.person, "mast-log.txt", 5_000)]
    readers = actions.Readers(outside=["master@merrow.example"])
    words = "The steps are attached."
    actions.reply(ticket.pk, signe, words, [file.pk for file in files], readers=readers)
    outbox.send_due(S + 10)
    to = {str(made["To"]): made for made in sent_mails() if words in str(made)}
    assert set(to) == {"maeve.tarrant@northmere.example", "master@merrow.example"}
    for made in to.values():
        enclosed = {part.get_filename(): part.get_content() for part in made.iter_attachments()}
        assert enclosed == {"steps.txt": ("line of a log\n" * 3)[:40]}
        body = made.get_body(("plain",)).get_content()  # type: ignore[union-attr]
        assert "Attached: steps.txt (1 kB)" in body and "mast-log.txt (5 kB) is too big" in body
        assert made["Auto-Submitted"] is None, "it is a person who writes"
    link = re.search(r"/files/\S+", body)
    assert link is not None
    answer = client.get(link[0])
    assert b"".join(answer.streaming_content) == (b"line of a log\n" * 400)[:5_000]
    assert "attachment" in answer["Content-Disposition"] and "no-store" in answer["Cache-Control"]
    assert client.get(f"{link[0][:-3]}abc").status_code == 404
    with time_machine.travel(NOW + timedelta(days=14, minutes=1)):
        assert client.get(link[0]).status_code == 404, "two weeks have passed"
    Attachment.objects.filter(pk=files[1].pk).update(file="")
    assert client.get(link[0]).status_code == 404, "it was removed"


def test_mail_of_the_machine_says_that_it_is_automatic(
    server: int, log: Callable[..., Any]
) -> None:
    log("Maeve", "Boarding gates")
    outbox.send_due(S + 10)
    (made,) = sent_mails()
    assert made["Auto-Submitted"] == "auto-generated"


def test_a_reply_says_to_whom_it_went_and_how_it_fared(
    server: int, log: Callable[..., Any], by: Callable[[str | None], Any], api: Callable[[str], Any]
) -> None:
    ticket = log("Maeve", "Boarding gates")
    readers = actions.Readers(outside=["master@merrow.example"])
    actions.reply(ticket.pk, by("Signe"), "Which gate?", readers=readers)

    def fared(client: Any) -> list[tuple[str, str]]:
        said = client.get(f"/api/tickets/{ticket.pk}").json()["conversation"]
        (reply,) = [entry for entry in said if entry["kind"] == "replied"]
        return [(one["to"], one["state"]) for one in reply["sent_to"]]

    signe = api("Signe")
    assert fared(signe) == [("Maeve Tarrant", "waiting"), ("master@merrow.example", "waiting")]
    outbox.send_due(S + 10)
    assert fared(signe) == [("Maeve Tarrant", "left"), ("master@merrow.example", "left")]
    bounce = EmailMessage()
    bounce["From"], bounce["To"] = "mailer-daemon@sea.example", "help@northmere.example"
    bounce["Subject"], bounce["Message-ID"] = "Undelivered", "<bounce.1@sea.example>"
    bounce["X-Failed-Recipients"] = "master@merrow.example"
    bounce["Auto-Submitted"] = "auto-replied"
    row = Outgoing.objects.get(to="master@merrow.example")
    bounce.set_content(f"It could not be delivered.\n\nMessage-ID: {row.message_id}\n")
    assert read(bounce).outcome == Outcome.BOUNCE
    assert dict(fared(signe))["master@merrow.example"] == "bounced"
    said = api("Maeve").get(f"/api/portal/tickets/{ticket.pk}").json()["conversation"]
    assert all(entry["sent_to"] == [] for entry in said), "who got it is the desk's to know"


def test_somebody_outside_speaks_under_their_own_name(
    log: Callable[..., Any], by: Callable[[str | None], Any], api: Callable[[str], Any]
) -> None:
    ticket = log("Maeve", "Boarding gates")
    actions.take(ticket.pk, by("Signe"))
    readers = actions.Readers(outside=["master@merrow.example"])
    actions.reply(ticket.pk, by("Signe"), "Which gate?", readers=readers)
    answer = message("Aud Lunde <master@merrow.example>", f"[Gannet {ticket.pk}]", "Gate three.")
    assert read(answer).outcome == Outcome.ANSWERED
    said = api("Signe").get(f"/api/tickets/{ticket.pk}").json()["conversation"][-1]
    assert (said["actor"], said["text"], said["is_desk_only"]) == ("Aud Lunde", "Gate three.", True)
    mail = Outgoing.objects.filter(to="signe.hallam@northmere.example").latest("pk")
    assert "Aud Lunde" in mail.body and "Gate three." in mail.body


def test_an_approver_gets_no_replies_unless_chosen(
    log: Callable[..., Any], by: Callable[[str | None], Any], person: Callable[[str], Any]
) -> None:
    ticket, signe, lena = log("Maeve", "Boarding gates"), by("Signe"), person("Lena")
    actions.ask_approval(ticket.pk, signe, of=lena, what="A new reader, for £310")
    actions.reply(ticket.pk, signe, "On its way.")
    to_lena = Outgoing.objects.filter(person=lena, event_name="replied")
    assert not to_lena.exists()
    actions.reply(ticket.pk, signe, "And you?", readers=actions.Readers(followers=[lena.pk]))
    assert to_lena.count() == 1
    actions.follow(ticket.pk, by("Lena"), lena)
    actions.reply(ticket.pk, signe, "To all who follow.")
    assert to_lena.count() == 2, "whoever follows of their own is written to"
