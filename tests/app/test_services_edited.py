"""Services recorded and changed by hand: who may, what is refused, who follows a new name."""

import json
from typing import Any

import pytest

from gannet.estate.models import ConfigItem, Service
from gannet.knowledge import actions as articles
from gannet.knowledge.models import ArticleAudience
from gannet.people.acting import Acting
from gannet.reports.models import KeptReport
from gannet.tickets.actions.log import NewTicket, log_ticket
from gannet.tickets.classify import classify, retrain, suggest_services
from gannet.tickets.directory import technical_owner_of
from gannet.tickets.models import View
from tests.app.test_engine import publish
from tests.conftest import NOW

pytestmark = pytest.mark.django_db
JSON = "application/json"


def change(client: Any, number: int, said: dict[str, Any]) -> Any:
    return client.patch(f"/api/services/{number}", json.dumps(said), content_type=JSON)


def record(client: Any, **said: Any) -> Any:
    return client.post("/api/services/new", {"name": "Crew rota", **said}, content_type=JSON)


def test_a_service_is_recorded_and_offered_until_it_is_retired(api: Any, person: Any) -> None:
    department = person("Ines").department
    made = record(
        api("Anneke"), plain="Who works when", words="shifts, crew", criticality=2,
        departments=[department, f" {department} "], owner=person("Joss").pk, why="bought",
    )  # fmt: skip
    assert made.status_code == 201, made.content
    page = made.json()
    assert (page["owner"], page["departments"]) == ("Joss Levering", [department])
    assert "bought" in page["history"][0]["sentence"]

    def offered() -> list[str]:
        return [one["name"] for one in api("Signe").get("/api/choices").json()["services"]]

    def on_the_portal() -> Any:
        return api("Ines").get("/api/portal/offers", {"text": "the crew rota is empty"}).json()

    assert "Crew rota" in offered()
    assert "Crew rota" in json.dumps(on_the_portal())
    changed = change(api("Marit"), page["id"], {"life": "retired", "why": "sold"})
    assert changed.status_code == 200, changed.content
    assert "life in use → retired" in changed.json()["history"][0]["sentence"]
    assert "Crew rota" not in offered() and "Crew rota" not in json.dumps(
        on_the_portal()["services"]
    )


@pytest.mark.parametrize(
    ("said", "field"),
    [
        ({"name": "  "}, "name"),
        ({"name": "TICKET OFFICE TILLS"}, "name"),
        ({"life": "sleeping"}, "life"),
        ({"criticality": 9}, "criticality"),
        ({"departments": ["Moon base"]}, "departments"),
        ({"category": "Moon"}, "category"),
        ({"default_impact": 9}, "default_impact"),
        ({"owner": 10**7}, "owner"),
        ({"technical_owner": 10**7}, "technical_owner"),
        ({"supplier": "x" * 121}, "supplier"),
        ({"team": 10**7}, "team"),
        ({"why": ""}, "why"),
    ],
)
def test_what_is_wrong_is_said_at_its_field_and_nothing_is_changed(
    api: Any, said: dict[str, Any], field: str
) -> None:
    number = record(api("Anneke"), why="new").json()["id"]
    refused = change(api("Anneke"), number, {"why": "tried", **said})
    assert refused.status_code == 422 and field in refused.json()["fields"], refused.content
    assert Service.objects.get(pk=number).name == "Crew rota"
    assert len(api("Anneke").get(f"/api/services/{number}").json()["history"]) == 1


def test_leads_and_administrators_change_services_and_nobody_else(api: Any) -> None:
    number = record(api("Marit"), why="new").json()["id"]
    for who in ("Signe", "Tomas", "Ines"):
        assert change(api(who), number, {"plain": "x", "why": "y"}).status_code in (403, 404), who
        assert record(api(who), name="Another", why="y").status_code in (403, 404), who
    assert not Service.objects.filter(name="Another").exists()


