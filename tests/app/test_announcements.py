"""Announcements: written by few, shown between two instants, to one place or everybody."""

from typing import Any

import pytest

from gannet.audit.log import verify
from gannet.audit.models import Event
from gannet.knowledge.models import Announcement
from gannet.portal.announcements import shown_to, write_announcement
from gannet.tickets.actions import Acting
from gannet.tickets.events import TicketEvent
from gannet.web.errors import Invalid, Refused
from gannet_core.instants import seconds_of
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
    assert shown_to(person("Maeve"), NOW_S).exists() is maeve
    assert shown_to(person("Signe"), NOW_S).exists() is signe
    assert not shown_to(person("Maeve"), NOW_S + 2 * HOUR).exists(), "and no longer"


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
