"""Groups of items, by hand and by condition: current wherever a condition is written."""

import json
from collections.abc import Callable
from typing import Any

import pytest

from gannet.estate import actions as estate
from gannet.estate.models import ConfigItem, Dependency, Service
from gannet.people.acting import Acting
from gannet.rulebook.book import current
from gannet.tickets.actions import NewTicket, log_ticket
from gannet.tickets.fields import record_of
from gannet.tickets.listed import context_of
from gannet.tickets.models import Ticket
from gannet.tickets.orm_conditions import to_q
from gannet.trials.checking import findings_of
from gannet_core.conditions import evaluate
from gannet_core.item_groups import groups_of, named_in, strange_fields
from tests.app.test_engine import publish
from tests.conftest import NOW

pytestmark = pytest.mark.django_db
KIOSKS = {
    "key": "kiosks",
    "name": "Kiosks",
    "if": {"field": "ci.kind", "op": "is", "value": "kiosk"},
}
BIG = {"key": "big", "name": "Big ones", "if": {"field": "ci.width", "op": ">=", "value": 100}}
BY_HAND = {"key": "odd", "name": "Odd ones", "items": ["k-2", "p-1"]}
TYPES = [
    {"key": "kiosk", "layer": "devices",
     "attributes": [{"key": "width", "label": "width", "type": "number", "unit": "cm"}]},
    {"key": "pole", "layer": "devices", "attributes": []},
]  # fmt: skip


def use(document: dict[str, Any]) -> None:
    document["item_types"] += TYPES
    document["item_groups"] = [KIOSKS, BIG, BY_HAND]


@pytest.fixture
def tickets(northmere: None, person: Any, log: Callable[..., Ticket]) -> list[Ticket]:
    """Of a small kiosk, a big one, a pole, and of no item."""
    publish(use)
    acting = Acting(person=person("Anneke"), now=NOW)
    for key, kind, width in (("k-1", "kiosk", 50), ("k-2", "kiosk", 120), ("p-1", "pole", None)):
        attributes = {} if width is None else {"width": width}
        estate.put_item(acting, key, {"name": key, "kind": kind, "attributes": attributes})
    made = []
    for key in ("k-1", "k-2", "p-1", ""):
        ticket = log("Maeve", "Ticket office tills", f"It hums {key}")
        Ticket.objects.filter(pk=ticket.pk).update(ci=ConfigItem.objects.filter(key=key).first())
        made.append(Ticket.objects.get(pk=ticket.pk))
    return made


@pytest.mark.parametrize(
    ("op", "value", "which"),
    [
        ("is", "Kiosks", [0, 1]),
        ("is", "kiosks", [0, 1]),
        ("is", "Big ones", [1]),
        ("is", "Odd ones", [1, 2]),
        ("is not", "Kiosks", [2, 3]),
        ("is one of", ["Big ones", "Odd ones"], [1, 2]),
        ("is none of", ["Big ones", "Odd ones"], [0, 3]),
        ("is filled", None, [0, 1, 2]),
        ("is empty", None, [3]),
    ],
)
def test_lists_and_rules_agree_who_belongs(
    tickets: list[Ticket], person: Any, op: str, value: Any, which: list[int]
) -> None:
    tree = {"field": "ci.group", "op": op, **({} if value is None else {"value": value})}
    wanted = [tickets[at].pk for at in which]
    numbers = [one.pk for one in tickets]
    q = to_q(tree, context_of(person("Signe"), NOW))
    found = Ticket.objects.filter(q, pk__in=numbers).order_by("pk").values_list("pk", flat=True)
    assert list(found) == wanted
    assert [one.pk for one in tickets if evaluate(tree, record_of(one)).result] == wanted


def test_a_group_by_condition_is_current(tickets: list[Ticket], api: Any, person: Any) -> None:
    def shown() -> set[int]:
        tree = json.dumps({"field": "ci.group", "op": "is", "value": "Big ones"})
        answer = api("Signe").get("/api/tickets", {"filter": tree})
        assert answer.status_code == 200, answer.content
        return {row["id"] for row in answer.json()["rows"]}

    assert shown() == {tickets[1].pk}
    acting = Acting(person=person("Anneke"), now=NOW)
    item = ConfigItem.objects.get(key="k-1")
    estate.change_item(acting, item, {"attributes": {"width": 200}}, "enlarged")
    assert shown() == {tickets[0].pk, tickets[1].pk}


def test_an_agreement_and_a_rule_hold_for_a_group(
    tickets: list[Ticket], person: Any, by: Any
) -> None:
    def more(document: dict[str, Any]) -> None:
        leaf = {"field": "ci.group", "op": "is", "value": "Odd ones"}
        first = next(one for one in document["agreements"] if one["key"] == "sailing-critical")
        document["agreements"].insert(0, {**first, "key": "odd", "name": "Odd", "scope": leaf})
        document["rules"].append(
            {"key": "tag-odd", "name": "Odd", "is_on": True, "when": ["created"],
             "if": {"all": [leaf]}, "then": [{"do": "tag", "tags": ["odd"]}]}
        )  # fmt: skip

    publish(more)
    items = [ConfigItem.objects.get(key=key) for key in ("p-1", "k-1")]
    made = [
        log_ticket(NewTicket(requester=person("Maeve"), title="It hums", ci=one), by("Maeve"))
        for one in items
    ]
    assert [one.agreement == "odd" for one in made] == [True, False]
    assert [one.tags for one in made] == [["odd"], []]


