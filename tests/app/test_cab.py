"""Meetings of the change advisory board: agenda, decisions, invitations, minutes."""

from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from typing import Any

import pytest
import time_machine
from icalendar import Calendar

from gannet.audit.log import verify
from gannet.audit.models import Event
from gannet.changes import meetings, planning, stages
from gannet.changes.models import CabVerdict, ChangeFacts
from gannet.estate.models import ConfigItem
from gannet.messages.models import Outgoing
from gannet.messages.outbox import as_message
from gannet.people.acting import Acting
from gannet.people.models import Person
from gannet.tickets.actions import approvals
from gannet.tickets.models import Approval, ApprovalState, Ticket
from gannet.tickets.states import state_name
from gannet_core.instants import seconds_of
from tests.conftest import NOW

pytestmark = pytest.mark.django_db
JSON = "application/json"
Api = Callable[[str], Any]
Who = Callable[[str], Any]
# NOW is Monday 23 November 2026, 09:46. The cut-off is 22 and a half hours before Tuesday
# 10:30: what is submitted on Monday by noon is on Tuesday's agenda.
TUESDAY = datetime(2026, 11, 24, 10, 30, tzinfo=UTC)
AT = seconds_of(TUESDAY)
DECEMBER = datetime(2026, 12, 3, 1, 30, tzinfo=UTC)
STEPS = [
    {"part": "implement", "says": "Load the new image", "minutes": 30},
    {"part": "back out", "says": "Load the kept image", "minutes": 20},
]


@pytest.fixture
def asked(northmere: None, person: Who) -> Callable[..., Ticket]:
    """A risky change by Joss that waits for the board, or earlier in its way."""

    def made(title: str = "New image", *, until: str = "cab", key: str = "booking-site") -> Ticket:
        joss = Acting(person=person("Joss"), now=NOW)
        new = planning.NewChange(
            title=title,
            why="The old one lets go of the carrier.",
            items=[ConfigItem.objects.get(key=key)],
            service=ConfigItem.objects.get(key=key).service,
            starts_s=seconds_of(DECEMBER),
            ends_s=seconds_of(DECEMBER + timedelta(minutes=60)),
        )
        ticket = planning.open_change(new, joss)
        planning.edit(ticket.pk, joss, {"steps": STEPS})
        stages.submit(ticket.pk, joss)
        if until != "assess":
            stages.assess_it(ticket.pk, Acting(person=person("Marit"), now=NOW))
        while until == "cab":
            waiting = Approval.objects.filter(ticket=ticket, state=ApprovalState.PENDING)
            one = waiting.select_related("stage", "asked_of").order_by("pk").first()
            assert one is not None and one.stage is not None
            if one.stage.key == "cab":
                break
            approvals.decide(Acting(person=one.asked_of, now=NOW), one.pk, approves=True, reason="")
        return Ticket.objects.get(pk=ticket.pk)

    return made


def state(ticket: Ticket) -> str:
    return state_name(Ticket.objects.get(pk=ticket.pk).state)


def page(api: Api, who: str = "Marit") -> Any:
    with time_machine.travel(NOW, tick=False):
        answer = api(who).get("/api/changes/cab", {"at": AT})
    assert answer.status_code == 200, answer.content
    return answer.json()


def decide(api: Api, ticket: Ticket, verdict: str, note: str = "", who: str = "Marit") -> Any:
    said = {"at_s": AT, "change": ticket.pk, "verdict": verdict, "note": note}
    with time_machine.travel(TUESDAY + timedelta(minutes=5), tick=False):
        return api(who).post("/api/changes/cab/decide", said, content_type=JSON)


def row(api: Api, ticket: Ticket) -> Any:
    return next(one for one in page(api)["agenda"] if one["change"]["id"] == ticket.pk)


def test_the_next_meeting_has_what_was_submitted_before_its_cut_off(
    asked: Callable[..., Ticket], api: Api
) -> None:
    early, late = asked("In time"), asked("Too late")
    late_s = AT - 1350 * 60 + 1
    ChangeFacts.objects.filter(ticket=late).update(submitted_s=late_s)
    with time_machine.travel(NOW, tick=False):
        told = api("Marit").get("/api/changes/cab").json()
    assert told["at_s"] == AT
    listed = [one["change"]["id"] for one in told["agenda"]]
    assert early.pk in listed and late.pk not in listed
    points = [one["change"]["points"] for one in told["agenda"]]
    assert points == sorted(points, reverse=True)
    ChangeFacts.objects.filter(ticket=late).update(submitted_s=late_s - 1)
    assert late.pk in [one["change"]["id"] for one in page(api)["agenda"]]


