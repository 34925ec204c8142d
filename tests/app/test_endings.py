"""However a record ends, nothing of it is left pending; and what ended comes back with it."""

import ast
from collections.abc import Callable
from datetime import timedelta
from pathlib import Path
from typing import Any

import pytest

from gannet.audit.models import Event
from gannet.messages.models import Notification
from gannet.requests.asking import Line, Wish, ask_for
from gannet.requests.models import facts_of
from gannet.rulebook.book import current
from gannet.tickets import actions, mass
from gannet.tickets.actions import Acting, approvals, effects
from gannet.tickets.actions.alerts import Signal, take_signal
from gannet.tickets.actions.leftovers import Settled
from gannet.tickets.events import TicketEvent
from gannet.tickets.models import (
    Affected,
    Approval,
    ApprovalState,
    RouteStage,
    StageState,
    StateCode,
    TaskState,
    Ticket,
)
from gannet.web.errors import Conflict, Invalid
from gannet_core.instants import seconds_of
from tests.app.conftest import LAPTOP
from tests.conftest import NOW

pytestmark = pytest.mark.django_db
SYSTEM = Acting(person=None, now=NOW)


def again(ticket: Ticket) -> Ticket:
    return Ticket.objects.get(pk=ticket.pk)


def pending(ticket: Ticket) -> dict[str, Any]:
    """What of a record still waits for somebody."""
    row = again(ticket)
    found = {
        "questions": ticket.approvals.filter(state=ApprovalState.PENDING).count(),
        "stages": ticket.stages.filter(state__in=(StageState.PENDING, StageState.TO_COME)).count(),
        "tasks": ticket.tasks.filter(state=TaskState.OPEN).count(),
        "announced": row.is_announced,
        "waits": row.waiting_on,
        "route": row.approval if row.approval == "pending" else "",
        "notices": Notification.objects.filter(
            ticket=ticket, gone_s=None, event_name__in=("approval asked", "task given")
        ).count(),
        "counted": (row.open_tasks, row.open_approvals) != (0, 0),
        "parts": row.children.filter(is_open=True).count() if facts_of(row).parts else 0,
    }
    return {name: value for name, value in found.items() if value}


def by_monitoring(ticket: Ticket, by: Callable[[str], Acting]) -> None:
    """The fault that it gathered recovers."""
    acting = by("Signe")
    alert, _ = take_signal(Signal(key=f"of {ticket.pk}", title="down"), acting)
    alert.ticket = ticket
    alert.save()
    take_signal(Signal(key=f"of {ticket.pk}", title="down", is_firing=False), acting)


def by_rule(ticket: Ticket, by: Callable[[str], Acting]) -> None:
    with actions.writing(ticket.pk, SYSTEM) as write:
        effects.close_with(write, "", "the rule “stale”")


def merged(ticket: Ticket, by: Callable[[str], Acting]) -> None:
    other = actions.log_ticket(
        actions.NewTicket(requester=ticket.requester, title="The same"), by("Signe")
    )
    actions.merge(ticket.pk, by("Signe"), other.pk)


ALL = Settled(is_all=True)

WAYS: dict[str, Callable[[Ticket, Callable[[str], Acting]], object]] = {
    "resolved": lambda ticket, by: actions.resolve(
        ticket.pk, by("Signe"), "Done as asked.", settled=ALL
    ),
    "cancelled": lambda ticket, by: actions.cancel(ticket.pk, by("Signe"), "Not needed."),
    "cancelled by who asked": lambda ticket, by: actions.cancel(
        ticket.pk, Acting(person=ticket.requester, now=NOW), "Not needed."
    ),
    "not ours": lambda ticket, by: actions.set_unwanted(ticket.pk, by("Signe"), remembers=False),
    "merged": merged,
    "recovered": by_monitoring,
    "stale": by_rule,
    "one of many": lambda ticket, by: mass.do(
        by("Signe").person, [ticket.pk], "resolve", {"what": "Done as asked.", "settles": True}, NOW
    ),
}
# What a person resolves must have been decided.
UNDECIDED_WAYS = [way for way in WAYS if way not in ("resolved", "one of many")]


@pytest.mark.parametrize("way", UNDECIDED_WAYS)
def test_a_request_ends_with_all_that_it_waited_for(
    want: Any, person: Any, by: Any, way: str
) -> None:
    ticket = want("Piotr", "laptop", LAPTOP)
    actions.ask_approval(ticket.pk, by("Signe"), of=person("Ines"), what="A bag too", waits=False)
    actions.add_task(ticket.pk, by("Signe"), {"title": "Pack", "person": person("Joss").pk})
    assert set(pending(ticket)) >= {"questions", "stages", "tasks", "waits", "route", "notices"}
    WAYS[way](ticket, by)
    assert not again(ticket).is_open
    assert pending(ticket) == {}
    (last, *_) = Event.objects.filter(ticket=ticket, facts__has_key="dropped").order_by("-id")
    assert {"route", "tasks", "approvals"} <= set(last.facts["dropped"])


