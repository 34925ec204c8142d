"""Clocks: pure functions of an event list, a target and a calendar.

Nothing is accumulated. A ledger is computed from the whole history each time, so a
new target or calendar (a retarget) is simply a second reading of the same events,
and nothing can drift, be reset, or be lost.
"""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime
from enum import StrEnum
from fractions import Fraction
from itertools import pairwise
from typing import NamedTuple

from gannet_core.errors import CalendarExhausted
from gannet_core.instants import seconds_of
from gannet_core.servicetime import ServiceCalendar

SECONDS_PER_MINUTE = 60


class EventKind(StrEnum):
    START = "start"
    PAUSE = "pause"
    RESUME = "resume"
    STOP = "stop"
    RESTART = "restart"
    CANCEL = "cancel"


class RowKind(StrEnum):
    COUNTED = "counted"
    CLOSED = "closed"
    PAUSED = "paused"
    STOPPED = "stopped"


class ClockState(StrEnum):
    NOT_STARTED = "not started"
    RUNNING = "running"
    PAUSED = "paused"
    MET = "met"
    LATE = "late"
    MISSED = "missed"
    CANCELLED = "cancelled"


class ClockEvent(NamedTuple):
    """One thing that happens to a clock, at epoch seconds."""

    at: int
    kind: EventKind


class Row(NamedTuple):
    """A span of a clock's life, epoch seconds; `seconds` is its plain length."""

    start: int
    end: int
    kind: RowKind

    @property
    def seconds(self) -> int:
        return self.end - self.start


class _Phase(StrEnum):
    """What a clock does between two events."""

    IDLE = "idle"
    RUNNING = "running"
    PAUSED = "paused"
    STOPPED = "stopped"
    CANCELLED = "cancelled"


# Every legal step of a clock; an event that is not here for a phase is ignored.
_STEPS: dict[tuple[_Phase, EventKind], _Phase] = {
    (_Phase.IDLE, EventKind.START): _Phase.RUNNING,
    (_Phase.RUNNING, EventKind.PAUSE): _Phase.PAUSED,
    (_Phase.PAUSED, EventKind.RESUME): _Phase.RUNNING,
    (_Phase.RUNNING, EventKind.STOP): _Phase.STOPPED,
    (_Phase.PAUSED, EventKind.STOP): _Phase.STOPPED,
    (_Phase.STOPPED, EventKind.RESTART): _Phase.RUNNING,
    (_Phase.RUNNING, EventKind.CANCEL): _Phase.CANCELLED,
    (_Phase.PAUSED, EventKind.CANCEL): _Phase.CANCELLED,
    (_Phase.STOPPED, EventKind.CANCEL): _Phase.CANCELLED,
}


class _Stretch(NamedTuple):
    start: int
    end: int
    phase: _Phase


@dataclass(frozen=True, slots=True)
class Ledger:
    """What a clock has done up to `now`, and what follows if nothing else happens.

    Seconds are service time. `due` and `missed_at` are epoch seconds. The counted
    rows add up to `consumed`; the rows tile the span from start to end without gaps.
    """

    state: ClockState
    target: int
    consumed: int
    due: int | None
    missed_at: int | None
    rows: tuple[Row, ...]

    @property
    def remaining(self) -> int:
        return self.target - self.consumed


def ledger(
    events: Iterable[tuple[datetime, str]],
    target_seconds: int,
    calendar: ServiceCalendar,
    now: datetime,
) -> Ledger:
    """The ledger of a clock; a kind of event that does not exist is `ValueError`."""
    read = [ClockEvent(seconds_of(at), EventKind(kind)) for at, kind in events]
    return ledger_s(read, target_seconds, calendar, seconds_of(now))


def ledger_s(
    events: Sequence[ClockEvent], target: int, calendar: ServiceCalendar, now: int
) -> Ledger:
    """`ledger` on epoch seconds."""
    stretches, phase = _stretches(events, now)
    rows = _rows(stretches, calendar)
    consumed = sum(row.seconds for row in rows if row.kind is RowKind.COUNTED)
    missed_at = _reached_at(stretches, target, calendar) if consumed > target else None
    state = _state(phase, consumed, target)
    due = None
    if state is ClockState.LATE:
        due = missed_at
    elif state is ClockState.RUNNING:
        due = _due(stretches, consumed, target, calendar, now)
    return Ledger(state, target, consumed, due, missed_at, rows)


