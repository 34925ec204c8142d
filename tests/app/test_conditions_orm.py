"""`evaluate` in Python and `to_q` in the database agree on random trees and records."""

import random
from collections.abc import Callable
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from gannet.demo.history import History
from gannet.rulebook.book import current
from gannet.tickets import fields
from gannet.tickets.fields import about_fields, record_of, registry
from gannet.tickets.listed import context_of
from gannet.tickets.models import Ticket
from gannet.tickets.orm_conditions import to_q
from gannet.tickets.setting import set_custom, set_tags
from gannet.tickets.stored import stored_values
from gannet_core.conditions import Context, evaluate
from gannet_core.errors import ConditionError
from gannet_core.instants import seconds_of
from tests.conftest import NOW

pytestmark = pytest.mark.django_db

TEXTS = ["gate", "GATE", "Till 2", "é", "", "Straße", "strasse", "%", "_"]

CUSTOM: dict[str, list[Any]] = {
    "sailing": ["", "Straße 12", "gate", "Till 2", "É 100%_", None],
    "passengers": [0, 2, 2.5, 40, None],
    "drawer": ["Main", "Spare", None],
    "noticed": ["2026-11-01", "2026-11-20", None],
    "symptoms": [["Noise"], ["Noise", "Slow"], ["No light"], []],
}


@st.composite
def leaves(draw: st.DrawFn) -> dict[str, Any]:
    field = draw(st.sampled_from(list(registry().values())))
    values: list[Any]
    ops = ["is", "is not", "is one of", "is none of", "is empty", "is filled"]
    if field.type == "number":
        values = [0, 1, 2, 3, 5, 40, 2.0, 2.5]
        ops += ["<", "<=", ">", ">=", "between"]
    elif field.type == "yes/no":
        values = [True, False]
    elif field.type == "instant":
        values = [f"2026-11-{day:02}T09:00:00Z" for day in range(1, 28, 5)]
        ops += ["<", "<=", ">", ">=", "between", "before", "after", "in the last", "in the next"]
    elif field.type == "date":
        values = ["2026-11-01", "2026-11-20", "2025-01-31"]
        ops += ["<", "<=", ">", ">=", "between"]
    elif field.type == "several choices":
        values = ["vital", "At Sea", "no light", "Noise", "o", "", "|", "noise|slow"]
        ops += ["contains", "starts with"]
    else:
        known = list(field.choices) if field.choices else stored_values(field)[:6]
        values = [*known, *(word.upper() for word in known[:2]), *TEXTS]
        if field.folded or (field.is_custom and field.type == "text"):
            ops += ["contains", "starts with"]
        if field.type == "person":
            ops.append("is me")
        if field.type == "team":
            ops.append("is my team")
    op = draw(st.sampled_from(ops))
    if op in ("is empty", "is filled", "is me", "is my team"):
        return {"field": field.name, "op": op}
    if op in ("in the last", "in the next"):
        return {"field": field.name, "op": op, "value": draw(st.sampled_from([60, 86_400, 9e6]))}
    value = st.sampled_from(values)
    if op in ("is one of", "is none of"):
        return {"field": field.name, "op": op, "value": draw(st.lists(value, max_size=3))}
    if op == "between":
        return {"field": field.name, "op": op, "value": [draw(value), draw(value)]}
    return {"field": field.name, "op": op, "value": draw(value)}


trees = st.recursive(
    leaves(),
    lambda node: st.one_of(
        st.lists(node, max_size=3).map(lambda parts: {"all": parts}),
        st.lists(node, max_size=3).map(lambda parts: {"any": parts}),
        node.map(lambda part: {"not": part}),
    ),
    max_leaves=6,
)


@pytest.fixture
def tickets(northmere: None) -> list[Ticket]:
    History(current(), seconds_of(NOW), seed=3, tickets=60).write(lambda *_: None)
    rows = list(Ticket.objects.select_related("service", "ci", "team", "holder", "requester"))
    rng = random.Random(1)
    for row in rng.sample(rows, 12):  # some of everything that can be empty, and odd letters
        row.title = rng.choice(["STRASSE am Kai", "Straße am Kai", "100% gate_", "Éclair"])
        row.title_folded = fields.record_of(row)["title"].casefold()
        row.ci = row.service = None
        row.category = row.place = ""
        row.save()
    for row in rng.sample(rows, 30):
        for name, values in CUSTOM.items():
            set_custom(row, name, rng.choice(values), current())
        set_tags(row, rng.choice([[], ["vital"], ["at sea", "VITAL"], ["noise"]]))
        row.save()
    return list(Ticket.objects.select_related("service", "ci", "team", "holder", "requester"))


def test_both_readings_agree(tickets: list[Ticket], person: Callable[[str], Any]) -> None:
    context = context_of(person("Signe"), NOW)
    records = {ticket.pk: record_of(ticket) for ticket in tickets}

    @given(trees)
    @settings(
        max_examples=150,
        deadline=None,
        suppress_health_check=[HealthCheck.too_slow, HealthCheck.data_too_large],
    )
    def agree(tree: dict[str, Any]) -> None:
        in_python = {
            number
            for number, record in records.items()
            if evaluate(tree, record, None, context).result
        }
        in_database = set(Ticket.objects.filter(to_q(tree, context)).values_list("pk", flat=True))
        assert in_database == in_python

    agree()


def test_every_field_has_both_readings(tickets: list[Ticket]) -> None:
    record = record_of(tickets[0])
    assert set(record) == set(registry()) == set(about_fields())
    for name in registry():
        filled = Ticket.objects.filter(to_q({"field": name, "op": "is filled"})).count()
        empty = Ticket.objects.filter(to_q({"field": name, "op": "is empty"})).count()
        assert filled + empty == len(tickets)


def test_what_a_list_cannot_ask_is_refused() -> None:
    for leaf in (
        {"field": "title", "op": "changed"},
        {"field": "state", "op": "contains", "value": "w"},
        {"field": "nothing", "op": "is", "value": 1},
    ):
        with pytest.raises(ConditionError):
            to_q(leaf, Context())
