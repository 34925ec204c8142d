"""How articles are reached: by the desk's words, by a known error's, by pages; and told or not."""

from typing import Any

import pytest

from gannet.estate.models import Service
from gannet.knowledge.actions import set_article_state, write_article
from gannet.knowledge.models import Article, SameWords, Search
from gannet.knowledge.search import search
from gannet.messages import notices
from gannet.messages.models import Notification
from gannet.people.acting import Acting
from gannet.people.models import Person
from gannet.problems.models import ProblemFacts
from gannet.upkeep import telling
from gannet_core.instants import seconds_of
from tests.app.test_articles_from_work import article_of, known, problem  # noqa: F401
from tests.conftest import NOW

pytestmark = pytest.mark.django_db
JSON = "application/json"
NOW_S = seconds_of(NOW)


@pytest.fixture
def lead(northmere: None, person: Any) -> Acting:
    return Acting(person=person("Marit"), now=NOW)


@pytest.fixture
def shelf(lead: Acting) -> dict[str, int]:
    """Articles for everybody and for some, in two categories; and words that mean the same."""
    kept = {}
    for title, body, category, whom in (
        ("Clean the till", "With a dry cloth.", "Sales", 1),
        ("Wipe a gate", "With the blue cloth.", "Boarding › Gates", 1),
        ("Open a gate by hand", "Turn the key.", "Boarding › Gates", 0),
        ("Light the quay", "The lamp by the tills.", "", 1),
    ):
        given = {"title": title, "body": body, "category": category, "for_everybody": whom}
        row = write_article(lead, given)
        set_article_state(lead, row.pk, "published")
        kept[title] = row.pk
    SameWords.objects.create(words=["till", "register"], by=lead.person)
    return kept


def answers(api: Any, words: str) -> dict[str, list[str]]:
    got = api("Ines").get("/api/portal/articles", {"words": words})
    assert got.status_code == 200, got.json()
    return {one["subject"]: [a["title"] for a in one["articles"]] for one in got.json()["subjects"]}


# --- the portal's answers ---------------------------------------------------------------------


@pytest.mark.parametrize(
    ("words", "titles"),
    [
        ("", ["Clean the till", "Light the quay", "Wipe a gate"]),
        ("   ", ["Clean the till", "Light the quay", "Wipe a gate"]),
        ("GATE", ["Wipe a gate"]),
        ("gaet", ["Wipe a gate"]),  # a slip of the keyboard
        ("register", ["Clean the till", "Light the quay"]),  # the desk says it is a till
        ("regsiter", ["Clean the till", "Light the quay"]),  # a slip of what is a till
        ("dry cloth", ["Clean the till"]),  # all of the words, not one of them
        ("board", ["Wipe a gate"]),  # by what it is about
        ("key", []),  # that one is the desk's
        ("sal till", []),  # no article has “sal”, and its subject has no “till”
        ("zzz", []),
        ('"(((*', ["Clean the till", "Light the quay", "Wipe a gate"]),
        ("\x00", ["Clean the till", "Light the quay", "Wipe a gate"]),
    ],
)
def test_answers_are_narrowed_as_everything_is_searched(
    shelf: dict[str, int], api: Any, words: str, titles: list[str]
) -> None:
    found = [title for some in answers(api, words).values() for title in some]
    assert sorted(found) == titles


def test_answers_stand_under_their_subjects_what_has_none_last(
    shelf: dict[str, int], api: Any
) -> None:
    assert list(answers(api, "")) == ["Boarding › Gates", "Sales", "Everything else"]


def test_what_was_read_as_another_word_is_said(shelf: dict[str, int], api: Any) -> None:
    said = api("Ines").get("/api/portal/articles", {"words": "register"}).json()["read_as"]
    assert said == ["register as till"]
    assert api("Ines").get("/api/portal/articles", {"words": "gate"}).json()["read_as"] == []


# --- what is searched for is kept -------------------------------------------------------------


