"""Conditions as English sentences.

How a leaf reads follows from its operator and the type of its field; a field may bring
words of its own (`said`), such as “unassigned” for an assignee that is empty:

`yes`, `no`      a yes/no field that holds, or does not
`empty`, `filled` whether there is a value
`lead`           what stands before a moment: “overdue since” leads with “went overdue”
`values`         a value's own words: *ours* of *move* is “waiting for us”

The front end says the same from the same table of cases.
"""

from collections.abc import Mapping, Sequence
from datetime import UTC
from typing import Any

from gannet_core.conditions import NEEDS_LIST, Tree, check, is_empty
from gannet_core.instants import parse_instant

Fields = Mapping[str, Mapping[str, Any]]

_MOMENTS = ("before", "after", "in the last", "in the next")
_COMPARED = {
    "is": "is",
    "is not": "is not",
    "<": "is under",
    "<=": "is at most",
    ">": "is over",
    ">=": "is at least",
    "before": "is before",
    "after": "is after",
    "changed to": "changed to",
    "changed from": "changed from",
}
_PAIRS = {"is": "is not", "is one of": "is none of", "is empty": "is filled"}
_OPPOSITE = {**_PAIRS, **{no: yes for yes, no in _PAIRS.items()}}
_QUOTED = {
    "contains": "contains",
    "has words": "has the words",
    "starts with": "starts with",
    "resembles": "is much like",
}
_OF_SEVERAL = {
    "is": "include",
    "is not": "do not include",
    "is one of": "include",
    "is none of": "do not include",
    "is empty": "are empty",
    "is filled": "are filled",
}
_UNITS = ((31_536_000, "year"), (86_400, "day"), (3_600, "hour"), (60, "minute"), (1, "second"))


def describe(tree: Tree, fields: Fields | None = None) -> str:
    """The tree as an English sentence, with the words of `fields` where given.

    `ConditionError` if the tree is malformed.
    """
    check(tree)
    sentence = _describe(tree, fields or {}, is_nested=False)
    return sentence[:1].upper() + sentence[1:]


def actual_words(name: str, value: object, fields: Fields | None = None) -> str:
    """What a field is instead: “it is P3”, “unassigned”."""
    about = (fields or {}).get(name, {})
    if isinstance(value, (list, tuple)):
        return f"{_label(name, about)}: {', '.join(map(str, value)) or 'none'}"
    if is_empty(value):
        return _leaf(name, "is empty", None, about)
    said = _leaf(name, "is", value, about)
    return said.replace(f"{_label(name, about)} is ", "it is ", 1)


def _describe(node: Tree, fields: Fields, *, is_nested: bool) -> str:
    if "not" in node:
        inner = node["not"]
        if "field" in inner and inner["op"] in _OPPOSITE:
            return _describe({**inner, "op": _OPPOSITE[inner["op"]]}, fields, is_nested=False)
        return f"not ({_describe(inner, fields, is_nested=False)})"
    if "field" in node:
        name = node["field"]
        return _leaf(name, str(node["op"]), node.get("value"), fields.get(name, {}))
    kind = "all" if "all" in node else "any"
    parts = [_describe(part, fields, is_nested=True) for part in node[kind]]
    if not parts:
        return "always" if kind == "all" else "never"
    if len(parts) == 1:
        return parts[0]
    joined = (", and " if kind == "all" else ", or ").join(parts)
    return f"({joined})" if is_nested else joined


def _label(name: str, about: Mapping[str, Any]) -> str:
    return str(about.get("label") or name.replace(".", " ").replace("_", " "))


def _leaf(name: str, op: str, value: Any, about: Mapping[str, Any]) -> str:
    label = _label(name, about)
    said: Mapping[str, Any] = about.get("said") or {}
    if op in ("is empty", "is filled"):
        own = said.get("empty" if op == "is empty" else "filled")
        return str(own) if own else _whether_filled(label, op, about)
    if op == "is me":
        return f"{label} is me"
    if op == "is my team":
        return f"{label} is one of my teams"
    if op == "changed":
        return f"{label} changed"
    if isinstance(value, bool):
        return _yes_or_no(label, op, value, said)
    lead = str(said.get("lead") or label)
    if op in ("in the last", "in the next"):
        return f"{lead} {op} {_span(float(value or 0))}"
    is_instant = about.get("type") == "instant"
    if op in _MOMENTS and is_instant:
        return f"{lead} {op} {_moment(value)}"
    values = list(value) if isinstance(value, (list, tuple)) else [value]
    own_words = said.get("values") or {}
    if op in ("is", "is one of", "is not", "is none of") and values:
        known = [own_words.get(str(one)) for one in values]
        if all(known):
            joined = _join("or", [str(one) for one in known])
            return f"not {joined}" if op in ("is not", "is none of") else joined
    if about.get("type") == "several choices" and op in _OF_SEVERAL:
        return f"{label} {_OF_SEVERAL[op]} {_join('or', [_word(one, about) for one in values])}"
    if op in NEEDS_LIST:
        verb = "is" if op == "is one of" else "is not"
        return f"{label} {verb} {_join('or', [_word(one, about) for one in values])}"
    if op == "between":
        low, high = (*values, None, None)[:2]
        return f"{label} is between {_word(low, about)} and {_word(high, about)}"
    if op in _QUOTED:
        return f"{label} {_QUOTED[op]} “{_word(value, about)}”"
    shown = _moment(value) if op in _MOMENTS else _word(value, about)
    return f"{label} {_COMPARED.get(op, op)} {shown}"


def _whether_filled(label: str, op: str, about: Mapping[str, Any]) -> str:
    if about.get("type") == "several choices":
        return f"{label} {_OF_SEVERAL[op]}"
    return f"{label} is {'not set' if op == 'is empty' else 'set'}"


def _yes_or_no(label: str, op: str, value: bool, said: Mapping[str, Any]) -> str:
    bare = label.removeprefix("is ")
    yes, no = str(said.get("yes") or bare), str(said.get("no") or f"not {bare}")
    if op == "changed to":
        return f"became {yes if value else no}"
    if op == "changed from":
        return f"was {yes if value else no} before"
    return yes if value == (op != "is not") else no


def _word(item: Any, about: Mapping[str, Any]) -> str:
    if isinstance(item, bool):
        return "yes" if item else "no"
    choices: Mapping[Any, str] = about.get("choices") or {}
    return "nothing" if is_empty(item) else str(choices.get(item, item))


def _join(word: str, words: Sequence[str]) -> str:
    if not words:
        return "nothing"
    return words[0] if len(words) == 1 else f"{', '.join(words[:-1])} {word} {words[-1]}"


def _moment(value: Any) -> str:
    try:
        moment = parse_instant(str(value)).astimezone(UTC)
    except ValueError:
        return str(value)
    day = f"{moment.day} {moment:%b %Y}"
    return day if not (moment.hour or moment.minute) else f"{day} {moment:%H:%M} UTC"


def _span(seconds: float) -> str:
    """“hour”, “4 hours”: what stands after “in the last”."""
    for size, unit in _UNITS:
        if seconds >= size and seconds % size == 0:
            count = int(seconds // size)
            return unit if count == 1 else f"{count} {unit}s"
    return f"{seconds:g} seconds"
