"""The API's promises: versions, idempotency, problems, keyset pages, sign-in, headers."""

import json
from collections.abc import Callable
from typing import Any

import pytest
from django.db import connection
from django.test import Client
from django.test.utils import CaptureQueriesContext

from gannet.audit.models import Event
from gannet.people.events import PersonEvent
from gannet.people.models import Person
from gannet.reports import queries as reports
from gannet.tickets import actions, policies, queries
from gannet.tickets.events import TicketEvent
from gannet.tickets.models import Ticket
from gannet.tickets.orm_conditions import to_q
from tests.conftest import NOW

pytestmark = pytest.mark.django_db


def test_a_stale_edit_gets_the_current_fields(
    api: Callable[[str], Any], log: Callable[..., Any], by: Callable[[str | None], Any]
) -> None:
    ticket = log("Maeve", "Boarding gates")
    client = api("Signe")
    seen = client.get(f"/api/tickets/{ticket.pk}").json()["version"]
    actions.change_facts(ticket.pk, by("Marit"), {"place": "Orrin Bay"}, seen)
    got = client.patch(
        f"/api/tickets/{ticket.pk}",
        {"version": seen, "place": "Saltgate"},
        content_type="application/json",
    )
    assert got.status_code == 409
    problem = got.json()
    assert problem["code"] == "stale" and problem["current"]["facts"]["place"] == "Orrin Bay"
    again = client.patch(
        f"/api/tickets/{ticket.pk}",
        {"version": problem["current"]["version"], "place": "Saltgate"},
        content_type="application/json",
    )
    assert again.status_code == 200 and again.json()["facts"]["place"] == "Saltgate"


def test_the_same_key_gets_the_first_answer(
    api: Callable[[str], Any], log: Callable[..., Any]
) -> None:
    ticket = log("Maeve", "Boarding gates")
    client = api("Signe")

    def note(text: str, key: str) -> Any:
        return client.post(
            f"/api/tickets/{ticket.pk}/note",
            {"text": text},
            content_type="application/json",
            headers={"Idempotency-Key": key},
        )

    first, second = note("once", "k1"), note("once", "k1")
    assert first.status_code == second.status_code == 200 and first.json() == second.json()
    assert Event.objects.filter(ticket=ticket, kind=TicketEvent.NOTED).count() == 1
    assert note("something else", "k1").status_code == 409
    assert note("", "k2").status_code == 422
    assert note("now with words", "k3").status_code == 200, "a refused write leaves its key unused"


@pytest.mark.parametrize(
    ("path", "status", "code"),
    [
        ("/api/tickets?filter={", 422, "invalid"),
        ("/api/tickets?filter=[]", 422, "invalid"),
        ('/api/tickets?filter={"field":"nope","op":"is","value":1}', 422, "invalid-condition"),
        ("/api/tickets?cursor=%00zz", 422, "invalid"),
        ("/api/tickets?sort=colour", 422, "invalid"),
        ("/api/tickets/999999", 404, "not-found"),
        ("/api/nowhere", 404, "not-found"),
        ("/api/reports/behind?span=this month&clock=tea", 422, "invalid"),
        ("/api/reports/behind?priority=high", 422, "invalid"),
        ("/api/reports/behind", 422, "invalid"),
    ],
)
def test_bad_addresses_answer_with_a_sentence(
    api: Callable[[str], Any], path: str, status: int, code: str
) -> None:
    got = api("Signe").get(path)
    assert got.status_code == status
    body = got.json()
    assert got["Content-Type"] == "application/problem+json"
    assert body["code"] == code and body["status"] == status and len(body["detail"]) > 10


def test_bad_bodies_name_the_field(api: Callable[[str], Any], log: Callable[..., Any]) -> None:
    ticket = log("Maeve", "Boarding gates")
    client = api("Signe")
    for body, field in (
        ({"text": "x", "colour": 1}, "colour"),
        ({}, "text"),
        ({"text": ["x"]}, "text"),
    ):
        got = client.post(f"/api/tickets/{ticket.pk}/reply", body, content_type="application/json")
        assert got.status_code == 422 and field in got.json()["fields"], body
    got = client.post(f"/api/tickets/{ticket.pk}/reply", "{", content_type="application/json")
    assert got.status_code == 400


