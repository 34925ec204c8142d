"""The steps of a ticket as its requester sees them: done, now, to come."""

from collections.abc import Sequence
from typing import Any

from gannet.tickets.models import StageState, StateCode, Ticket


def requester_path(ticket: Ticket) -> list[dict[str, Any]]:
    """The steps that a requester sees: done, now, to come."""
    if ticket.kind == "request":
        return _request_path(ticket)
    is_waiting = ticket.state == StateCode.WAITING and ticket.waiting_on == "requester"
    with_whom = "Waiting for you" if is_waiting else f"With {ticket.team.name}"
    steps = [("Reported", ticket.opened_s), ("Answered", ticket.answered_s)]
    if ticket.state == StateCode.CANCELLED:
        return _as_path([*steps, ("Cancelled", ticket.closed_s)], None)
    done = ticket.resolved_s if not ticket.is_open else None
    return _as_path([*steps, (with_whom, done)], ("Solved", done))


def _request_path(ticket: Ticket) -> list[dict[str, Any]]:
    asked: list[tuple[str, int | None]] = [("Asked", ticket.opened_s)]
    stages = list(ticket.stages.exclude(state__in=(StageState.SKIPPED, StageState.DROPPED)))
    for stage in stages:
        done = stage.ended_s if stage.state == StageState.APPROVED else None
        label = f"{stage.name} refused" if stage.state == StageState.REFUSED else stage.name
        asked.append((label, done or (stage.ended_s if not ticket.is_open else None)))
    if ticket.state == StateCode.CANCELLED:
        ending = "Not approved" if ticket.approval == "refused" else "Cancelled"
        return _as_path([*asked, (ending, ticket.closed_s)], None)
    is_waiting = ticket.state == StateCode.WAITING and ticket.waiting_on == "requester"
    if is_waiting:
        asked = [step for step in asked if step[1]] + [("Waiting for you", None)]
        return _as_path(asked, ("There", None))
    done = ticket.resolved_s if not ticket.is_open else None
    if ticket.approval == "pending":
        first = next((n for n, step in enumerate(asked) if step[1] is None), len(asked) - 1)
        path = _as_path([*asked, (f"With {ticket.team.name}", None)], ("There", None))
        for index, step in enumerate(path):
            step["is_now"], step["is_done"] = index == first, index < first
        return path
    return _as_path([*asked, (f"With {ticket.team.name}", done)], ("There", done))


def _as_path(
    steps: Sequence[tuple[str, int | None]], last: tuple[str, int | None] | None
) -> list[dict[str, Any]]:
    listed = [*steps, last] if last else list(steps)
    is_done = bool(listed[-1][1])
    current = len(listed) - 1 if is_done else len(listed) - (2 if last else 1)
    return [
        {
            "label": label,
            "at_s": at_s,
            "is_done": is_done or (index < current and at_s is not None),
            "is_now": not is_done and index == current,
        }
        for index, (label, at_s) in enumerate(listed)
    ]