def reaches_s(
    events: Sequence[ClockEvent], amount: int, calendar: ServiceCalendar, now: int
) -> int | None:
    """When consumed time reaches `amount`: past, or ahead if the clock runs on.

    None when it has not and will not: paused, stopped, or never enough open time.
    This is what the moments of escalation steps are read from.
    """
    stretches, phase = _stretches(events, now)
    rows = _rows(stretches, calendar)
    consumed = sum(row.seconds for row in rows if row.kind is RowKind.COUNTED)
    if consumed < amount and phase is not _Phase.RUNNING:
        return None
    return _due(stretches, consumed, max(amount, 0), calendar, now) if stretches else None


def target_share(target_seconds: int, share: str) -> int:
    """The target of a care tier: target x share, half up to the whole minute, at least one.

    `share` is decimal text ("0.70") and is taken exactly. A share of nothing or less,
    or a negative target, is `ValueError`.
    """
    exact_share = Fraction(share)
    if exact_share <= 0 or target_seconds < 0:
        raise ValueError(f"a share of {share} of {target_seconds} s is no target")
    minutes = Fraction(target_seconds) * exact_share / SECONDS_PER_MINUTE
    whole = (minutes + Fraction(1, 2)).__floor__()
    return max(whole, 1) * SECONDS_PER_MINUTE


def _stretches(events: Sequence[ClockEvent], now: int) -> tuple[list[_Stretch], _Phase]:
    phase = _Phase.IDLE
    since = 0
    stretches: list[_Stretch] = []
    for event in sorted(events, key=lambda event: event.at):
        if event.at > now:
            break
        following = _STEPS.get((phase, event.kind))
        if following is None:
            continue
        stopped_for_good = phase is _Phase.STOPPED and following is _Phase.CANCELLED
        if phase is not _Phase.IDLE and not stopped_for_good:
            stretches.append(_Stretch(since, event.at, phase))
        phase, since = following, event.at
    if phase in (_Phase.RUNNING, _Phase.PAUSED):
        stretches.append(_Stretch(since, now, phase))
    return stretches, phase


def _rows(stretches: Iterable[_Stretch], calendar: ServiceCalendar) -> tuple[Row, ...]:
    rows: list[Row] = []
    for stretch in stretches:
        for row in _rows_of(stretch, calendar):
            if row.start == row.end:
                continue
            if rows and rows[-1].kind is row.kind:
                rows[-1] = Row(rows[-1].start, row.end, row.kind)
            else:
                rows.append(row)
    return tuple(rows)


def _rows_of(stretch: _Stretch, calendar: ServiceCalendar) -> Iterable[Row]:
    start, end, phase = stretch
    if phase is _Phase.PAUSED:
        yield Row(start, end, RowKind.PAUSED)
    elif phase is _Phase.STOPPED:
        yield Row(start, end, RowKind.STOPPED)
    else:
        edges = [start]
        for opening, closing in calendar.open_spans_s(start, end):
            edges += [opening, closing]
        edges.append(end)
        for index, (left, right) in enumerate(pairwise(edges)):
            yield Row(left, right, RowKind.CLOSED if index % 2 == 0 else RowKind.COUNTED)


def _reached_at(
    stretches: Iterable[_Stretch], target: int, calendar: ServiceCalendar
) -> int | None:
    """The first instant at which consumed time reached the target, if it did."""
    left = target
    for start, end, phase in stretches:
        if phase is not _Phase.RUNNING:
            continue
        counted = calendar.elapsed_s(start, end)
        if counted >= left:
            return calendar.due_s(start, left)
        left -= counted
    return None


def _due(
    stretches: Sequence[_Stretch],
    consumed: int,
    target: int,
    calendar: ServiceCalendar,
    now: int,
) -> int | None:
    if consumed >= target:
        return _reached_at(stretches, target, calendar)
    try:
        return calendar.due_s(now, target - consumed)
    except CalendarExhausted:
        return None


def _state(phase: _Phase, consumed: int, target: int) -> ClockState:
    over = consumed > target
    match phase:
        case _Phase.IDLE:
            return ClockState.NOT_STARTED
        case _Phase.RUNNING:
            return ClockState.LATE if over else ClockState.RUNNING
        case _Phase.PAUSED:
            return ClockState.PAUSED
        case _Phase.STOPPED:
            return ClockState.MISSED if over else ClockState.MET
        case _Phase.CANCELLED:
            return ClockState.CANCELLED
