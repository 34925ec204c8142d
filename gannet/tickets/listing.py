"""Lists by key: any order of several columns, any field as a column, groups and totals.

A page goes on exactly behind the last row seen, so reading the fiftieth costs what reading
the first does. Empty values come last, whichever way a column is ordered.

Without another order a list has the order of work: what is open by whose turn it is, then
what has ended, read apart so that the many that ended do not delay the few that are open.
"""

import base64
import json
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from django.db.models import Count, F, FloatField, Q, QuerySet
from django.db.models.fields.json import KeyTextTransform
from django.db.models.functions import Cast
from django.utils import timezone

from gannet.rulebook import book
from gannet.tickets.field import Field
from gannet.tickets.fields import json_parts
from gannet.tickets.joined import joined_names
from gannet.tickets.list_fields import list_registry
from gannet.tickets.listed import Listed, asks_now
from gannet.tickets.models import Ticket
from gannet.tickets.queries import PAGE, ROW_FIELDS, row_shown
from gannet.tickets.turn_order import (
    PARTS,
    may_have_ended,
    turn_expressions,
    turn_givens,
    turn_name,
)
from gannet.web.errors import Invalid, Problem
from gannet.web.given import read_json
from gannet.web.kept import Givens, KeptQueries, Rows
from gannet_core.instants import seconds_of
from gannet_core.turn import Turn

MOST_SORTS = 5
MOST_COLUMNS = 24
MOST_GROUPS = 200
_PIECE = 500
# Where in a row the shown fields end.
_BASE = len(ROW_FIELDS)

TURN = "turn"
# Orders that are not a field of their own name, or better than its own path.
_SORT_PATHS = {
    "due": ("rank_s", "due, soonest first", False),
    "number": ("id", "number", False),
}


@dataclass(frozen=True)
class Order:
    """One column of an order."""

    name: str
    path: str
    is_descending: bool
    is_nullable: bool


@dataclass(frozen=True)
class Page:
    rows: list[dict[str, Any]]
    next_cursor: str | None


def orders_of(text: str) -> list[Order]:
    """An order as "due,-opened,service"; a minus turns a column round."""
    orders: list[Order] = []
    for word in [part.strip() for part in text.split(",") if part.strip()] or [TURN]:
        name = word.removeprefix("-")
        if any(order.name == name for order in orders):
            continue
        if name == TURN:
            # Nothing after it decides anything: it ends with the number.
            is_down = word.startswith("-")
            orders += [Order(part, part, is_down, is_nullable=False) for part in PARTS]
            break
        path, nullable = _sort_path(name)
        orders.append(Order(name, path, word.startswith("-"), nullable))
    if len(orders) > MOST_SORTS:
        raise Invalid(f"At most {MOST_SORTS} columns order a list.", fields={"sort": "Too many."})
    return orders


def _sort_path(name: str) -> tuple[str, bool]:
    if name in _SORT_PATHS:
        path, _, nullable = _SORT_PATHS[name]
        return path, nullable
    field = list_registry().get(name)
    if field is None or not is_sortable(field):
        raise Invalid(f"A list cannot be sorted by {name!r}.", fields={"sort": "Not a sort."})
    return field.folded or field.path, field.is_nullable


def is_sortable(field: Field) -> bool:
    """Whether a field has a value that has an order; several of them are read as one."""
    return field.type != "words" and field.groups is None


_pages = KeptQueries()


def page(tickets: Listed, sort: str, columns: Sequence[str] = (), cursor: str = "") -> Page:
    """Fifty rows in an order, going on behind a cursor."""
    orders = orders_of(sort)
    rows, now_s = _ordered(tickets, orders, columns, cursor, PAGE + 1)
    following = None
    if len(rows) > PAGE:
        rows = rows[:PAGE]
        following = _write_cursor(rows[-1], len(orders), now_s)
    return Page(_rows(rows, columns, orders), following)


def of_numbers(
    tickets: Listed, numbers: Sequence[int], columns: Sequence[str]
) -> list[dict[str, Any]]:
    """The rows of some tickets, whatever a list's filter says of them, by number."""
    anything = replace(tickets, tree=None)
    orders = orders_of("number")
    build = _query(anything, orders, columns, is_behind=False, most=None)
    rows = build(anything.givens).filter(pk__in=numbers)
    return _rows(list(rows), columns, orders)


def walk(tickets: Listed, sort: str, columns: Sequence[str], most: int) -> Iterator[dict[str, Any]]:
    """All rows of a list up to a limit, read piece by piece: none is held open meanwhile."""
    orders, cursor, left = orders_of(sort), "", most
    while left > 0:
        rows, now_s = _ordered(tickets, orders, columns, cursor, min(_PIECE, left))
        yield from _rows(rows, columns, orders)
        if len(rows) < _PIECE:
            return
        left -= len(rows)
        cursor = _write_cursor(rows[-1], len(orders), now_s)


