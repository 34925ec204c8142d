"""Conditions as the database reads them: one tree, turned into a Django `Q`.

Held to `gannet_core.conditions.evaluate` by a property test on random trees. A leaf over
an empty value is false; `is not` and `is none of` are built as the negation of their
opposite, so NULLs never swallow a row.
"""

from collections.abc import Callable, Iterator, Mapping, Sequence
from datetime import timedelta
from functools import reduce
from operator import and_, or_
from typing import Any

from django.db.models import Q

from gannet.estate import nodes
from gannet.rulebook.book import current
from gannet.tickets import search
from gannet.tickets.computing import computed_leaf, sources_of
from gannet.tickets.custom_conditions import several_leaf
from gannet.tickets.field import Field
from gannet.tickets.list_fields import about_list_fields, list_registry
from gannet.tickets.stored import stored_values
from gannet_core import item_groups
from gannet_core.conditions import Context, Tree, check, fold, is_empty, leaves
from gannet_core.errors import ConditionError
from gannet_core.instants import parse_instant, seconds_of

_NOTHING = Q(pk__in=[])
_OPPOSITE = {"is not": "is", "is none of": "is one of", "is empty": "is filled"}
_SPELLED = ("is", "is not", "is one of", "is none of", "is my team", "contains", "starts with")
_LOOKUPS = {"<": "lt", "<=": "lte", ">": "gt", ">=": "gte", "before": "lt", "after": "gt"}


def to_q(tree: Tree, context: Context | None = None) -> Q:
    """The condition as a `Q`; `ConditionError` names what cannot be asked of the list."""
    book = current()
    check(tree, about_list_fields(book))
    return _to_q(tree, context or Context(), list_registry(book))


def _to_q(node: Tree, context: Context, fields: Mapping[str, Field]) -> Q:
    return joined(
        node,
        lambda leaf: leaf_q(fields[leaf["field"]], leaf["op"], leaf.get("value"), context),
    )


def joined(node: Tree, leaf: Callable[[Tree], Q]) -> Q:
    """A condition as a `Q`, each of its leaves read by `leaf`."""
    # Django drops an empty Q from what it joins, so "always" and "never" are real ones.
    if "all" in node:
        parts = [joined(part, leaf) for part in node["all"]]
        return reduce(and_, parts) if parts else ~_NOTHING
    if "any" in node:
        parts = [joined(part, leaf) for part in node["any"]]
        return reduce(or_, parts) if parts else _NOTHING
    if "not" in node:
        return ~joined(node["not"], leaf)
    return leaf(node)


def leaf_q(field: Field, op: str, value: Any, context: Context) -> Q:
    """One question about one field as a `Q`."""
    if field.type == "words":
        found = search.having(value)
        return _NOTHING if found is None else Q(pk__in=found)
    if field.groups is not None:
        return _group_leaf(field, op, value, context)
    if field.items_of is not None:
        return _items_leaf(field, op, value)
    if field.through is not None:
        return _through_leaf(field, op, value, context)
    if field.computed is not None:
        return computed_leaf(field, op, value, context)
    if field.is_custom or field.type == "several choices":
        return several_leaf(field, op, value)
    match op:
        case "is not":
            return ~leaf_q(field, "is", value, context)
        case "is none of":
            return ~leaf_q(field, "is one of", value, context)
        case "is empty":
            return _empty(field)
        case "is filled":
            return ~_empty(field)
        case "is me":
            return _NOTHING if context.me is None else _one_of(field, [context.me])
        case "is my team":
            return _one_of(field, list(context.my_teams))
        case "in the last" | "in the next":
            return _near(field, op, float(value), context)
        case "is":
            return _one_of(field, [value])
        case "is one of":
            return _one_of(field, value)
        case "between":
            low, high = value
            return _compare(field, "gte", low) & _compare(field, "lte", high)
        case "contains" | "starts with":
            return _piece(field, op, value)
        case _ if op in _LOOKUPS:
            return _compare(field, _LOOKUPS[op], value)
    raise ConditionError(f"{field.name}: a list cannot ask {op!r}")


def _group_leaf(field: Field, op: str, value: Any, context: Context) -> Q:
    """A leaf over the groups that a ticket's item belongs to, each by hand or by condition."""
    if op in _OPPOSITE:
        return ~_group_leaf(field, _OPPOSITE[op], value, context)
    meant = _meant(item_groups.names_of(field.groups or ()), op, value)
    groups = [one for one in field.groups or () if str(one["name"]) in meant]
    fields = list_registry()
    found = _NOTHING
    for group in groups:
        if group.get("items"):
            found = found | Q(ci__isnull=False, ci__key__in=list(group["items"]))
        if group.get("if") is not None:
            found = found | (Q(ci__isnull=False) & _to_q(group["if"], context, fields))
    return found


def _items_leaf(field: Field, op: str, value: Any) -> Q:
    """A leaf over what a ticket's item has by its place in the estate."""
    if op in _OPPOSITE:
        return ~_items_leaf(field, _OPPOSITE[op], value)
    assert field.items_of is not None
    found = field.items_of(_meant(stored_values(field), op, value))
    return Q(ci__isnull=False, ci__in=sorted(found)) if found else _NOTHING


def _meant(names: Sequence[str], op: str, value: Any) -> set[str]:
    """Which of some names a leaf that is no negation means; none for what it cannot ask."""
    if op == "is filled":
        return set(names)
    if op in ("is", "is one of"):
        wanted = {fold(str(one)) for one in (value if op == "is one of" else [value])}
        return {name for name in names if fold(name) in wanted}
    if op in ("contains", "starts with") and not is_empty(value):
        piece, fits = fold(str(value)), str.startswith if op == "starts with" else str.__contains__
        return {name for name in names if fits(fold(name), piece)}
    return set()


