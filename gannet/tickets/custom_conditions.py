"""Conditions over custom fields and tags, as the database reads them.

Custom values live folded in one JSON column, so that a field an administrator adds is
searchable at once and without a migration; a value of several choices is kept there as
`|one|two|`, as tags are in their own column.
"""

from collections.abc import Callable, Sequence
from functools import reduce
from operator import or_
from typing import Any

from django.db.models import F, Q, Value
from django.db.models.expressions import Combinable
from django.db.models.fields.json import KeyTextTransform
from django.db.models.lookups import Contains, StartsWith

from gannet.tickets.field import Field
from gannet.tickets.fields import json_parts
from gannet_core.conditions import fold, is_empty

NOTHING = Q(pk__in=[])
_LOOKUPS = {"<": "lt", "<=": "lte", ">": "gt", ">=": "gte"}
Test = Callable[[Any], Q]


def several_leaf(field: Field, op: str, value: Any) -> Q:
    """A leaf over tags or a custom field; an empty value makes all but `is not` false."""
    filled, test = _reading(field)
    match op:
        case "is empty":
            return ~filled
        case "is filled":
            return filled
        case "is":
            return _any(filled, test, [value])
        case "is one of":
            return _any(filled, test, value)
        case "is not":
            return ~_any(filled, test, [value])
        case "is none of":
            return ~_any(filled, test, value)
        case "contains" | "starts with":
            return _piece(field, filled, op, value)
        case "between":
            low, high = value
            return _order(field, filled, ">=", low) & _order(field, filled, "<=", high)
    return _order(field, filled, op, value)


def _reading(field: Field) -> tuple[Q, Test]:
    """How to ask whether a field is filled, and whether it is one value."""
    if field.type == "several choices" and not field.is_custom:
        return ~Q(**{field.path: ""}), _member_of(F(field.path))
    filled = Q(**{f"{field.path}__isnull": False})
    if field.type == "several choices":
        return filled, _member_of(_text(field))
    return filled, lambda one: Q(**{field.path: _stored(one)})


def _member_of(text: Combinable) -> Test:
    """Whether a text of members has one; no member holds a bar, for bars stand between them."""
    return lambda one: NOTHING if "|" in str(one) else Q(Contains(text, Value(member(one))))


def _any(filled: Q, test: Test, values: Sequence[Any]) -> Q:
    parts = [test(one) for one in values if not is_empty(one)]
    # With `filled` first, an absent value is false and not unknown, so negation is exact.
    return filled & reduce(or_, parts) if parts else NOTHING


def _order(field: Field, filled: Q, op: str, value: Any) -> Q:
    if is_empty(value):
        return NOTHING
    return filled & Q(**{f"{field.path}__{_LOOKUPS[op]}": _stored(value)})


def _piece(field: Field, filled: Q, op: str, value: Any) -> Q:
    if is_empty(value):
        return NOTHING
    piece = fold(str(value))
    if field.type == "several choices":
        # Within one member: what stands between two bars never contains one.
        if "|" in piece:
            return NOTHING
        inner = piece
        text: Combinable = _text(field) if field.is_custom else F(field.path)
        wanted = f"|{inner}" if op == "starts with" else inner
        return filled & Q(Contains(text, Value(wanted)))
    lookup = Contains if op == "contains" else StartsWith
    return filled & Q(lookup(_text(field), Value(piece)))


def _text(field: Field) -> Combinable:
    """The text of a custom field, apart from JSON."""
    parts = json_parts(field.path)
    assert parts is not None
    column, key = parts
    return KeyTextTransform(key, column)


def _stored(value: Any) -> Any:
    return fold(value) if isinstance(value, str) else value


def member(value: Any) -> str:
    """One of several choices as it stands in its column."""
    return f"|{fold(str(value)).replace('|', '')}|"


def joined(values: Sequence[Any]) -> str:
    """Several choices as one text: `|one||two|`."""
    return "".join(member(value) for value in values)
