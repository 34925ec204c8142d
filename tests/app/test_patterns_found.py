"""Patterns over real tickets: found, told with their why, dismissed, and back when they grow."""

from collections.abc import Callable
from typing import Any

import pytest
from django.utils import timezone

from gannet.estate.models import ConfigItem
from gannet.messages.models import Notification
from gannet.people.models import Person, Role
from gannet.services import watching
from gannet.tickets.models import Ticket
from gannet_core.instants import seconds_of

pytestmark = pytest.mark.django_db
JSON = "application/json"
DAY = 86_400


@pytest.fixture
def fall(log: Callable[..., Any]) -> Callable[..., None]:
    """Log incidents of an item so many days ago."""

    def logged(name: str, days: list[float], title: str = "Barcode refused, red light") -> None:
        item = ConfigItem.objects.select_related("service").get(name=name)
        now_s = seconds_of(timezone.now())
        for ago in days:
            ticket = log("Ines", item.service.name, title, who="team", work="no")
            Ticket.objects.filter(pk=ticket.pk).update(
                ci=item, opened_s=int(now_s - ago * DAY), category="Hardware › Gate"
            )

    return logged


def found(client: Any) -> Any:
    return client.get("/api/patterns").json()


def test_what_comes_more_often_is_found_and_says_why(
    api: Callable[[str], Any], fall: Callable[..., None]
) -> None:
    fall("Gate 3, Kestrel Point", [0.1, 1, 2, 5, 9, 13, 40])
    fall("Gate 1, Kestrel Point", [1, 20, 33, 50, 61, 70, 80, 95], "Sign is dark")
    told = found(api("Signe"))
    by_name = {one["name"]: one for one in told["patterns"]}
    gate = by_name["Gate 3, Kestrel Point"]
    assert (gate["count"], gate["usual"], gate["of"]) == (6, 0.7, "Boarding gates")
    assert gate["words"][0]["count"] == 6
    assert sum(gate["weeks"]) == 7 and sum(gate["weeks"][-2:]) == 6
    assert len(gate["incidents"]) == 6 and gate["once_in"] > 1000
    assert "Gate 1, Kestrel Point" not in by_name
    # Three were looked at: two gates, and what they have in common as a category.
    assert told["examined"] == 3 and 0 <= told["by_chance"] <= 0.1


def test_a_dismissed_pattern_comes_back_when_it_has_grown_by_half(
    api: Callable[[str], Any], fall: Callable[..., None]
) -> None:
    client = api("Signe")
    fall("Gate 3, Kestrel Point", [1, 2, 3, 4])
    (first, *_) = [one for one in found(client)["patterns"] if one["key"].startswith("item-")]
    given = {"key": first["key"], "count": first["count"], "why": ""}
    refused = client.post("/api/patterns", given, content_type=JSON)
    assert refused.status_code == 422 and "why" in refused.json()["fields"]
    said = client.post("/api/patterns", {**given, "why": "the ramp was painted"}, content_type=JSON)
    assert first["key"] not in {one["key"] for one in said.json()["patterns"]}
    assert said.json()["dismissed"] == 1
    fall("Gate 3, Kestrel Point", [0.5])
    assert first["key"] not in {one["key"] for one in found(client)["patterns"]}
    fall("Gate 3, Kestrel Point", [0.4])
    assert first["key"] in {one["key"] for one in found(client)["patterns"]}


def test_confidential_incidents_make_no_pattern_for_those_who_may_not_know_of_them(
    api: Callable[[str], Any], fall: Callable[..., None]
) -> None:
    fall("Gate 3, Kestrel Point", [1, 2, 3, 4, 5])
    Ticket.objects.filter(ci__name="Gate 3, Kestrel Point").update(is_confidential=1, holder=None)
    assert found(api("Anneke"))["patterns"] == []


@pytest.mark.parametrize(
    "key", ["nonsense", "item-0", "service-99999/x", "item-", "/", "item-٣", "item-x", "item-1/x"]
)
def test_a_pattern_that_is_none_at_all_cannot_be_dismissed(
    api: Callable[[str], Any], key: str
) -> None:
    given = {"key": key, "count": 3, "why": "x"}
    got = api("Signe").post("/api/patterns", given, content_type=JSON)
    assert got.status_code in (409, 422)


@pytest.fixture
def manager(northmere: None) -> Person:
    return next(one for one in Person.objects.order_by("pk") if one.has_role(Role.PROBLEM_MANAGER))


def told(who: Person) -> list[str]:
    rows = Notification.objects.filter(person=who, event_name=watching.EVENT, gone_s=None)
    return list(rows.order_by("pk").values_list("title", flat=True))


def test_a_problem_manager_is_told_once_and_again_when_it_has_grown(
    api: Callable[[str], Any],
    fall: Callable[..., None],
    manager: Person,
    person: Callable[[str], Any],
) -> None:
    now_s = seconds_of(timezone.now())
    fall("Gate 3, Kestrel Point", [1, 2, 3, 4])

    assert watching.look_through(now_s) > 0
    first = told(manager)
    assert any(one.startswith("Gate 3, Kestrel Point: 4 incidents") for one in first)
    assert told(person("Signe")) == [], "who is no problem manager is not told"

    fall("Gate 3, Kestrel Point", [0.1])
    assert watching.look_through(now_s + 60) == 0, "an hour has not passed"
    assert watching.look_through(now_s + 3600) == 0, "five are not half as many again as four"
    fall("Gate 3, Kestrel Point", [0.2])
    assert watching.look_through(now_s + 7200) > 0
    assert any("6 incidents" in one for one in told(manager))

    client = api(manager.name.split()[0])
    key = next(one["key"] for one in found(client)["patterns"] if one["key"].startswith("item-"))
    said = {"key": key, "count": 6, "why": "A training day."}
    assert client.post("/api/patterns", said, content_type=JSON).status_code == 200
    assert not any(one.startswith("Gate 3") for one in told(manager))


def test_what_is_over_is_taken_back_and_what_has_a_problem_is_no_news(
    api: Callable[[str], Any], fall: Callable[..., None], manager: Person
) -> None:
    now_s = seconds_of(timezone.now())
    fall("Gate 3, Kestrel Point", [1, 2, 3, 4])
    watching.look_through(now_s)
    assert told(manager)

    numbers = list(
        Ticket.objects.filter(ci__name="Gate 3, Kestrel Point").values_list("pk", flat=True)
    )
    said = {"title": "Gate 3 refuses", "incidents": numbers}
    opened = api(manager.name.split()[0]).post("/api/problems/open", said, content_type=JSON)
    assert opened.status_code == 201, opened.content
    watching.look_through(now_s + 3600)
    assert told(manager) == []
    assert watching.look_through(now_s + 20 * DAY) == 0
