"""What is wrong with a rulebook, and where, in the words of its editors."""

from collections.abc import Mapping
from typing import Any

from jsonschema.exceptions import ValidationError


def says_of(error: ValidationError) -> str:
    """What is wrong with a value, in words."""
    limit, value = error.validator_value, error.instance
    match error.validator:
        case "minLength" | "minItems" | "minProperties":
            return "this is empty"
        case "maxLength":
            return f"this is longer than {limit} characters"
        case "minimum":
            return f"this must be {limit} or more"
        case "maximum":
            return f"this must be {limit} or less"
        case "enum":
            return f"“{value}” is none of {', '.join(str(one) for one in limit if one is not None)}"
        case "type":
            kinds = limit if isinstance(limit, list) else [limit]
            return f"this must be {' or '.join(_KINDS[kind] for kind in kinds)}"
        case "pattern":
            return f"“{value}” is not written as it has to be"
    return str(error.message)[:300]


_KINDS = {
    "string": "a text",
    "integer": "a whole number",
    "number": "a number",
    "boolean": "yes or no",
    "array": "a list",
    "object": "an object",
    "null": "nothing",
}
# How a part of an entry is called where its name in the document would not do.
_PART_WORDS = {
    "then": "action",
    "if": "condition",
    "all": "part",
    "any": "part",
    "weeks": "season",
    "exceptions": "special day",
    "plain": "what one can do with it",
    "fix": "resolution",
    "answer": "response",
}
_SINGULAR = {"targets": "target", "entries": "entry"}


def within_entry(path: list[Any]) -> str:
    """Where in its entry a value stands: `then, 0, value` is "action 1, value"."""
    words: list[str] = []
    for part in path[2:] if len(path) > 1 and isinstance(path[1], int) else path[1:]:
        if isinstance(part, int):
            last = words.pop() if words else "part"
            words.append(f"{last.removesuffix('s')} {part + 1}")
        else:
            name = _PART_WORDS.get(part, _SINGULAR.get(part, part))
            words.append(f"P{name}" if name.isdigit() else name.replace("_", " "))
    return ", ".join(words)


def place_in(document: Any, path: list[Any]) -> str:
    """A path with the keys of entries beside their numbers: agreements[2] offices › targets."""
    words: list[str] = []
    value = document
    for part in path:
        value = value[part]
        if isinstance(part, int):
            key = value.get("key") if isinstance(value, Mapping) else None
            words[-1] += f"[{part}]" + (f" {key}" if key else "")
        else:
            words.append(str(part))
    return " › ".join(words)
