"""Every future moment is a timer: none is lost by an act that has nothing to do with it."""

import subprocess
import sys
from datetime import timedelta
from pathlib import Path
from typing import Any

import pytest

from gannet.audit.models import Event
from gannet.messages.models import Notification
from gannet.people.events import PersonEvent
from gannet.people.models import Deputy, Person, Team
from gannet.rulebook.book import current
from gannet.tickets import actions, mass
from gannet.tickets.actions import Acting, timers
from gannet.tickets.actions.leftovers import Settled
from gannet.tickets.models import StageState, Ticket, Timer, TimerState
from gannet_core.instants import seconds_of
from tests.app.conftest import LAPTOP, approve_all, fire
from tests.conftest import NOW

pytestmark = pytest.mark.django_db
NOW_S = seconds_of(NOW)
SYSTEM = Acting(person=None, now=NOW)


def armed(ticket: Ticket) -> dict[str, int]:
    rows = Timer.objects.filter(ticket=ticket, state=TimerState.ARMED)
    return {f"{row.kind} {row.subject}".strip(): row.at_s for row in rows}


def sharing_team() -> Team:
    """A team whose work finds its person by itself."""
    modes = current().teams
    named = [name for name, entry in modes.items() if entry.get("mode") != "by hand"]
    return Team.objects.filter(name__in=named, is_board=False).order_by("pk")[0]


@pytest.fixture
def nobodys(log: Any, by: Any) -> Ticket:
    """A ticket of a team that shares its work out, of which nobody is there."""
    ticket, team = log("Maeve", "Berth planner"), sharing_team()
    team.memberships.update(is_set_aside=True)
    actions.hand_over(ticket.pk, by("Signe"), team=team, person=None, comment="yours")
    left = Ticket.objects.get(pk=ticket.pk)
    assert left.holder is None and "route" in armed(left)
    return left


ASIDE_ACTS = {
    "the requester writes": lambda t, by: actions.requester_writes(t.pk, by("Maeve"), "Still."),
    "a note": lambda t, by: actions.note(t.pk, by("Signe"), "Look at the log."),
    "a reply": lambda t, by: actions.reply(t.pk, by("Signe"), "We look."),
    "a fact": lambda t, by: actions.change_facts(t.pk, by("Signe"), {"title": "Other"}, t.version),
    "a follower": lambda t, by: actions.follow(t.pk, by("Signe"), by("Joss").person),
    "a task": lambda t, by: actions.add_task(t.pk, by("Signe"), {"title": "Look"}),
    "a missed target": lambda t, by: fire("late", NOW_S + 400_000),
    "an escalation step": lambda t, by: fire("step", NOW_S + 400_000),
    "one of many": lambda t, by: mass.do(by("Signe").person, [t.pk], "note", {"text": "x"}, NOW),
    "a wait and its end": lambda t, by: (
        actions.wait(t.pk, by("Marit"), on="requester", reason="which one?"),
        actions.resume(t.pk, by("Signe"), "found it"),
    ),
}


@pytest.mark.parametrize("act", ASIDE_ACTS)
def test_somebody_is_looked_for_whatever_else_happens(nobodys: Ticket, by: Any, act: str) -> None:
    before = armed(nobodys)["route"]
    ASIDE_ACTS[act](nobodys, by)
    assert armed(nobodys)["route"] == before


def test_a_failed_try_is_tried_again_until_somebody_is_there(nobodys: Ticket) -> None:
    at_s = armed(nobodys)["route"]
    for _ in range(3):
        assert fire("route", at_s) == 1
        later_s = armed(nobodys)["route"]
        assert later_s > at_s
        at_s = later_s
    nobodys.team.memberships.update(is_set_aside=False)
    fire("route", at_s)
    while (row := Ticket.objects.get(pk=nobodys.pk)).holder is None:
        at_s = armed(nobodys)["route"]  # the next shift of somebody
        fire("route", at_s)
    assert row.hand_overs == nobodys.hand_overs and "route" not in armed(nobodys)


def test_what_is_undone_to_nobody_is_looked_at_again(nobodys: Ticket, by: Any) -> None:
    Timer.objects.filter(ticket=nobodys, kind="route").update(state=TimerState.DROPPED)
    member = nobodys.team.memberships.order_by("pk")[0].person
    actions.take(nobodys.pk, Acting(person=member, now=NOW))
    assert "route" not in armed(nobodys)
    actions.undo(nobodys.pk, Acting(person=member, now=NOW))
    assert "route" in armed(nobodys), "nobody holds it again"


def test_work_by_hand_looks_for_nobody(log: Any, by: Any) -> None:
    ticket, team = log("Maeve", "Berth planner"), sharing_team()
    current().teams[team.name]["exempt"] = {"field": "title", "op": "is filled"}
    try:
        actions.hand_over(ticket.pk, by("Signe"), team=team, person=None, comment="yours")
        assert Ticket.objects.get(pk=ticket.pk).holder is None and "route" not in armed(ticket)
    finally:
        current().teams[team.name].pop("exempt")


def test_a_stage_has_one_timer_that_follows_it_to_its_end(want: Any, by: Any) -> None:
    ticket = want("Piotr", "laptop", LAPTOP)
    stage = ticket.stages.get(state=StageState.PENDING)
    name = f"stage {stage.pk}"
    assert armed(ticket)[name] == min(
        at_s for at_s in (stage.remind_s, stage.decide_by_s) if at_s is not None
    )
    actions.note(ticket.pk, by("Signe"), "x")
    assert name in armed(ticket)
    approve_all(ticket)
    assert not [one for one in armed(ticket) if one.startswith("stage")]