def test_it_is_offered_with_its_names_and_is_no_column(tickets: list[Ticket], api: Any) -> None:
    fields = {one["name"]: one for one in api("Signe").get("/api/fields").json()}
    assert fields["ci.group"]["choices"] == ["Kiosks", "Big ones", "Odd ones"]
    assert not fields["ci.group"]["columnable"] and not fields["ci.group"]["sortable"]
    refused = api("Signe").get("/api/tickets", {"columns": "ci.group"})
    assert refused.status_code == 422


def test_checks_know_what_names_a_group_and_what_it_may_ask(tickets: list[Ticket]) -> None:
    whole = json.loads(json.dumps(current().document))
    whole["item_groups"] = [
        KIOSKS,
        {**BIG, "name": "Kiosks"},
        {"key": "x", "name": "X", "if": {"field": "place", "op": "is", "value": "Saltgate"}},
    ]
    whole["agreements"][0]["scope"] = {"field": "ci.group", "op": "is", "value": "Gone"}
    found = findings_of(whole, NOW)
    says = [one.says for one in found if one.section in ("item_groups", "agreements")]
    assert "There are two groups called “Kiosks”." in says
    assert "It asks for place." in says
    assert "There is no group of items “Gone”." in says


def test_the_core_reads_groups_without_an_application() -> None:
    record = {"ci.kind": "kiosk", "ci.width": 120}
    assert groups_of([KIOSKS, BIG, BY_HAND], "k-9", record) == ["Kiosks", "Big ones"]
    assert groups_of([KIOSKS, BIG, BY_HAND], "k-2", {}) == ["Odd ones"]
    both = {"any": [KIOSKS["if"], {"field": "ci.group", "op": "is one of", "value": ["A", "B"]}]}
    assert strange_fields(both) == ["ci.group"], "a group of groups could go round for ever"
    assert named_in(both) == ["A", "B"]


# What the tickets' items carry: the tills stand on k-1, the timetable on p-1 and, through it, k-2.
@pytest.mark.parametrize(
    ("op", "value", "which"),
    [
        ("is", "Ticket office tills", [0]),
        ("is", "timetable", [1, 2]),
        ("is one of", ["Ticket office tills", "Timetable"], [0, 1, 2]),
        ("is not", "Timetable", [0, 3]),
        ("is none of", ["Timetable"], [0, 3]),
        ("contains", "TILLS", [0]),
        ("starts with", "time", [1, 2]),
        ("is filled", None, [0, 1, 2]),
        ("is empty", None, [3]),
        ("is", "Nobody knows", []),
    ],
)
def test_what_a_service_stands_on_can_be_asked_for(
    tickets: list[Ticket], person: Any, op: str, value: Any, which: list[int]
) -> None:
    carry(person)
    tree = {"field": "ci.services", "op": op, **({} if value is None else {"value": value})}
    wanted = [tickets[at].pk for at in which]
    numbers = [one.pk for one in tickets]
    q = to_q(tree, context_of(person("Signe"), NOW))
    found = Ticket.objects.filter(q, pk__in=numbers).order_by("pk").values_list("pk", flat=True)
    assert list(found) == wanted
    assert [one.pk for one in tickets if evaluate(tree, record_of(one)).result] == wanted


def test_a_list_of_what_a_service_stands_on_follows_the_estate(
    tickets: list[Ticket], api: Any, person: Any
) -> None:
    carry(person)
    tree = json.dumps({"field": "ci.services", "op": "is", "value": "Timetable"})

    def shown() -> set[int]:
        answer = api("Signe").get("/api/tickets", {"filter": tree})
        return {row["id"] for row in answer.json()["rows"]}

    before = shown()
    acting = Acting(person=person("Anneke"), now=NOW)
    estate.part(acting, Dependency.objects.get(service__name="Timetable"), "it moved away")

    assert before == {tickets[1].pk, tickets[2].pk}
    assert shown() == set()


def carry(person: Any) -> None:
    acting = Acting(person=person("Anneke"), now=NOW)
    items = {one.key: one for one in ConfigItem.objects.all()}
    tills = Service.objects.get(name="Ticket office tills")
    timetable = Service.objects.get_or_create(name="Timetable", defaults={"key": "timetable"})[0]
    for source, target, strength in (
        (tills, items["k-1"], "hard"),
        (timetable, items["p-1"], "soft"),
        (items["p-1"], items["k-2"], "soft"),
    ):
        estate.depend(acting, source, target, strength)