def _ordered(
    tickets: Listed,
    orders: Sequence[Order],
    columns: Sequence[str],
    cursor: str,
    most: int,
) -> tuple[Rows, int]:
    """Rows of the shown fields, then what they are ordered by, then the extra columns; and
    the instant at which they stand so, by which the next part goes too."""
    after = _read_cursor(cursor, len(orders))
    now_s = after.now_s if after else seconds_of(tickets.context.now or timezone.now())
    if orders[0].name != PARTS[0] or orders[0].is_descending:
        return _part(tickets, orders, columns, after, most, now_s), now_s
    rows: Rows = []
    if after is None or after.values[0] != Turn.ENDED:
        of_open = replace(tickets, only_open=True)
        rows = _part(of_open, orders, columns, after, most, now_s)
        after = None
    if len(rows) < most and may_have_ended(tickets.tree):
        ended = replace(tickets, only_ended=True)
        behind = after and replace(after, values=after.values[-1:])
        more = _part(ended, _ENDED, columns, behind, most - len(rows), now_s)
        rows = [*rows, *((*row[:_BASE], int(Turn.ENDED), 0, *row[_BASE:]) for row in more)]
    return rows, now_s


# What has ended stands with the latest first.
_ENDED = (Order(PARTS[-1], "rank_s", is_descending=True, is_nullable=False),)


def _part(
    tickets: Listed,
    orders: Sequence[Order],
    columns: Sequence[str],
    after: "_Place | None",
    most: int,
    now_s: int,
) -> Rows:
    more: dict[str, Any] = turn_givens(now_s) if _asks_turn(orders) else {}
    more |= _when([order.name for order in orders] + [*columns], now_s)
    if after is not None:
        more |= {f"after {n}": value for n, value in enumerate(after.values)}
        more["number"] = after.number
    build = _query(tickets, orders, columns, is_behind=after is not None, most=most)
    asked = (tuple(orders), tuple(columns), most, after is not None, book.number_now())
    return tickets.rows(_pages, asked, build, more)


def _when(names: Sequence[str], now_s: int) -> dict[str, Any]:
    """The instant, for a query that shows or orders what changes as time passes."""
    fields = list_registry()
    return {"at": now_s} if any(asks_now(fields.get(name)) for name in names) else {}


def _asks_turn(orders: Sequence[Order]) -> bool:
    return any(order.path == PARTS[0] for order in orders)


def _query(
    tickets: Listed,
    orders: Sequence[Order],
    columns: Sequence[str],
    is_behind: bool,
    most: int | None,
) -> Callable[[Givens], QuerySet[Any, Any]]:
    """How a part of a list is read, given whose eyes and behind which row."""

    plain = {f"sort_{n}": order for n, order in enumerate(orders) if order.path not in PARTS}
    places = {order.path: f"sort_{n}" for n, order in enumerate(orders) if order.path in PARTS}
    by: list[Any] = []
    for n, order in enumerate(orders):
        way = {"nulls_last": True} if order.is_nullable else {}
        expression = F(f"sort_{n}")
        by.append(expression.desc(**way) if order.is_descending else expression.asc(**way))
    if orders[-1].path != "id":
        by.append("-id" if orders[-1].is_descending else "id")

    def build(givens: Givens) -> QuerySet[Any, Any]:
        found = tickets.build(givens)
        turns = zip(PARTS, turn_expressions(givens) if places else (), strict=False)
        at = givens.get("at") or seconds_of(tickets.context.now or timezone.now())
        sorts = {
            **{key: _expression(order.path, order.name, at) for key, order in plain.items()},
            **{places[part]: one for part, one in turns},
        }
        extra = {f"col_{n}": _column(name, at) for n, name in enumerate(columns)}
        if most is not None:
            # Which rows they are is asked of an index alone; only those are read whole.
            found = found.annotate(**sorts)
            if is_behind:
                values = [givens[f"after {n}"] for n in range(len(orders))]
                found = found.filter(_behind(orders, values, givens["number"]))
            found = Ticket.objects.filter(pk__in=found.order_by(*by).values("pk")[:most])
        found = found.annotate(**sorts).order_by(*by).annotate(**extra)
        in_order = [f"sort_{n}" for n in range(len(orders))]
        return found.values_list(*ROW_FIELDS, *in_order, *extra)

    return build


def _expression(path: str, name: str, now_s: int) -> Any:
    if name in _SORT_PATHS or name in PARTS:
        return F(path)
    field = list_registry()[name]
    if field.computed is not None:
        return field.computed.expression(now_s, is_folded=field.type == "text")
    if field.through is not None:
        return joined_names(field, is_folded=True)
    parts = json_parts(path)
    if parts is None:
        return F(path)
    read = KeyTextTransform(parts[1], parts[0])
    return Cast(read, FloatField()) if field.type == "number" else read


def _column(name: str, now_s: int = 0) -> Any:
    field = list_registry().get(name)
    if field is None or field.type == "words" or field.groups is not None:
        raise Invalid(f"{name!r} cannot be a column.", fields={"columns": "Not a column."})
    if field.computed is not None:
        return field.computed.expression(now_s)
    if field.is_custom:
        return F(field.written)
    if field.through is not None:
        return joined_names(field)
    # As they were written, not as they are compared.
    return F("tags") if name == "tags" else F(field.path)


