"""What is removed of an article for good stands nowhere any more; that it was done does."""

import json
from typing import Any

import pytest
from django.core.files.storage import default_storage
from django.core.files.uploadedfile import SimpleUploadedFile
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from gannet.audit.models import Event
from gannet.knowledge.actions import set_article_state, write_article
from gannet.knowledge.models import Article, ArticlePicture, ArticleVersion
from gannet.knowledge.search import search
from gannet.messages.hooks import queue_article
from gannet.messages.models import HookCall, Notification
from gannet.messages.notices import notify
from gannet.people.acting import Acting
from gannet.tickets import actions
from gannet.tickets.models import Draft
from gannet.upkeep.events import ArticleEvent
from gannet.upkeep.removing import GONE, picture_remover, words_remover
from gannet_core.instants import seconds_of
from tests.app.test_article_pictures import add, picture
from tests.app.test_articles_from_work import drafted, noted
from tests.app.test_knowledge import find
from tests.conftest import NOW

pytestmark = pytest.mark.django_db
JSON = "application/json"
SECRET = "swordfish 22"


@pytest.fixture
def lead(northmere: None, person: Any) -> Acting:
    return Acting(person=person("Marit"), now=NOW)


@pytest.fixture
def article(lead: Acting) -> Article:
    """Three versions, the secret in the first two, folded another way in the second."""
    row = write_article(lead, {"title": "The door", "body": f"It is {SECRET}.", "for_everybody": 1})
    set_article_state(lead, row.pk, "published")
    for body in ("It is Swordfish\n22, twice.", "Ask the office."):
        write_article(lead, {"title": "The door", "body": body, "for_everybody": 1}, row.pk)
    return set_article_state(lead, row.pk, "published")


def remove(api: Any, who: str, row: Article, **body: Any) -> Any:
    return api(who).post(f"/api/articles/{row.pk}/removal", body, content_type=JSON)


def everything_said(api: Any, row: Article) -> str:
    """All that the desk can read of an article."""
    whole = [
        api("Marit").get(f"/api/articles/{row.pk}{path}").content.decode()
        for path in ("", "/life", "/pictures")
    ]
    told = Notification.objects.values_list("title", "text")
    posted = HookCall.objects.values_list("body", flat=True)
    drafts = Draft.objects.values_list("body", flat=True)
    return "\n".join([*whole, *(f"{one} {two}" for one, two in told), *map(str, drafts), *posted])


def test_words_go_from_every_version_note_and_draft(article: Article, api: Any) -> None:
    vote = {"helped": False, "why": f"Is it still {SECRET}?"}
    api("Ines").put(f"/api/articles/{article.pk}/vote", vote, content_type=JSON)
    api("Marit").put(
        f"/api/drafts/article-{article.pk}",
        {"body": {"title": "The door", "body": f"Not {SECRET} now"}}, content_type=JSON,
    )  # fmt: skip
    told_by_rule = f"article rule:{article.pk}"
    notify(find("Marit"), "article rule", told_by_rule, f"Is it {SECRET}?", seconds_of(NOW))
    hook = {"key": "wiki", "name": "Wiki", "url": "https://x.example"}
    queue_article(hook, article, "one", seconds_of(NOW))
    HookCall.objects.update(body=json.dumps({"title": f"It is {SECRET}"}))
    assert SECRET in everything_said(api, article)
    assert Draft.objects.filter(place=f"article-{article.pk}").exists()
    found = remove(api, "Marit", article, words="SWORDFISH 22", trial=True).json()
    samples = found.pop("samples")
    assert found == {"versions": [1, 2], "notes": 1}
    assert "Is it still swordfish 22?" in samples and "It is Swordfish 22, twice." in samples
    assert SECRET in everything_said(api, article), "a trial removes nothing"
    got = remove(api, "Marit", article, words="SWORDFISH 22", reason="It opens a door.")
    assert got.status_code == 200 and got.json() == {**found, "samples": []}
    assert "swordfish" not in everything_said(api, article).lower()
    assert json.loads(HookCall.objects.get().body) == {"title": f"It is {GONE}"}
    bodies = dict(ArticleVersion.objects.values_list("number", "body"))
    assert bodies == {1: f"It is {GONE}.", 2: f"It is {GONE}, twice.", 3: "Ask the office."}


