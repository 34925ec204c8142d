"""Articles out of messages and of known errors: nobody named, and what is followed stays true."""

from typing import Any

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from gannet.audit.models import Event
from gannet.knowledge.actions import set_article_state, write_article
from gannet.knowledge.models import Article
from gannet.problems.models import ProblemFacts
from gannet.tickets import actions
from gannet.tickets.events import TicketEvent
from gannet.tickets.models import Ticket
from gannet.tickets.states import state_code
from gannet.upkeep import wants
from gannet_core.instants import seconds_of
from tests.app.test_article_pictures import picture
from tests.conftest import NOW

pytestmark = pytest.mark.django_db
JSON = "application/json"
NOW_S = seconds_of(NOW)


# --- a message --------------------------------------------------------------------------------


def drafted(api: Any, who: str, number: int, event: int) -> Any:
    return api(who).post(f"/api/tickets/{number}/draft", {"event": event}, content_type=JSON)


def noted(api: Any, number: int, text: str, *files: str) -> int:
    kept = [
        api("Signe")
        .post("/api/attachments", {"file": SimpleUploadedFile(name, picture(), "image/png")})
        .json()["id"]
        for name in files
    ]
    said = {"text": text, "attachments": kept}
    got = api("Signe").post(f"/api/tickets/{number}/note", said, content_type=JSON)
    assert got.status_code in (200, 201), got.json()
    return int(Event.objects.filter(ticket=number, kind=TicketEvent.NOTED).latest("id").pk)


def test_a_message_becomes_a_draft_with_its_own_pictures_and_nobody_in_it(
    log: Any, api: Any
) -> None:
    ticket = log("Ines", "Boarding gates", title="Gate of Ines Corrado")
    noted(api, ticket.pk, "Another one.", "other.png")
    event = noted(api, ticket.pk, "Ring Signe Hallam, then turn the key.", "the key.png")
    got = drafted(api, "Signe", ticket.pk, event)
    assert got.status_code == 201
    article = Article.objects.get(pk=got.json()["number"])
    assert article.title == "Gate of [somebody]" and article.source_id == ticket.pk
    assert "Ring [somebody], then turn the key." in article.body
    assert "![the key](pictures/the-key-" in article.body and "other" not in article.body
    assert (article.state, article.for_everybody, article.newest) == ("draft", 0, 1)
    assert "Ines Corrado" in article.versions.get().note


@pytest.mark.parametrize("wrong", ["another ticket's", "no message", "removed", "none", "huge"])
def test_what_is_no_message_of_it_makes_no_draft(log: Any, api: Any, by: Any, wrong: str) -> None:
    ticket, other = log("Ines", "Boarding gates"), log("Maeve", "Boarding gates")
    event = noted(api, ticket.pk, "Turn the key.")
    if wrong == "another ticket's":
        event = noted(api, other.pk, "Turn it twice.")
    elif wrong == "no message":
        actions.take(ticket.pk, by("Signe"))
        event = Event.objects.filter(ticket=ticket).latest("id").pk
    elif wrong == "removed":
        actions.redact_text(ticket.pk, by("Marit"), event, "It names somebody.")
    else:
        event = 999_999 if wrong == "none" else 10**30
    got = drafted(api, "Signe", ticket.pk, event)
    assert got.status_code in (404, 422), got.json()
    assert not Article.objects.filter(source__isnull=False).exists()


@pytest.mark.parametrize("who", ["Ines", "Tomas", "Anneke"])
def test_only_the_desk_makes_drafts(log: Any, api: Any, who: str) -> None:
    ticket = log("Ines", "Boarding gates")
    event = noted(api, ticket.pk, "Turn the key.")
    assert drafted(api, who, ticket.pk, event).status_code in (403, 404)
    assert not Article.objects.filter(source=ticket.pk).exists()


def test_of_a_message_of_a_confidential_record_no_draft_is_made(
    log: Any, api: Any, by: Any
) -> None:
    ticket = log("Ines", "Boarding gates")
    event = noted(api, ticket.pk, "Turn the key.")
    Ticket.objects.filter(pk=ticket.pk).update(is_confidential=1, holder=by("Signe").person)
    assert drafted(api, "Signe", ticket.pk, event).status_code == 403
    assert not Article.objects.filter(source=ticket.pk).exists()


