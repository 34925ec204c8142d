"""Types of configuration item: the layer each stands in, and what is written down of it.

A type is an entry of the rulebook: `key` (its word), `layer`, and `attributes`, each with
`key`, `label`, `type`, and perhaps a `unit` or `choices`. Values come in as people or
scans write them, and are kept as plain data: numbers as numbers, dates as ISO days.
"""

from collections.abc import Mapping, Sequence
from datetime import date
from typing import Any

from gannet_core.errors import ItemTypeError

# From what people see down to what everything stands on.
SERVICES = "services"
LAYERS = ("applications", "servers", "network", "places", "devices")
DEVICES = LAYERS[-1]
TEXT, NUMBER, YES_NO, CHOICE, DATE = "text", "number", "yes/no", "choice", "date"
TYPES = (TEXT, NUMBER, YES_NO, CHOICE, DATE)
_YES, _NO = ("yes", "true", "1"), ("no", "false", "0")
_LONGEST = 200


def layer_of(types: Mapping[str, Mapping[str, Any]], kind: str) -> str:
    """The layer of a kind of item; a word that is no type is a device."""
    return str(types.get(kind, {}).get("layer", DEVICES))


def read_attributes(kind: Mapping[str, Any], given: Mapping[str, Any]) -> dict[str, Any]:
    """The attributes of a type as they are kept, from what somebody wrote.

    An empty value takes the attribute away. `ItemTypeError` names what cannot be read, and
    what the type does not have.
    """
    known = {one["key"]: one for one in kind.get("attributes") or ()}
    found: dict[str, Any] = {}
    for key, value in given.items():
        about = known.get(key)
        if about is None:
            raise ItemTypeError(key, f"{kind.get('key', 'this')} has no attribute “{key}”")
        if value is None or (isinstance(value, str) and not value.strip()):
            found[key] = None
            continue
        found[key] = _read(about, value)
    return found


def _read(about: Mapping[str, Any], value: Any) -> Any:
    label, kind = about["label"], about["type"]
    text = str(value).strip()
    if kind == NUMBER:
        return _number(about, value)
    if kind == YES_NO:
        if isinstance(value, bool):
            return value
        if text.casefold() not in (*_YES, *_NO):
            raise ItemTypeError(about["key"], f"{label} is yes or no, not “{text}”")
        return text.casefold() in _YES
    if kind == CHOICE:
        choices: Sequence[str] = about.get("choices") or ()
        same = next((one for one in choices if one.casefold() == text.casefold()), None)
        if same is None:
            raise ItemTypeError(about["key"], f"{label} is one of {', '.join(choices)}")
        return same
    if kind == DATE:
        try:
            return date.fromisoformat(text).isoformat()
        except ValueError as error:
            raise ItemTypeError(about["key"], f"{label} is a day like 2026-11-23") from error
    if len(text) > _LONGEST:
        raise ItemTypeError(about["key"], f"{label} is longer than {_LONGEST} characters")
    return text


def _number(about: Mapping[str, Any], value: Any) -> float | int:
    unit = str(about.get("unit") or "")
    text = str(value).strip()
    if unit and text.casefold().endswith(unit.casefold()):
        text = text[: -len(unit)].strip()
    try:
        number = float(text)
    except ValueError as error:
        raise ItemTypeError(about["key"], f"{about['label']} is a number, not “{value}”") from error
    if number != number or abs(number) > 1e15:
        raise ItemTypeError(about["key"], f"{about['label']} is no such number")
    return int(number) if number == int(number) else number


def said(about: Mapping[str, Any], value: Any) -> str:
    """A value as people read it, with its unit."""
    if value is None or value == "":
        return ""
    if isinstance(value, bool):
        return "yes" if value else "no"
    unit = about.get("unit") or ""
    return f"{value} {unit}".strip()


def differing(recorded: Mapping[str, Any], seen: Mapping[str, Any]) -> list[str]:
    """The attributes that a scan found otherwise than they are recorded, in their order.

    What a scan does not speak of says nothing; what it found that nobody recorded differs.
    """
    found = [key for key in recorded if key in seen and not same(recorded[key], seen[key])]
    return [*found, *(key for key in seen if key not in recorded and seen[key] is not None)]


def same(one: Any, other: Any) -> bool:
    """Whether two values of an attribute are the same: case and spaces do not count."""
    if isinstance(one, bool) or isinstance(other, bool):
        return one is other
    if isinstance(one, str) and isinstance(other, str):
        return " ".join(one.split()).casefold() == " ".join(other.split()).casefold()
    return bool(one == other)