@pytest.mark.parametrize("way", WAYS)
def test_whom_an_outage_hits_hears_however_it_ends(
    log: Any, person: Any, by: Any, way: str
) -> None:
    ticket = log("Maeve", "Boarding gates")
    actions.announce(
        ticket.pk, by("Signe"), public_title="Gates", next_news=NOW + timedelta(hours=1)
    )
    Affected.objects.create(ticket=ticket, person=person("Ines"), at_s=seconds_of(NOW))
    WAYS[way](ticket, by)
    assert not again(ticket).is_announced
    told = Notification.objects.filter(person=person("Ines"), about__startswith="outage:")
    if way != "merged":
        assert told.get().event_name == "outage over"
        return
    # It goes on elsewhere: announced there, and whom it hits is told when that is over.
    assert not told.exists()
    goes_on = again(ticket).duplicate_of
    assert goes_on is not None and goes_on.is_announced and goes_on.public_title == "Gates"
    assert [hit.person.name for hit in goes_on.hits.all()] == [person("Ines").name]


def test_the_last_task_ends_the_announcement_too(log: Any, person: Any, by: Any) -> None:
    ticket = log("Maeve", "Boarding gates")
    actions.announce(
        ticket.pk, by("Signe"), public_title="Gates", next_news=NOW + timedelta(hours=1)
    )
    Affected.objects.create(ticket=ticket, person=person("Ines"), at_s=seconds_of(NOW))
    actions.add_task(ticket.pk, by("Signe"), {"title": "Look"})
    current().closing["when_tasks_done"] = True
    try:
        actions.set_task(ticket.pk, by("Signe"), ticket.tasks.get().pk, "done")
    finally:
        current().closing.pop("when_tasks_done")
    assert again(ticket).state == StateCode.RESOLVED and pending(ticket) == {}
    assert Notification.objects.get(person=person("Ines")).event_name == "outage over"


def test_reopening_brings_back_what_had_ended(log: Any, person: Any, by: Any, at: Any) -> None:
    ticket = log("Maeve", "Boarding gates")
    actions.announce(
        ticket.pk, by("Signe"), public_title="Gates", next_news=NOW + timedelta(hours=1)
    )
    Affected.objects.create(ticket=ticket, person=person("Ines"), at_s=seconds_of(NOW))
    actions.add_task(ticket.pk, by("Signe"), {"title": "Look", "person": person("Joss").pk})
    actions.add_task(ticket.pk, by("Signe"), {"title": "Left out"})
    out = ticket.tasks.get(title="Left out")
    actions.set_task(ticket.pk, by("Signe"), out.pk, "skipped")
    actions.resolve(ticket.pk, by("Signe"), "Done as asked.", settled=ALL)
    assert pending(ticket) == {}
    at.later(hours=5)
    actions.reopen(ticket.pk, by("Maeve"), "Not at all.")
    row = again(ticket)
    assert row.is_announced and row.next_news_s == seconds_of(at.now), "news is due, not past"
    assert Notification.objects.get(person=person("Ines"), gone_s=None).event_name == "outage back"
    assert ticket.tasks.get(title="Look").state == TaskState.OPEN and row.open_tasks == 1
    assert ticket.tasks.get(title="Left out").state == TaskState.SKIPPED, "as it was before"
    assert (row.resolved_s, row.resolution, row.resolver) == (None, "", None)


def test_undoing_an_ending_brings_back_all_that_it_took(want: Any, person: Any, by: Any) -> None:
    ticket = want("Piotr", "laptop", LAPTOP)
    actions.ask_approval(ticket.pk, by("Signe"), of=person("Ines"), what="A bag too", waits=False)
    actions.add_task(ticket.pk, by("Signe"), {"title": "Pack", "person": person("Joss").pk})
    before = pending(ticket)
    columns = ("pk", "state", "remind_s", "decide_by_s", "round", "ended_s")
    stages = list(RouteStage.objects.filter(ticket=ticket).values(*columns))
    questions = list(Approval.objects.filter(ticket=ticket).values("pk", "state", "decided_s"))
    was = again(ticket)
    actions.cancel(ticket.pk, by("Signe"), "Not needed.")
    actions.undo(ticket.pk, by("Signe"))
    assert pending(ticket) == before
    assert list(RouteStage.objects.filter(ticket=ticket).values(*columns)) == stages
    asked = list(Approval.objects.filter(ticket=ticket).values("pk", "state", "decided_s"))
    assert asked == questions
    row = again(ticket)
    assert (row.state, row.waiting_on, row.waiting_reason, row.approval) == (
        was.state,
        was.waiting_on,
        was.waiting_reason,
        was.approval,
    )