def test_a_stage_that_only_reminds_is_not_due_for_ever(want: Any) -> None:
    ticket = want("Piotr", "laptop", LAPTOP)
    stage = ticket.stages.get(state=StageState.PENDING)
    assert stage.remind_s is not None
    assert fire("stage", stage.remind_s) == 1
    assert fire("stage", stage.remind_s) == 0
    stage.refresh_from_db()
    assert armed(ticket).get(f"stage {stage.pk}") == stage.decide_by_s


@pytest.mark.parametrize("end", ["resolve", "cancel"])
def test_what_has_ended_has_no_timer_but_its_closing(want: Any, by: Any, end: str) -> None:
    ticket = want("Piotr", "laptop", LAPTOP)
    if end == "cancel":
        actions.cancel(ticket.pk, by("Signe"), "Not needed.")
    else:
        approve_all(ticket)
        actions.resolve(ticket.pk, by("Signe"), "It is there.", settled=Settled(is_all=True))
    assert set(armed(ticket)) == ({"close"} if end == "resolve" else set())


def test_a_deputy_is_an_action_with_its_event(api: Any, person: Any) -> None:
    joss = person("Joss")
    given = {"deputy": person("Nuno").pk, "from_s": NOW_S + 60, "to_s": NOW_S + 3_600}
    made = api("Joss").post("/api/deputies", given, content_type="application/json")
    assert made.status_code == 201
    row = Deputy.objects.get(person=joss)
    told = Event.objects.filter(kind=PersonEvent.PERSON_CHANGED).latest("id")
    assert told.actor == joss and told.values["deputy"] == person("Nuno").name
    timer = Timer.objects.get(kind="deputy", subject=str(row.pk))
    assert (timer.ticket, timer.at_s, timer.state) == (None, NOW_S + 60, TimerState.ARMED)
    assert api("Maeve").delete(f"/api/deputies/{row.pk}").status_code == 404
    assert api("Joss").delete(f"/api/deputies/{row.pk}").status_code == 204
    timer.refresh_from_db()
    assert timer.state == TimerState.DROPPED
    assert Event.objects.latest("id").values["ended"] is True


def test_a_reminder_that_is_ended_does_not_come(person: Any) -> None:
    signe: Person = person("Signe")
    row = actions.remind(signe, NOW, at=NOW + timedelta(hours=1), text="ring", ticket_id=None)
    actions.end_reminder(signe, row.pk, NOW_S)
    assert fire("reminder", NOW_S + 7_200) == 0
    assert not Notification.objects.filter(person=signe, event_name="reminder").exists()


def test_timers_of_every_kind_have_an_act(want: Any, nobodys: Ticket) -> None:
    want("Piotr", "laptop", LAPTOP)
    for kind in set(Timer.objects.values_list("kind", flat=True)):
        assert callable(timers.kind_of(kind).fire)


def test_what_was_due_before_there_were_timers_of_every_kind_gets_its_own(
    want: Any, person: Any, by: Any
) -> None:
    from importlib import import_module

    from django.apps import apps

    ticket, runs = want("Piotr", "laptop", LAPTOP), want("Piotr", "password", {"account_name": "p"})
    actions.remind(
        person("Signe"), NOW, at=NOW + timedelta(hours=1), text="ring", ticket_id=ticket.pk
    )
    actions.make_deputy(by("Joss"), person("Nuno"), NOW_S, NOW_S + 60)
    kinds = ("stage", "runbook", "reminder", "deputy")
    columns = ("kind", "subject", "at_s", "ticket_id")
    rows = Timer.objects.filter(kind__in=kinds, ticket__in=(ticket, runs, None))
    rows |= Timer.objects.filter(kind__in=kinds, ticket=None)
    before = sorted(rows.values_list(*columns), key=str)
    assert {row[0] for row in before} == set(kinds)
    Timer.objects.filter(kind__in=kinds).delete()
    import_module("gannet.tickets.migrations.0011_timers_of_every_kind").arm(apps, None)
    assert sorted(rows.values_list(*columns), key=str) == before


def test_a_process_of_its_own_knows_every_kind() -> None:
    """The worker imports no more than Django does when it starts."""
    code = (
        "import django; django.setup(); from gannet.tickets.actions import timers, endings;"
        "print(*timers.known_kinds()); print(*[part.name for part in endings.parts()])"
    )
    done = subprocess.run(
        [sys.executable, "-c", code], capture_output=True, text=True, check=True,
        cwd=Path(__file__).parents[2],
    )  # fmt: skip
    kinds, parts = done.stdout.split("\n")[:2]
    assert set(kinds.split()) == {
        "step", "late", "return", "close", "route", "stage", "deputy", "runbook", "task", "reminder", "page", "update",
        "notice", "review",
    }  # fmt: skip
    assert set(parts.split()) == {
        "announcement", "approvals", "change", "pages", "parts", "route", "survey", "tasks",
        "whole",
    }  # fmt: skip


def test_a_timer_of_an_app_that_is_gone_keeps_no_other_waiting(nobodys: Ticket) -> None:
    Timer.objects.create(kind="of long ago", subject="1", at_s=1)
    assert fire("", armed(nobodys)["route"]) > 0
    assert Timer.objects.get(kind="of long ago").state == TimerState.ARMED
