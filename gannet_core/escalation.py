"""Escalation steps: when each of an agreement's steps falls due, and which ones fire.

A step is data: `key`, `name`, `clock` (a kind of clock, or `untouched`), one moment –
`{"before_due": s}`, `{"at_percent": p}`, `{"after_due": s}` (0 is at due), and for
`untouched` `{"untouched": s}` –, an optional `if`, and `then` (actions as in rules).
Every moment is an amount of service time on the clock, so its instant is read off the
ledger and never polled for. A paused clock has none.
"""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import Any

from gannet_core.clocks import ClockState, Ledger, RowKind
from gannet_core.conditions import check
from gannet_core.errors import CalendarExhausted, RuleError
from gannet_core.rules import check_action
from gannet_core.servicetime import ServiceCalendar

UNTOUCHED = "untouched"
MOMENTS = ("before_due", "at_percent", "after_due", UNTOUCHED)
_GOING_ON = (ClockState.RUNNING, ClockState.LATE)


@dataclass(frozen=True, slots=True)
class Moment:
    """A step with the instant (epoch seconds) at which it fires or would have fired."""

    step: Mapping[str, Any]
    at: int


@dataclass(frozen=True, slots=True)
class Firing:
    """What is to be done now: one step that fires, and those passed over."""

    fires: Mapping[str, Any] | None
    passed_over: tuple[Mapping[str, Any], ...]


def amount_of(step: Mapping[str, Any], target_seconds: int) -> int | None:
    """Seconds of service time on the clock at which a step fires.

    None for a step that lies before the start (more before the due than the target is
    long) and so can never fire.
    """
    moment = step["moment"]
    if "before_due" in moment:
        amount = target_seconds - int(moment["before_due"])
        return amount if amount >= 0 else None
    if "at_percent" in moment:
        part = Fraction(target_seconds) * Fraction(str(moment["at_percent"])) / 100
        return (part + Fraction(1, 2)).__floor__()
    if "after_due" in moment:
        return target_seconds + int(moment["after_due"])
    return int(moment[UNTOUCHED])


def moments(
    steps: Iterable[Mapping[str, Any]],
    kind: str,
    ledger: Ledger,
    calendar: ServiceCalendar,
    now: int,
) -> list[Moment]:
    """The moments of a clock's steps, soonest first; none unless it runs.

    `now` is the instant the ledger was made for.
    """
    if ledger.state not in _GOING_ON:
        return []
    found = []
    for index, step in enumerate(steps):
        if step["clock"] != kind:
            continue
        amount = amount_of(step, ledger.target)
        if amount is None:
            continue
        at = _instant(amount, ledger, calendar, now)
        if at is not None:
            found.append((at, index, Moment(step, at)))
    return [moment for _, _, moment in sorted(found, key=lambda item: item[:2])]


def untouched_moments(
    steps: Iterable[Mapping[str, Any]], since: int, calendar: ServiceCalendar
) -> list[Moment]:
    """The moments of `untouched` steps, counted from the last act that was not automatic."""
    found = []
    for index, step in enumerate(steps):
        if step["clock"] != UNTOUCHED:
            continue
        try:
            at = calendar.due_s(since, int(step["moment"][UNTOUCHED]))
        except CalendarExhausted:
            continue
        found.append((at, index, Moment(step, at)))
    return [moment for _, _, moment in sorted(found, key=lambda item: item[:2])]


def next_moment(ordered: Sequence[Moment], done: Iterable[str]) -> Moment | None:
    """The soonest step not done yet, passed or not; this is what a timer is armed for."""
    known = set(done)
    return next((moment for moment in ordered if moment.step["key"] not in known), None)


def firing(ordered: Sequence[Moment], done: Iterable[str], now: int) -> Firing:
    """What fires at `now`: of the steps past and not done the latest; the rest are passed over."""
    known = set(done)
    past = [m.step for m in ordered if m.at <= now and m.step["key"] not in known]
    if not past:
        return Firing(None, ())
    return Firing(past[-1], tuple(past[:-1]))


def check_step(
    step: Mapping[str, Any],
    place: str,
    fields: Mapping[str, Mapping[str, Any]] | None = None,
) -> None:
    """Refuse a malformed step with `RuleError` or `ConditionError`, naming the place."""
    moment = step.get("moment")
    if not isinstance(moment, Mapping) or len(moment) != 1 or next(iter(moment)) not in MOMENTS:
        raise RuleError(f"{place}: choose when it fires")
    is_untouched = step.get("clock") == UNTOUCHED
    if is_untouched != (UNTOUCHED in moment):
        raise RuleError(f"{place}: “not worked on for” goes with no clock")
    amount = next(iter(moment.values()))
    if isinstance(amount, bool) or not isinstance(amount, (int, float)) or amount < 0:
        raise RuleError(f"{place}: when it fires must be a span or a percentage, not “{amount}”")
    if step.get("if") is not None:
        check(step["if"], fields)
    if not step.get("then"):
        raise RuleError(f"{place}: choose at least one thing to do")
    for index, action in enumerate(step["then"]):
        check_action(action, f"{place}, action {index + 1}", fields)


def describe_moment(step: Mapping[str, Any]) -> str:
    """When a step fires, in words without its clock: "30 min before", "half gone"."""
    moment = step["moment"]
    if "at_percent" in moment:
        percent = moment["at_percent"]
        return "half gone" if percent == 50 else f"{percent} % gone"
    if "before_due" in moment:
        return f"{span_words(moment['before_due'])} before"
    if "after_due" in moment:
        return f"{span_words(moment['after_due'])} after" if moment["after_due"] else "at due"
    return f"not worked on for {span_words(moment[UNTOUCHED])}"


def describe_step(step: Mapping[str, Any], label: str) -> str:
    """When a step fires, with what its clock is called; a span not worked on has no clock."""
    said = describe_moment(step)
    return said if step.get("clock") == UNTOUCHED else f"{label} {said}"


def span_words(seconds: int) -> str:
    """A length of service time as people write it: 90 min, 2 h, 1 h 30."""
    minutes, rest = divmod(int(seconds), 60)
    if rest:
        return f"{seconds} s"
    hours, left = divmod(minutes, 60)
    if not hours or (hours < 2 and left):
        return f"{minutes} min"
    return f"{hours} h {left:02d}" if left else f"{hours} h"


def _instant(amount: int, ledger: Ledger, calendar: ServiceCalendar, now: int) -> int | None:
    if amount > ledger.consumed:
        try:
            return calendar.due_s(now, amount - ledger.consumed)
        except CalendarExhausted:
            return None
    left = amount
    for row in ledger.rows:
        if row.kind is not RowKind.COUNTED:
            continue
        if row.seconds >= left:
            return row.start + left
        left -= row.seconds
    return now if amount else ledger.rows[0].start if ledger.rows else now
