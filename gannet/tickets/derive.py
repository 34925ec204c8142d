"""What follows from a ticket's history: state, move, markers, clocks, next target.

The one place that writes these columns; actions call it after each act, the demo's
history once for each ticket.
"""

from collections.abc import Sequence

from gannet.rulebook.book import Book, edition
from gannet.tickets import promises
from gannet.tickets.kinds import kind_of
from gannet.tickets.models import Clock, MoveCode, Ticket
from gannet.tickets.states import state_code
from gannet_core import lifecycle
from gannet_core.conditions import fold
from gannet_core.lifecycle import Act


def _statuses(book: Book, stage: str) -> set[str]:
    """The organisation's own states within a stage."""
    return {entry["key"] for entry in book.states if entry["stage"] == stage}


def derive(
    ticket: Ticket,
    clocks: Sequence[Clock],
    history: Sequence[lifecycle.Happening],
    book: Book,
    now_s: int,
) -> None:
    """Set every derived column of a ticket and its clocks, as of `now_s`."""
    life = kind_of(ticket).lifecycle
    stage = lifecycle.stage_of(history, life)
    ticket.state = state_code(stage.name)
    ticket.is_open = stage.is_open
    waiting = lifecycle.Waiting(ticket.waiting_on) if ticket.waiting_on else None
    ticket.move = MoveCode[lifecycle.move_of(stage, waiting).name]
    seen = lifecycle.markers(history, life)
    ticket.is_unread = int(seen.is_unread)
    ticket.needs_reply = int(seen.needs_reply)
    ticket.is_answered = int(seen.is_answered)
    ticket.handed_to_id = None if seen.handed_to is None else int(seen.handed_to)
    ticket.title_folded = fold(ticket.title)
    _tell_talk(ticket, history)
    if ticket.status and ticket.status not in _statuses(book, stage.name):
        ticket.status = ""
    for clock in clocks:
        clock.team_id, clock.is_confidential = ticket.team_id, ticket.is_confidential
        promises.recompute(clock, edition(clock.edition), history, now_s)
    promises.set_next_target(ticket, clocks, book)
    answer = next((clock for clock in clocks if clock.kind == "answer"), None)
    ticket.answered_s = answer.ended_s if answer else None


_SAID_BY_REQUESTER = frozenset({Act.LOGGED, Act.REQUESTER_WROTE})
_CHANGES_HANDS = frozenset({Act.LOGGED, Act.HANDED_OVER, Act.TAKEN})


def _tell_talk(ticket: Ticket, history: Sequence[lifecycle.Happening]) -> None:
    """How much was said, by whom last, and since when the ticket is where it is."""
    ticket.messages, ticket.wrote_s, ticket.replied_s, ticket.held_s = 0, None, None, None
    for happening in history:
        if happening.act in _SAID_BY_REQUESTER:
            ticket.messages += 1
            ticket.wrote_s = happening.at
        elif happening.act == Act.REPLIED and not happening.is_automatic:
            ticket.messages += 1
            ticket.replied_s = happening.at
        if happening.act in _CHANGES_HANDS:
            ticket.held_s = happening.at