def test_pages_go_on_exactly_behind_the_last_row(
    api: Callable[[str], Any], log: Callable[..., Any]
) -> None:
    made = {log("Maeve", "Boarding gates", title=f"t{n}").pk for n in range(120)}
    client = api("Signe")
    for sort, descending in (
        ("due", "false"),
        ("opened", "true"),
        ("priority", "false"),
        ("number", "true"),
    ):
        seen: list[int] = []
        cursor = ""
        while True:
            page = client.get(
                "/api/tickets", {"sort": sort, "descending": descending, "cursor": cursor}
            ).json()
            seen += [row["id"] for row in page["rows"]]
            cursor = page["next_cursor"]
            if cursor is None:
                break
        assert len(seen) == len(set(seen)) and made <= set(seen), (sort, descending)


def test_a_list_costs_a_fixed_number_of_queries(
    api: Callable[[str], Any], log: Callable[..., Any]
) -> None:
    client = api("Signe")

    def cost() -> int:
        with CaptureQueriesContext(
            connection,
        ) as found:
            client.get("/api/tickets")
            client.get("/api/lookout")
        return len(found)

    log("Maeve", "Boarding gates")
    few = cost()
    for _ in range(30):
        log("Maeve", "Boarding gates")
    assert cost() == few


@pytest.mark.parametrize(
    ("leaves", "index"),
    [
        ([{"field": "open", "op": "is", "value": True}], "ticket_open"),
        (
            [{"field": "open", "op": "is", "value": True}, {"field": "holder", "op": "is empty"}],
            "ticket_",
        ),
        ([], "ticket_"),
    ],
)
def test_lists_are_read_along_an_index(
    northmere: None, person: Callable[[str], Any], leaves: list[Any], index: str
) -> None:
    found = policies.visible_to(person("Signe")).filter(to_q({"all": leaves}))
    plan = (
        found.order_by("rank_s" if leaves else "opened_s", "id")
        .values(*queries.ROW_FIELDS)[:51]
        .explain()
    )
    assert index in plan and "TEMP B-TREE FOR ORDER BY" not in plan, plan


def test_signing_in_and_being_locked_out(client: Client, northmere: None) -> None:
    who = Person.objects.create_user(
        "night.watch@northmere.example", "a long enough password", name="Night Watch"
    )
    right = {"email": who.email.upper(), "password": "a long enough password"}
    wrong = {"email": who.email, "password": "guess"}
    got = client.post("/api/session", right, content_type="application/json")
    assert got.status_code == 200 and got.json()["person"]["name"] == "Night Watch"
    assert who.password.startswith("argon2$")
    client.logout()
    for _ in range(4):
        assert (
            client.post("/api/session", wrong, content_type="application/json").status_code == 422
        )
    assert client.post("/api/session", wrong, content_type="application/json").status_code == 429
    assert client.post("/api/session", right, content_type="application/json").status_code == 429
    assert Event.objects.filter(kind=PersonEvent.SIGN_IN_REFUSED).count() >= 5


def test_writes_need_the_csrf_token(northmere: None, person: Callable[[str], Any]) -> None:
    strict = Client(enforce_csrf_checks=True)
    strict.force_login(person("Signe"), backend="gannet.people.signing.SignedInPeople")
    put = {"data": {"body": {"a": "b"}}, "content_type": "application/json"}
    assert strict.put("/api/drafts/x", **put).status_code == 403
    token = strict.get("/api/session").json()["csrf"]
    assert strict.put("/api/drafts/x", **put, headers={"X-CSRFToken": token}).status_code == 200
    assert (
        Client(enforce_csrf_checks=True).post("/api/session/demo", {"person": 1}).status_code == 403
    )


def test_headers_of_every_answer(client: Client, northmere: None) -> None:
    for path in ("/", "/api/session"):
        got = client.get(path)
        policy = got["Content-Security-Policy"]
        # Its directives come in no order of their own.
        directives = {part.strip() for part in policy.split(";")}
        assert {"script-src 'self'", "default-src 'none'"} <= directives
        assert "unsafe" not in policy
        assert got["X-Content-Type-Options"] == "nosniff" and got["X-Frame-Options"] == "DENY"
        assert got["Referrer-Policy"] == "same-origin" and "camera=()" in got["Permissions-Policy"]
    assert client.get("/api/session")["Cache-Control"] == "no-store"