@pytest.mark.parametrize(
    ("who", "address", "name"),
    [
        ("Ines", "/api/portal/articles", "words"),
        ("Ines", "/api/portal/offers", "text"),
        ("Signe", "/api/articles", "q"),
    ],
)
def test_a_search_in_vain_is_kept_wherever_it_is_made(
    shelf: dict[str, int], api: Any, who: str, address: str, name: str
) -> None:
    for typed in ("gang", "gangway", "gangway lamp"):
        assert api(who).get(address, {name: typed}).status_code == 200
    one = Search.objects.get()
    assert (one.said, one.person.name.split()[0]) == ("gangway lamp", who)
    api(who).get(address, {name: "wipe gate"})
    assert [one.best for one in Search.objects.order_by("pk")][1] == 1.0
    api(who).get(address, {name: ""})
    assert Search.objects.count() == 2


# --- what helps with a known error ------------------------------------------------------------


def found(who: Person, words: str) -> list[int]:
    return [one.article.pk for one in search(words, who, NOW_S)]


def test_an_article_is_found_by_the_workaround_it_shows_to_everybody(
    api: Any, by: Any, problem: int  # noqa: F811
) -> None:  # fmt: skip
    known(api, problem, "Shake the lantern.", on_portal=True)
    number = article_of(api, problem).json()["number"]
    row = Article.objects.get(pk=number)
    write_article(by("Marit"), {"title": row.title, "body": row.body, "for_everybody": 1}, number)
    set_article_state(by("Marit"), number, "published")
    ines = by("Ines").person
    assert found(ines, "lantern") == [number]
    known(api, problem, "Tap the funnel.", on_portal=True)
    assert found(ines, "funnel") == [number] and found(ines, "lantern") == []
    # What the desk alone reads finds nothing for anybody: not finding would tell as much.
    known(api, problem, "Tap the bollard.", on_portal=False)
    assert found(ines, "bollard") == [] and found(by("Signe").person, "bollard") == []
    ProblemFacts.objects.get(ticket=problem).save()
    assert found(ines, "bollard") == []


# --- pages ------------------------------------------------------------------------------------


def test_every_article_is_on_one_page(lead: Acting, api: Any) -> None:
    for number in range(120):
        write_article(lead, {"title": f"Article {number}", "body": "Text."})
    shown: list[int] = []
    for skip in (0, 100, 200):
        page = api("Signe").get("/api/articles", {"state": "draft", "skip": skip}).json()
        shown += [one["id"] for one in page]
    assert len(shown) == len(set(shown)) == 120


@pytest.mark.parametrize("skip", ["-1", "x", "1.5", "9" * 40, ""])
def test_a_page_that_is_none_is_no_error(shelf: dict[str, int], api: Any, skip: str) -> None:
    assert api("Signe").get("/api/articles", {"skip": skip}).status_code == 200


# --- told or not ------------------------------------------------------------------------------


def wish(api: Any, who: str, **events: str) -> dict[str, Any]:
    kept = api(who).get("/api/preferences").json()["events"]
    got = api(who).put("/api/preferences", {"events": kept | events}, content_type=JSON)
    assert got.status_code == 200, got.json()
    return dict(got.json())


def test_each_thing_that_is_told_of_articles_can_be_wished_away(
    northmere: None, api: Any, person: Any
) -> None:
    offered = {one["event"]: one["words"] for one in wish(api, "Marit")["others"]}
    assert set(offered) == set(notices.optional) and all(offered.values())
    assert telling.EVENT in offered
    marit = person("Marit")
    for event in offered:
        notices.notify(marit, event, f"{event}:1", "Something", NOW_S)
        wish(api, "Marit", **{event: "never"})
        notices.notify(Person.objects.get(pk=marit.pk), event, f"{event}:2", "More", NOW_S)
    told = Notification.objects.filter(person=marit, event_name__in=offered)
    assert sorted(told.values_list("about", flat=True)) == sorted(f"{one}:1" for one in offered)