# --- a known error ----------------------------------------------------------------------------


@pytest.fixture
def problem(log: Any, api: Any) -> int:
    """An open problem that is no known error yet."""
    incident = log("Maeve", "Boarding gates", title="The gates stop at noon")
    body = {"title": "Gates stop at noon", "incidents": [incident.pk]}
    got = api("Signe").post("/api/problems/open", body, content_type=JSON)
    assert got.status_code == 201, got.json()
    return int(got.json()["id"])


def known(api: Any, number: int, workaround: str, *, on_portal: bool) -> None:
    said = {
        "workaround": workaround, "is_for_portal": on_portal, "is_known": True,
        "no_cause_why": "Its maker looks for it.", "words": "", "incidents": [],
    }  # fmt: skip
    got = api("Signe").post(f"/api/problems/{number}/workaround", said, content_type=JSON)
    assert got.status_code == 200, got.json()


def article_of(api: Any, number: int) -> Any:
    return api("Signe").post(f"/api/problems/{number}/article")


def follows(api: Any, who: str, article: int) -> Any:
    return api(who).get(f"/api/articles/{article}").json()["follows"]


def test_an_article_shows_its_known_error_as_it_stands(api: Any, problem: int, by: Any) -> None:
    assert article_of(api, problem).status_code == 409, "it is no known error yet"
    known(api, problem, "Turn it off and on.", on_portal=False)
    number = article_of(api, problem).json()["number"]
    assert article_of(api, problem).json()["number"] == number, "one is enough"
    draft = Article.objects.get(pk=number)
    assert draft.kind == "known error" and "Turn it off" not in draft.body
    given = {"title": draft.title, "body": draft.body, "for_everybody": 1}
    write_article(by("Marit"), given, number)
    set_article_state(by("Marit"), number, "published")
    record = api("Signe").get(f"/api/tickets/{problem}").json()
    assert record["problem"]["article"] == number

    assert follows(api, "Signe", number)["workaround"] == "Turn it off and on."
    assert follows(api, "Ines", number)["workaround"] == "", "not offered outside the desk"
    assert follows(api, "Ines", number)["problem"] is None
    known(api, problem, "Press both keys.", on_portal=True)
    for who in ("Signe", "Ines"):
        assert follows(api, who, number)["workaround"] == "Press both keys."
        assert follows(api, who, number)["ended_s"] is None
    assert not [one for one in wants.wanting(NOW_S) if one["id"] == number]

    Ticket.objects.filter(pk=problem).update(
        state=state_code("resolved"), is_open=0, resolved_s=NOW_S
    )
    assert follows(api, "Ines", number)["ended_s"] == NOW_S
    (line,) = [one for one in wants.wanting(NOW_S) if one["id"] == number]
    assert [one["note"] for one in line["why"]] == [f"problem {problem} is over"]


def test_of_a_known_error_that_became_confidential_nothing_is_shown(
    api: Any, problem: int, by: Any
) -> None:
    known(api, problem, "Turn it off and on.", on_portal=True)
    number = article_of(api, problem).json()["number"]
    write_article(by("Marit"), {"title": "Gates", "body": "They stop.", "for_everybody": 1}, number)
    set_article_state(by("Marit"), number, "published")
    assert follows(api, "Ines", number)["workaround"]
    Ticket.objects.filter(pk=problem).update(
        is_confidential=1, state=state_code("resolved"), is_open=0, resolved_s=NOW_S
    )
    assert follows(api, "Ines", number) is None
    assert not [one for one in wants.wanting(NOW_S) if one["id"] == number]


def test_an_article_of_another_kind_follows_nothing(api: Any, problem: int, by: Any) -> None:
    known(api, problem, "Turn it off and on.", on_portal=True)
    number = article_of(api, problem).json()["number"]
    given = {"title": "Gates", "body": "They stop.", "kind": "how to"}
    write_article(by("Marit"), given, number)
    assert follows(api, "Signe", number) is None
    ProblemFacts.objects.filter(ticket=problem).update(known_s=None)
    Article.objects.filter(pk=number).update(kind="known error")
    assert follows(api, "Signe", number) is None
