"""The first answer to a mail: what is offered to whom, and what “that was it” does."""

from datetime import timedelta
from typing import Any

import pytest

from gannet.audit.models import Event
from gannet.knowledge.models import Article
from gannet.messages import inbound, outbox
from gannet.messages.models import Incoming, Outcome, Outgoing
from gannet.tickets import actions
from gannet.tickets.events import TicketEvent
from gannet.tickets.models import Ticket
from gannet.tickets.states import state_name
from gannet_core.knowledge import said_was_it
from tests.app.test_engine import publish
from tests.app.test_knowledge import article
from tests.app.test_mail import S, message

__all__ = ["article"]

pytestmark = pytest.mark.django_db
JSON = "application/json"
INES = "ines.corrado@northmere.example"
TITLE = "Folding the gangway rail"


@pytest.fixture
def offered(article: Any, person: Any) -> Any:
    """A mail of Ines about something that an article surely has."""
    found = article(TITLE, "Lift the lever, fold the rail, let it click.")
    assert person("Ines").email == INES

    def sent(subject: str = "gangway rail folding", **more: Any) -> Ticket:
        got = inbound.read_message(bytes(message(INES, subject, "It does not fold.", **more)), S)
        assert got.outcome == Outcome.LOGGED
        return Ticket.objects.get(pk=got.ticket_id)

    sent.article = found  # type: ignore[attr-defined]
    return sent


def letters(ticket: Ticket) -> list[Outgoing]:
    return list(Outgoing.objects.filter(ticket=ticket, event_name="articles offered"))


def answer(ticket: Ticket, text: str, sender: str = INES, **more: Any) -> Incoming:
    """Answer the letter with which articles were offered."""
    letter = letters(ticket)[0]
    outbox.send_due(S + 60)
    Outgoing.objects.filter(pk=letter.pk).update(sent_s=S + 60)
    made = message(sender, f"Re: {letter.subject}", text, In_Reply_To=letter.message_id, **more)
    return inbound.read_message(bytes(made), S + 120)


def kinds_of(ticket: Ticket) -> list[str]:
    return list(Event.objects.filter(ticket=ticket).order_by("id").values_list("kind", flat=True))


@pytest.mark.parametrize(
    ("text", "place"),
    [
        ("That was it", 1),
        ("that was it!", 1),
        ("That was it: 2", 2),
        ("Thanks, that was it – 3.\n\nInes", 3),
        ("Yes. That’s it, thank you", 1),
        ("\n\n  THAT WAS IT  \n> quoted", 1),
        ("that was it?? no, it is worse", None),
        ("That was it not", None),
        ("I thought that was it", None),
        ("that was it: 0", None),
        ("that was it 12", None),
        ("it", None),
        ("", None),
        ("> that was it, you wrote", None),
        ("that was it " * 40, None),
    ],
)
def test_which_words_say_that_it_was_it(text: str, place: int | None) -> None:
    assert said_was_it(text) == place


def test_a_mail_is_answered_with_what_surely_fits(offered: Any) -> None:
    ticket = offered()
    (letter,) = letters(ticket)
    assert letter.to == INES
    assert f"1. {TITLE}" in letter.body
    assert f"/articles/{offered.article.pk}?found=1" in letter.body
    assert "that was it" in letter.body
    # An offer is no reply: the response target still runs, and it waits for the desk.
    assert ticket.is_answered == 0 and ticket.answered_s is None
    assert TicketEvent.ARTICLES_OFFERED in kinds_of(ticket)


@pytest.mark.parametrize(
    "subject", ["help", "gangway", "the crane rail does not fold at all today", "please please"]
)
def test_what_hardly_fits_or_says_too_little_is_not_offered(offered: Any, subject: str) -> None:
    ticket = offered(subject)
    assert letters(ticket) == []
    assert TicketEvent.ARTICLES_OFFERED not in kinds_of(ticket)


@pytest.mark.parametrize("how", ["desk only", "draft", "of another place", "retired"])
def test_nobody_is_mailed_what_is_not_for_them(offered: Any, how: str) -> None:
    rows = Article.objects.filter(pk=offered.article.pk)
    match how:
        case "desk only":
            rows.update(for_everybody=0)
        case "of another place":
            rows.update(for_everybody=2)
            offered.article.audiences.create(kind="place", name="Nowhere")
        case state:
            rows.update(state=state)
    assert letters(offered()) == []