def _rows(
    rows: Sequence[Sequence[Any]], columns: Sequence[str], orders: Sequence[Order]
) -> list[dict[str, Any]]:
    fields = list_registry() if columns else {}
    begin = _BASE + len(orders)
    is_in_turn = orders[0].path == PARTS[0]
    return [
        {
            **row_shown(row),
            **({"turn": turn_name(row[_BASE])} if is_in_turn else {}),
            "cells": {name: shown(fields[name], row[begin + n]) for n, name in enumerate(columns)},
        }
        for row in rows
    ]


def shown(field: Field, value: Any) -> Any:
    """A stored value as people see it."""
    if value is None:
        return None
    if field.computed is not None and field.type == "number":
        return int(value) if value == int(value) else round(value, 2)
    if isinstance(value, list):
        return ", ".join(map(str, value))
    if field.choices is not None and not field.is_custom:
        labels = {code: label for label, code in field.choices.items()}
        return labels.get(value, value)
    return bool(value) if field.type == "yes/no" and not field.is_custom else value


def columns_of(text: str) -> list[str]:
    """The extra columns asked for, each once."""
    names = list(dict.fromkeys(part for part in text.split(",") if part))
    if len(names) > MOST_COLUMNS:
        raise Invalid(f"At most {MOST_COLUMNS} columns.", fields={"columns": "Too many."})
    for name in names:
        _column(name)
    if "next step" in names and "next step does" not in names:
        names.insert(names.index("next step") + 1, "next step does")  # when, and whom it reaches
    return names


_groups = KeptQueries()


def groups(tickets: Listed, by: str) -> list[dict[str, Any]]:
    """How many tickets each value of a field has, in the order that the list has them."""
    field = list_registry().get(by)
    if field is None or not is_sortable(field) or field.is_instant:
        raise Invalid(f"A list cannot be grouped by {by!r}.", fields={"by": "Not a group."})
    # Grouped by what people see; the folded column only orders.
    path = field.written or field.path
    now_s = seconds_of(tickets.context.now or timezone.now())

    def build(givens: Givens) -> QuerySet[Any, Any]:
        at = givens.get("at", now_s)
        # What is computed is grouped and ordered by what it is shown as.
        order = F("group") if field.computed is not None else _expression(path, by, at)
        return (
            tickets.build(givens)
            .order_by()
            .annotate(group=_column(by, at))
            .values("group")
            .annotate(count=Count("id"))
            .order_by(order.asc(nulls_last=True))
            .values_list("group", "count")[:MOST_GROUPS]
        )

    rows = tickets.rows(_groups, (by, book.number_now()), build, _when([by], now_s))
    return [{"value": shown(field, value), "count": count} for value, count in rows]


def _behind(orders: Sequence[Order], values: Sequence[Any], number: int) -> Q:
    """Rows after one: later in the first column, or equal there and later in the next."""
    after = Q(pk__lt=number) if orders[-1].is_descending else Q(pk__gt=number)
    if orders[-1].path == "id":
        after = Q(pk__in=[])
    for n, order in reversed(list(enumerate(orders))):
        name, value = f"sort_{n}", values[n]
        after = _strictly(name, order, value) | (_equal(name, value) & after)
    first, value = orders[0], values[0]
    if first.is_nullable or value is None:
        return after
    # Redundant, but it lets SQLite start in the index at the right place.
    step = "lte" if first.is_descending else "gte"
    return Q(**{f"sort_0__{step}": value}) & after


def _strictly(name: str, order: Order, value: Any) -> Q:
    if value is None:
        return Q(pk__in=[])
    later = Q(**{f"{name}__{'lt' if order.is_descending else 'gt'}": value})
    return later | Q(**{f"{name}__isnull": True}) if order.is_nullable else later


def _equal(name: str, value: Any) -> Q:
    return Q(**{f"{name}__isnull": True}) if value is None else Q(**{name: value})


@dataclass(frozen=True)
class _Place:
    """Behind which row a part of a list begins, and when the list was begun."""

    values: list[Any]
    number: int
    now_s: int


def _write_cursor(row: Sequence[Any], count: int, now_s: int) -> str:
    place = [list(row[_BASE : _BASE + count]), row[0], now_s]
    return base64.urlsafe_b64encode(json.dumps(place).encode()).decode()


def _read_cursor(cursor: str, count: int) -> _Place | None:
    if not cursor:
        return None
    try:
        values, number, now_s = read_json(base64.urlsafe_b64decode(cursor.encode()))
        if len(values) != count or not all(
            value is None or isinstance(value, (int, float, str)) for value in values
        ):
            raise ValueError("of another list")
        if not isinstance(number, int) or not isinstance(now_s, int):
            raise ValueError("no number")
        return _Place(values, number, now_s)
    except (ValueError, TypeError, Problem) as error:
        raise Invalid("This place in the list is not readable: start from the top.") from error


def sort_choices() -> Mapping[str, str]:
    """Every name that a list can be ordered by, with its label."""
    found = {TURN: "order of work", "due": "due"}
    for name, field in list_registry().items():
        if is_sortable(field) and name != "due":
            found[name] = field.label
    return found
