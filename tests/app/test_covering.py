"""The agreements that an item's page names are those that an incident on it comes under."""

from typing import Any

import pytest

from gannet.estate.models import ConfigItem, Service
from gannet.people.models import Person
from gannet.rulebook.book import current
from gannet.services.covering import covering
from gannet.tickets.actions import NewTicket, log_ticket
from gannet.tickets.models import Clock, Ticket
from gannet_core.instants import seconds_of
from tests.app.test_engine import publish
from tests.conftest import NOW

pytestmark = pytest.mark.django_db
NOW_S = seconds_of(NOW)


def customers(thing: Any, who: Person) -> dict[int, tuple[str, dict[str, int]]]:
    """By priority: the customers' agreement, and its targets in seconds."""
    return {
        row["priority"]: (one["key"], {c["clock"]: c["seconds"] for c in row["clocks"]})
        for one in covering(thing, who, NOW_S)
        if one["kind"] == "customer"
        for row in one["targets"]
    }


def promised(ticket: Ticket) -> tuple[str, dict[str, int]]:
    labels = {key: str(kind["label"]) for key, kind in current().clock_kinds.items()}
    clocks = Clock.objects.filter(ticket=ticket, holder="customer")
    return ticket.agreement, {labels[one.kind]: one.target_seconds for one in clocks}


@pytest.mark.parametrize("place", range(6))
def test_what_is_shown_is_what_an_incident_gets(
    northmere: None, person: Any, by: Any, place: int
) -> None:
    item = ConfigItem.objects.exclude(service=None).order_by("pk")[place * 7]
    ines = person("Ines")
    shown = customers(item, ines)
    assert shown, "every service of Northmere is covered"
    seen = set()
    for who in ("ships", "team", "me"):
        for work in ("yes", "hard", "no"):
            new = NewTicket(
                requester=ines, title="It is broken", text="Since today.", service=item.service,
                ci=item, place=item.place, answers={"who": who, "work": work},
            )  # fmt: skip
            ticket = Ticket.objects.get(pk=log_ticket(new, by("Ines")).pk)
            agreement, targets = promised(ticket)
            key, wanted = shown[ticket.priority]
            assert agreement == key, ticket.priority
            assert targets.items() <= wanted.items()
            seen.add(ticket.priority)
    assert len(seen) > 1


def test_who_is_promised_less_time_is_shown_less(northmere: None, person: Any) -> None:
    service = Service.objects.get(name="Boarding gates")
    ines = person("Ines")
    Person.objects.filter(pk=ines.pk).update(care_tiers=[])
    plain = customers(service, Person.objects.get(pk=ines.pk))
    Person.objects.filter(pk=ines.pk).update(care_tiers=["directors"])
    cared = customers(service, Person.objects.get(pk=ines.pk))
    assert {p: key for p, (key, _) in plain.items()} == {p: key for p, (key, _) in cared.items()}
    assert any(
        cared[p][1][clock] < seconds
        for p, (_, row) in plain.items()
        for clock, seconds in row.items()
    )


def test_without_an_agreement_none_is_shown(northmere: None, person: Any, api: Any) -> None:
    publish(lambda document: document.update(agreements=[]))
    service = Service.objects.get(name="Boarding gates")
    assert covering(service, person("Ines"), NOW_S) == []
    assert api("Signe").get(f"/api/services/{service.pk}").json()["agreements"] == []


def test_its_teams_and_suppliers_stand_after_the_customers(northmere: None, person: Any) -> None:
    kinds = ["customer", "team", "supplier"]
    for item in ConfigItem.objects.exclude(service=None).order_by("pk")[:40]:
        found = [one["kind"] for one in covering(item, person("Signe"), NOW_S)]
        assert found == sorted(found, key=kinds.index)
        rows = [row for one in covering(item, person("Signe"), NOW_S) for row in one["targets"]]
        assert all(clock["clock"] and clock["calendar"] for row in rows for clock in row["clocks"])
        assert len({one["key"] for one in covering(item, person("Signe"), NOW_S)}) == len(found)