def test_a_reopened_request_gives_its_approvers_the_time_they_had(
    want: Any, by: Any, at: Any
) -> None:
    ticket = want("Piotr", "laptop", LAPTOP)
    stage = ticket.stages.get(state=StageState.PENDING)
    by_monitoring(ticket, by)
    at.later(days=2)
    actions.reopen(ticket.pk, by("Piotr"), "It never came.")
    later = ticket.stages.get(pk=stage.pk)
    assert stage.remind_s is not None and later.remind_s == stage.remind_s + 2 * 86_400
    row = again(ticket)
    assert (row.approval, row.waiting_on) == ("pending", "approval")


def basket(person: Any, by: Any) -> tuple[Ticket, Ticket, Ticket]:
    """A whole of two parts: one that goes ahead at once, one that somebody must approve."""
    lines = [
        Line(key="headset", answers={"ship_to": "Orrin Bay"}),
        Line(key="remote-access", answers={"outside_country": True}),
    ]
    whole = ask_for(person("Piotr"), Wish(lines=lines), by("Piotr"))
    parts = {facts_of(part).item: part for part in whole.children.all()}
    return whole, parts["headset"], parts["remote-access"]


@pytest.mark.parametrize("last", ["refused", "merged", "not ours"])
def test_a_whole_ends_with_its_last_part_however_that_ends(person: Any, by: Any, last: str) -> None:
    whole, simple, asked = basket(person, by)
    actions.resolve(simple.pk, SYSTEM, "All is there.")
    assert again(whole).is_open
    if last == "refused":
        (question,) = asked.approvals.filter(state=ApprovalState.PENDING)
        acting = Acting(person=question.asked_of, now=NOW)
        approvals.decide(acting, question.pk, approves=False, reason="no")
    else:
        WAYS[last](asked, by)
    assert again(asked).state == StateCode.CANCELLED
    assert again(whole).state == StateCode.RESOLVED and pending(whole) == {}


def test_a_whole_of_which_nothing_comes_is_cancelled(person: Any, by: Any) -> None:
    whole, simple, asked = basket(person, by)
    actions.cancel(simple.pk, by("Signe"), "None left.")
    WAYS["merged"](asked, by)
    assert again(whole).state == StateCode.CANCELLED and pending(whole) == {}


@pytest.mark.parametrize("way", ["cancelled", "merged", "not ours"])
def test_a_whole_takes_its_parts_with_it(person: Any, by: Any, way: str) -> None:
    whole, simple, asked = basket(person, by)
    WAYS[way](whole, by)
    for part in (simple, asked):
        assert again(part).state == StateCode.CANCELLED and pending(part) == {}


@pytest.mark.parametrize("back", ["undone", "reopened"])
def test_a_whole_is_open_again_with_its_part(person: Any, by: Any, back: str) -> None:
    whole, simple, asked = basket(person, by)
    actions.cancel(asked.pk, by("Signe"), "Not needed.")
    actions.resolve(simple.pk, by("Signe"), "All is there.")
    assert again(whole).state == StateCode.RESOLVED
    if back == "undone":
        actions.undo(simple.pk, by("Signe"))
    else:
        actions.reopen(simple.pk, by("Piotr"), "It is broken.")
    assert again(simple).is_open and again(whole).is_open


def test_a_decided_question_stays_decided_when_its_record_is_reopened(
    want: Any, person: Any, by: Any
) -> None:
    ticket = want("Piotr", "laptop", LAPTOP)
    actions.ask_approval(ticket.pk, by("Signe"), of=person("Ines"), what="A bag", waits=False)
    asked = ticket.approvals.get(stage=None)
    approvals.decide(by("Ines"), asked.pk, approves=True, reason="")
    by_monitoring(ticket, by)
    actions.reopen(ticket.pk, by("Piotr"), "It is not there.")
    asked.refresh_from_db()
    assert asked.state == ApprovalState.APPROVED


def test_what_need_not_be_decided_any_more_says_so(want: Any, by: Any) -> None:
    ticket = want("Piotr", "laptop", LAPTOP)
    (question,) = ticket.approvals.filter(state=ApprovalState.PENDING)
    actions.merge(ticket.pk, by("Signe"), want("Piotr", "laptop", LAPTOP).pk)
    with pytest.raises(Conflict, match="no longer needed"):
        approvals.decide(
            Acting(person=question.asked_of, now=NOW), question.pk, approves=True, reason=""
        )