def test_that_it_was_done_by_whom_and_why_stays(article: Article, api: Any) -> None:
    remove(api, "Marit", article, words=SECRET, reason="It opens a door.")
    life = api("Marit").get(f"/api/articles/{article.pk}/life").json()
    notes = {one["number"]: one["note"] for one in life["versions"]}
    assert notes[1] == "something was removed by Marit Osei: It opens a door." and not notes[3]
    event = Event.objects.get(kind=ArticleEvent.WORDS_REMOVED)
    assert event.facts["article"] == article.pk and event.facts["versions"] == [1, 2]
    assert event.facts["reason"] == "It opens a door." and SECRET not in str(event.values)


def test_the_search_finds_it_no_more(article: Article, api: Any, lead: Acting) -> None:
    write_article(
        lead, {"title": "The door", "body": f"Say {SECRET}.", "for_everybody": 1}, article.pk
    )
    set_article_state(lead, article.pk, "published")
    person, now_s = lead.person, seconds_of(NOW)
    assert [one.article.pk for one in search("swordfish", person, now_s)] == [article.pk]
    remove(api, "Marit", article, words="swordfish", reason="Secret.")
    assert search("swordfish", person, now_s) == []


@pytest.mark.parametrize(
    ("body", "field"),
    [
        ({"words": SECRET, "reason": "  "}, "reason"),
        ({"words": "a", "reason": "Short."}, "words"),
        ({"words": " . \n ", "reason": "Blank."}, "words"),
        ({"words": "never said", "reason": "There."}, "words"),
        ({"words": "", "reason": "There.", "trial": True}, "words"),
    ],
)
def test_nonsense_removes_nothing_and_names_the_field(
    article: Article, api: Any, body: dict[str, Any], field: str
) -> None:
    before = list(ArticleVersion.objects.values())
    got = remove(api, "Marit", article, **body)
    assert got.status_code == 422 and field in got.json()["fields"]
    assert list(ArticleVersion.objects.values()) == before


@pytest.mark.parametrize("who", ["Ines", "Tomas", "Signe"])
def test_only_who_may_change_it_removes(article: Article, api: Any, who: str) -> None:
    got = remove(api, who, article, words=SECRET, reason="Secret.")
    assert got.status_code == 403
    assert SECRET in ArticleVersion.objects.get(number=1).body


# --- pictures ---------------------------------------------------------------------------------


def test_a_picture_goes_with_its_file_and_from_every_version(
    lead: Acting, api: Any, django_capture_on_commit_callbacks: Any
) -> None:
    row = write_article(lead, {"title": "The key", "body": "It.", "for_everybody": 1})
    kept = add(api, "Marit", row, picture()).json()
    shows = f"Here: ![the (brass) key]({kept['shown_as']}#half) and more."
    write_article(lead, {"title": "The key", "body": shows, "for_everybody": 1}, row.pk)
    stored = str(ArticlePicture.objects.get().file.name)
    assert default_storage.exists(stored)
    refused = api("Marit").delete(kept["address"])
    assert refused.status_code == 409, "what a version shows is only removed for good"
    found = remove(api, "Marit", row, picture=kept["name"], trial=True).json()
    assert found["versions"] == [2]
    with django_capture_on_commit_callbacks(execute=True):
        got = remove(api, "Marit", row, picture=kept["name"], reason="It shows a face.")
    assert got.status_code == 200
    assert not default_storage.exists(stored) and not ArticlePicture.objects.exists()
    assert ArticleVersion.objects.get(number=2).body == f"Here: {GONE} and more."
    assert api("Marit").get(kept["address"]).status_code == 404
    again = remove(api, "Marit", row, picture=kept["name"], reason="Again.")
    assert again.status_code == 404


# --- what goes on a ticket goes from its articles ---------------------------------------------


