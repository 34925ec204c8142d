"""Escalation steps: what an agreement does before, at and after its targets."""

from collections.abc import Mapping
from typing import Any

from gannet.people.acting import Acting
from gannet.tickets.actions import timers
from gannet.tickets.actions.effects import carry_out, record_sets
from gannet.tickets.actions.frame import Work, working
from gannet.tickets.actions.ladders import Ladder
from gannet.tickets.events import TicketEvent
from gannet.tickets.fields import record_of
from gannet.tickets.models import Ticket
from gannet.tickets.setting import follow_matrix, set_field
from gannet_core.conditions import Context, evaluate
from gannet_core.escalation import describe_moment, firing
from gannet_core.rules import describe_action


def escalate_step(ticket_id: int, acting: Acting, subject: str) -> Ticket:
    """Fire what is due of one clock's steps: the latest; earlier ones are passed over.

    The moment is read off the ledger again, so a timer that came too early, or for a
    clock that has been paused or moved since, does nothing.
    """
    with working(ticket_id, acting) as work:
        ladder = next((one for one in work.steps_now() if one.subject == subject), None)
        if ladder is None:
            return work.ticket
        now = firing(ladder.moments, ladder.done, acting.now_s)
        for step in now.passed_over:
            _pass_over(work, ladder, step, "a later step was due already")
        if now.fires is not None:
            _fire(work, ladder, now.fires)
    return work.ticket


def _fire(work: Work, ladder: Ladder, step: Mapping[str, Any]) -> None:
    condition = step.get("if")
    record = record_of(work.ticket, work.policy)
    if condition and not evaluate(condition, record, context=Context(now=work.acting.now)).result:
        _pass_over(work, ladder, step, "its condition does not hold")
        return
    name = step.get("name") or describe_moment(step)
    work.record(
        TicketEvent.ESCALATED,
        is_automatic=True,
        by_desk=False,
        facts=_facts(ladder, step),
        values={
            "name": name,
            "when": f"{ladder.label} {describe_moment(step)}",
            "did": [describe_action(action) for action in step["then"]],
        },
    )
    by = f"the escalation step “{name}”"
    done = [action["field"] for action in step["then"] if action["do"] == "set"]
    for action in step["then"]:
        if action["do"] == "set":
            set_field(work.ticket, action["field"], action["value"], work.policy)
        elif action["do"] not in ("assign team", "assign person"):
            carry_out(work, action["do"], action, by)
    if {"impact", "urgency"} & set(done) and "priority" not in done:
        if follow_matrix(work.ticket, work.policy):
            done.append("priority")
    elif "priority" in done:
        work.ticket.priority_reason = by[:300]
    if done:
        record_sets(work, done, [by])


def _pass_over(work: Work, ladder: Ladder, step: Mapping[str, Any], why: str) -> None:
    work.record(
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