def _through_leaf(field: Field, op: str, value: Any, context: Context) -> Q:
    """A leaf over people named by rows of another table; it holds if it does for any of them."""
    if op in _OPPOSITE:
        return ~_through_leaf(field, _OPPOSITE[op], value, context)
    assert field.through is not None
    rows, person = field.through
    folded = f"{person}__name_folded"
    match op:
        case "is filled":
            only = Q()
        case "is me":
            only = Q(**{folded: fold(context.me)}) if context.me else _NOTHING
        case "is" | "is one of":
            wanted = value if op == "is one of" else [value]
            only = Q(**{f"{folded}__in": [fold(name) for name in wanted if not is_empty(name)]})
        case "contains" | "starts with" if not is_empty(value):
            lookup = "contains" if op == "contains" else "startswith"
            only = Q(**{f"{folded}__{lookup}": fold(value)})
        case _:
            return _NOTHING
    return Q(pk__in=rows().filter(only).values("ticket_id"))


def _empty(field: Field) -> Q:
    if field.is_nullable:
        return Q(**{f"{field.path}__isnull": True})
    if field.type in ("text", "choice", "person", "team") and not field.choices:
        return Q(**{field.path: ""})
    return _NOTHING


def _one_of(field: Field, values: Sequence[Any]) -> Q:
    wanted = [value for value in values if not is_empty(value)]
    if field.is_instant:
        wanted = [seconds_of(parse_instant(value)) for value in wanted]
    elif field.type == "yes/no":
        wanted = [int(value) for value in wanted]
    elif field.type == "number":
        # A column of whole numbers would quietly take 2.5 for 2.
        wanted = [int(value) for value in wanted if value == int(value)]
    elif field.choices is not None:
        by_folded = {fold(label): code for label, code in field.choices.items()}
        wanted = [by_folded[fold(value)] for value in wanted if fold(value) in by_folded]
    elif field.folded:
        return _any_of(field.folded, [fold(value) for value in wanted])
    elif field.type in ("choice", "team"):
        return _any_of(field.path, _spellings(field, wanted))
    return _any_of(field.path, wanted)


def _any_of(path: str, wanted: Sequence[Any]) -> Q:
    if not wanted:
        return _NOTHING
    found = Q(**{path: wanted[0]}) if len(wanted) == 1 else Q(**{f"{path}__in": list(wanted)})
    if path.startswith("values__"):
        # What is not in the JSON is unknown to the database; negated, it has to be false.
        return Q(**{f"{path}__isnull": False}) & found
    return found


def _spellings(field: Field, wanted: Sequence[str]) -> list[str]:
    """The stored spellings that equal the wanted ones once folded.

    Names of services, teams and places are few, so they are compared here, where folding
    knows more than ASCII.
    """
    folded = {fold(value) for value in wanted}
    stored = set(wanted) | set(stored_values(field))
    return sorted(value for value in stored if fold(value) in folded)


def spellings(tree: Tree) -> tuple[tuple[str, ...], ...]:
    """What is stored of each field whose stored spellings a condition is built from: a query
    that was compiled before one of them came or went is another one."""
    fields = list_registry()
    asked = {leaf["field"] for leaf in _all_leaves(tree, fields) if leaf["op"] in _SPELLED}
    found = [fields[name] for name in sorted(asked) if name in fields]
    found += sources_of(found)
    every = {leaf["field"] for leaf in _all_leaves(tree, fields)}
    # What items have by their place in the estate is built from the estate as it is.
    placed = any(fields[name].items_of is not None for name in every if name in fields)
    estate = (("the estate", *nodes.version()),) if placed else ()
    return estate + tuple(
        (field.name, *stored_values(field))
        for field in found
        if field.type in ("choice", "team") and not field.folded and field.choices is None
        if not field.is_custom and field.through is None
    )


def _all_leaves(tree: Tree, fields: Mapping[str, Field]) -> Iterator[Tree]:
    """The leaves of a condition, and those of the groups of items that it asks about."""
    for leaf in leaves(tree):
        yield leaf
        field = fields.get(leaf["field"])
        for group in (field.groups if field is not None else None) or ():
            if group.get("if") is not None:
                yield from leaves(group["if"])


def _compare(field: Field, lookup: str, value: Any) -> Q:
    if is_empty(value):
        return _NOTHING
    if field.is_instant:
        value = seconds_of(parse_instant(value))
    return Q(**{f"{field.path}__{lookup}": value})


def _near(field: Field, op: str, seconds: float, context: Context) -> Q:
    if context.now is None:
        return _NOTHING
    span = timedelta(seconds=seconds)
    low, high = context.now, context.now + span
    if op == "in the last":
        low, high = context.now - span, context.now
    return Q(**{f"{field.path}__gte": seconds_of(low), f"{field.path}__lte": seconds_of(high)})


def _piece(field: Field, op: str, value: Any) -> Q:
    if is_empty(value):
        return _NOTHING
    if not field.folded:
        raise ConditionError(f"{field.name}: {op!r} does not go with this field in a list")
    lookup = "contains" if op == "contains" else "startswith"
    # Folded columns hold what the core would compare; GLOB and LIKE must not fold again.
    return Q(**{f"{field.folded}__{lookup}": fold(value)})
