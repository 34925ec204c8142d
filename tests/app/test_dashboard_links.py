"""Dashboards by a link: what it shows, to whom no more, and that each visit is written down."""

from datetime import timedelta
from typing import Any

import pytest
import time_machine
from django.test import Client

from gannet.changes.models import ChangeFacts
from gannet.changes.planning import NewChange, open_change
from gannet.people.acting import Acting
from gannet.people.models import Person
from gannet.reports import looking_ahead, sharing
from gannet.reports.models import DashboardLink, LinkOpening
from gannet.tickets.models import Ticket
from gannet.tickets.states import state_code
from gannet_core.instants import seconds_of
from tests.conftest import NOW

NOW_S = seconds_of(NOW)

pytestmark = pytest.mark.django_db
JSON = "application/json"
OPEN = {"all": [{"field": "open", "op": "is", "value": True}]}
ROWS = [
    [{"kind": "report", "report": "age-of-open", "show": "figures"}],
    [{"kind": "list", "text": "All open", "show": "number", "where": OPEN}, {"kind": "outlook"}],
    [{"kind": "text", "text": "Storm on Friday."}],
]


@pytest.fixture
def board(northmere: None, api: Any, log: Any) -> int:
    """Tomas’ dashboard over two tickets, of which one is confidential."""
    log("Ines", "Boarding gates", title="Gate 3 stands open", who="team", work="no")
    hidden = log("Lena", "Crew roster", title="Somebody reads my mail")
    Ticket.objects.filter(pk=hidden.pk).update(is_confidential=1)
    body = {"name": "Harbour", "rows": ROWS}
    got = api("Tomas").post("/api/dashboards", body, content_type=JSON)
    assert got.status_code == 201, got.json()
    return int(got.json()["id"])


@pytest.fixture
def link(api: Any, board: int) -> dict[str, Any]:
    got = api("Tomas").post(
        f"/api/dashboards/{board}/links", {"days": 7, "note": " Kelp  Market "}, content_type=JSON
    )
    assert got.status_code == 201, got.json()
    return dict(got.json())


def opened(link: dict[str, Any], address: str = "192.0.2.7") -> Any:
    """What somebody without an account is shown."""
    secret = link["path"].partition("#")[2]
    return Client(REMOTE_ADDR=address).get("/api/wall", headers={"Gannet-Key": secret})


def parts(link: dict[str, Any]) -> list[dict[str, Any]]:
    got = opened(link)
    assert got.status_code == 200, got.json()
    return [part for row in got.json()["rows"] for part in row]


def test_it_shows_what_its_maker_sees_and_nothing_confidential(
    api: Any, link: dict[str, Any]
) -> None:
    looking_ahead.told(Person.objects.get(name="Tomas Wray"), seconds_of(NOW))
    looking_ahead.keep_current(seconds_of(NOW))
    age, listed, outlook, text = parts(link)
    assert age["table"]["table"]["total"][0] == 1
    assert [row["title"] for row in listed["rows"]] == ["Gate 3 stands open"]
    assert listed["count"] == 1
    assert outlook["outlook"]["teams"]
    assert all(not team["helps"] for team in outlook["outlook"]["teams"])
    assert text["text"] == "Storm on Friday."
    assert "Somebody reads my mail" not in opened(link).content.decode()
    # Tomas himself sees two: his own figures are not less for it.
    assert api("Tomas").get("/api/tickets").json()["rows"][0]["id"]


def test_a_link_is_told_once_and_kept_as_a_digest(
    link: dict[str, Any], api: Any, board: int
) -> None:
    secret = link["path"].partition("#")[2]
    assert len(secret) > 40
    assert not DashboardLink.objects.filter(digest=secret).exists()
    listed = api("Tomas").get(f"/api/dashboards/{board}/links")
    assert secret not in listed.content.decode()
    assert [(one["note"], one["is_open"]) for one in listed.json()] == [("Kelp Market", True)]


@pytest.mark.parametrize("how", ["ended", "ran out", "owner left", "owner reads no more", "gone"])
def test_a_link_opens_nothing_any_more(
    api: Any, link: dict[str, Any], board: int, how: str
) -> None:
    assert opened(link).status_code == 200
    later = NOW
    if how == "ended":
        address = f"/api/dashboards/{board}/links/{link['id']}"
        assert api("Tomas").delete(address).status_code == 204
    elif how == "ran out":
        later = NOW + timedelta(days=7, seconds=2)
    elif how == "owner left":
        Person.objects.filter(name="Tomas Wray").update(is_active=False)
    elif how == "owner reads no more":
        Person.objects.filter(name="Tomas Wray").update(roles=["requester"])
    else:
        assert api("Tomas").delete(f"/api/dashboards/{board}").status_code == 204
    with time_machine.travel(later, tick=False):
        got = opened(link)
    assert got.status_code == 404
    assert "ask for a new one" in got.json()["detail"]


@pytest.mark.parametrize("secret", ["", "x", "../../etc", "é" * 40, "A" * 500])
def test_no_other_secret_opens_anything(link: dict[str, Any], secret: str) -> None:
    assert opened({"path": f"/wall#{secret}"}).status_code == 404


