"""An attribute that an administrator gives a type of item is a field at once, everywhere."""

import json
from collections.abc import Callable
from typing import Any

import pytest

from gannet.estate import actions as estate
from gannet.estate.models import ConfigItem
from gannet.people.acting import Acting
from gannet.tickets.fields import item_fields, record_of
from gannet.tickets.listed import context_of
from gannet.tickets.models import Ticket
from gannet.tickets.orm_conditions import to_q
from gannet_core.conditions import evaluate
from tests.app.test_engine import publish
from tests.conftest import NOW

pytestmark = pytest.mark.django_db
Api = Callable[[str], Any]
KIND = {
    "key": "ticket printer", "layer": "devices",
    "attributes": [
        {"key": "head", "label": "print head", "type": "choice", "choices": ["Old", "Ärgernis"]},
        {"key": "width", "label": "paper width", "type": "number", "unit": "mm"},
        {"key": "heated", "label": "heated", "type": "yes/no"},
        {"key": "maker", "label": "maker", "type": "text"},
    ],
}  # fmt: skip


@pytest.fixture
def printers(northmere: None, person: Any, log: Callable[..., Ticket]) -> list[Ticket]:
    """Three tickets: of two printers that differ, and of none."""
    publish(lambda document: document["item_types"].append(KIND))
    acting = Acting(person=person("Anneke"), now=NOW)
    made = []
    for key, attributes in (
        ("tp-1", {"head": "Ärgernis", "width": 80, "heated": True, "maker": "Straße & Co"}),
        ("tp-2", {"head": "Old", "width": 58, "maker": "Loam"}),
    ):
        facts = {"name": f"Printer {key}", "kind": "ticket printer", "attributes": attributes}
        estate.put_item(acting, key, facts)
    for key in ("tp-1", "tp-2", ""):
        ticket = log("Maeve", "Ticket office tills", f"It prints nothing {key}")
        item = ConfigItem.objects.filter(key=key).first()
        Ticket.objects.filter(pk=ticket.pk).update(ci=item)
        made.append(Ticket.objects.get(pk=ticket.pk))
    return made


@pytest.mark.parametrize(
    ("field", "op", "value", "which"),
    [
        ("ci.head", "is", "ärgernis", [0]),
        ("ci.head", "is not", "Ärgernis", [1, 2]),
        ("ci.head", "is one of", ["Old", "Ärgernis"], [0, 1]),
        ("ci.head", "is empty", None, [2]),
        ("ci.width", ">", 58, [0]),
        ("ci.width", "between", [50, 60], [1]),
        ("ci.width", "is", 58, [1]),
        ("ci.heated", "is", True, [0]),
        ("ci.maker", "contains", "STRASSE", [0]),
        ("ci.maker", "starts with", "lo", [1]),
        ("ci.maker", "is filled", None, [0, 1]),
    ],
)
def test_lists_and_rules_read_an_attribute_alike(
    printers: list[Ticket], person: Any, field: str, op: str, value: Any, which: list[int]
) -> None:
    tree = {"field": field, "op": op, **({} if value is None else {"value": value})}
    wanted = [printers[at].pk for at in which]
    context = context_of(person("Signe"), NOW)
    numbers = [one.pk for one in printers]
    found = Ticket.objects.filter(to_q(tree, context), pk__in=numbers).order_by("pk")
    assert list(found.values_list("pk", flat=True)) == wanted
    assert [one.pk for one in printers if evaluate(tree, record_of(one)).result] == wanted


def test_it_is_a_column_an_order_and_a_group(api: Api, printers: list[Ticket]) -> None:
    fields = {one["name"]: one for one in api("Signe").get("/api/fields").json()}
    assert fields["ci.width"]["label"] == "item’s paper width (mm)"
    assert not fields["ci.width"]["settable"], "it is the item's, not the ticket's"
    tree = json.dumps({"field": "ci.width", "op": "is filled"})
    asked = {"filter": tree, "columns": "ci.width,ci.maker", "sort": "ci.width"}
    rows = api("Signe").get("/api/tickets", asked).json()["rows"]
    assert [row["cells"]["ci.width"] for row in rows] == [58, 80]
    assert rows[1]["cells"]["ci.maker"] == "Straße & Co"
    groups = api("Signe").get("/api/tickets/groups", {"filter": tree, "by": "ci.head"}).json()
    assert {one["value"]: one["count"] for one in groups} == {"Old": 1, "Ärgernis": 1}


def test_an_agreement_and_a_rule_use_it_without_a_restart(
    printers: list[Ticket], person: Any, by: Any
) -> None:
    from gannet.tickets.actions import NewTicket, log_ticket

    def use(document: dict[str, Any]) -> None:
        leaf = {"field": "ci.head", "op": "is", "value": "Old"}
        first = next(one for one in document["agreements"] if one["key"] == "sailing-critical")
        document["agreements"].insert(
            0, {**first, "key": "old-heads", "name": "Old heads", "scope": leaf}
        )
        document["rules"].append(
            {"key": "tag-old", "name": "Old heads", "is_on": True, "when": ["created"],
             "if": {"all": [leaf]}, "then": [{"do": "tag", "tags": ["old head"]}]}
        )  # fmt: skip

    publish(use)
    old, new = (ConfigItem.objects.get(key=key) for key in ("tp-2", "tp-1"))
    tickets = [
        log_ticket(NewTicket(requester=person("Maeve"), title="Blank", ci=one), by("Maeve"))
        for one in (old, new)
    ]
    assert [one.agreement == "old-heads" for one in tickets] == [True, False]
    assert [one.tags for one in tickets] == [["old head"], []]


def test_two_types_that_read_an_attribute_otherwise_compare_it_as_text() -> None:
    other = {"key": "b", "attributes": [{"key": "width", "label": "width", "type": "text"}]}
    odd = {"key": "c", "attributes": [{"key": "a__b", "label": "odd", "type": "text"}]}
    found = item_fields([KIND, other, odd])
    assert found["ci.width"].type == "text"
    assert "ci.a__b" not in found, "it could not be told from a path of the database"