def test_the_meeting_authorises_and_the_change_is_planned(
    asked: Callable[..., Ticket], api: Api
) -> None:
    ticket = asked()
    assert row(api, ticket)["against"] == ""
    answer = decide(api, ticket, "authorised")
    assert answer.status_code == 200, answer.content
    assert state(ticket) == "planned"
    assert row(api, ticket)["verdict"]["verdict"] == "authorised"
    decided = Approval.objects.get(ticket=ticket, stage__key="cab", state=ApprovalState.APPROVED)
    assert decided.decided_by is not None and decided.decided_by.name.startswith("Marit")
    assert decided.reason == "CAB of 24 November: authorised"
    again = decide(api, ticket, "rejected", "Too late")
    assert again.status_code == 409
    assert "planned already" in again.json()["detail"]
    assert verify()[1] is None


def test_a_condition_is_a_task_and_beginning_before_it_is_done_is_loud(
    asked: Callable[..., Ticket], api: Api, person: Who
) -> None:
    ticket = asked()
    assert decide(api, ticket, "authorised on condition").status_code == 422
    assert decide(api, ticket, "authorised on condition", "Tell both bridges").status_code == 200
    task = ticket.tasks.get()
    assert (task.title, task.person, task.phase) == (
        "Tell both bridges", person("Joss"), stages.CONDITION,
    )  # fmt: skip
    stages.start(ticket.pk, Acting(person=person("Joss"), now=DECEMBER + timedelta(minutes=1)))
    began = Event.objects.get(ticket_id=ticket.pk, kind="started")
    assert began.values["loud"] == ["before what the CAB made a condition was done"]


def test_a_rejected_change_ends_and_one_put_off_comes_again(
    asked: Callable[..., Ticket], api: Api
) -> None:
    first, second = asked("First"), asked("Second")
    assert decide(api, first, "rejected").status_code == 422, "it needs its reason"
    assert decide(api, first, "rejected", "No spare on board").status_code == 200
    assert state(first) == "refused"
    assert decide(api, second, "put off", "Which spare?").status_code == 200
    assert state(second) == "authorise"
    with time_machine.travel(TUESDAY + timedelta(days=2), tick=False):
        told = api("Marit").get("/api/changes/cab").json()
    assert told["at_s"] == AT + 7 * 86_400
    again = {one["change"]["id"]: one for one in told["agenda"]}
    assert first.pk not in again
    assert [one["note"] for one in again[second.pk]["earlier"]] == ["Which spare?"]
    assert decide(api, second, "authorised").status_code == 200, "they change their minds"
    assert CabVerdict.objects.get(ticket=second).verdict == "authorised"


@pytest.mark.parametrize("until", ["assess", "owner"])
def test_the_board_does_not_decide_before_its_turn(
    asked: Callable[..., Ticket], api: Api, until: str
) -> None:
    ticket = asked(until=until)
    against = row(api, ticket)["against"]
    assert against == (
        "It is not assessed yet." if until == "assess" else "Technical owner decides first."
    )
    answer = decide(api, ticket, "authorised")
    assert (answer.status_code, answer.json()["detail"]) == (409, against)
    assert decide(api, ticket, "put off", "Not yet").status_code == 200


@pytest.mark.parametrize("who", ["Joss", "Signe", "Lena"])
def test_only_a_change_manager_runs_the_meeting(
    asked: Callable[..., Ticket], api: Api, who: str
) -> None:
    ticket = asked()
    tries = {
        "decide": {"at_s": AT, "change": ticket.pk, "verdict": "authorised"},
        "invite": {"at_s": AT},
        "minutes": {"at_s": AT},
    }
    for name, said in tries.items():
        answer = api(who).post(f"/api/changes/cab/{name}", said, content_type=JSON)
        assert answer.status_code == 403, name
    said = {"at_s": AT, "present": [], "notes": "", "version": 0}
    assert api(who).put("/api/changes/cab", said, content_type=JSON).status_code == 403
    assert state(ticket) == "authorise"


def test_nobody_authorises_their_own_at_the_meeting(
    asked: Callable[..., Ticket], api: Api, person: Who
) -> None:
    ticket = asked()
    Ticket.objects.filter(pk=ticket.pk).update(requester=person("Marit"))
    assert decide(api, ticket, "authorised").status_code in (403, 404)
    assert state(ticket) == "authorise"


def test_notes_of_two_managers_do_not_overwrite_each_other(
    asked: Callable[..., Ticket], api: Api, person: Who
) -> None:
    asked()
    told = page(api)
    there = [one["id"] for one in told["members"]][:2]
    said = {"at_s": AT, "present": there, "notes": "First", "version": told["version"]}
    kept = api("Marit").put("/api/changes/cab", said, content_type=JSON)
    assert kept.status_code == 200
    assert [one["id"] for one in kept.json()["members"] if one["is_present"]] == there
    late = api("Marit").put("/api/changes/cab", {**said, "notes": "Second"}, content_type=JSON)
    assert late.status_code == 409
    assert page(api)["notes"] == "First"
    strange = {**said, "present": [9_999_999], "version": kept.json()["version"]}
    assert api("Marit").put("/api/changes/cab", strange, content_type=JSON).status_code == 422


