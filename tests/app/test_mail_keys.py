"""Keys of mails: what they open, for whom, and that no text that others read holds one."""

import re
from collections.abc import Callable
from email.message import EmailMessage
from typing import Any

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from hypothesis import given
from hypothesis import strategies as st

from gannet.audit.models import Event
from gannet.messages import inbound, outbox
from gannet.messages.models import Incoming, Notification, Outcome, Outgoing
from gannet.people import mail_keys
from gannet.people.models import MailKey, Person
from gannet.requests.asking import Line, Wish, ask_for
from gannet.rulebook.book import current
from gannet.tickets import actions
from gannet.tickets.actions import approvals
from gannet.tickets.importing import read_rows
from gannet.tickets.models import Approval, ApprovalState, Attachment, Draft, SurveyAnswer, Ticket
from gannet_core.approvals import BY_LINK_UP_TO_PENCE, is_decided_by_link
from gannet_core.instants import seconds_of
from tests.app.conftest import LAPTOP
from tests.conftest import NOW

pytestmark = pytest.mark.django_db
S = seconds_of(NOW)
KEY = re.compile(r"gk-[a-z2-7]{32}")
CHEAP, DEAR = ("monitor", {"ship_to": "Orrin Bay"}), ("laptop", LAPTOP)


def pending(ticket: Ticket) -> Approval:
    return ticket.approvals.select_related("asked_of").get(state=ApprovalState.PENDING)


def asked_mail(ticket: Ticket, person: Person | None = None) -> Outgoing:
    rows = Outgoing.objects.filter(ticket=ticket, event_name="approval asked")
    return (rows.filter(person=person) if person else rows).latest("id")


def leave(mail: Outgoing) -> str:
    """Let a message leave; returns its text as the recipient has it."""
    body = outbox.with_keys(mail, S)
    Outgoing.objects.filter(pk=mail.pk).update(sent_s=S)
    return body


def key_in(body: str) -> str:
    (key,) = set(KEY.findall(body))
    return key


def look(client: Any, key: str) -> Any:
    return client.get("/api/decide", headers={"Gannet-Key": key})


def decide(client: Any, key: str, approves: bool = True, reason: str = "") -> Any:
    said = {"approves": approves, "reason": reason}
    return client.post(
        "/api/decide", said, content_type="application/json", headers={"Gannet-Key": key}
    )


def answer(mail: Outgoing, words: str, sender: str, quoted: str = "", number: int = 1) -> bytes:
    made = EmailMessage()
    made["From"], made["Subject"] = sender, f"Re: {mail.subject}"
    made["Message-ID"], made["In-Reply-To"] = f"<answer-{number}@sea.example>", mail.message_id
    lines = "\n".join(f"> {line}" for line in quoted.splitlines())
    made.set_content(f"{words}\n\nOn Monday, Gannet wrote:\n{lines}\n" if quoted else words)
    return bytes(made)


# The link


def test_the_link_decides_once_and_looking_decides_nothing(want: Any, client: Any) -> None:
    ticket = want("Piotr", *CHEAP)
    body = leave(asked_mail(ticket))
    key = key_in(body)
    assert f"/decide#{key}" in body, "behind the #, so that no server's log has it"
    for _ in range(3):  # a scanner opens links, as often as it likes
        seen = look(client, key).json()
    assert seen["state"] == "pending" and seen["by_link"]
    assert decide(client, key, approves=False).status_code == 422
    assert decide(client, key).json()["state"] == "approved"
    again = decide(client, key, approves=False, reason="x")
    assert again.status_code == 409 and ticket.stages.get(key="manager").state == "approved"
    done = ticket.approvals.get()
    assert done.through == "link"
    told = Event.objects.get(ticket=ticket, kind="approval decided")
    assert told.values["through"] == "by the link of the mail"


def test_what_is_dear_is_decided_signed_in(want: Any, client: Any, api: Any) -> None:
    ticket = want("Piotr", *DEAR)
    asked = pending(ticket)
    mail = asked_mail(ticket)
    key = key_in(leave(mail))
    assert look(client, key).json()["by_link"] is False
    refused = decide(client, key)
    assert refused.status_code == 409 and "Sign in first" in refused.json()["detail"]
    inbound.read_message(answer(mail, "Approve", asked.asked_of.email), S + 60)
    assert pending(ticket) == asked
    told = Outgoing.objects.filter(person=asked.asked_of).latest("id")
    assert "was not taken as a decision" in told.body and "Sign in" in told.body
    first_name = asked.asked_of.name.split()[0]
    path = f"/api/approvals/{asked.pk}"
    done = api(first_name).post(path, {"approves": True}, content_type="application/json")
    assert done.status_code == 200 and done.json()["through"] == "signed in"