def test_nothing_but_the_one_ending_records_one(log: Any, by: Any) -> None:
    ticket = log("Maeve", "Boarding gates")
    for kind in (TicketEvent.RESOLVED, TicketEvent.CLOSED, TicketEvent.CANCELLED):
        with (
            pytest.raises(ValueError, match="endings"),
            actions.writing(ticket.pk, by("Signe")) as write,
        ):
            write.record(kind)
    assert again(ticket).is_open
    # Nor does any code try: only the module of endings says that an act ends a record.
    for path in Path("gannet").rglob("*.py"):
        if path.name == "endings.py":
            continue
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
            if isinstance(node, ast.Call):
                assert all(word.arg != "is_ending" for word in node.keywords), path


# One act, one or many: the same code, the same answers.


def test_taking_up_many_leaves_a_pending_decision_waiting(want: Any, person: Any, by: Any) -> None:
    one, many = want("Piotr", "laptop", LAPTOP), want("Piotr", "laptop", LAPTOP)
    actions.resume(one.pk, by("Signe"), "x")
    out = mass.do(person("Signe"), [many.pk], "resume", {"why": "x"}, NOW)
    assert out["done"] == [many.pk]
    first, second = again(one), again(many)
    for name in ("state", "waiting_on", "waiting_reason", "approval", "move"):
        assert getattr(first, name) == getattr(second, name), name
    assert second.state == StateCode.WAITING


def test_a_refused_ticket_of_many_keeps_nothing_of_the_act(
    want: Any, log: Any, person: Any, by: Any, monkeypatch: Any
) -> None:
    refused, fine = log("Piotr", "Boarding gates"), log("Maeve", "Boarding gates")
    actions.add_task(refused.pk, by("Signe"), {"title": "Pack"})
    before = pending(refused)
    taken_away = []

    def give_up(write: Any, ending: Any) -> None:
        taken_away.append(write.ticket.tasks.filter(state=TaskState.OPEN).count())
        if write.ticket.pk == refused.pk:
            raise Invalid("not this one")

    # The last part of ending refuses, when everything before it has been taken away.
    from gannet.tickets.actions import endings

    monkeypatch.setitem(endings._parts, "last", endings.EndingPart(name="last", drop=give_up))
    out = mass.do(
        person("Signe"),
        [refused.pk, fine.pk],
        "resolve",
        {"what": "Done as asked.", "settles": True},
        NOW,
    )
    assert taken_away[0] == 0
    assert out["done"] == [fine.pk] and [row["why"] for row in out["refused"]] == ["not this one"]
    assert pending(refused) == before and again(refused).is_open
    assert not again(fine).is_open


def test_a_refusal_in_what_follows_keeps_one_of_many_only(
    log: Any, person: Any, monkeypatch: Any
) -> None:
    bad, fine = log("Maeve", "Boarding gates"), log("Maeve", "Boarding gates")
    settle = actions.RecordWrite.recompute

    def refuse(write: Any) -> Any:
        if write.ticket.pk == bad.pk:
            raise Invalid("its rules do not let it")
        return settle(write)

    monkeypatch.setattr(actions.RecordWrite, "recompute", refuse)
    out = mass.do(person("Signe"), [bad.pk, fine.pk], "note", {"text": "x"}, NOW)
    assert out["done"] == [fine.pk]
    assert out["refused"] == [{"id": bad.pk, "title": bad.title, "why": "its rules do not let it"}]


def test_what_had_ended_before_there_was_one_ending_is_put_in_order(
    want: Any, log: Any, person: Any, by: Any
) -> None:
    from importlib import import_module

    from django.apps import apps

    ended, still_open = want("Piotr", "laptop", LAPTOP), want("Piotr", "laptop", LAPTOP)
    for ticket in (ended, still_open):
        actions.add_task(ticket.pk, by("Signe"), {"title": "Pack", "person": person("Joss").pk})
    untouched = pending(still_open)
    Ticket.objects.filter(pk=ended.pk).update(
        state=StateCode.CANCELLED, is_open=False, waiting_on="", closed_s=seconds_of(NOW) + 60
    )
    assert len(pending(ended)) > 4
    settle = import_module("gannet.tickets.migrations.0010_ended_leaves_nothing").settle
    settle(apps, None)
    assert pending(ended) == {} and pending(still_open) == untouched
    assert ended.tasks.get().done_s == seconds_of(NOW) + 60


@pytest.mark.parametrize("state", ["open", "done"])
def test_a_task_of_an_ended_record_stays_as_it_is(log: Any, by: Any, state: str) -> None:
    ticket = log("Maeve", "Boarding gates")
    actions.add_task(ticket.pk, by("Signe"), {"title": "Look"})
    task = ticket.tasks.get()
    actions.resolve(ticket.pk, by("Signe"), "Done as asked.", settled=ALL)
    with pytest.raises(Conflict, match="reopen it first"):
        actions.set_task(ticket.pk, by("Signe"), task.pk, state)
    actions.reopen(ticket.pk, by("Signe"), "Not done.")
    if state == "done":
        actions.set_task(ticket.pk, by("Signe"), task.pk, state)
        assert again(ticket).open_tasks == 0
