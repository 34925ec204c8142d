"""Announcements: written by few, shown between two instants, to one place or everybody."""

import copy
from typing import Any

import pytest
from django.utils import timezone

from gannet.audit.log import verify
from gannet.audit.models import Event
from gannet.estate.actions import change_item, depend, put_item
from gannet.estate.models import Service
from gannet.knowledge.models import Announcement
from gannet.portal.announcements import shown_to, write_announcement
from gannet.rulebook.book import current
from gannet.tickets.actions import Acting
from gannet.tickets.events import TicketEvent
from gannet.trials.checking import findings_of
from gannet.web.errors import Invalid, Refused
from gannet_core.instants import seconds_of
from tests.app.test_engine import publish
from tests.conftest import NOW

pytestmark = pytest.mark.django_db
NOW_S = seconds_of(NOW)
HOUR = 3600


def news(title: str = "New hours", **more: Any) -> dict[str, Any]:
    span = {"from_s": NOW_S - HOUR, "to_s": NOW_S + HOUR}
    return {"title": title, "text": "", "place": "", **span, **more}


@pytest.mark.parametrize(
    ("more", "maeve", "signe"),
    [
        ({}, True, True),
        ({"place": "Kestrel Point"}, True, False),
        ({"place": "Saltgate"}, False, True),
        ({"from_s": NOW_S + 1}, False, False),
        ({"from_s": NOW_S}, True, True),
        ({"to_s": NOW_S + 1}, True, True),
    ],
)
def test_it_is_shown_where_and_while_it_counts(
    person: Any, more: dict[str, Any], maeve: bool, signe: bool
) -> None:
    write_announcement(Acting(person=person("Marit"), now=NOW), news(**more))
    assert (shown_to(person("Maeve"), NOW_S) != []) is maeve
    assert (shown_to(person("Signe"), NOW_S) != []) is signe
    assert not shown_to(person("Maeve"), NOW_S + 2 * HOUR), "and no longer"


@pytest.mark.parametrize(
    ("more", "field"),
    [
        ({"title": "  "}, "title"),
        ({"text": "x" * 4_001}, "text"),
        ({"to_s": NOW_S - HOUR}, "to_s"),
        ({"from_s": NOW_S - 9 * HOUR, "to_s": NOW_S - HOUR}, "to_s"),
    ],
)
def test_what_cannot_be_announced_is_refused_by_its_field(
    person: Any, more: dict[str, Any], field: str
) -> None:
    with pytest.raises(Invalid) as refused:
        write_announcement(Acting(person=person("Marit"), now=NOW), news(**more))
    assert set(refused.value.extra["fields"]) == {field}
    assert not Announcement.objects.exists()


def test_who_may_announce_and_that_it_is_on_record(person: Any, api: Any) -> None:
    for name in ("Signe", "Maeve"):
        with pytest.raises(Refused):
            write_announcement(Acting(person=person(name), now=NOW), news())
    body = news(text="The desk opens at **six**. <script>x</script>")
    answer = api("Marit").post("/api/announcements", body, "application/json")
    assert answer.status_code == 201, answer.content
    made = answer.json()
    (shown,) = api("Maeve").get("/api/portal").json()["news"]
    assert "<strong>six</strong>" in shown["html"] and "<script" not in shown["html"]
    here = f"/api/announcements/{made['id']}"
    assert api("Maeve").put(here, body, "application/json").status_code == 403
    assert api("Signe").delete(here).status_code == 403
    changed = api("Marit").put(here, {**body, "title": "Other hours"}, "application/json")
    assert changed.json()["title"] == "Other hours"
    assert api("Marit").delete(here).status_code == 204
    assert api("Marit").delete(here).status_code == 404
    assert api("Maeve").get("/api/portal").json()["news"] == []
    kinds = list(
        Event.objects.filter(ticket=None, kind__startswith="announce")
        .order_by("id")
        .values_list("kind", flat=True)
    )
    assert kinds == [TicketEvent.ANNOUNCED, TicketEvent.ANNOUNCED, TicketEvent.ANNOUNCEMENT_ENDED]
    assert verify()[1] is None


def test_it_reaches_those_who_use_a_service_or_what_belongs_to_a_group(person: Any) -> None:
    lead = Acting(person=person("Marit"), now=NOW)
    ines, maeve, tomas = person("Ines"), person("Maeve"), person("Tomas")
    service = Service.objects.get(name="Ticket office tills")
    service.departments = [maeve.department]
    service.save()
    below, _ = put_item(lead, "quay-switch", {"name": "Quay switch", "kind": "switch"})
    depend(lead, service, below, "soft")
    own, _ = put_item(
        lead, "a-tablet", {"name": "A tablet", "kind": "tablet", "used_by_id": tomas.pk}
    )
    assert ines.department not in (maeve.department, tomas.department)

    def told() -> list[str]:
        people = {"Ines": ines, "Maeve": maeve, "Tomas": tomas}
        return [name for name, one in people.items() if shown_to(one, NOW_S)]

    row = write_announcement(lead, news(service=service.pk))
    assert told() == ["Maeve"], "whose department uses it"
    publish(lambda book: book["item_groups"].append(
        {"key": "quay", "name": "On the quay", "items": ["quay-switch"]}
    ))  # fmt: skip
    write_announcement(lead, news(group="quay"), row.pk)
    assert told() == ["Maeve"], "by the service that stands on it, and no service any more"
    change_item(lead, own, {"kind": "buoy"}, "it is one")
    publish(lambda book: book["item_groups"][-1].update(
        {"if": {"field": "ci.kind", "op": "is", "value": "buoy"}}
    ))  # fmt: skip
    assert told() == ["Maeve", "Tomas"], "who uses an item that belongs to it by now"
    publish(lambda book: book["item_groups"][-1].update(name="Along the quay"))
    assert told() == ["Maeve", "Tomas"], "whatever the group is called"
    write_announcement(lead, news(group="quay", place="Nowhere"), row.pk)
    assert told() == [], "both must hold"


@pytest.mark.parametrize(
    ("more", "field"),
    [
        ({"group": "No such group"}, "group"),
        ({"service": 10**7}, "service"),
    ],
)
def test_it_is_for_users_of_what_is_there(person: Any, more: dict[str, Any], field: str) -> None:
    with pytest.raises(Invalid) as refused:
        write_announcement(Acting(person=person("Marit"), now=NOW), news(**more))
    assert set(refused.value.extra["fields"]) == {field}


def test_a_group_that_is_announced_to_and_a_type_that_items_have_stay(person: Any) -> None:
    lead = Acting(person=person("Marit"), now=NOW)
    book = current().document
    group, kind = book["item_groups"][0], book["item_types"][0]
    put_item(lead, "one-of-it", {"name": "One of it", "kind": kind["key"]})
    write_announcement(lead, news(group=group["key"], to_s=seconds_of(timezone.now()) + HOUR))
    without = copy.deepcopy(dict(book))
    without["item_groups"] = without["item_groups"][1:]
    without["item_types"] = without["item_types"][1:]
    said = [one.says for one in findings_of(without, NOW)]
    assert (
        f"The group of items “{group['key']}” is gone, but still needed by 1 announcement." in said
    )
    assert any(one.startswith(f"The type of item “{kind['key']}” is gone, but ") for one in said)
    assert not [one for one in findings_of(book, NOW) if "is gone" in one.says]