@pytest.mark.parametrize(
    ("said", "pence", "decides"),
    [
        (None, BY_LINK_UP_TO_PENCE, True),
        (None, BY_LINK_UP_TO_PENCE + 1, False),
        ("always", 10**9, True),
        ("never", 0, False),
        ({"up_to_pence": 100}, 100, True),
        ({"up_to_pence": 100}, 101, False),
        ({"up_to_pence": 0}, 0, True),
    ],
)
def test_what_a_link_decides_is_the_choice_of_its_stage(
    said: Any, pence: int, decides: bool
) -> None:
    stage = {"key": "x"} if said is None else {"key": "x", "by_link": said}
    assert is_decided_by_link(stage, pence) is decides


def test_a_key_that_is_old_changed_or_of_another_opens_nothing(
    want: Any, client: Any, person: Any
) -> None:
    ticket = want("Piotr", *CHEAP)
    asked = pending(ticket)
    key = key_in(leave(asked_mail(ticket)))
    for other in ("", "nonsense", key[:-1] + ("a" if key[-1] != "a" else "b"), key + "a"):
        assert decide(client, other).status_code == 404
    survey_key = mail_keys.make(person("Piotr"), mail_keys.SURVEY, asked.pk, S)
    assert decide(client, survey_key).status_code == 404, "a key opens what it was made for"
    MailKey.objects.filter(person=asked.asked_of).update(ends_s=S - 1)
    assert decide(client, key).status_code == 409 and look(client, key).status_code == 409
    assert pending(ticket) == asked


def test_nobody_decides_on_their_own_by_any_key(want: Any, client: Any, person: Any) -> None:
    """Even a key that came to be made for them opens nothing."""
    ticket = want("Piotr", *CHEAP, of="Maeve")
    asked = pending(ticket)
    for name in ("Piotr", "Maeve"):
        key = mail_keys.make(person(name), mail_keys.DECIDE, asked.pk, S)
        assert decide(client, key).status_code == 404
        Approval.objects.filter(pk=asked.pk).update(asked_of=person(name))
        assert decide(client, key).status_code == 404
    assert pending(ticket).pk == asked.pk


# Answering the mail


@pytest.mark.parametrize(("words", "state"), [
    ("Approve\n\nThanks", "approved"), ("yes", "approved"),
    ("Refuse: we have one in the stores", "refused"), ("Reject, too dear", "refused"),
    ("Refuse", "pending"), ("I approve of the idea but when?", "pending"),
])  # fmt: skip
@pytest.mark.parametrize("quotes", [True, False])
def test_answering_the_mail_decides(want: Any, words: str, state: str, quotes: bool) -> None:
    ticket = want("Piotr", *CHEAP)
    mail, asked = asked_mail(ticket), pending(ticket)
    body = leave(mail)
    raw = answer(mail, words, asked.asked_of.email, body if quotes else "")
    inbound.read_message(raw, S + 60)
    asked.refresh_from_db()
    assert asked.state == state
    if words.startswith("Refuse:"):
        assert asked.reason == "we have one in the stores" and asked.through == "mail"
    why_unknown = answer(
        mail, f"approve {key_in(body)}", "piotr.dallow@northmere.example", number=2
    )
    inbound.read_message(why_unknown, S + 90)
    asked.refresh_from_db()
    assert asked.state == state, "whoever asked cannot approve with the key of another"


# No text that others read holds a key


def stored_texts() -> str:
    """Everything that the database keeps of what people wrote, except mail as it travelled."""
    from django.apps import apps
    from django.db import models

    kept = []
    for model in apps.get_models():
        if model._meta.label in ("messages.StandInMessage", "sessions.Session"):
            continue
        names = [
            field.name
            for field in model._meta.concrete_fields
            if isinstance(field, (models.TextField, models.CharField, models.JSONField))
        ]
        kept += [str(row) for row in model._default_manager.values_list(*names)] if names else []
    return "\n".join(kept)


def test_a_quoted_mail_gives_nobody_its_key_and_another_is_sent(
    want: Any, client: Any, api: Any
) -> None:
    """The approver asks back by mail and quotes; the requester reads the answer."""
    ticket = want("Piotr", *CHEAP)
    mail, asked = asked_mail(ticket), pending(ticket)
    body = leave(mail)
    key = key_in(body)
    kept = inbound.read_message(answer(mail, "What is it for?", asked.asked_of.email, body), S + 60)
    assert kept.outcome == Outcome.ANSWERED
    shown = api("Piotr").get(f"/api/portal/tickets/{ticket.pk}").content.decode()
    shown += api("Signe").get(f"/api/tickets/{ticket.pk}").content.decode()
    assert "What is it for?" in shown
    assert not KEY.search(shown) and not KEY.search(stored_texts())
    client.logout()
    assert decide(client, key).status_code == 409, "dead at once"
    again = asked_mail(ticket, asked.asked_of)
    assert again.again_of == mail.pk and again.message_id != mail.message_id
    fresh = leave(again)
    assert "opens nothing any more" in fresh and key_in(fresh) != key
    assert decide(client, key_in(fresh)).json()["state"] == "approved"


