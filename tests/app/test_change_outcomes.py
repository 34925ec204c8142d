"""How a change turned out: what a scan finds of it, and past ones weighed again."""

import json
from collections.abc import Callable
from copy import deepcopy
from datetime import datetime, timedelta
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

import pytest
import time_machine

from gannet.audit.log import verify
from gannet.audit.models import Event
from gannet.changes import planning, stages
from gannet.changes.models import ChangeFacts
from gannet.estate.models import ConfigItem, Service
from gannet.messages.models import Notification
from gannet.people.acting import Acting
from gannet.rulebook.book import current
from gannet.services import scans
from gannet.tickets.actions import approvals
from gannet.tickets.actions.facts import change_facts
from gannet.tickets.fields import registry
from gannet.tickets.models import Approval, ApprovalState, Ticket
from gannet.trials.checking import findings_of
from gannet_core import changes as core
from gannet_core.instants import format_instant, seconds_of
from tests.app.changing import (
    JSON,
    STEPS,
    WEDNESDAY,
    Api,
    Who,
    facts,
    item,
    state,
)
from tests.app.test_engine import publish
from tests.conftest import NOW

pytestmark = pytest.mark.django_db


def test_a_scan_after_a_change_is_compared_with_what_was_expected(
    northmere: None, person: Who, api: Api, draft: Callable[..., Ticket]
) -> None:
    server = item("roster-server")
    assert server.attributes.get("memory") == 64
    ticket = draft("roster-server", service="Crew roster", begins=WEDNESDAY)
    edit(ticket, person, items=[{"item": server.pk, "expected": {"memory": 128, "processor": 16}}])
    carry(ticket, person, "under way")

    scanned(server, WEDNESDAY + timedelta(minutes=10), memory=128)
    server.refresh_from_db()
    assert server.attributes["memory"] == 64, "nothing follows before it is done"
    assert server.explained == {"memory": f"change {ticket.pk} is changing it"}
    assert server.drifts == 0

    done = WEDNESDAY + timedelta(minutes=50)
    stages.implemented(ticket.pk, Acting(person=person("Joss"), now=done))
    assert told(api, ticket) == {"memory": "not seen", "processor": "not seen"}, "that was before"

    scanned(server, done + timedelta(hours=6), memory=128, processor=12)
    server.refresh_from_db()
    assert server.attributes["memory"] == 128
    assert server.attributes.get("processor") == 8
    assert told(api, ticket) == {"memory": "as expected", "processor": "otherwise"}
    mine = Notification.objects.filter(person=person("Joss"), event_name="change mismatch")
    assert [one.ticket_id for one in mine] == [ticket.pk]
    assert "processor 12 instead of 16" in mine.get().text

    scanned(server, done + timedelta(hours=7), memory=128, processor=12)
    kinds = list(Event.objects.filter(ticket_id=ticket.pk).values_list("kind", flat=True))
    assert kinds.count("change mismatch") == 1, "the same again tells nothing"

    scanned(server, done + timedelta(hours=8), memory=128, processor=16)
    server.refresh_from_db()
    assert server.attributes["processor"] == 16
    assert told(api, ticket) == {"memory": "as expected", "processor": "as expected"}
    assert server.drifts == 0
    assert verify()[1] is None


@pytest.mark.parametrize(
    ("expected", "seen", "seen_s", "is_so"),
    [
        ({"memory": 32}, {"memory": 32}, 200, "as expected"),
        ({"memory": 32}, {"memory": 32}, 100, "as expected"),
        ({"memory": 32}, {"memory": 32}, 99, "not seen"),
        ({"memory": 32}, {"memory": 32}, None, "not seen"),
        ({"memory": 32}, {"memory": 16}, 200, "otherwise"),
        ({"memory": 32}, {}, 200, "not seen"),
        ({"memory": 32}, {"memory": None}, 200, "not seen"),
        ({"version": "Gate  7"}, {"version": "gate 7"}, 200, "as expected"),
        ({"spare": True}, {"spare": 1}, 200, "otherwise"),
        ({"spare": True}, {"spare": True}, 200, "as expected"),
    ],
)
def test_what_a_scan_says_of_what_was_expected(
    expected: dict[str, Any], seen: dict[str, Any], seen_s: int | None, is_so: str
) -> None:
    assert list(core.verified(expected, seen, seen_s, 100).values()) == [is_so]


