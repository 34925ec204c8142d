"""What comes from outside is read here: numbers, JSON, and text at any depth.

Everything that the API is given passes through `read_json` or `checked`, so that no view
meets a number that the database cannot hold, half of a character, or a body nested until
the stack ends. Whoever must see every text that comes in – to take secrets out of it –
adds a guard.
"""

import json
import math
from collections.abc import Callable
from typing import Any, Final

from gannet.web.errors import Invalid, Unreadable

MAX_INTEGER: Final = 2**63 - 1  # what a column of the database holds
MOST_DEEP: Final = 60
_MOST_DIGITS: Final = len(str(MAX_INTEGER))

Guard = Callable[[str], str]
_guards: list[Guard] = []


def guard_texts(guard: Guard) -> Guard:
    """Let a function see, and change, every text that comes in from outside."""
    if guard not in _guards:
        _guards.append(guard)
    return guard


def guarded(text: str) -> str:
    """A text as it may be kept and shown."""
    for guard in _guards:
        text = guard(text)
    return text


def whole_number(text: str | None, most: int = MAX_INTEGER) -> int | None:
    """A number written in ASCII digits, not above `most`; None for anything else."""
    if not text or len(text) > _MOST_DIGITS or not (text.isascii() and text.isdigit()):
        return None
    number = int(text)
    return number if number <= most else None


def whole_numbers(text: str, most_of_them: int) -> list[int]:
    """The numbers of a list with commas; what is none is left out."""
    found = (whole_number(part) for part in text.split(",", most_of_them)[:most_of_them])
    return [number for number in found if number is not None]


def read_json(text: str | bytes, *, is_guarded: bool = True) -> Any:
    """JSON whose numbers, texts and depth can be worked with; a `Problem` says what cannot."""
    try:
        found = json.loads(
            text, parse_int=_integer, parse_float=_float, parse_constant=_no_constant
        )
    except RecursionError as error:
        raise Unreadable("This is nested too deep to be read.") from error
    except (ValueError, UnicodeError) as error:
        raise Unreadable(f"This is no JSON: {error}"[:300]) from error
    return checked(found, is_guarded=is_guarded)


def checked(data: Any, *, is_guarded: bool = True) -> Any:
    """Values as they came, with their texts checked and guarded, however deep they stand."""
    return _checked(data, 0, checked_text if is_guarded else sound_text)


def checked_text(text: str) -> str:
    """A text that can be stored, guarded."""
    return guarded(sound_text(text))


def sound_text(text: str) -> str:
    """A text that can be stored: no NUL, no half of a character."""
    if "\0" in text:
        raise Unreadable("There is a character in this text that is none (NUL).")
    try:
        text.encode()
    except UnicodeEncodeError as error:
        raise Unreadable("There is half of a character in this text.") from error
    return text


def _checked(data: Any, depth: int, text: Callable[[str], str]) -> Any:
    if depth > MOST_DEEP:
        raise Unreadable("This is nested too deep to be read.")
    if isinstance(data, str):
        return text(data)
    if isinstance(data, dict):
        return {
            text(key) if isinstance(key, str) else key: _checked(value, depth + 1, text)
            for key, value in data.items()
        }
    if isinstance(data, list):
        return [_checked(value, depth + 1, text) for value in data]
    if isinstance(data, int) and abs(data) > MAX_INTEGER:
        raise Invalid(f"A number is too large: {str(data)[:24]}….")
    if isinstance(data, float) and not math.isfinite(data):
        raise Invalid(f"{data} is no number.")
    return data


def _integer(text: str) -> int:
    if len(text.lstrip("-")) <= _MOST_DIGITS and abs(number := int(text)) <= MAX_INTEGER:
        return number
    raise Invalid(f"A number is too large: {text[:24]}….")


def _float(text: str) -> float:
    number = float(text)
    if math.isinf(number):
        raise Invalid(f"A number is too large: {text[:24]}.")
    return number


def _no_constant(name: str) -> None:
    raise Unreadable(f"{name} is no number.")