def test_a_key_is_not_sent_again_for_ever(want: Any) -> None:
    """A program that answers every mail with its text would otherwise never end."""
    ticket = want("Piotr", *CHEAP)
    mail, asked = asked_mail(ticket), pending(ticket)
    for number in range(12):
        newest = asked_mail(ticket, asked.asked_of)
        if newest.sent_s is not None:
            break
        raw = answer(newest, "I am away", asked.asked_of.email, leave(newest), number)
        inbound.read_message(raw, S + number)
    assert Outgoing.objects.filter(again_of=mail.pk).count() == 5


WAYS: list[tuple[str, str, str, Callable[[int, str], Any]]] = [
    ("Piotr", "post", "/api/portal/tickets/{n}/write", lambda n, text: {"text": text}),
    ("Piotr", "post", "/api/portal/report", lambda n, text: {"title": f"x {text}"[:190], "text": text}),
    ("Signe", "post", "/api/tickets/{n}/note", lambda n, text: {"text": text}),
    ("Signe", "post", "/api/tickets/{n}/reply", lambda n, text: {"text": text}),
    ("Signe", "post", "/api/tickets/{n}/hand-over", lambda n, text: {"team": 2, "comment": text}),
    ("Signe", "post", "/api/tickets/{n}/tasks", lambda n, text: {"title": text[:190]}),
    ("Signe", "post", "/api/tickets/{n}/time", lambda n, text: {"minutes": 5, "what": text[:190]}),
    ("Signe", "put", "/api/drafts/place", lambda n, text: {"body": {"text": text}}),
    ("Signe", "post", "/api/alerts", lambda n, text: {"key": "k", "title": "t", "text": text}),
    ("Signe", "post", "/api/articles", lambda n, text: {"title": "t", "body": text}),
    ("Signe", "post", "/api/phrases", lambda n, text: {"name": "x", "for": "mine", "text": text}),
    ("Signe", "patch", "/api/tickets/{n}", lambda n, text: {"version": 1, "tags": [text[:38]]}),
]  # fmt: skip


@pytest.mark.parametrize(("who", "method", "path", "body"), WAYS, ids=[w[2] for w in WAYS])
def test_no_way_in_takes_a_key(
    want: Any, log: Any, api: Any, client: Any, who: str, method: str, path: str, body: Any
) -> None:
    key = key_in(leave(asked_mail(want("Piotr", *CHEAP))))
    ticket = log("Piotr", "Boarding gates")
    text = f"{key} http://localhost:8000/decide#{key} and words"
    got = getattr(api(who), method)(
        path.replace("{n}", str(ticket.pk)), body(ticket.pk, text), content_type="application/json"
    )
    assert got.status_code in (200, 201), got.content
    assert not KEY.search(stored_texts())
    assert decide(client, key).status_code == 409


def test_files_and_imports_take_no_key(want: Any, api: Any, client: Any) -> None:
    key = key_in(leave(asked_mail(want("Piotr", *CHEAP))))
    upload = SimpleUploadedFile("mail.txt", f"see http://x/decide#{key}\nend".encode())
    made = api("Signe").post("/api/attachments", {"file": upload})
    assert made.status_code == 201
    assert Attachment.objects.get(pk=made.json()["id"]).file.read() == (
        f"see {mail_keys.REMOVED}\nend".encode()
    )
    assert decide(client, key).status_code == 409
    other = key_in(leave(asked_mail(want("Maeve", *CHEAP))))
    (row,) = read_rows(f"requester,title\na@b.example,look {other}\n".encode(), "tickets")
    assert row["title"] == f"look {mail_keys.REMOVED}"
    assert decide(client, other).status_code == 409


def test_the_requester_may_say_how_it_was_and_nobody_else_with_their_key(
    log: Any, by: Any, client: Any, person: Any
) -> None:
    ticket = log("Maeve", "Boarding gates")
    actions.resolve(ticket.pk, by("Signe"), "It is done.")
    actions.close(ticket.pk, by(None))
    mail = Outgoing.objects.get(event_name="survey")
    body = leave(mail)
    key = key_in(body)

    def say(key: str) -> Any:
        said = {"score": 5}
        return client.post(
            "/api/how", said, content_type="application/json", headers={"Gannet-Key": key}
        )

    inbound.read_message(answer(mail, "Thank you!", person("Maeve").email, body), S + 60)
    assert say(key).status_code == 409 and not KEY.search(stored_texts())
    fresh = key_in(leave(Outgoing.objects.filter(again_of=mail.pk).get()))
    assert say(fresh).json()["score"] == 5
    assert SurveyAnswer.objects.get(ticket=ticket).score == 5