def test_the_letter_of_monday_is_wished_away_on_the_page(
    shelf: dict[str, int], api: Any, lead: Acting
) -> None:
    Article.objects.update(review_s=NOW_S - 1)
    due = telling.week_of(NOW_S)
    assert [one.to for one in telling.letters(due, NOW_S)] == [lead.person.email]
    wish(api, "Marit", **{telling.EVENT: "never"})
    assert telling.letters(due, NOW_S) == []
    wish(api, "Marit", **{telling.EVENT: "at once"})
    assert len(telling.letters(due, NOW_S)) == 1


# --- places -----------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("words", "titles"),
    [
        ("Gate dark at Farrow Sound", ["A gate is dark"]),
        ("gate sound", ["A gate is dark", "The pier of Farrow Sound", "The sound is missing"]),
        ("farrow sound", ["The pier of Farrow Sound"]),
        ("FARROW  sound pier", ["The pier of Farrow Sound"]),
        ("pier at Orrin Bay, Farrow Sound", ["The pier of Farrow Sound"]),
    ],
)
def test_the_name_of_a_place_is_one_thing(
    lead: Acting, person: Any, words: str, titles: list[str]
) -> None:
    Person.objects.filter(pk=lead.person_id).update(place="Farrow Sound")
    Person.objects.filter(pk=person("Signe").pk).update(place="Orrin Bay")
    for title in ("A gate is dark", "The sound is missing", "The pier of Farrow Sound"):
        row = write_article(lead, {"title": title, "body": "Wait.", "for_everybody": 1})
        set_article_state(lead, row.pk, "published")
    got = search(words, lead.person, NOW_S, any_word=True)
    assert sorted(one.article.title for one in got if one.coverage >= 0.5) == titles
    assert all(0 < one.coverage <= 1 for one in got)


# --- lists ------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("asked", "titles"),
    [
        ({}, ["Clean the till", "Light the quay", "Open a gate by hand", "Wipe a gate"]),
        ({"category": "Boarding"}, ["Open a gate by hand", "Wipe a gate"]),
        ({"category": "Board"}, []),
        ({"kind": "question"}, ["Light the quay"]),
        ({"service": "SERVICE"}, ["Wipe a gate"]),
        ({"mine": "1"}, ["Clean the till"]),
        ({"q": "gate", "kind": "how to", "category": "Boarding › Gates"},
         ["Open a gate by hand", "Wipe a gate"]),
        ({"q": "gate", "mine": "true"}, []),
        ({"kind": "nonsense", "sort": "nonsense", "service": "x"}, []),
    ],
)  # fmt: skip
def test_the_desks_list_is_narrowed_with_words_and_without(
    shelf: dict[str, int], api: Any, person: Any, asked: dict[str, str], titles: list[str]
) -> None:
    service = Service.objects.get(name="Boarding gates")
    for title, change in (
        ("Light the quay", {"kind": "question"}),
        ("Wipe a gate", {"service": service}),
        ("Clean the till", {"owner": person("Signe")}),
    ):
        Article.objects.filter(pk=shelf[title]).update(**change)
    said = {key: str(service.pk) if one == "SERVICE" else one for key, one in asked.items()}
    got = api("Signe").get("/api/articles", said)
    assert sorted(one["title"] for one in got.json()) == titles


def test_the_desks_list_comes_in_each_order(shelf: dict[str, int], api: Any) -> None:
    for place, number in enumerate(shelf.values()):
        Article.objects.filter(pk=number).update(
            used=place, review_s=None if place == 1 else 900 - place, changed_s=place
        )
    names = list(shelf)
    orders = {
        "title": sorted(names),
        "used": names[::-1],
        "changed": names[::-1],
        "review": [names[3], names[2], names[0], names[1]],
    }
    for sort, wanted in orders.items():
        got = api("Signe").get("/api/articles", {"sort": sort}).json()
        assert [one["title"] for one in got] == wanted, sort
