"""Patterns over real tickets: found, told with their why, dismissed, and back when they grow."""

from collections.abc import Callable
from typing import Any

import pytest
from django.utils import timezone

from gannet.estate.models import ConfigItem
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
