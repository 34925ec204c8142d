"""Escalation steps: what an agreement does before, at and after its targets."""

from collections.abc import Mapping, Sequence
from typing import Any

from gannet.people.acting import Acting
from gannet.people.models import Person, Team
from gannet.tickets.actions import timers
from gannet.tickets.actions.effects import carry_out, reassign, record_sets
from gannet.tickets.actions.frame import RecordWrite, writing
from gannet.tickets.actions.ladders import Ladder
from gannet.tickets.events import TicketEvent
from gannet.tickets.fields import record_of
from gannet.tickets.models import Ticket
from gannet.tickets.setting import follow_matrix, set_field
from gannet_core.conditions import Context, evaluate
from gannet_core.escalation import UNTOUCHED, describe_moment, describe_step, firing, span_words
from gannet_core.rules import describe_action

_ASSIGNS = ("assign team", "assign person")


def escalate_step(ticket_id: int, acting: Acting, subject: str) -> Ticket:
    """Fire what is due of one clock's steps: the latest; earlier ones are passed over.

    The moment is read off the ledger again, so a timer that came too early, or for a
    clock that has been paused or moved since, does nothing.
    """
    with writing(ticket_id, acting) as write:
        ladder = next((one for one in write.steps_now() if one.subject == subject), None)
        if ladder is None:
            return write.ticket
        now = firing(ladder.moments, ladder.done, acting.now_s)
        for step in now.passed_over:
            _pass_over(write, ladder, step, "a later step was due already")
        if now.fires is not None:
            _fire(write, ladder, now.fires)
    return write.ticket


def _fire(write: RecordWrite, ladder: Ladder, step: Mapping[str, Any]) -> None:
    condition = step.get("if")
    record = record_of(write.ticket, write.policy)
    if condition and not evaluate(condition, record, context=Context(now=write.acting.now)).result:
        _pass_over(write, ladder, step, "its condition does not hold")
        return
    name = step.get("name") or describe_moment(step)
    write.record(
        TicketEvent.ESCALATED,
        is_automatic=True,
        by_desk=False,
        facts=_facts(ladder, step),
        values={
            "name": name,
            "when": describe_step(step, ladder.label),
            "did": [describe_action(action) for action in step["then"]],
        },
    )
    by = f"the escalation step “{name}”"
    why = _why(write, ladder)
    done = [action["field"] for action in step["then"] if action["do"] == "set"]
    for action in step["then"]:
        if action["do"] == "set":
            set_field(write.ticket, action["field"], action["value"], write.policy)
        elif action["do"] not in _ASSIGNS:
            carry_out(write, action["do"], {**action, "why": why}, by)
    if {"impact", "urgency"} & set(done) and "priority" not in done:
        if follow_matrix(write.ticket, write.policy):
            done.append("priority")
    elif "priority" in done:
        write.ticket.priority_reason = by[:300]
    if done:
        record_sets(write, done, [by])
    _assign(write, step["then"], by)


def _assign(write: RecordWrite, actions: Sequence[Mapping[str, Any]], by: str) -> None:
    """Give it to the team and person that a step names; who is gone takes nothing."""
    named = {action["do"]: action for action in actions if action["do"] in _ASSIGNS}
    team, person = named.get("assign team"), named.get("assign person")
    reassign(
        write,
        Team.objects.filter(name=team["team"]).first() if team else None,
        Person.objects.filter(email=person["person"], is_active=True).first() if person else None,
        by,
    )


def _why(write: RecordWrite, ladder: Ladder) -> str:
    """Why people hear of it, so that they need not open it: “Response due in 5 min: P2, …”."""
    ticket, now_s = write.ticket, write.acting.now_s
    about = f"P{ticket.priority}, {ticket.team.name}"
    clock = next(
        (one for one in write.clocks if (one.kind, one.holder) == (ladder.kind, ladder.holder)),
        None,
    )
    if clock is None or clock.due_s is None:
        return f"Nobody has worked on it: {about}" if ladder.kind == UNTOUCHED else about
    label = f"{ladder.label[:1].upper()}{ladder.label[1:]}"
    left = clock.due_s - now_s
    length = span_words(max(60, abs(left) // 60 * 60))
    how = f"due in {length}" if left >= 0 else f"overdue by {length}"
    return f"{label} {how}: {about}"


def _pass_over(write: RecordWrite, ladder: Ladder, step: Mapping[str, Any], why: str) -> None:
    write.record(
        TicketEvent.STEP_PASSED,
        is_automatic=True,
        by_desk=False,
        facts=_facts(ladder, step),
        values={"name": step.get("name") or describe_moment(step), "why": why},
    )


def _facts(ladder: Ladder, step: Mapping[str, Any]) -> dict[str, str]:
    return {
        "clock": ladder.kind,
        "holder": ladder.holder,
        "step": step["key"],
        "target": ladder.target,
    }


def _steps(standing: timers.Standing) -> dict[str, int]:
    # A moment that has passed already is due now, not then.
    return {
        ladder.subject: max(ladder.next.at, standing.ticket.changed_s)
        for ladder in standing.ladders
        if ladder.next is not None
    }


timers.register(
    timers.TimerKind(
        key="step",
        fire=lambda timer, acting: escalate_step(timer.ticket_id or 0, acting, timer.subject),
        wanted=_steps,
        is_for_open=True,
    )
)