def test_an_invitation_is_a_calendar_entry_at_the_local_time(
    asked: Callable[..., Ticket], api: Api
) -> None:
    ticket = asked("New image for both ships")
    with time_machine.travel(NOW, tick=False):
        for _ in range(2):
            done = api("Marit").post("/api/changes/cab/invite", {"at_s": AT}, content_type=JSON)
            assert done.status_code == 200, done.content
    invited = done.json()["invited"]
    assert invited
    rows = Outgoing.objects.filter(event_name="cab invitation").order_by("pk")
    assert sorted(rows.values_list("to", flat=True)) == sorted([*invited, *invited])
    last = rows.last()
    assert last is not None
    message = as_message(last, last.body)
    file = next(part for part in message.walk() if part.get_content_type() == "text/calendar")
    assert file.get_param("method") == "REQUEST"
    events = Calendar.from_ical(file.get_payload(decode=True)).walk("VEVENT")
    assert len(events) == 1
    event = events[0]
    assert event.decoded("dtstart").astimezone(UTC) == TUESDAY
    assert event["dtstart"].params["TZID"] == "Europe/London"
    assert event["sequence"] == 1, "the second replaces the first"
    assert str(ticket.pk) in event["description"]
    assert {str(one).removeprefix("mailto:") for one in event["attendee"]} == set(invited)


def test_minutes_go_out_once_as_mail_and_pdf_and_name_no_confidential_change(
    asked: Callable[..., Ticket], api: Api
) -> None:
    open_one, secret = asked("New image"), asked("Hidden image")
    Ticket.objects.filter(pk=secret.pk).update(is_confidential=True)
    meetings.keep(
        Acting(person=Person.objects.get(name__startswith="Marit"), now=NOW),
        AT, present=[], notes="Berths first. <b>", seen_version=0,
    )  # fmt: skip
    said = {"at_s": AT}
    with time_machine.travel(NOW, tick=False):
        early = api("Marit").post("/api/changes/cab/minutes", said, content_type=JSON)
    assert early.status_code == 422
    decide(api, open_one, "authorised on condition", "Tell both bridges")
    with time_machine.travel(TUESDAY + timedelta(hours=1), tick=False):
        sent = api("Marit").post("/api/changes/cab/minutes", said, content_type=JSON)
        assert sent.status_code == 200, sent.content
        assert (
            api("Marit").post("/api/changes/cab/minutes", said, content_type=JSON).status_code
            == 200
        )
    rows = Outgoing.objects.filter(event_name="cab minutes").order_by("pk")
    subjects = {one.subject.split(":")[0] for one in rows}
    assert subjects == {"Minutes", "Corrected minutes"}
    letter = rows[0]
    assert f"Change {open_one.pk}: New image" in letter.body
    assert "authorised on condition: Tell both bridges" in letter.body
    assert "Berths first." in letter.body
    assert not any("Hidden" in one.body for one in rows)
    file = letter.files.get()
    assert bytes(file.content).startswith(b"%PDF-")
    assert (file.name, file.content_type) == ("cab-2026-11-24.pdf", "application/pdf")
    read = api("Joss").get("/api/changes/cab/minutes", {"at": AT})
    assert read["Content-Type"] == "application/pdf"


def test_a_change_of_low_risk_can_be_referred_to_the_board(
    asked: Callable[..., Ticket], api: Api, person: Who
) -> None:
    ticket = asked(until="assess", key="mail-server-1")
    facts = ChangeFacts.objects.get(ticket=ticket)
    assert facts.rating == "low"
    assert ticket.pk not in [one["change"]["id"] for one in page(api)["agenda"]]
    act = f"/api/tickets/{ticket.pk}/refer-change"
    assert api("Joss").post(act, {"why": "Look"}, content_type=JSON).status_code == 403
    assert api("Marit").post(act, {"why": ""}, content_type=JSON).status_code == 422
    assert (
        api("Marit").post(act, {"why": "Is it wanted at all?"}, content_type=JSON).status_code
        == 200
    )
    assert row(api, ticket)["referred"] == "Is it wanted at all?"
    assert api("Marit").post(act, {"why": "Again"}, content_type=JSON).status_code == 409
    stages.assess_it(ticket.pk, Acting(person=person("Marit"), now=NOW))
    assert ticket.stages.filter(key="cab").exclude(state="skipped").exists()


@pytest.mark.parametrize("at", [AT + 60, 0, 1])
def test_there_is_no_meeting_at_another_time(northmere: None, api: Api, at: int) -> None:
    answer = api("Marit").get("/api/changes/cab", {"at": at})
    assert answer.status_code == 404


def test_who_only_asks_for_help_knows_nothing_of_meetings(northmere: None, api: Api) -> None:
    for address in ("/api/changes/cab", f"/api/changes/cab/minutes?at={AT}"):
        assert api("Rosalind").get(address).status_code == 403
