"""What articles link to knows of it: articles, tickets, items and services; and outlines."""

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gannet.estate.models import ConfigItem, Service
from gannet.knowledge.actions import go_back, set_article_state, write_article
from gannet.knowledge.links import all_linked, linked
from gannet.knowledge.models import Article, ArticleKind, ArticleLink
from gannet.people.acting import Acting
from gannet.upkeep.removing import remove_words
from gannet.web.markdown import as_html
from tests.conftest import NOW

pytestmark = pytest.mark.django_db


@pytest.fixture
def lead(northmere: None, person: Any) -> Acting:
    return Acting(person=person("Marit"), now=NOW)


def written(lead: Acting, title: str, body: str, number: int | None = None, **more: Any) -> Article:
    row = write_article(lead, {"title": title, "body": body, "for_everybody": 1, **more}, number)
    return set_article_state(lead, row.pk, "published")


def about(api: Any, what: str, number: int, who: str = "Signe") -> dict[str, list[str]]:
    got = api(who).get("/api/articles/about", {"what": what, "number": number})
    assert got.status_code == 200, got.json()
    said = got.json()
    return {part: [one["title"] for one in said[part]] for part in ("linking", "fitting")}


@pytest.mark.parametrize(
    ("text", "found"),
    [
        ("[a](/articles/5)", {("article", 5)}),
        ("[a](/desk/articles/5?for=3)", {("article", 5)}),
        ("[a](/desk/tickets/7#end) and [b](/desk/items/8)", {("ticket", 7), ("item", 8)}),
        ("[a](https://desk.northmere.example/desk/services/2)", {("service", 2)}),
        ("![a](/desk/items/8)", {("item", 8)}),
        ("/desk/tickets/7", set()),
        ("[a](/desk/tickets/7x)", set()),
        ("[a](/desk/map/7)", set()),
        ("[a](/desk/tickets/7) [b](/desk/tickets/7)", {("ticket", 7)}),
        (f"[a](/desk/tickets/{'9' * 30})", set()),
    ],
)
def test_what_a_text_links_to(text: str, found: set[tuple[str, int]]) -> None:
    assert all_linked(text) == found


@given(
    st.lists(st.tuples(st.sampled_from(["article", "ticket"]), st.integers(1, 10**9)), max_size=8)
)
def test_every_link_that_is_written_is_found_and_those_to_articles_alike(
    wanted: list[tuple[str, int]],
) -> None:
    text = " and ".join(f"[x](/desk/{what}s/{number})" for what, number in wanted)
    assert all_linked(text) == set(wanted)
    assert set(linked(text)) == {number for what, number in wanted if what == "article"}


def test_a_ticket_knows_the_articles_that_link_to_it(log: Any, lead: Acting, api: Any) -> None:
    ticket = log("Ines", "Boarding gates", title="The gate is dark")
    row = written(lead, "Dark gates", f"As in [that one](/desk/tickets/{ticket.pk}).")
    shown = api("Signe").get(f"/api/tickets/{ticket.pk}/help").json()["linking"]
    assert [one["id"] for one in shown] == [row.pk]
    # Readers of the published one see what it said until the next is published.
    write_article(lead, {"title": "Dark gates", "body": "No more.", "for_everybody": 1}, row.pk)
    assert ArticleLink.objects.filter(article=row).exists()
    set_article_state(lead, row.pk, "published")
    assert not ArticleLink.objects.filter(article=row).exists()
    go_back(lead, row.pk, 1)
    assert api("Signe").get(f"/api/tickets/{ticket.pk}/help").json()["linking"]
    set_article_state(lead, row.pk, "retired")
    assert api("Signe").get(f"/api/tickets/{ticket.pk}/help").json()["linking"] == []


def test_what_is_removed_for_good_links_nowhere(lead: Acting) -> None:
    row = written(lead, "Gates", "See [it](/desk/items/8) there.")
    remove_words(lead, row, "[it](/desk/items/8)", "It names a place.")
    assert not ArticleLink.objects.exists()


def test_an_item_has_what_links_to_it_and_what_is_found_by_its_name(lead: Acting, api: Any) -> None:
    service = Service.objects.get(name="Boarding gates")
    item = ConfigItem.objects.filter(service=service).order_by("pk")[0]
    other = ConfigItem.objects.exclude(service=service).order_by("pk")[0]
    written(lead, "Links here", f"See [it](/desk/items/{item.pk}).")
    written(lead, f"Mend a {item.kind}", "Slowly.", service=service)
    written(lead, "Boil an egg", "Slowly.")
    found = about(api, "item", item.pk)
    assert found == {"linking": ["Links here"], "fitting": [f"Mend a {item.kind}"]}
    assert "Links here" not in about(api, "item", other.pk)["linking"]
    assert about(api, "item", 999_999) == {"linking": [], "fitting": []}


def test_a_service_has_its_own_the_most_used_first(lead: Acting, api: Any) -> None:
    service = Service.objects.get(name="Boarding gates")
    for number in range(9):
        row = written(lead, f"Gates {number}", "Slowly.", service=service)
        Article.objects.filter(pk=row.pk).update(used=number)
    write_article(lead, {"title": "Gates, a draft", "body": "x", "service": service})
    got = api("Signe").get("/api/articles/about", {"what": "service", "number": service.pk}).json()
    assert [one["title"] for one in got["fitting"]] == [f"Gates {n}" for n in (8, 7, 6, 5, 4, 3)]
    assert got["fitting_count"] == 9


@pytest.mark.parametrize(
    "asked", [{}, {"what": "item"}, {"what": "place", "number": 1}, {"what": "item", "number": "x"}]
)
def test_what_is_no_thing_is_refused(northmere: None, api: Any, asked: dict[str, Any]) -> None:
    assert api("Signe").get("/api/articles/about", asked).status_code == 422


# --- outlines ---------------------------------------------------------------------------------


def test_each_kind_begins_as_something_of_its_own_that_reads_well(
    northmere: None, api: Any
) -> None:
    outlines = api("Signe").get("/api/articles/audiences").json()["outlines"]
    assert set(outlines) == set(ArticleKind.values)
    assert len(set(outlines.values())) == len(outlines)
    for kind, text in outlines.items():
        html = as_html(text)
        assert "<em>" in html, f"{kind}: what is to be written stands out"
        assert all_linked(text) == set() and "<script" not in html
