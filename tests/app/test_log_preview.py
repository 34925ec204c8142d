"""The phone: what a call would become, who gets it, and reporting for somebody else."""

from typing import Any

import pytest

from gannet.people.models import Person, Team
from gannet.rulebook.book import current
from gannet.tickets import forms
from gannet.tickets.models import Ticket

JSON = "application/json"


def call(person_of: Any, /, **given: Any) -> dict[str, Any]:
    maeve = person_of("Maeve").pk
    return {"requester": maeve, "title": "Gate 3 rejects every barcode", "text": "", **given}


@pytest.mark.parametrize(
    "answers", [{}, {"who": "ships", "work": "no"}, {"who": "me", "work": "hard"}]
)
@pytest.mark.parametrize("service", [None, "Boarding gates", "Workplace laptops"])
@pytest.mark.parametrize("assign", ["routed", "me", "team"])
def test_what_the_preview_says_is_what_logging_does(
    api: Any, person: Any, answers: dict[str, str], service: str | None, assign: str
) -> None:
    from gannet.estate.models import Service

    given = call(person, answers=answers)
    if service:
        given["service"] = Service.objects.get(name=service).pk
    if assign == "me":
        given["person"] = person("Signe").pk
    if assign == "team":
        given["team"] = Team.objects.get(key="networks").pk
    before = Ticket.objects.count()
    seen = api("Signe").post("/api/tickets/preview", given, content_type=JSON)
    assert seen.status_code == 200, seen.content
    assert Ticket.objects.count() == before, "nothing is saved"
    said = seen.json()
    logged = api("Signe").post("/api/tickets", given, content_type=JSON).json()
    for name in ("priority", "team"):
        assert said[name] == logged[name], name
    assert said["person"] == logged["holder"]
    for name in ("answer_due_s", "fix_due_s"):
        assert abs((said[name] or 0) - (logged[name] or 0)) <= 5, name
    if assign == "me":
        assert said["person"] == "Signe Hallam"


def test_a_preview_needs_nothing_yet(api: Any) -> None:
    seen = api("Signe").post("/api/tickets/preview", {}, content_type=JSON).json()
    assert seen["duplicates"] == [] and seen["priority"] in current().priorities


def test_likely_duplicates_and_outages_are_shown_while_typing(
    api: Any, person: Any, log: Any, by: Any
) -> None:
    from datetime import timedelta

    from gannet.tickets import actions
    from tests.conftest import NOW

    ticket = log("Piotr", "Boarding gates", title="Gate 3 rejects every barcode")
    actions.announce(
        ticket.pk, by("Signe"), public_title="Gates reject barcodes",
        next_news=NOW + timedelta(hours=1),
    )  # fmt: skip
    seen = api("Signe").post("/api/tickets/preview", call(person), content_type=JSON).json()
    assert [one["id"] for one in seen["duplicates"]] == [ticket.pk]
    assert [one["id"] for one in seen["outages"]] == [ticket.pk]


def test_what_is_confidential_is_no_duplicate_for_strangers(
    api: Any, person: Any, log: Any
) -> None:
    log("Piotr", "Safe computing", title="Gate 3 rejects every barcode")
    seen = api("Signe").post("/api/tickets/preview", call(person), content_type=JSON).json()
    assert seen["duplicates"] == []


@pytest.mark.parametrize(
    ("given", "field"),
    [
        ({"team": 999_999}, "team"),
        ({"person": 999_999}, "person"),
        ({"person": "Maeve"}, "person"),
        ({"parent": 999_999}, "parent"),
    ],
)
def test_who_cannot_get_it_is_refused_at_the_field(
    api: Any, person: Any, given: dict[str, Any], field: str
) -> None:
    if given.get("person") == "Maeve":
        given = {"person": person("Maeve").pk}
    got = api("Signe").post("/api/tickets", call(person, **given), content_type=JSON)
    assert got.status_code == 422 and field in got.json()["fields"]


def test_a_confidential_call_goes_to_nobody_outside_its_team(api: Any, person: Any) -> None:
    from gannet.estate.models import Service

    service = Service.objects.get(name="Safe computing").pk
    given = call(person, service=service, person=person("Signe").pk)
    got = api("Signe").post("/api/tickets", given, content_type=JSON)
    assert got.status_code == 422 and "confidential" in got.json()["detail"]


def test_created_from_another_it_is_a_part_of_it(api: Any, person: Any, log: Any) -> None:
    whole = log("Maeve", "Boarding gates")
    given = call(person, title="Order the head", parent=whole.pk)
    part = api("Signe").post("/api/tickets", given, content_type=JSON).json()
    shown = api("Signe").get(f"/api/tickets/{whole.pk}").json()
    assert [child["id"] for child in shown["children"]] == [part["id"]]


def test_a_template_applies_by_its_category(api: Any, person: Any) -> None:
    category = "Hardware › Till"
    assert forms.template_of(current(), "", category) == "till-jam"
    given = call(person, title="Till prints nothing", category=category)
    states = api("Signe").post(
        "/api/forms", {"audience": "agent", "category": category}, content_type=JSON
    ).json()  # fmt: skip
    (drawer,) = [one for one in states if one["field"] == "drawer"]
    assert drawer["is_required"] and drawer["value"] == "Main"
    logged = api("Signe").post("/api/tickets", given, content_type=JSON).json()
    ticket = Ticket.objects.get(pk=logged["id"])
    assert (ticket.template, ticket.values["drawer"]) == ("till-jam", "Main")


def test_a_fault_is_reported_for_somebody_else(api: Any, person: Any) -> None:
    lena: Person = person("Lena")
    given = {"title": "Her laptop is dead", "for_whom": lena.pk}
    got = api("Maeve").post("/api/portal/report", given, content_type=JSON)
    assert got.status_code == 201
    ticket = Ticket.objects.get(pk=got.json()["id"])
    assert ticket.requester == lena
    assert [one.person for one in ticket.followers.all()] == [person("Maeve")]
    assert api("Maeve").get(f"/api/portal/tickets/{ticket.pk}").status_code == 200
    refused = api("Maeve").post(
        "/api/portal/report", {**given, "for_whom": 999_999}, content_type=JSON
    )
    assert refused.status_code == 422 and "for_whom" in refused.json()["fields"]


def test_who_is_on_and_what_each_has_is_there_for_handing_over(api: Any) -> None:
    team = Team.objects.get(key="harbour-desk")
    rows = api("Signe").get(f"/api/teams/{team.pk}/people").json()
    assert len(rows) == team.memberships.count()
    assert [row["is_on"] for row in rows] == sorted((row["is_on"] for row in rows), reverse=True)
    board = Team.objects.filter(is_board=True).first()
    if board is not None:
        assert api("Signe").get(f"/api/teams/{board.pk}/people").status_code == 404


def test_what_a_program_logs_came_by_the_api(client: Any, person: Any, api: Any) -> None:
    made = api("Signe").post(
        "/api/tokens", {"name": "x", "scopes": ["read", "write"]}, content_type=JSON
    )
    secret = made.json().get("token") or made.json().get("secret")
    client.logout()
    got = client.post(
        "/api/tickets", call(person), content_type=JSON, headers={"authorization": f"Bearer {secret}"}
    )  # fmt: skip
    assert got.status_code == 201, got.content
    assert Ticket.objects.get(pk=got.json()["id"]).channel == "api"