def test_only_where_the_rulebook_says_so(offered: Any) -> None:
    publish(lambda document: document.update(
        rules=[one for one in document["rules"] if one["key"] != "first-answer"]
    ))  # fmt: skip
    assert letters(offered()) == []


def test_what_is_confidential_from_its_first_second_is_answered_by_people_alone(
    offered: Any,
) -> None:
    publish(lambda document: document["rules"].insert(0, {
        "key": "quiet", "name": "Quiet", "when": ["created"], "if": {"all": []},
        "then": [{"do": "set", "field": "confidential", "value": True}],
        "stop": False, "is_on": True,
    }))  # fmt: skip
    ticket = offered()
    assert ticket.is_confidential
    assert letters(ticket) == []


def test_that_was_it_closes_it_as_solved_by_the_article(offered: Any, by: Any) -> None:
    ticket = offered()
    actions.take(ticket.pk, by("Signe"))
    actions.add_task(ticket.pk, by("Signe"), {"title": "Look at the rail"})
    got = answer(ticket, "That was it!\n\nInes\n\n> perhaps one of these")
    assert got.outcome == Outcome.ANSWERED, got.because
    ticket.refresh_from_db()
    assert state_name(ticket.state) == "closed"
    assert ticket.article_id == offered.article.pk
    assert Article.objects.get(pk=offered.article.pk).used == 1
    assert ticket.holder.name.startswith("Signe")  # who had it keeps having had it
    assert not ticket.tasks.filter(state="open").exists()  # and nothing is left to do
    wrote = Event.objects.get(ticket=ticket, kind=TicketEvent.REQUESTER_WROTE)
    assert wrote.text.startswith("That was it!")
    assert TITLE in Event.objects.get(ticket=ticket, kind=TicketEvent.RESOLVED).text
    assert not ticket.timers.filter(state=0).exists()


def test_the_second_of_two(article: Any, offered: Any) -> None:
    other = article("Folding rails of the gangway in wind", "Two people hold it.")
    ticket = offered()
    (letter,) = letters(ticket)
    assert letter.body.index("1. ") < letter.body.index("2. ")
    numbers = Event.objects.get(ticket=ticket, kind=TicketEvent.ARTICLES_OFFERED).values["articles"]
    assert set(numbers) == {offered.article.pk, other.pk}
    answer(ticket, "that was it: 2")
    ticket.refresh_from_db()
    assert ticket.article_id == numbers[1]


def test_said_after_the_desk_has_resolved_it_opens_nothing_again(offered: Any, by: Any) -> None:
    ticket = offered()
    actions.resolve(ticket.pk, by("Signe"), "Folded the rail for them.")
    answer(ticket, "That was it")
    ticket.refresh_from_db()
    assert (state_name(ticket.state), ticket.reopenings) == ("resolved", 0)
    note = Event.objects.filter(ticket=ticket, kind=TicketEvent.NOTED).order_by("-id")[0]
    assert note.text == "That was it"  # and no word is lost


@pytest.mark.parametrize("how", ["third place", "retired since", "in other words"])
def test_what_cannot_be_done_so_is_an_ordinary_message(offered: Any, how: str) -> None:
    ticket, words = offered(), "That was it"
    if how == "retired since":
        Article.objects.filter(pk=offered.article.pk).update(state="retired")
    elif how == "third place":
        words = "That was it: 3"
    else:
        words = "That was it not, sadly"
    got = answer(ticket, words)
    assert got.outcome == Outcome.ANSWERED
    ticket.refresh_from_db()
    assert ticket.is_open and ticket.article_id is None
    assert Event.objects.get(ticket=ticket, kind=TicketEvent.REQUESTER_WROTE).text == words


def test_nobody_else_and_nobody_unproved_closes_it(offered: Any) -> None:
    ticket = offered()
    answer(ticket, "That was it", sender="piotr.halloran@northmere.example")
    forged = message(INES, f"[Gannet {ticket.pk}] re", "That was it", dmarc="fail")
    inbound.read_message(bytes(forged), S + 200)
    ticket.refresh_from_db()
    assert ticket.is_open and ticket.article_id is None


def test_a_ticket_that_nothing_was_offered_on_is_not_closed_by_these_words(
    offered: Any, log: Any
) -> None:
    ticket = log("Ines", "Crew roster")
    made = message(INES, f"[Gannet {ticket.pk}] re", "That was it")
    inbound.read_message(bytes(made), S)
    ticket.refresh_from_db()
    assert ticket.is_open