def test_a_text_removed_on_a_ticket_goes_from_the_article_made_of_it(
    log: Any, api: Any, by: Any
) -> None:
    ticket = log("Ines", "Boarding gates", title="The gate is dark")
    event = noted(api, ticket.pk, f"Tell Signe Hallam that it opens by {SECRET}.\nTurn the key.")
    number = drafted(api, "Signe", ticket.pk, event).json()["number"]
    assert SECRET in Article.objects.get(pk=number).body
    other = write_article(by("Marit"), {"title": "Another", "body": f"It opens by {SECRET}."})
    actions.redact_text(ticket.pk, by("Marit"), event, "A secret.")
    row = Article.objects.get(pk=number)
    assert SECRET not in row.body and GONE in row.body
    assert all(SECRET not in one.body for one in row.versions.all())
    assert f"it was removed on ticket {ticket.pk}" in row.versions.get().note
    assert SECRET in Article.objects.get(pk=other.pk).body, "that was not made of it"


def test_a_file_removed_on_a_ticket_goes_from_the_article_made_of_it(
    log: Any, api: Any, by: Any, django_capture_on_commit_callbacks: Any
) -> None:
    ticket = log("Ines", "Boarding gates", title="The gate is dark")
    event = noted(api, ticket.pk, "Look at it.", "the face.png")
    number = drafted(api, "Signe", ticket.pk, event).json()["number"]
    assert ArticlePicture.objects.filter(article=number).count() == 1
    file = ticket.attachments.get()
    with django_capture_on_commit_callbacks(execute=True):
        actions.redact_file(ticket.pk, by("Marit"), str(file.pk), "It shows a face.")
    assert not ArticlePicture.objects.filter(article=number).exists()
    assert "pictures/" not in Article.objects.get(pk=number).body


def test_a_file_that_is_no_picture_is_removed_as_ever(log: Any, api: Any, by: Any) -> None:
    ticket = log("Ines", "Boarding gates", title="The gate is dark")
    sent = SimpleUploadedFile("list.txt", b"one, two", "text/plain")
    kept = api("Signe").post("/api/attachments", {"file": sent}).json()["id"]
    said = {"text": "The list.", "attachments": [kept]}
    api("Signe").post(f"/api/tickets/{ticket.pk}/note", said, content_type=JSON)
    event = Event.objects.filter(ticket=ticket).latest("id").pk
    drafted(api, "Signe", ticket.pk, event)
    actions.redact_file(ticket.pk, by("Marit"), str(ticket.attachments.get().pk), "Names.")
    assert ticket.attachments.get().name == GONE


# --- properties -------------------------------------------------------------------------------

TEXTS = st.text(alphabet="ab .\n*[]()#\\Ä\U0001f5dd", max_size=40)


@settings(max_examples=200, deadline=None, suppress_health_check=list(HealthCheck))
@given(before=TEXTS, words=st.text(alphabet="abÄ*(\\ .", min_size=3, max_size=8), after=TEXTS)
def test_whatever_stands_around_it_the_words_are_gone_and_the_rest_stays(
    before: str, words: str, after: str
) -> None:
    if len("".join(words.split())) < 3:
        return
    removes = words_remover(words)
    done = removes(f"{before}|{words.upper()}|{after}")
    folded = " ".join(words.split()).lower()
    assert folded not in " ".join(done.replace(GONE, "\0").split()).lower()
    if folded not in " ".join(before.split()).lower() and before.strip():
        assert done.startswith(before)


@pytest.mark.parametrize(
    ("text", "left"),
    [
        ("![x](pictures/NAME)", GONE),
        ("a ![x y](pictures/NAME#small) b", f"a {GONE} b"),
        ('![x](pictures/NAME "a title")', GONE),
        ("![x](pictures/other-1a2b3c4d.png)", "![x](pictures/other-1a2b3c4d.png)"),
        ("see pictures/NAME there", f"see {GONE} there"),
        ("![one](pictures/NAME)![two](pictures/NAME)", GONE + GONE),
    ],
)
def test_a_picture_is_found_however_it_is_shown(text: str, left: str) -> None:
    name = "key-1a2b3c4d.png"
    assert picture_remover(name)(text.replace("NAME", name)) == left
