"""Rows of the estate that are imported together do what they do one after the other."""

import dataclasses
from typing import Any

import pytest
from django.db import transaction
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from gannet.audit.log import verify
from gannet.audit.models import Event
from gannet.estate.models import ConfigItem, Dependency, Service
from gannet.tickets import importing
from gannet.tickets.importing import KINDS
from gannet.web.errors import Invalid
from tests.conftest import NOW

pytestmark = pytest.mark.django_db

KEYS = st.sampled_from(["one", "two", "Three", "four"])
ITEMS = st.lists(
    st.fixed_dictionaries(
        {
            "key": KEYS,
            "name": st.sampled_from(["One", "Two of it", ""]),
            "kind": st.sampled_from(["server", "switch"]),
        },
        optional={
            "service": st.sampled_from(["Payroll", "No such service"]),
            "life": st.sampled_from(["retired", "asleep"]),
            "memory": st.sampled_from(["16", "much"]),
            "owner": st.sampled_from(["signe.hallam@northmere.example", "x@northmere.example"]),
        },
    ),
    max_size=9,
)
ENDS = st.one_of(KEYS, st.sampled_from(["service payroll", "service nothing", "five"]))
LINKS = st.lists(
    st.fixed_dictionaries(
        {"thing": ENDS, "stands on": ENDS},
        optional={
            "strength": st.sampled_from(["hard", "soft", "redundant", "maybe"]),
            "group": st.sampled_from(["", "pair"]),
        },
    ),
    max_size=9,
)


class TakenBack(Exception):
    pass


def outcome(items: Any, links: Any, person: Any, monkeypatch: Any, size: int) -> Any:
    """What two files make of the estate when so many rows are done at once."""
    found: list[Any] = []
    with monkeypatch.context() as patched:
        for kind in ("items", "dependencies"):
            patched.setitem(KINDS, kind, dataclasses.replace(KINDS[kind], at_once=size))
        try:
            with transaction.atomic():
                began = Event.objects.count()
                for kind, rows in (("items", items), ("dependencies", links)):
                    done = importing.run(kind, rows, person("Anneke"), NOW)
                    found.append([one["line"] for one in done["failed"]])
                    found.append([(one["line"], one["is_new"]) for one in done["made"]])
                keys = ["one", "two", "three", "four"]
                found.append(sorted(
                    ConfigItem.objects.filter(key__in=keys).values_list(
                        "key", "name", "kind", "life", "service__name", "attributes", "owner__name"
                    ), key=str,
                ))  # fmt: skip
                found.append(sorted(
                    Dependency.objects.filter(item__key__in=keys).values_list(
                        "item__key", "on_item__key", "on_service__key", "strength", "group"
                    ), key=str,
                ))  # fmt: skip
                found.append(sorted(
                    str((one.facts, one.values, one.text))
                    for one in Event.objects.order_by("id")[began:]
                ))  # fmt: skip
                assert verify()[1] is None
                raise TakenBack
        except TakenBack:
            return found


@settings(
    max_examples=40, deadline=None,
    suppress_health_check=[HealthCheck.function_scoped_fixture, HealthCheck.too_slow],
)  # fmt: skip
@given(items=ITEMS, links=LINKS)
def test_many_at_once_do_what_they_do_one_by_one(
    items: Any, links: Any, person: Any, monkeypatch: Any
) -> None:
    assert Service.objects.filter(name="Payroll").exists()
    alone = outcome(items, links, person, monkeypatch, 1)
    assert outcome(items, links, person, monkeypatch, 200) == alone
    assert outcome(items, links, person, monkeypatch, 3) == alone


def test_one_that_fails_in_the_doing_takes_no_other_along(person: Any, monkeypatch: Any) -> None:
    """What no check foresees: the rows beside it are done, and it is said which it was."""
    does = KINDS["items"].does

    def fails(rows: Any, acting: Any) -> Any:
        if any(row["key"] == "two" for row in rows):
            raise Invalid("The disk says no.")
        return does(rows, acting)

    monkeypatch.setitem(KINDS, "items", dataclasses.replace(KINDS["items"], does=fails))
    rows = [{"key": key, "name": key, "kind": "server"} for key in ("one", "two", "three")]
    done = importing.run("items", rows, person("Anneke"), NOW)
    assert [one["line"] for one in done["made"]] == [2, 4]
    assert done["failed"] == [{"line": 3, "why": "The disk says no."}]
    assert set(ConfigItem.objects.filter(key__in=["one", "two", "three"]).values_list("key", flat=True)) == {
        "one", "three",
    }  # fmt: skip