def test_the_portal_says_it_too(offered: Any, api: Any) -> None:
    ticket = offered()
    path = f"/api/portal/tickets/{ticket.pk}"
    shown = api("Ines").get(path).json()
    assert shown["offered"] == [{"id": offered.article.pk, "title": TITLE}]
    for body in ({"article": 999_999}, {}, {"article": "x"}, {"article": -1}):
        got = api("Ines").post(f"{path}/was-it", body, content_type=JSON)
        assert got.status_code == 422, body
    mine = {"article": offered.article.pk}
    assert api("Piotr").post(f"{path}/was-it", mine, content_type=JSON).status_code in (403, 404)
    got = api("Ines").post(f"{path}/was-it", mine, content_type=JSON)
    assert got.status_code == 200, got.json()
    assert (got.json()["state"], got.json()["offered"]) == ("closed", [])
    again = api("Ines").post(f"{path}/was-it", mine, content_type=JSON)
    assert again.status_code == 409


def test_followers_of_a_ticket_are_offered_nothing(offered: Any, api: Any, by: Any) -> None:
    ticket = offered()
    actions.follow(ticket.pk, by("Ines"), by("Piotr").person)
    assert api("Piotr").get(f"/api/portal/tickets/{ticket.pk}").json()["offered"] == []


def test_a_mail_of_long_ago_still_closes_while_it_is_open(offered: Any, by: Any) -> None:
    ticket = offered()
    actions.reply(ticket.pk, by("Signe"), "Which rail is it?")
    letter = letters(ticket)[0]
    Outgoing.objects.filter(pk=letter.pk).update(sent_s=S + 60)
    late = S + int(timedelta(days=9).total_seconds())
    made = message(INES, "re", "that was it", In_Reply_To=letter.message_id)
    inbound.read_message(bytes(made), late)
    ticket.refresh_from_db()
    assert state_name(ticket.state) == "closed"
    assert ticket.closed_s == late


# --- beside a ticket --------------------------------------------------------------------------


def suggested(api: Any, ticket: Ticket, who: str = "Signe") -> list[int]:
    shown = api(who).get(f"/api/tickets/{ticket.pk}/help").json()
    return [one["id"] for one in shown["articles"]]


def test_what_does_not_fit_is_not_suggested_again_until_it_is_undone(
    article: Any, log: Any, api: Any
) -> None:
    one, other = article(TITLE), article("Rail of the gangway, folding in wind")
    ticket, elsewhere = log("Ines", title=TITLE), log("Ines", title=TITLE)
    assert {one.pk, other.pk} <= set(suggested(api, ticket))
    path = f"/api/tickets/{ticket.pk}/articles/{one.pk}"
    for _ in range(2):  # said twice, it is said once
        assert api("Signe").post(path, {"fits": False}, content_type=JSON).status_code == 200
    assert one.pk not in suggested(api, ticket)
    assert one.pk not in suggested(api, ticket, "Marit")  # nobody of the desk looks at it again
    assert one.pk in suggested(api, elsewhere)
    api("Signe").post(path, {"fits": True}, content_type=JSON)
    assert one.pk in suggested(api, ticket)
    assert api("Ines").post(path, {"fits": False}, content_type=JSON).status_code == 403
    assert api("Tomas").post(path, {"fits": False}, content_type=JSON).status_code == 403
    assert api("Signe").post(path, {}, content_type=JSON).status_code == 422
    gone = f"/api/tickets/{ticket.pk}/articles/999999"
    assert api("Signe").post(gone, {"fits": False}, content_type=JSON).status_code == 404


def test_what_was_sent_or_solved_it_is_not_suggested_again(
    article: Any, log: Any, api: Any, by: Any
) -> None:
    sent, used = article(TITLE), article("Rail of the gangway, folding in wind")
    ticket = log("Ines", title=TITLE)
    assert {sent.pk, used.pk} <= set(suggested(api, ticket))
    actions.reply(ticket.pk, by("Signe"), f"{sent.title}: http://x.example/articles/{sent.pk}")
    assert sent.pk not in suggested(api, ticket)
    actions.resolve(ticket.pk, by("Signe"), "Folded it as it says.", article=used.pk)
    assert used.pk not in suggested(api, ticket)
