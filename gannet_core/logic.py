"""What conditions can mean, without any record: can one ever hold, does one imply another.

Used by the checks on a draft. The answers are one-sided: `is_impossible` and `implies`
say True only when it is certain, because a false alarm about a policy costs trust. A
condition is opened into alternatives, each a list of literals; the literals of one field
are tried against every value that could tell them apart, with the same evaluation that
real records get.
"""

from collections.abc import Iterable, Mapping, Sequence
from itertools import pairwise, product
from typing import Any, NamedTuple

from gannet_core.conditions import Context, Tree, check, evaluate

# Beyond this a condition is too broad to be judged, and is taken as possible.
MAX_ALTERNATIVES = 4_000
_OPEN_TEXT = frozenset({"contains", "starts with"})
_UNJUDGED = frozenset(
    {
        "is me",
        "is my team",
        "in the last",
        "in the next",
        "before",
        "after",
        "changed",
        "changed to",
        "changed from",
    }
)
_MANY_VALUED = "several choices"


class Literal(NamedTuple):
    """A leaf, or its negation."""

    leaf: Tree
    is_negated: bool


def is_impossible(tree: Tree, fields: Mapping[str, Mapping[str, Any]]) -> bool:
    """Whether no record could ever satisfy a condition; False when it cannot be told.

    `fields` gives types and, where they are closed, `choices`.
    """
    check(tree)
    found = _alternatives(tree, is_negated=False)
    return found is not None and not any(_can_hold(literals, fields) for literals in found)


def implies(first: Tree, second: Tree, fields: Mapping[str, Mapping[str, Any]]) -> bool:
    """Whether every record that satisfies the first satisfies the second, for certain."""
    return is_impossible({"all": [first, {"not": second}]}, fields)


def _alternatives(node: Tree, *, is_negated: bool) -> list[list[Literal]] | None:
    """The condition as alternatives of literals; None when there are too many."""
    if "not" in node:
        return _alternatives(node["not"], is_negated=not is_negated)
    if "field" in node:
        return [[Literal(node, is_negated)]]
    parts = node.get("all", node.get("any")) or []
    opened = []
    for part in parts:
        found = _alternatives(part, is_negated=is_negated)
        if found is None:
            return None
        opened.append(found)
    if ("all" in node) == is_negated:
        joined = [literals for found in opened for literals in found]
        return joined if len(joined) <= MAX_ALTERNATIVES else None
    size = 1
    for found in opened:
        size *= len(found)
        if size > MAX_ALTERNATIVES:
            return None
    return [[literal for literals in chosen for literal in literals] for chosen in product(*opened)]


def _can_hold(literals: Sequence[Literal], fields: Mapping[str, Mapping[str, Any]]) -> bool:
    by_field: dict[str, list[Literal]] = {}
    for literal in literals:
        by_field.setdefault(literal.leaf["field"], []).append(literal)
    return all(_field_can(group, fields.get(name, {})) for name, group in by_field.items())


def _field_can(literals: Sequence[Literal], about: Mapping[str, Any]) -> bool:
    if about.get("type") == _MANY_VALUED:
        return True
    if any(literal.leaf["op"] in _UNJUDGED for literal in literals):
        # A leaf and its exact opposite contradict each other whatever the operator.
        return not _has_opposites(literals)
    choices = about.get("choices")
    if any(literal.leaf["op"] in _OPEN_TEXT for literal in literals) and not choices:
        return not _has_opposites(literals)
    name = literals[0].leaf["field"]
    return any(
        all(
            evaluate(literal.leaf, {name: value}, context=Context()).result != literal.is_negated
            for literal in literals
        )
        for value in _candidates(literals, about)
    )


def _has_opposites(literals: Sequence[Literal]) -> bool:
    return any(
        one.leaf == other.leaf and one.is_negated != other.is_negated
        for one in literals
        for other in literals
    )


def _candidates(literals: Sequence[Literal], about: Mapping[str, Any]) -> Iterable[Any]:
    """Values that tell the literals of one field apart: those named, between and beyond them."""
    yield None
    choices = about.get("choices")
    if choices:
        yield from choices
        return
    if about.get("type") == "yes/no":
        yield from (True, False)
        return
    mentioned = list(_mentioned(literals))
    yield from mentioned
    numbers = sorted({value for value in mentioned if _is_number(value)})
    for low, high in pairwise(numbers):
        yield (low + high) / 2
    yield numbers[0] - 1 if numbers else 0
    yield numbers[-1] + 1 if numbers else 1
    if about.get("type") != "number":
        texts = sorted(value for value in mentioned if isinstance(value, str))
        yield "\x00another value"
        yield from (f"{text}\x00" for text in texts)  # just after each, for text order


def _mentioned(literals: Sequence[Literal]) -> Iterable[Any]:
    for literal in literals:
        value = literal.leaf.get("value")
        yield from value if isinstance(value, list) else [value]


def _is_number(value: Any) -> bool:
    return isinstance(value, (int, float)) and not isinstance(value, bool)
