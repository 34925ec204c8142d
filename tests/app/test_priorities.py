"""Priorities are those of the rulebook's matrix, however many it has, everywhere."""

import json
from collections.abc import Iterator
from copy import deepcopy
from typing import Any

import pytest
from django.utils import timezone

from gannet.reports import queries
from gannet.rulebook import book
from gannet.rulebook.models import Edition
from gannet.tickets import actions, mass
from gannet.tickets.fields import about_fields
from gannet.tickets.models import Ticket
from gannet.web.errors import Invalid
from gannet_core import routing
from tests.conftest import NOW

pytestmark = pytest.mark.django_db


@pytest.fixture(params=[2, 6])
def levels(request: pytest.FixtureRequest, northmere: None) -> Iterator[int]:
    """A rulebook whose matrix gives so many priorities."""
    last: int = request.param
    document: dict[str, Any] = deepcopy(dict(book.current().document))
    cells = document["matrix"]["cells"]
    rows, columns = len(cells), len(cells[0])
    for row in range(rows):
        for column in range(columns):
            cells[row][column] = min(1 + row + column, last)
    cells[rows - 1][columns - 1] = last
    for agreement in document["agreements"]:
        targets = agreement["targets"]
        for number in range(1, last + 1):
            targets.setdefault(str(number), next(iter(targets.values())))
    Edition.objects.create(
        number=book.current().number + 1, document=document, published_at=timezone.now()
    )
    book.forget()
    yield last
    book.forget()


def found(client: Any, condition: Any) -> list[int]:
    answer = client.get("/api/tickets", {"filter": json.dumps(condition), "sort": "number"})
    assert answer.status_code == 200, answer.json()
    return [row["id"] for row in answer.json()["rows"]]


def test_the_last_priority_can_be_chosen_asked_for_and_read(
    levels: int, api: Any, log: Any, by: Any
) -> None:
    signe = api("Signe")
    assert signe.get("/api/choices").json()["priorities"] == book.current().priorities
    assert about_fields()["priority"]["choices"].keys() == {
        f"P{number}" for number in book.current().priorities
    }
    ticket, many = log("Maeve", "Boarding gates"), log("Maeve", "Boarding gates")
    for one in (ticket, many):
        actions.set_priority(one.pk, by("Signe"), 1, "they sail")
    actions.set_priority(ticket.pk, by("Signe"), levels, "they can wait")
    out = mass.do(by("Signe").person, [many.pk], "change", {"changes": {"impact": 3}}, NOW)
    assert out["refused"] == []
    assert Ticket.objects.get(pk=ticket.pk).priority == levels
    leaf = {"field": "priority", "op": "is", "value": f"P{levels}"}
    assert ticket.pk in found(signe, leaf)
    assert ticket.pk not in found(signe, {"not": leaf})


@pytest.mark.parametrize("beyond", [0, 1, -1])
def test_another_than_the_matrix_has_is_refused(
    levels: int, api: Any, log: Any, by: Any, beyond: int
) -> None:
    ticket = log("Maeve", "Boarding gates")
    number = {0: 0, 1: levels + 1, -1: -1}[beyond]
    with pytest.raises(Invalid, match="no such priority"):
        actions.set_priority(ticket.pk, by("Signe"), number, "because")
    assert found(api("Signe"), {"field": "priority", "op": "is", "value": f"P{number}"}) == []


def test_reports_have_a_column_for_each_and_add_up(
    levels: int, person: Any, log: Any, by: Any
) -> None:
    priorities = book.current().priorities
    for number in priorities:
        ticket = log("Maeve", "Boarding gates")
        if ticket.priority != number:
            actions.set_priority(ticket.pk, by("Signe"), number, "said so")
        actions.reply(ticket.pk, by("Signe"), "We look.")
    answer = queries.promises_kept(person("Signe"), "this month", NOW)["tables"]["answer"]
    assert list(answer["totals"]) == [str(number) for number in priorities]
    for side in ("kept", "missed"):
        assert answer["total"][side] == sum(cell[side] for cell in answer["totals"].values())
    assert answer["total"]["kept"] + answer["total"]["missed"] == len(priorities)


def test_load_counts_priorities_that_ship_no_weight() -> None:
    write = [routing.OpenWork("P6", "ours"), routing.OpenWork("P1", "ours")]
    assert routing.load(write, routing.DEFAULT_WEIGHTS) == 9