def test_keys_stand_nowhere_before_their_mail_leaves(want: Any, api: Any) -> None:
    ticket = want("Piotr", *CHEAP)
    mail = asked_mail(ticket)
    assert not MailKey.objects.exists() and not KEY.search(stored_texts())
    marker = mail.keys[0]["marker"]
    assert marker in mail.body
    assert not Notification.objects.filter(text__contains=marker).exists()
    key = key_in(leave(mail))
    assert marker not in mail.body.replace(marker, key)
    assert not MailKey.objects.filter(digest=key).exists(), "only its digest is kept"


def test_a_phrase_or_preview_with_the_placeholder_has_no_key(want: Any, person: Any) -> None:
    ticket = want("Piotr", *CHEAP)
    for who in (pending(ticket).asked_of, ticket.requester):
        values = outbox.values_of(ticket, {}, who, "", "x", S)
        assert not KEY.search(str(values)) and values["ref"] == ""


def test_two_questions_have_keys_of_their_own(log: Any, by: Any, person: Any, client: Any) -> None:
    """Each mail decides what it asks, not the newest that its reader is asked."""
    ticket = log("Maeve", "Boarding gates")
    for what in ("the first", "the second"):
        approvals.ask_approval(ticket.pk, by("Signe"), of=person("Tomas"), what=what)
    mails = Outgoing.objects.filter(event_name="approval asked").order_by("id")
    keys = [key_in(leave(mail)) for mail in mails]
    assert [look(client, key).json()["what"] for key in keys] == ["the first", "the second"]


# The text without keys


def broken(key: str, quote: str, at: int) -> str:
    return key[:at] + quote + key[at:]


@pytest.mark.parametrize("at", [1, 3, 17, 34])
@pytest.mark.parametrize("gap", ["\n> ", "\r\n>> ", "=\n", "\u200b", " \n> > ", "\u00ad"])
def test_keys_that_a_mail_program_broke_are_found(person: Any, gap: str, at: int) -> None:
    key = mail_keys.make(person("Maeve"), mail_keys.DECIDE, 1, S)
    text = f"> see\n> http://x.example/decide#{broken(key, gap, at)}\n> and so on"
    clean, found = mail_keys.without_keys(text)
    assert found == [key]
    assert clean == f"> see\n> {mail_keys.REMOVED}\n> and so on"


@given(st.text(alphabet="gk-abcdefgh27 \n>=", max_size=300))
def test_words_that_only_look_alike_stay(text: str) -> None:
    """Letters that make up a key only without their spaces are words, unless it is one of ours."""
    clean, found = mail_keys.without_keys(text)
    if not KEY.search(text):
        assert clean == text and found == []


@given(st.lists(st.text(alphabet="ab \n>.", max_size=20), min_size=2, max_size=6))
def test_all_keys_of_a_text_go_and_all_else_stays(pieces: list[str]) -> None:
    key = "gk-" + "a2b3c4d5" * 4
    clean, found = mail_keys.without_keys(f" {key} ".join(pieces))
    assert len(found) == len(pieces) - 1
    assert clean == f" {mail_keys.REMOVED} ".join(pieces)


def test_an_address_goes_with_its_key_and_its_score() -> None:
    key = "gk-" + "a2b3c4d5" * 4
    clean, _ = mail_keys.without_keys(f"Good: https://help.example/how#{key}?score=4 thanks")
    assert clean == f"Good: {mail_keys.REMOVED} thanks"


def test_routes_of_the_demo_say_what_a_link_decides(northmere: None) -> None:
    said = {
        str(stage.get("by_link", "shipped"))
        for route in current().routes.values()
        for stage in route["stages"]
    }
    assert "shipped" in said and "never" in said


def test_a_bundle_asked_for_somebody_else_asks_neither(want: Any, person: Any) -> None:
    wish = Wish(lines=[Line(key="monitor", answers=CHEAP[1])], beneficiary=person("Maeve"))
    acting = actions.Acting(person=person("Piotr"), now=NOW)
    ticket = ask_for(person("Piotr"), wish, acting)
    asked = {one.asked_of_id for one in ticket.approvals.all()}
    assert asked and not asked & {person("Piotr").pk, person("Maeve").pk}
    assert Incoming.objects.count() == 0 and Draft.objects.count() == 0