def edit(ticket: Ticket, person: Who, **changes: Any) -> None:
    planning.edit(ticket.pk, Acting(person=person("Joss"), now=NOW), changes)


def carry(ticket: Ticket, person: Who, to: str) -> None:
    """Carry a change on by the acts that people would do, as far as it has to come."""
    stages.submit(ticket.pk, Acting(person=person("Joss"), now=NOW))
    if to == "assess":
        return
    stages.assess_it(ticket.pk, Acting(person=person("Marit"), now=NOW))
    while to != "authorise" and state(ticket) == "authorise":
        asked = Approval.objects.filter(ticket=ticket, state=ApprovalState.PENDING).first()
        assert asked is not None
        approvals.decide(Acting(person=asked.asked_of, now=NOW), asked.pk, approves=True, reason="")
    if to == "under way":
        stages.start(ticket.pk, Acting(person=person("Joss"), now=WEDNESDAY))


def told(api: Api, ticket: Ticket) -> dict[str, str]:
    page = api("Joss").get(f"/api/tickets/{ticket.pk}").json()["change"]
    return {one["attribute"]: one["verdict"] for row in page["items"] for one in row["found"]}


def scanned(thing: ConfigItem, at: datetime, **attributes: Any) -> None:
    """A scan of one item, as the worker reads it."""
    file = {
        "scanned_at": format_instant(at),
        "things": [{"key": thing.key, "name": thing.name, "attributes": attributes}],
    }
    with TemporaryDirectory() as folder:
        path = Path(folder) / "scan.json"
        path.write_text(json.dumps(file))
        with time_machine.travel(at, tick=False):
            assert scans.scan_file(path).errors == []


def test_another_service_of_a_planned_change_is_authorised_again_before_it_begins(
    northmere: None, person: Who, draft: Callable[..., Ticket]
) -> None:
    ticket = draft()
    carry(ticket, person, "planned")
    assert state(ticket) == "planned"
    other = Service.objects.get(name="Web booking")
    change_facts(ticket.pk, Acting(person=person("Marit"), now=NOW), {"service": other.pk}, None)
    waiting = Approval.objects.filter(ticket=ticket, state=ApprovalState.PENDING).count()
    assert (state(ticket), waiting > 0) in {("authorise", True), ("planned", False)}
    found = facts(ticket)
    weighed = planning.typed(Ticket.objects.get(pk=ticket.pk), current(), seconds_of(NOW), {})
    assert (found.points, found.rating) == (weighed.risk.points, weighed.risk.rating)


def test_a_drift_is_put_back_by_a_change_that_expects_what_is_recorded(
    northmere: None, api: Api
) -> None:
    server = item("roster-server")
    scanned(server, NOW, memory=32, disk=server.attributes["disk"])
    said = {"title": "Put it back", "items": [server.pk], "puts_back": True}
    number = api("Joss").post("/api/changes/open", said, content_type=JSON).json()["id"]
    page = api("Joss").get(f"/api/tickets/{number}").json()["change"]
    assert [one["expected"] for one in page["items"]] == [{"memory": 64}]
    assert page["born_of"] == f"what a scan found of {server.name}"


def test_past_changes_are_weighed_again_by_other_weights(
    northmere: None, api: Api, person: Who
) -> None:
    for index, outcome in enumerate(["done", "failed", "backed out", "with issues", "done"]):
        over(person, outcome, index, tried="" if outcome == "failed" else "On the spare")
    section = current().document["changes"]
    same = weighed(api, section)
    assert same["n"] == 5
    assert same["in_force"] == same["wanted"]
    for some in (same["in_force"], same["wanted"]):
        assert sum(row["n"] for row in some["ratings"]) == 5
        assert (some["failed"], some["well"]) == (2, 2)
        low = next(row for row in some["ratings"] if row["rating"] == "low")
        assert some["failed_flagged"] == some["failed"] - low["failed"]

    blind = {"factors": [{"factor": name, "percent": 0} for name in FACTORS]}
    nothing = weighed(api, {**section, "risk": {**blind, "thresholds": bounds(99, 100, 101)}})
    assert nothing["wanted"]["failed_flagged"] == 0
    assert nothing["missed_count"] == 2
    assert {one["outcome"] for one in nothing["missed"]} == {"failed", "backed out"}
    everything = weighed(api, {**section, "risk": {"thresholds": bounds(0, 100, 101)}})
    assert everything["wanted"]["failed_flagged"] == 2
    assert everything["wanted"]["well_flagged"] == 2
    careful = {"factors": [{"factor": "untested", "percent": 100}]}
    found = weighed(api, {**section, "risk": careful})
    points = {one["id"]: one["after"] for one in found["missed"]}
    failed = ChangeFacts.objects.get(outcome="failed")
    assert failed.ticket_id not in points, "what was not tried is weighed higher"
    assert current().document["changes"] == section, "nothing is saved"