def test_the_demo_sign_in_does_not_exist_outside_the_demo(
    client: Client, northmere: None, settings: Any
) -> None:
    settings.IS_DEMO = False
    assert client.get("/api/session/demo").status_code == 404
    assert (
        client.post("/api/session/demo", {"person": 1}, content_type="application/json").status_code
        == 404
    )


def test_unsafe_production_settings_refuse_to_start(settings: Any) -> None:
    from gannet.web.checks import refuse_unsafe_start

    settings.IS_DEMO, settings.SECRET_KEY, settings.ALLOWED_HOSTS = False, "short", ["*"]
    settings.PUBLIC_URL, settings.STANDIN_MAIL, settings.DEBUG = "http://x", True, True
    found = {error.id for error in refuse_unsafe_start(None)}
    assert found >= {f"gannet.E{n:03}" for n in (1, 2, 3, 4, 5, 6)}
    assert all(error.hint for error in refuse_unsafe_start(None))


def test_numbers_of_the_report_open_exactly_their_tickets(
    northmere: None, person: Callable[[str], Any], api: Callable[[str], Any]
) -> None:
    from gannet.demo.history import History
    from gannet.rulebook.book import current
    from gannet_core.instants import seconds_of

    History(current(), seconds_of(NOW), seed=5, tickets=900).write(lambda *_: None)
    who = person("Tomas")
    checked = 0
    for span in ("this month", "last month"):
        tables = reports.promises_kept(who, span, NOW)["tables"]
        for clock, table in tables.items():
            for row in table["rows"]:
                for priority, cell in [*row["cells"].items(), (None, row["total"])]:
                    for outcome in ("kept", "missed"):
                        asked = reports.ReportAsked(
                            clock=clock, span=span, team=row["team"], outcome=outcome,
                            priority=int(priority) if priority else None,
                        )  # fmt: skip
                        assert reports.behind(who, asked, NOW).found.count() == cell[outcome]
                        checked += 1
            total = sum(row["total"]["kept"] for row in table["rows"])
            assert table["total"]["kept"] == total
    assert checked > 50
    for row in reports.age_of_open(who, NOW):
        for age, count in row["counts"].items():
            assert (
                reports.behind(
                    who, reports.ReportAsked(age=age, team=row["team"]), NOW
                ).found.count()
                == count
            )
    for day in reports.open_by_day(who, NOW):
        assert (
            reports.behind(who, reports.ReportAsked(open_at_s=day["at_s"]), NOW).found.count()
            == day["open"]
        )
    assert (
        reports.open_by_day(who, NOW)[-1]["open"]
        == Ticket.objects.filter(is_open=True, is_confidential=0).count()
    )


def test_offers_while_typing(
    api: Callable[[str], Any], log: Callable[..., Any], by: Callable[[str | None], Any]
) -> None:
    from datetime import timedelta

    ticket = log("Maeve", "Boarding gates", title="Gate 3 rejects every barcode")
    actions.announce(
        ticket.pk, by("Signe"), public_title="Gates are down", next_news=NOW + timedelta(hours=1)
    )
    got = api("Maeve").get("/api/portal/offers", {"text": "my gate reads no barcode"}).json()
    assert got["services"][0]["name"] == "Boarding gates"
    assert [o["title"] for o in got["outages"]] == ["Gates are down"]
    assert [t["id"] for t in got["things"]] == [ticket.pk]
    assert api("Maeve").get("/api/portal/offers", {"text": "\x00🐦" * 400}).status_code == 200


def test_a_very_long_first_field_loses_nothing(api: Callable[[str], Any]) -> None:
    long = "the gate " * 60
    got = api("Maeve").post("/api/portal/report", {"title": long}, content_type="application/json")
    number = got.json()["id"]
    assert len(Ticket.objects.get(pk=number).title) <= 120
    shown = api("Maeve").get(f"/api/portal/tickets/{number}").json()
    assert shown["conversation"][0]["text"].count("gate") == 60
    assert json.dumps(shown)