def test_a_new_name_is_followed_by_views_reports_and_readers(api: Any, person: Any) -> None:
    number = record(api("Anneke"), why="new").json()["id"]
    leaf = {"field": "service", "op": "is one of", "value": ["Crew rota", "Ticket office tills"]}
    view = View.objects.create(
        kept_at=NOW,
        owner=person("Signe"),
        name="Crew",
        body={"filter": {"all": [leaf]}, "columns": ["service"]},
    )
    report = KeptReport.objects.create(
        owner=person("Tomas"), name="Crew", definition={"where": leaf, "rows": ["service"]},
        made_s=0, changed_s=0,
    )  # fmt: skip
    article = articles.write_article(
        Acting(person=person("Marit"), now=NOW), {"title": "Crews", "body": "x"}
    )
    ArticleAudience.objects.create(article=article, kind="service", name="Crew rota")
    changed = change(api("Anneke"), number, {"name": "Crew planning", "why": "its new name"})
    assert changed.status_code == 200, changed.content
    view.refresh_from_db()
    report.refresh_from_db()
    anew = {**leaf, "value": ["Crew planning", "Ticket office tills"]}
    assert view.body == {"filter": {"all": [anew]}, "columns": ["service"]}
    assert report.definition == {"where": anew, "rows": ["service"]}
    names = article.audiences.filter(kind="service").values_list("name", flat=True)
    assert "Crew planning" in names and "Crew rota" not in names


def test_a_name_that_the_rulebook_says_stays_and_the_refusal_says_where(api: Any) -> None:
    tills = Service.objects.get(name="Ticket office tills")
    before = View.objects.count(), tills.name
    refused = change(api("Anneke"), tills.pk, {"name": "Tills", "why": "shorter"})
    assert refused.status_code == 409, refused.content
    assert "“" in refused.json()["detail"] and "rulebook" in refused.json()["detail"]
    tills.refresh_from_db()
    assert (View.objects.count(), tills.name) == before


def test_what_past_tickets_say_of_a_retired_service_is_suggested_no_more(
    person: Any, by: Any
) -> None:
    """Neither first nor, once it is left out, instead of the next likely one."""
    tills = Service.objects.get(name="Ticket office tills")
    gates = Service.objects.get(name="Boarding gates")
    for service, words in ((tills, "the till drawer sticks"), (gates, "the barcode gate beeps")):
        for _ in range(6):
            log_ticket(
                NewTicket(requester=person("Maeve"), title=words, service=service), by("Signe")
            )
    retrain()
    text = "a till drawer that sticks beside the gate"
    assert [one.name for one, _ in suggest_services(text, 1)] == [tills.name]
    Service.objects.filter(pk=tills.pk).update(life="retired")
    assert [one.name for one, _ in suggest_services(text, 1)] == [gates.name]
    assert classify(text).service != tills


def test_who_answers_technically_is_the_item_s_owner_or_its_service_s(
    api: Any, person: Any
) -> None:
    lena, joss = person("Lena"), person("Joss")
    tills = Service.objects.get(name="Ticket office tills")
    said = {"technical_owner": lena.pk, "supplier": "Loam Payments", "why": "new contract"}
    page = change(api("Anneke"), tills.pk, {**said, "contract": "LP-8"}).json()
    assert (page["technical_owner"], page["supplier"]) == (lena.name, "Loam Payments")
    sentence = page["history"][0]["sentence"]
    assert "technical owner" in sentence and lena.name in sentence and "LP-8" in sentence
    tills.refresh_from_db()
    till = ConfigItem.objects.filter(service=tills).first()
    assert till is not None
    till.owner = joss
    assert technical_owner_of(till, tills) == joss.pk
    till.owner = None
    assert technical_owner_of(till, None) == lena.pk == technical_owner_of(None, tills)
    assert technical_owner_of(None, None) is None


def test_a_service_and_its_items_show_the_windows_and_freezes_over_them(api: Any) -> None:
    """A window for one service is over it and its items, and over no other."""

    def narrow(document: dict[str, Any]) -> None:
        first, second = document["windows"][:2]
        first.update(services=["Ticket office tills"], items=[], groups=[])
        second.update(services=[], items=[], groups=[])

    windows = publish(narrow).document["windows"]
    narrowed, for_all = (one["name"] for one in windows[:2])
    tills = Service.objects.get(name="Ticket office tills")
    till = ConfigItem.objects.filter(service=tills).first()
    other = Service.objects.exclude(pk=tills.pk).exclude(life="retired").first()
    assert till is not None and other is not None

    def over(address: str) -> list[str]:
        shown = api("Signe").get(address).json()
        for one in shown["windows"]:
            assert one["from_s"] is None or one["from_s"] < one["to_s"]
            assert one["to_s"] is None or one["to_s"] > shown["now_s"]
        return [one["name"] for one in shown["windows"]]

    assert {narrowed, for_all} <= set(over(f"/api/services/{tills.pk}"))
    assert {narrowed, for_all} <= set(over(f"/api/estate/items/{till.pk}"))
    elsewhere = over(f"/api/services/{other.pk}")
    assert for_all in elsewhere and narrowed not in elsewhere
