"""Quarantined mail: who sees it, what becomes of it, once, and nothing is lost."""

from collections.abc import Callable
from typing import Any

import pytest

from gannet.audit.log import verify
from gannet.audit.models import Event
from gannet.messages.inbound import read_message
from gannet.messages.models import Incoming, Outcome, StandInMessage
from gannet.tickets import actions
from gannet.tickets.events import TicketEvent
from gannet.tickets.models import Ticket
from gannet_core.instants import seconds_of
from tests.conftest import NOW

pytestmark = pytest.mark.django_db
NOW_S = seconds_of(NOW)


def raw(sender: str = "Olga Fenn <olga@elsewhere.example>", number: int = 1, **more: str) -> bytes:
    lines = {
        "From": sender, "To": "desk@northmere.example", "Subject": "The gate is stuck",
        "Message-ID": f"<m{number}@elsewhere.example>", **more,
    }  # fmt: skip
    head = "\n".join(f"{name}: {value}" for name, value in lines.items())
    return f"{head}\n\nIt stands open since six.\n".encode()


def with_file(number: int = 9) -> bytes:
    return (
        b"From: Olga Fenn <olga@elsewhere.example>\nTo: desk@northmere.example\n"
        b"Subject: With a file\nMessage-ID: <f%d@elsewhere.example>\nMIME-Version: 1.0\n"
        b'Content-Type: multipart/mixed; boundary="b"\n\n--b\nContent-Type: text/plain\n\n'
        b"See the list.\n--b\nContent-Type: text/plain\n"
        b'Content-Disposition: attachment; filename="list.txt"\n\none two\n--b--\n' % number
    )


def comes(message: bytes) -> Incoming:
    """A message as the stand-in took it, read by the desk."""
    row = StandInMessage.objects.create(received_at=NOW, raw=message, for_desk=1, is_read=1)
    return read_message(message, NOW_S, stand_in_id=row.pk)


def ask(client: Any, path: str, body: Any = None, status: int = 200) -> Any:
    got = client.post(path, body, "application/json") if body is not None else client.get(path)
    assert got.status_code == status, got.content
    return got.json()


@pytest.fixture
def unknown() -> Incoming:
    found = comes(raw())
    assert found.outcome == Outcome.UNKNOWN
    return found


@pytest.fixture
def signe(api: Callable[[str], Any]) -> Any:
    return api("Signe")


def test_it_is_listed_with_why_and_read_with_its_words(signe: Any, unknown: Incoming) -> None:
    page = ask(signe, "/api/quarantine")
    (one,) = page["messages"]
    assert (page["waiting"], one["id"], one["sender"]) == (1, unknown.pk, "olga@elsewhere.example")
    assert one["why"] == "came from nobody we know"
    whole = ask(signe, f"/api/quarantine/{unknown.pk}")
    assert "It stands open since six." in whole["body"]
    assert (whole["sender_name"], whole["can_be_let_in"], whole["is_verified"]) == (
        "Olga Fenn", True, False,
    )  # fmt: skip


@pytest.mark.parametrize("who", ["Maeve", "Tomas"])
@pytest.mark.parametrize("act", ["list", "read", "let-in", "dismiss", "wait-again"])
def test_it_is_for_those_who_work_on_the_desk(
    api: Any, unknown: Incoming, who: str, act: str
) -> None:
    client, one = api(who), f"/api/quarantine/{unknown.pk}"
    paths: dict[str, tuple[str, Any]] = {
        "list": ("/api/quarantine", None),
        "read": (one, None),
        "let-in": (f"{one}/let-in", {"requester": 1}),
        "dismiss": ("/api/quarantine/dismiss", {"ids": [unknown.pk]}),
        "wait-again": ("/api/quarantine/wait-again", {"ids": [unknown.pk]}),
    }
    ask(client, *paths[act], status=403)
    unknown.refresh_from_db()
    assert unknown.handled_how == ""


def test_it_becomes_a_ticket_of_whom_the_desk_says(
    signe: Any, unknown: Incoming, person: Any
) -> None:
    maeve = person("Maeve")
    done = ask(signe, f"/api/quarantine/{unknown.pk}/let-in", {"requester": maeve.pk})
    ticket = Ticket.objects.get(pk=done["ticket"])
    assert (ticket.requester, ticket.title, ticket.channel) == (
        maeve, "The gate is stuck", "e-mail",
    )  # fmt: skip
    logged = Event.objects.get(ticket=ticket, kind=TicketEvent.LOGGED)
    assert "It stands open since six." in logged.text
    assert "olga@elsewhere.example" in logged.values["unverified"]
    said = Event.objects.filter(ticket=ticket, kind=TicketEvent.NOTED).last()
    assert said is not None and "Let in from quarantine" in said.text
    unknown.refresh_from_db()
    assert (unknown.handled_how, unknown.ticket_id) == ("logged", ticket.pk)
    assert verify()[1] is None


def test_it_is_added_to_a_ticket_with_its_file_under_the_writers_name(signe: Any, log: Any) -> None:
    found, ticket = comes(with_file()), log("Maeve", "Boarding gates")
    ask(signe, f"/api/quarantine/{found.pk}/let-in", {"ticket": ticket.pk})
    said = Event.objects.filter(ticket=ticket, kind=TicketEvent.NOTED).order_by("id").first()
    assert said is not None and said.values["from_name"] == "Olga Fenn"
    assert [one.name for one in ticket.attachments.filter(event_id=said.id)] == ["list.txt"]
    shown = ask(signe, f"/api/tickets/{ticket.pk}")
    assert "list.txt" in str(shown)


