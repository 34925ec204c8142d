"""Which timers a ticket needs, as a function of the ticket and its clocks."""

from collections.abc import Iterable

from gannet.rulebook.book import Book
from gannet.tickets import promises
from gannet.tickets.models import Clock, ClockStateCode, StateCode, Ticket, TimerKind

Wanted = dict[tuple[str, str], int]


def wanted_timers(ticket: Ticket, clocks: Iterable[Clock], book: Book) -> Wanted:
    """(kind, subject) -> epoch seconds; what is armed and not here is dropped."""
    wanted: Wanted = {}
    for clock in clocks:
        if clock.state == ClockStateCode.RUNNING:
            late_from = promises.late_from(clock, book)
            if late_from is not None:
                # A clock is late only once it has gone past its target.
                wanted[TimerKind.LATE, f"{clock.kind}/{clock.holder}"] = late_from + 1
    if ticket.state == StateCode.WAITING and ticket.waiting_until_s is not None:
        wanted[TimerKind.RETURN, ""] = ticket.waiting_until_s
    if ticket.state == StateCode.RESOLVED and ticket.resolved_s is not None:
        wanted[TimerKind.CLOSE, ""] = closes_at(ticket.resolved_s, book)
    retry_at = getattr(ticket, "retry_routing_s", None)
    if retry_at is not None and ticket.is_open and ticket.holder_id is None:
        wanted[TimerKind.ROUTE, ""] = retry_at
    return wanted


def closes_at(resolved_s: int, book: Book) -> int:
    """When a resolved ticket closes by itself."""
    calendar = book.calendar(book.closing["calendar"])
    return calendar.due_s(resolved_s, book.closing["after_seconds"])