def test_each_visit_is_written_down_once(link: dict[str, Any], api: Any, board: int) -> None:
    for seconds in (0, 60, 1_700, 3_400, 9_000):
        with time_machine.travel(NOW + timedelta(seconds=seconds), tick=False):
            opened(link)
    opened(link, "192.0.2.8")
    shown = api("Tomas").get(f"/api/dashboards/{board}/links").json()[0]["openings"]
    start = seconds_of(NOW)
    assert sorted((one["address"], one["first_s"] - start, one["times"]) for one in shown) == [
        ("192.0.2.7", 0, 4), ("192.0.2.7", 9_000, 1), ("192.0.2.8", shown[-1]["first_s"] - start, 1)
    ]  # fmt: skip


def test_only_so_many_visits_are_kept(link: dict[str, Any], monkeypatch: Any) -> None:
    monkeypatch.setattr(sharing, "KEPT_OPENINGS", 3)
    for number in range(6):
        opened(link, f"192.0.2.{number}")
    assert LinkOpening.objects.count() == 3


def test_only_the_owner_makes_and_ends_links(api: Any, link: dict[str, Any], board: int) -> None:
    api("Tomas").put(
        f"/api/dashboards/{board}",
        {"name": "Harbour", "rows": ROWS, "is_shared": True, "version": 1}, content_type=JSON,
    )  # fmt: skip
    address = f"/api/dashboards/{board}/links"
    assert api("Marit").get(address).status_code == 404
    assert api("Marit").post(address, {"days": 1}, content_type=JSON).status_code == 404
    assert api("Marit").delete(f"{address}/{link['id']}").status_code == 404
    assert opened(link).status_code == 200


@pytest.mark.parametrize("days", [0, -1, 366, "x", None])
def test_a_link_is_for_a_while(api: Any, board: int, days: Any) -> None:
    got = api("Tomas").post(
        f"/api/dashboards/{board}/links", {"days": days, "note": ""}, content_type=JSON
    )
    assert got.status_code == 422, got.json()
    assert "days" in got.json()["fields"]


def test_there_are_only_so_many_at_once(api: Any, board: int) -> None:
    address = f"/api/dashboards/{board}/links"
    made = [
        api("Tomas").post(address, {"days": 1}, content_type=JSON)
        for _ in range(sharing.MOST_LINKS + 1)
    ]
    assert [got.status_code for got in made] == [201] * sharing.MOST_LINKS + [422]


def test_a_part_that_is_gone_says_so_and_the_others_stay(
    api: Any, link: dict[str, Any], board: int, person: Any
) -> None:
    body = {
        "name": "Theirs", "is_shared": True,
        "definition": {
            "kind": "", "event": "open now", "rows": [{"field": "team"}],
            "measures": [{"of": "records", "way": "count"}],
        },
    }  # fmt: skip
    kept = api("Marit").post("/api/reports", body, content_type=JSON).json()["id"]
    rows = [[{"kind": "report", "report": str(kept), "show": "table"}, ROWS[2][0]]]
    change = {"name": "Harbour", "rows": rows, "is_shared": False, "version": 1}
    got = api("Tomas").put(f"/api/dashboards/{board}", change, content_type=JSON)
    assert got.status_code == 200, got.json()
    assert parts(link)[0]["name"] == "Theirs"
    api("Marit").delete(f"/api/reports/{kept}")
    gone, text = parts(link)
    assert gone["is_gone"] is True
    assert gone["table"] is None
    assert text["text"] == "Storm on Friday."


@pytest.mark.parametrize(
    "part",
    [
        {"kind": "list", "text": "", "where": OPEN},
        {"kind": "list", "text": "x", "where": "all"},
        {"kind": "list", "text": "x", "where": {"field": "nonsense", "op": "is", "value": 1}},
        {"kind": "list", "text": "x", "where": {"all": "x"}},
    ],
)
def test_a_list_that_is_none_is_refused(northmere: None, api: Any, part: Any) -> None:
    got = api("Tomas").post("/api/dashboards", {"name": "x", "rows": [[part]]}, content_type=JSON)
    assert got.status_code == 422, got.json()


def test_the_schedule_to_come_shows_no_confidential_change(
    api: Any, board: int, person: Any
) -> None:
    marit, numbers = person("Marit"), []
    for title in ("Replace the switch", "Dismiss somebody"):
        change = open_change(NewChange(title=title), Acting(person=marit, now=NOW))
        ChangeFacts.objects.filter(ticket=change).update(
            starts_s=seconds_of(NOW) + 86_400, ends_s=seconds_of(NOW) + 90_000
        )
        numbers.append(change.pk)
    Ticket.objects.filter(pk__in=numbers).update(state=state_code("planned"), holder=marit)
    Ticket.objects.filter(pk=numbers[1]).update(is_confidential=1, team=change.team)
    mine = api("Marit").get("/api/changes/schedule")
    assert set(numbers) <= set(mine.json()["clashing"])  # she has both at one time
    rows = [[{"kind": "schedule"}, {"kind": "text", "text": "So."}]]
    body = {"name": "Week", "rows": rows}
    made = api("Marit").post("/api/dashboards", body, content_type=JSON)
    assert made.status_code == 201, made.json()
    link = api("Marit").post(
        f"/api/dashboards/{made.json()['id']}/links", {"days": 7, "note": ""}, content_type=JSON
    )
    schedule, text = parts(link.json())
    assert [one["title"] for one in schedule["schedule"]["changes"]] == ["Replace the switch"]
    # That it clashes with what nobody may know of is nothing to tell either.
    assert schedule["schedule"]["clashing"] == []
    assert text["schedule"] is None
    assert "Dismiss somebody" not in opened(link.json()).content.decode()
