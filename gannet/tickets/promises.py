"""Agreements and clocks of a ticket: chosen and recomputed by the core.

Pure over what it is given (a ticket, a book, happenings); it saves nothing itself, so
actions and the demo's history use the same code.
"""

from collections import ChainMap
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from typing import Any
from zoneinfo import ZoneInfo

from django.conf import settings

from gannet.rulebook.book import Book
from gannet.tickets.fields import LazyRecord, about_fields
from gannet.tickets.kinds import kind_of
from gannet.tickets.models import Clock, ClockStateCode, StateCode, Ticket
from gannet_core import agreements, clocks, lifecycle
from gannet_core.clocks import ClockState, EventKind
from gannet_core.instants import instant_of
from gannet_core.lifecycle import has_clock

# A ticket without any running or waiting clock sorts behind everything else.
_NO_CLOCK_RANK = 2**40
_LIVE = (ClockStateCode.RUNNING, ClockStateCode.LATE)


@dataclass(frozen=True)
class Promise:
    """The agreement chosen for a ticket or a holder, its targets, and why."""

    agreement: str
    targets: Mapping[str, agreements.Target]
    why: list[dict[str, Any]]


def local_date(seconds: int) -> date:
    return instant_of(seconds).astimezone(ZoneInfo(settings.ORGANISATION_ZONE)).date()


def promise(book: Book, ticket: Ticket, kind: str, at_s: int, **extra: Any) -> Promise | None:
    """Choose the agreement of a kind for a ticket; None when none applies.

    `extra` adds to the record that scopes see (for a team's agreement, the team).
    """
    record = ChainMap(dict(extra), LazyRecord(ticket, book))  # type: ignore[arg-type]
    choice = agreements.choose(book.agreements, kind, record, local_date(at_s), about_fields(book))
    if choice.agreement is None:
        return None
    shares = book.shares(ticket.requester.care_tiers) if kind == "customer" else {}
    found = agreements.targets(choice.agreement, ticket.priority, shares)
    return Promise(choice.agreement["key"], found, choice.explain())


def fit_clocks(
    book: Book,
    ticket: Ticket,
    promised: Promise | None,
    kind: str,
    existing: Iterable[Clock],
    holder: str = "",
) -> list[Clock]:
    """Clocks for a promise: new ones, and existing ones with the new target.

    Only the targets are set here; what the clocks say comes from `recompute`.
    """
    known = {clock.kind: clock for clock in existing if clock.holder == holder}
    if promised is None:
        return []
    fitted = []
    for name, target in promised.targets.items():
        if name not in book.clock_kinds or book.clock_kinds[name]["of"] != kind:
            continue
        if not has_clock(kind_of(ticket).lifecycle, name):
            continue
        clock = known.get(name) or Clock(ticket=ticket, kind=name, holder=holder)
        clock.agreement = promised.agreement
        clock.edition = book.number
        clock.calendar = target.calendar
        clock.target_seconds = target.seconds
        clock.normal_seconds = target.normal_seconds
        clock.care_tier = target.tier or ""
        clock.priority = ticket.priority
        fitted.append(clock)
    return fitted


def events_of(
    clock: Clock, book: Book, history: Sequence[lifecycle.Happening]
) -> list[clocks.ClockEvent]:
    """The events of one clock, read off the history."""
    agreement = book.agreement(clock.agreement)
    pauses = agreements.pauses(agreement, clock.kind) if agreement else ()
    return lifecycle.clock_events(
        book.clock_kinds[clock.kind], history, pauses, clock.holder or None
    )


def ledger_of(
    clock: Clock, book: Book, history: Sequence[lifecycle.Happening], now_s: int
) -> clocks.Ledger:
    """The ledger of a clock at an instant; the one computation everything shows."""
    events = events_of(clock, book, history)
    return clocks.ledger_s(events, clock.target_seconds, book.calendar(clock.calendar), now_s)


def recompute(
    clock: Clock, book: Book, history: Sequence[lifecycle.Happening], now_s: int
) -> clocks.Ledger:
    """Set what the table keeps of a clock from its events."""
    events = events_of(clock, book, history)
    ledger = clocks.ledger_s(events, clock.target_seconds, book.calendar(clock.calendar), now_s)
    clock.ledger = ledger  # type: ignore[attr-defined]  # for the timers of this act
    clock.state = ClockStateCode.of(ledger.state)
    clock.remaining_seconds = ledger.remaining
    clock.due_s = ledger.due
    clock.missed_s = ledger.missed_at
    starts = [event.at for event in events if event.kind is EventKind.START]
    clock.started_s = starts[0] if starts else None
    ended = ledger.state in (ClockState.MET, ClockState.MISSED)
    clock.ended_s = _ended(events, ledger) if ended else None
    return ledger


def _ended(events: Sequence[clocks.ClockEvent], ledger: clocks.Ledger) -> int:
    """When the clock came to stand: the stop after which it did not run again."""
    if ledger.rows:
        return ledger.rows[-1].end
    return next(event.at for event in events if event.kind is EventKind.STOP)


def late_from(clock: Clock, book: Book) -> int | None:
    """When a running clock is late: at its due, or at the next opening if it is due at closing."""
    if clock.due_s is None:
        return None
    calendar = book.calendar(clock.calendar)
    if calendar.is_open_s(clock.due_s):
        return clock.due_s
    return calendar.next_opening_s(clock.due_s)


def set_next_target(ticket: Ticket, all_clocks: Iterable[Clock], book: Book) -> None:
    """Set what lists sort by: the soonest live target, or what is left while waiting."""
    customer = [clock for clock in all_clocks if not clock.holder]
    live = [clock for clock in customer if clock.state in _LIVE and clock.due_s is not None]
    paused = [clock for clock in customer if clock.state == ClockStateCode.PAUSED]
    ticket.due_kind, ticket.due_s, ticket.late_from_s, ticket.left_seconds = "", None, None, None
    ticket.rank_s = ticket.opened_s + _NO_CLOCK_RANK
    if live:
        soonest = min(live, key=lambda clock: (clock.due_s or 0, clock.kind))
        ticket.due_kind, ticket.due_s = soonest.kind, soonest.due_s
        ticket.late_from_s = late_from(soonest, book)
        ticket.left_seconds = soonest.remaining_seconds
        ticket.calendar = soonest.calendar
        ticket.rank_s = soonest.due_s or 0
    elif paused:
        soonest = min(paused, key=lambda clock: (clock.remaining_seconds, clock.kind))
        ticket.due_kind = soonest.kind
        ticket.left_seconds = soonest.remaining_seconds
        ticket.calendar = soonest.calendar
        ticket.rank_s = (ticket.waiting_since_s or ticket.opened_s) + soonest.remaining_seconds
    if ticket.state == StateCode.WAITING and ticket.waiting_until_s is not None:
        ticket.rank_s = ticket.waiting_until_s