def test_only_one_person_deals_with_it(api: Any, unknown: Incoming, log: Any, person: Any) -> None:
    ticket = log("Maeve", "Boarding gates")
    path = f"/api/quarantine/{unknown.pk}/let-in"
    ask(api("Signe"), path, {"ticket": ticket.pk})
    refused = ask(api("Joss"), path, {"requester": person("Maeve").pk}, 409)
    assert "already" in refused["detail"]
    assert Ticket.objects.filter(title="The gate is stuck").count() == 0


@pytest.mark.parametrize(
    ("body", "field"),
    [
        ({}, "requester"),
        ({"requester": 999_999}, "requester"),
        ({"ticket": 999_999}, "ticket"),
    ],
)
def test_bad_choices_are_refused_at_their_field_and_it_waits_on(
    signe: Any, unknown: Incoming, body: dict[str, int], field: str
) -> None:
    refused = ask(signe, f"/api/quarantine/{unknown.pk}/let-in", body, 422)
    assert set(refused["fields"]) == {field}
    assert ask(signe, "/api/quarantine")["waiting"] == 1


def test_nobody_learns_of_a_hidden_ticket_by_adding_to_it(
    api: Any, unknown: Incoming, log: Any
) -> None:
    secret = log("Maeve", "Safe computing")
    Ticket.objects.filter(pk=secret.pk).update(is_confidential=1)
    refused = ask(api("Joss"), f"/api/quarantine/{unknown.pk}/let-in", {"ticket": secret.pk}, 422)
    assert refused["detail"] == f"There is no ticket {secret.pk}."


def test_dismissed_ones_wait_again_when_that_is_taken_back(signe: Any) -> None:
    found = [comes(raw(number=n)) for n in range(3)]
    ids = [one.pk for one in found[:2]]
    assert ask(signe, "/api/quarantine/dismiss", {"ids": ids}) == {"count": 2}
    assert ask(signe, "/api/quarantine")["waiting"] == 1
    dealt = ask(signe, "/api/quarantine?of=dealt%20with")["messages"]
    assert {one["id"] for one in dealt} == set(ids)
    assert {one["handled_by"] for one in dealt} == {"Signe Hallam"}
    assert ask(signe, "/api/quarantine/wait-again", {"ids": ids}) == {"count": 2}
    assert ask(signe, "/api/quarantine")["waiting"] == 3


def test_what_was_let_in_does_not_wait_again(signe: Any, unknown: Incoming, log: Any) -> None:
    ticket = log("Maeve", "Boarding gates")
    ask(signe, f"/api/quarantine/{unknown.pk}/let-in", {"ticket": ticket.pk})
    assert ask(signe, "/api/quarantine/wait-again", {"ids": [unknown.pk]}) == {"count": 0}
    assert ask(signe, "/api/quarantine/dismiss", {"ids": [unknown.pk]}) == {"count": 0}


def test_what_claims_to_be_about_something_confidential_is_for_those_who_may_know(
    api: Any, by: Any, log: Any
) -> None:
    secret = log("Maeve", "Safe computing")
    Ticket.objects.filter(pk=secret.pk).update(is_confidential=1)
    found = comes(
        raw("Maeve Tolland <maeve.tolland@northmere.example>", Subject=f"[Gannet {secret.pk}] more")
    )
    if found.outcome != Outcome.UNVERIFIED:  # whoever Maeve is in this organisation
        sender = secret.requester.email
        found = comes(raw(sender, 2, Subject=f"[Gannet {secret.pk}] more"))
    assert found.outcome == Outcome.UNVERIFIED
    ask(api("Joss"), f"/api/quarantine/{found.pk}", status=404)
    assert found.pk not in {one["id"] for one in ask(api("Joss"), "/api/quarantine")["messages"]}
    keeper = next(person for person in secret.team.memberships.select_related("person")).person.name
    ids = {one["id"] for one in ask(api(keeper.split()[0]), "/api/quarantine")["messages"]}
    assert found.pk in ids


def test_what_cannot_be_read_is_said_and_can_only_be_dismissed(signe: Any, person: Any) -> None:
    found = comes(raw())
    Incoming.objects.filter(pk=found.pk).update(outcome=Outcome.UNREADABLE)
    whole = ask(signe, f"/api/quarantine/{found.pk}")
    assert (whole["can_be_let_in"], whole["body"]) == (False, "")
    path = f"/api/quarantine/{found.pk}/let-in"
    refused = ask(signe, path, {"requester": person("Maeve").pk}, 409)
    assert "cannot be read" in refused["detail"]
    ask(signe, "/api/quarantine/dismiss", {"ids": [found.pk]})


def test_three_hundred_come_page_by_page(signe: Any) -> None:
    Incoming.objects.bulk_create(
        Incoming(message_id=f"<{n}>", from_address="x@y.example", outcome=Outcome.UNKNOWN,
                 subject=str(n), read_at=NOW)
        for n in range(120)
    )  # fmt: skip
    seen, after = [], 0
    while after is not None:
        page = ask(signe, f"/api/quarantine?after={after}")
        seen += [one["id"] for one in page["messages"]]
        after = page["next_after"]
    assert len(seen) == len(set(seen)) == 120


def test_a_followers_mail_keeps_its_files(log: Any, by: Any, person: Any) -> None:
    ticket, piotr = log("Maeve", "Boarding gates"), person("Piotr")
    actions.follow(ticket.pk, by("Signe"), piotr)
    message = with_file(3).replace(b"olga@elsewhere.example>\nTo", piotr.email.encode() + b">\nTo")
    message = message.replace(b"With a file", f"[Gannet {ticket.pk}] more".encode())
    assert comes(message).outcome == Outcome.ANSWERED
    assert ticket.attachments.filter(name="list.txt", event_id__isnull=False).exists()
