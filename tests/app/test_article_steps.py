"""Steps of an article ticked on a ticket: by whom, of which version, and for whom to see."""

import json
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from gannet.knowledge.actions import set_article_state, write_article
from gannet.knowledge.models import Article
from gannet.people.acting import Acting
from gannet.tickets.article_steps import steps_in
from gannet.tickets.models import TickedSteps, Ticket
from tests.conftest import NOW

pytestmark = pytest.mark.django_db
BODY = "Each morning:\n\n1. [ ] Scan it.\n2. [ ] Press it.\n3. [x] Sign it.\n\n- not a step"


@pytest.fixture
def article(northmere: None, person: Any) -> Article:
    lead = Acting(person=person("Marit"), now=NOW)
    row = write_article(lead, {"title": "Test the gates", "body": BODY, "for_everybody": 0})
    set_article_state(lead, row.pk, "published")
    return Article.objects.get(pk=row.pk)


def path(ticket: Ticket, article: Article) -> str:
    return f"/api/tickets/{ticket.pk}/articles/{article.pk}/steps"


def tick(
    api: Any, who: str, ticket: Ticket, article: Article, *ticked: int, version: int = 1
) -> Any:
    said = json.dumps({"version": version, "ticked": ticked})
    return api(who).put(path(ticket, article), said, content_type="application/json")


@pytest.mark.parametrize(
    ("text", "steps"),
    [
        ("nothing", 0),
        (BODY, 3),
        ("- [ ] a\n  - [ ] b\n* [X] c", 3),
        ("`- [ ] a`", 0),
        ("```\n- [ ] a\n```", 0),
        ("[ ] a", 0),
        ("1) [ ] a", 1),
    ],
)
def test_a_step_is_what_is_drawn_as_one(text: str, steps: int) -> None:
    assert steps_in(Article(pk=7, body=text)) == steps


def test_what_is_done_is_kept_on_its_ticket_and_no_other(
    log: Any, api: Any, article: Article
) -> None:
    ticket, other = log("Ines", "Boarding gates"), log("Ines", "Boarding gates")
    assert tick(api, "Signe", ticket, article, 2, 0, 0).json()["ticked"] == [0, 2]
    assert tick(api, "Joss", ticket, article, 0, 1, 2).json()["person"].startswith("Joss")
    assert api("Signe").get(path(other, article)).json()["ticked"] == []
    (line,) = api("Signe").get(f"/api/tickets/{ticket.pk}/help").json()["ticked"]
    assert (line["id"], line["ticked"], line["steps"]) == (article.pk, 3, 3)
    assert tick(api, "Signe", ticket, article).json()["ticked"] == []
    assert api("Signe").get(f"/api/tickets/{ticket.pk}/help").json()["ticked"] == []


@pytest.mark.parametrize("ticked", [(3,), (-1,), (0, 99)])
def test_a_step_that_is_none_is_not_ticked(
    log: Any, api: Any, article: Article, ticked: tuple[int, ...]
) -> None:
    ticket = log("Ines", "Boarding gates")
    assert tick(api, "Signe", ticket, article, *ticked).status_code == 422
    assert not TickedSteps.objects.exists()


def test_of_another_version_nothing_is_ticked(
    log: Any, api: Any, article: Article, person: Any
) -> None:
    ticket = log("Ines", "Boarding gates")
    tick(api, "Signe", ticket, article, 0, 1)
    lead = Acting(person=person("Marit"), now=NOW)
    write_article(lead, {"title": article.title, "body": "1. [ ] Ring it."}, article.pk)
    set_article_state(lead, article.pk, "published")
    shown = api("Signe").get(path(ticket, article)).json()
    assert (shown["version"], shown["steps"], shown["ticked"]) == (2, 1, [])
    refused = tick(api, "Signe", ticket, article, 0, version=1)
    assert refused.status_code == 409 and refused.json()["current"]["version"] == 2
    assert tick(api, "Signe", ticket, article, 0, version=2).json()["ticked"] == [0]


def test_who_may_not_see_ticket_or_article_sees_no_steps(
    log: Any, api: Any, by: Any, article: Article
) -> None:
    ticket = log("Ines", "Boarding gates")
    for who in ("Ines", "Maeve", "Tomas"):
        assert api(who).get(path(ticket, article)).status_code in (403, 404)
        assert tick(api, who, ticket, article, 0).status_code in (403, 404)
    Ticket.objects.filter(pk=ticket.pk).update(is_confidential=1, holder=by("Signe").person)
    assert tick(api, "Joss", ticket, article, 0).status_code == 404
    assert tick(api, "Signe", ticket, article, 0).status_code == 200
    gone = Article(pk=article.pk + 50_000)
    assert tick(api, "Signe", ticket, gone, 0).status_code == 404


@settings(max_examples=10, suppress_health_check=list(HealthCheck), deadline=None)
@given(rounds=st.lists(st.lists(st.integers(0, 2), max_size=5), min_size=1, max_size=6))
def test_the_last_word_counts(
    log: Any, api: Any, article: Article, rounds: list[list[int]]
) -> None:
    ticket = log("Ines", "Boarding gates")
    for ticked in rounds:
        assert tick(api, "Signe", ticket, article, *ticked).status_code == 200
    kept = api("Signe").get(path(ticket, article)).json()["ticked"]
    assert kept == sorted(set(rounds[-1]))