@pytest.mark.parametrize(
    "wrong",
    [
        {"risk": {"thresholds": {"moderate": 50, "high": 25, "critical": 8}}},
        {"risk": {"factors": [{"factor": "untested"}]}},
        {"risk": {"weights": [{"criticality": "x", "percent": 3}]}},
        {"risk": []},
        {"risk": "much"},
    ],
)
def test_weights_of_nonsense_are_refused(northmere: None, api: Api, wrong: dict[str, Any]) -> None:
    answer = api("Marit").post("/api/changes/weigh", {"changes": wrong}, content_type=JSON)
    assert answer.status_code in (200, 422)
    if wrong["risk"]:
        assert answer.status_code == 422, answer.content


FACTORS = tuple(core.FACTORS)


def bounds(moderate: int, high: int, critical: int) -> dict[str, int]:
    return {"moderate": moderate, "high": high, "critical": critical}


def weighed(api: Api, section: dict[str, Any]) -> Any:
    answer = api("Marit").post("/api/changes/weigh", {"changes": section}, content_type=JSON)
    assert answer.status_code == 200, answer.content
    return answer.json()


def over(person: Who, outcome: str, index: int, *, tried: str) -> None:
    """A change that is over, so many weeks ago."""
    starts = seconds_of(NOW - timedelta(weeks=9 - index))
    new = planning.NewChange(
        title=f"Change {index}", items=[item("gate-server")], starts_s=starts, ends_s=starts + 3600
    )
    ticket = planning.open_change(new, Acting(person=person("Joss"), now=NOW))
    ChangeFacts.objects.filter(ticket=ticket).update(
        outcome=outcome, tried=tried, submitted_s=starts - 9 * 86_400, ended_s=starts + 3600
    )


def test_what_is_expected_is_read_as_the_type_of_the_item_reads_it(
    northmere: None, person: Who, draft: Callable[..., Ticket]
) -> None:
    server = item("roster-server")
    ticket = draft("roster-server", service="Crew roster")
    edit(ticket, person, items=[{"item": server.pk, "expected": {"memory": "128", "mood": "good"}}])
    assert ticket.change_items.get().expected == {"memory": 128, "mood": "good"}


def test_a_template_touches_the_items_of_a_group_as_they_are_when_it_is_opened(
    northmere: None, person: Who
) -> None:
    template = {
        "key": "big",
        "name": "Memory of the big servers",
        "groups": ["Big servers"],
        "expects": [{"attribute": "memory", "value": "256"}],
        "steps": STEPS,
    }
    document = deepcopy(current().document)
    document["change_templates"].append(template)
    assert not [one for one in findings_of(document, NOW) if one.section == "change_templates"]
    publish(lambda kept: kept["change_templates"].append(template))
    read = registry(current())["ci.group"].read
    wanted = {one.pk for one in ConfigItem.objects.all() if "Big servers" in read(Ticket(ci=one))}
    assert wanted
    new = planning.NewChange(title="Memory", template="big")
    ticket = planning.open_change(new, Acting(person=person("Joss"), now=NOW))
    rows = ticket.change_items.all()
    assert {one.item_id for one in rows} == wanted
    assert {one.expected["memory"] for one in rows} == {256}
    document["change_templates"][-1]["groups"] = ["Gone"]
    found = [one for one in findings_of(document, NOW) if one.section == "change_templates"]
    assert "There is no group “Gone”." in [one.says for one in found]
