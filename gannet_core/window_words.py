"""A window in words: when it is open, as a person would say it.

“every Thursday and Sunday, 01:30 to 04:30” – the zone is told beside it by whoever shows it.
"""

from collections.abc import Sequence
from datetime import date, datetime

from gannet_core.recurrence import Recurrence
from gannet_core.windows import Window

_DAYS = ("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")
_MONTHS = (
    "January February March April May June July August September October November December"
).split()
_UNITS = {"DAILY": "day", "WEEKLY": "week", "MONTHLY": "month", "YEARLY": "year"}
_NTH = {1: "first", 2: "second", 3: "third", 4: "fourth", 5: "fifth", -1: "last"}


def in_words(window: Window) -> str:
    """When a window is open, as one phrase that can stand after a colon."""
    if window.rule is None:
        return f"once, {_date(window.starts.date())} {_span(window)}"
    rule = window.rule
    found = f"{_often(rule, window.starts.date())}, {_span(window)}"
    if rule.count is not None:
        found += f", {rule.count} {'time' if rule.count == 1 else 'times'}"
    if rule.until is not None:
        last = rule.until.date() if isinstance(rule.until, datetime) else rule.until
        found += f", until {_date(last)}"
    if window.but_on:
        found += f", but not on {joined([_date(day) for day in sorted(window.but_on)])}"
    return found


def joined(words: Sequence[str]) -> str:
    """Words with commas and an “and” before the last."""
    if len(words) < 2:
        return "".join(words)
    return f"{', '.join(words[:-1])} and {words[-1]}"


def _often(rule: Recurrence, first: date) -> str:
    """How often, and on which days."""
    unit, every = _UNITS[rule.frequency], rule.interval
    months = joined([_MONTHS[month - 1] for month in sorted(set(rule.months))])
    days = _days(rule, first)
    if rule.frequency == "DAILY":
        found = "every day" if every == 1 else f"every {every} days"
        if rule.days or rule.month_days:
            found += f" that is {days}"
        return f"{found} in {months}" if months else found
    if rule.frequency == "WEEKLY":
        found = f"every {days}" if every == 1 else f"every {every} weeks on {days}"
        return f"{found} in {months}" if months else found
    if months:
        of = f"{months} of each year" if every == 1 else f"{months} every {every} years"
        if rule.frequency == "MONTHLY":
            of = months if every == 1 else f"{months}, every {every} months"
        return f"on {days} in {of}" if rule.days else f"on {days} of {of}"
    if rule.frequency == "YEARLY" and not rule.days and not rule.month_days:
        found = f"on {first.day} {_MONTHS[first.month - 1]}"
        return f"{found} of each year" if every == 1 else f"{found} every {every} years"
    if rule.frequency == "YEARLY" and rule.month_days:
        unit = "month"
    return f"on {days} of {'each ' + unit if every == 1 else f'every {every} {unit}s'}"


def _days(rule: Recurrence, first: date) -> str:
    """The days of a rule; where it names none, that of its first day."""
    if not rule.days and not rule.month_days:
        return _DAYS[first.weekday()] if rule.frequency == "WEEKLY" else f"the {_th(first.day)}"
    plain = [_DAYS[day] for number, day in sorted(set(rule.days), key=_by_day) if number == 0]
    numbered = [f"the {_nth(number)} {_DAYS[day]}" for number, day in rule.days if number != 0]
    month_days = [
        "the last day"
        if day == -1
        else f"the {_th(day)}"
        if day > 0
        else f"the {_th(-day)} last day"
        for day in rule.month_days
    ]
    weekdays = joined([*plain, *numbered])
    if rule.frequency in ("MONTHLY", "YEARLY") and plain and not month_days:
        weekdays = joined([f"every {day}" for day in plain] + numbered)
    if not month_days:
        return weekdays
    return joined(month_days) + (f" if it is a {joined(plain)}" if plain else "")


def _by_day(pair: tuple[int, int]) -> tuple[int, int]:
    return pair[1], pair[0]


def _nth(number: int) -> str:
    if number in _NTH:
        return _NTH[number]
    return f"{_th(-number)} last" if number < 0 else _th(number)


def _th(number: int) -> str:
    ending = (
        "th" if 10 <= number % 100 <= 20 else {1: "st", 2: "nd", 3: "rd"}.get(number % 10, "th")
    )
    return f"{number}{ending}"


def _span(window: Window) -> str:
    """From when to when, with the day on which it ends if that is another."""
    starts, ends = window.starts, window.ends
    days = (ends.date() - starts.date()).days
    found = f"{starts:%H:%M} to {ends:%H:%M}"
    if days == 0:
        return found
    if days == 1:
        return f"{found} the next day" if ends.time() >= starts.time() else found
    if window.rule is None:
        return f"{starts:%H:%M} to {_date(ends.date())} {ends:%H:%M}"
    return f"{starts:%H:%M} to {ends:%H:%M} {days} days later"


def _date(day: date) -> str:
    return f"{day.day} {_MONTHS[day.month - 1]} {day.year}"
