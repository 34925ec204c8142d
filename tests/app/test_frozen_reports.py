"""Reports that were frozen: as they were then, whatever becomes of their records."""

from datetime import UTC, datetime, timedelta
from typing import Any

import pytest
import time_machine

from gannet.people.models import Person
from gannet.reports import freezing
from gannet.reports.models import FrozenReport, KeptReport
from gannet.tickets.models import Ticket
from gannet_core.instants import seconds_of
from tests.conftest import NOW

pytestmark = pytest.mark.django_db
JSON = "application/json"
MONTH_ENDS = datetime(2026, 12, 1, tzinfo=UTC)  # of November, on the local clock of the winter


@pytest.fixture
def kept(northmere: None, api: Any, log: Any) -> int:
    """A shared report of Tomas’ on what is opened this month: one ticket, and one confidential."""
    log("Ines", "Crew roster")
    hidden = log("Lena", "Crew roster", title="Somebody reads my mail")
    Ticket.objects.filter(pk=hidden.pk).update(is_confidential=1)
    body = {
        "name": "Opened", "about": "", "is_shared": True,
        "definition": {
            "kind": "incident", "event": "opened", "span": "this month", "rows": [{"field": "team"}],
            "measures": [{"of": "records", "way": "count"}],
        },
    }  # fmt: skip
    return int(api("Tomas").post("/api/reports", body, content_type=JSON).json()["id"])


def total(row: FrozenReport) -> Any:
    return row.shown["table"]["total"][0]


def test_it_stays_as_it_was_and_counts_nothing_confidential(
    api: Any, kept: int, log: Any, person: Any
) -> None:
    got = api("Tomas").post(f"/api/reports/{kept}/frozen")
    assert got.status_code == 201, got.json()
    log("Ines", "Crew roster")
    KeptReport.objects.filter(pk=kept).update(definition={"event": "closed"})
    shown = api("Marit").get(f"/api/reports/frozen/{got.json()['id']}").json()
    assert shown["shown"]["table"]["total"] == [1.0]
    assert shown["definition"]["event"] == "opened"
    assert (shown["name"], shown["by"], shown["is_mine"]) == ("Opened", "Tomas Wray", False)


def test_only_who_may_read_the_report_reads_what_is_frozen(api: Any, kept: int) -> None:
    number = api("Tomas").post(f"/api/reports/{kept}/frozen").json()["id"]
    KeptReport.objects.filter(pk=kept).update(is_shared=0)
    assert api("Marit").get(f"/api/reports/frozen/{number}").status_code == 404
    assert api("Marit").get(f"/api/reports/{kept}/frozen").status_code == 404
    assert api("Marit").post(f"/api/reports/{kept}/frozen").status_code == 404
    assert api("Marit").delete(f"/api/reports/frozen/{number}").status_code == 404
    assert api("Ines").get(f"/api/reports/frozen/{number}").status_code == 403
    assert api("Tomas").delete(f"/api/reports/frozen/{number}").status_code == 204
    assert not FrozenReport.objects.exists()


def monthly(api: Any, kept: int, *, is_on: bool = True) -> None:
    got = api("Tomas").put(f"/api/reports/{kept}/frozen", {"is_on": is_on}, content_type=JSON)
    assert got.json()["freezes"] is is_on


def test_it_freezes_itself_at_the_months_end_once(api: Any, kept: int) -> None:
    monthly(api, kept)
    before_s = seconds_of(MONTH_ENDS) - 1
    assert freezing.freeze_due(before_s) == 0
    for seconds in (0, 1, 60, 3_600):
        freezing.freeze_due(seconds_of(MONTH_ENDS) + seconds)
    row = FrozenReport.objects.get()
    # As it was a second before: “this month” is the one that has ended.
    assert (row.at_s, row.by, total(row)) == (before_s, None, 1)
    assert row.shown["span"]["to_s"] == seconds_of(MONTH_ENDS)


@pytest.mark.parametrize("why", ["never asked", "asked no more", "owner left", "far too late"])
def test_it_does_not_freeze_itself(api: Any, kept: int, why: str) -> None:
    if why != "never asked":
        monthly(api, kept)
    at = MONTH_ENDS + timedelta(minutes=1)
    if why == "asked no more":
        monthly(api, kept, is_on=False)
    elif why == "owner left":
        Person.objects.filter(name="Tomas Wray").update(is_active=False)
    elif why == "far too late":
        at = MONTH_ENDS + timedelta(days=2)
    assert freezing.freeze_due(seconds_of(at)) == 0
    assert not FrozenReport.objects.exists()


def test_one_that_cannot_be_keeps_no_other_from_it(api: Any, kept: int) -> None:
    body = {"name": "Another", "definition": {"event": "opened", "rows": [{"field": "team"}]}}
    body["definition"]["measures"] = [{"of": "records", "way": "count"}]  # type: ignore[index]
    other = api("Tomas").post("/api/reports", body, content_type=JSON).json()["id"]
    monthly(api, kept)
    monthly(api, other)
    KeptReport.objects.filter(pk=kept).update(
        definition={"event": "opened", "rows": [{"field": "a field that is gone"}]}
    )
    assert freezing.freeze_due(seconds_of(MONTH_ENDS) + 5) == 1
    assert FrozenReport.objects.get().report_id == other


def test_only_so_many_are_kept(api: Any, kept: int, monkeypatch: Any) -> None:
    monkeypatch.setattr(freezing, "MOST_FROZEN", 2)
    for seconds, expected in ((0, 201), (1, 201), (2, 422)):
        with time_machine.travel(NOW + timedelta(seconds=seconds), tick=False):
            assert api("Tomas").post(f"/api/reports/{kept}/frozen").status_code == expected
