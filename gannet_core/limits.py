"""What a field takes beyond its type: bounds of numbers and days, lengths, a shape of text.

A field may say `minimum` and `maximum` (number, money), `least_length` and `most_length`
(text, in characters), `pattern` (text) and `first_day` and `last_day` (date). A pattern is
read letter by letter: `#` stands for a digit, `@` for a letter, `?` for either, everything
else for itself, whatever its case. A day is a date ("2026-12-24") or counted from today
("today", "today+14", "today-1").
"""

import re
from collections.abc import Mapping
from datetime import date, timedelta
from typing import Any

from gannet_core.errors import FormError

_DAY = re.compile(r"^today(?:([+-])(\d{1,4}))?$")
_ALONE = {"#": str.isdigit, "@": str.isalpha, "?": str.isalnum}

# Of which types each limit is, and the only list of them.
LIMITS: Mapping[str, frozenset[str]] = {
    "minimum": frozenset({"number", "money"}),
    "maximum": frozenset({"number", "money"}),
    "least_length": frozenset({"text", "long text"}),
    "most_length": frozenset({"text", "long text"}),
    "pattern": frozenset({"text"}),
    "first_day": frozenset({"date"}),
    "last_day": frozenset({"date"}),
}


def day_of(said: str, today: date) -> date:
    """The date that a limit names; `FormError` when it names none."""
    found = _DAY.match(said.strip())
    if found:
        days = int(found[2] or 0)
        try:
            return today + timedelta(days=-days if found[1] == "-" else days)
        except OverflowError as error:
            raise FormError(f"{said!r} is no day") from error
    try:
        return date.fromisoformat(said)
    except ValueError as error:
        raise FormError(f"{said!r} is no day: a date, or today+14") from error


def fits_pattern(text: str, pattern: str) -> bool:
    """Whether a text has the shape of a pattern, letter by letter."""
    return len(text) == len(pattern) and all(
        _ALONE[wanted](letter) if wanted in _ALONE else letter.casefold() == wanted.casefold()
        for letter, wanted in zip(text, pattern, strict=True)
    )


def outside(value: Any, about: Mapping[str, Any], today: date | None = None) -> str | None:
    """Why a value of the right type lies outside a field's limits, as a sentence, or None.

    Days counted from today hold only where `today` is given.
    """
    kind = str(about.get("type", "text"))
    said = {
        name: about[name]
        for name, types in LIMITS.items()
        if kind in types and about.get(name) not in (None, "")
    }
    if kind in ("number", "money"):
        return _outside_number(value, kind, said)
    if kind == "date":
        return _outside_days(date.fromisoformat(value), said, today)
    return _outside_text(str(value).strip(), said)


def _outside_number(value: float, kind: str, said: Mapping[str, Any]) -> str | None:
    least, most = said.get("minimum", 0 if kind == "money" else None), said.get("maximum")
    if least is not None and value < least:
        return f"At least {_number(least)}."
    if most is not None and value > most:
        return f"At most {_number(most)}."
    return None


def _outside_text(text: str, said: Mapping[str, Any]) -> str | None:
    if len(text) < said.get("least_length", 0):
        return f"At least {said['least_length']} characters."
    if len(text) > said.get("most_length", len(text)):
        return f"At most {said['most_length']} characters; there are {len(text)}."
    if "pattern" in said and not fits_pattern(text, said["pattern"]):
        return f"Write it {pattern_words(said['pattern'])}."
    return None


def _outside_days(day: date, said: Mapping[str, Any], today: date | None) -> str | None:
    def limit(name: str) -> date | None:
        words = said.get(name)
        if words is None or (today is None and "today" in words):
            return None
        return day_of(words, today or day)

    first, last = limit("first_day"), limit("last_day")
    if first is not None and day < first:
        return f"Not before {day_words(first)}."
    if last is not None and day > last:
        return f"Not after {day_words(last)}."
    return None


def limit_words(about: Mapping[str, Any], today: date) -> str:
    """What a field takes, in words for whoever fills it in; empty when it takes anything."""
    kind = str(about.get("type", "text"))
    found = []
    for name, types in LIMITS.items():
        value = about.get(name)
        if kind not in types or value in (None, ""):
            continue
        match name:
            case "minimum":
                found.append(f"at least {_number(value)}")
            case "maximum":
                found.append(f"at most {_number(value)}")
            case "least_length":
                found.append(f"at least {value} characters")
            case "most_length":
                found.append(f"at most {value} characters")
            case "pattern":
                found.append(pattern_words(value))
            case "first_day":
                found.append(f"from {day_words(day_of(value, today))}")
            case _:
                found.append(f"until {day_words(day_of(value, today))}")
    words = ", ".join(found)
    return f"{words[0].upper()}{words[1:]}." if words else ""


def pattern_words(pattern: str) -> str:
    """A pattern as an example: TILL-### reads “like TILL-123”."""
    digits, letters = iter("1234567890" * 10), iter("ABCDEFGHIJ" * 10)
    example = "".join(
        next(digits) if one == "#" else next(letters) if one in "@?" else one for one in pattern
    )
    return f"like {example}"


def day_words(day: date) -> str:
    return f"{day.day} {day:%B %Y}"


def check_limits(about: Mapping[str, Any]) -> None:
    """Refuse limits that nothing can keep, with `FormError`."""
    kind = str(about.get("type", "text"))
    for low, high in (("minimum", "maximum"), ("least_length", "most_length")):
        least, most = about.get(low), about.get(high)
        if kind in LIMITS[low] and least is not None and most is not None and least > most:
            raise FormError(f"nothing is at least {_number(least)} and at most {_number(most)}")
    if kind in LIMITS["first_day"]:
        today = date(2026, 1, 1)
        days = [day_of(about[n], today) for n in ("first_day", "last_day") if about.get(n)]
        are_alike = (
            len({"today" in about[n] for n in ("first_day", "last_day") if about.get(n)}) < 2
        )
        if len(days) == 2 and are_alike and days[0] > days[1]:
            raise FormError("its last day comes before its first")


def _number(value: float) -> str:
    return f"{value:,.2f}".rstrip("0").rstrip(".")
