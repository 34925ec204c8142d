"""The steps of a ticket as its requester sees them: done, now, to come."""

from collections.abc import Sequence
from typing import Any

from gannet.tickets.kinds import kind_of
from gannet.tickets.models import StateCode, Ticket


def requester_path(ticket: Ticket) -> list[dict[str, Any]]:
    """The steps that a requester sees: done, now, to come."""
    own = kind_of(ticket).path
    if own is not None:
        return own(ticket)
    is_waiting = ticket.state == StateCode.WAITING and ticket.waiting_on == "requester"
    with_whom = "Waiting for you" if is_waiting else f"With {ticket.team.name}"
    steps = [("Reported", ticket.opened_s), ("Answered", ticket.answered_s)]
    if ticket.state == StateCode.CANCELLED:
        return as_path([*steps, ("Cancelled", ticket.closed_s)], None)
    done = ticket.resolved_s if not ticket.is_open else None
    return as_path([*steps, (with_whom, done)], ("Solved", done))


def as_path(
    steps: Sequence[tuple[str, int | None]], last: tuple[str, int | None] | None
) -> list[dict[str, Any]]:
    listed = [*steps, last] if last else list(steps)
    is_done = bool(listed[-1][1])
    current = len(listed) - 1 if is_done else len(listed) - (2 if last else 1)
    return [
        {
            "label": label,
            "at_s": at_s,
            # What never happened is not ticked, however it ended.
            "is_done": at_s is not None and (is_done or index < current),
            "is_now": not is_done and index == current,
        }
        for index, (label, at_s) in enumerate(listed)
    ]
