"""Impact and urgency that nobody has stated are assumed, and say so until somebody has."""

import json
from collections.abc import Callable
from typing import Any

import pytest

from gannet.audit.models import Event
from gannet.tickets.events import TicketEvent
from gannet.tickets.models import Ticket

PREVIEW = {"title": "It beeps", "text": "", "requester": 0, "service": None, "answers": {}}


def _flags(number: int) -> tuple[int, int]:
    ticket = Ticket.objects.get(pk=number)
    return ticket.is_impact_assumed, ticket.is_urgency_assumed


@pytest.mark.parametrize(
    ("answers", "flags"),
    [
        ({}, (1, 1)),
        ({"who": "ships"}, (0, 1)),
        ({"work": "no"}, (1, 0)),
        ({"who": "me", "work": "no"}, (0, 0)),
    ],
)
def test_what_was_not_answered_is_assumed(
    log: Callable[..., Any], answers: dict[str, str], flags: tuple[int, int]
) -> None:
    assert _flags(log("Ines", "Boarding gates", **answers).pk) == flags


def test_the_record_says_what_is_assumed_and_confirming_it_is_on_record(
    log: Callable[..., Any], api: Callable[[str], Any]
) -> None:
    ticket = log("Ines", "Boarding gates", who="me")
    client = api("Signe")
    shown = client.get(f"/api/tickets/{ticket.pk}").json()
    assert shown["facts"]["is_urgency_assumed"] is True
    assert shown["facts"]["is_impact_assumed"] is False
    steps = client.get(f"/api/tickets/{ticket.pk}/why?of=priority").json()["steps"]
    assert ("urgency", "assumed: nobody has said it yet") in [
        (s["label"], s["value"]) for s in steps
    ]

    before, label = shown["facts"]["urgency"], shown["facts"]["urgency_label"]
    body = {"version": shown["version"], "urgency": before}
    after = client.patch(
        f"/api/tickets/{ticket.pk}", json.dumps(body), content_type="application/json"
    ).json()
    assert after["facts"]["is_urgency_assumed"] is False
    assert after["facts"]["urgency"] == before
    event = Event.objects.filter(ticket=ticket, kind=TicketEvent.CHANGED).last()
    assert event is not None
    assert event.values["changes"]["urgency"] == [f"{label} (assumed)", before]


def test_lists_find_what_nobody_was_asked(
    log: Callable[..., Any], api: Callable[[str], Any]
) -> None:
    asked = log("Ines", "Boarding gates", "It was asked", who="me", work="no")
    unasked = log("Ines", "Boarding gates", "It was not asked", work="no")
    wanted = json.dumps({"all": [{"field": "impact assumed", "op": "is", "value": True}]})
    rows = api("Signe").get("/api/tickets", {"filter": wanted}).json()["rows"]
    found = {row["id"] for row in rows}
    assert unasked.pk in found
    assert asked.pk not in found


@pytest.mark.parametrize(
    ("answers", "unsaid"),
    [
        ({}, ["Who is affected?", "Can you still work?"]),
        ({"who": "team"}, ["Can you still work?"]),
        ({"who": "team", "work": "no"}, []),
    ],
)
def test_the_preview_of_the_log_names_the_questions_that_are_open(
    api: Callable[[str], Any], answers: dict[str, str], unsaid: list[str]
) -> None:
    body = json.dumps({**PREVIEW, "answers": answers})
    seen = api("Signe").post("/api/tickets/preview", body, content_type="application/json")
    assert seen.status_code == 200, seen.content
    assert seen.json()["unsaid"] == unsaid
