"""Queries whose SQL is compiled once for a shape and then run with parameters.

Building a list's queryset and compiling it costs several times what SQLite needs to answer
it. A *shape* is all that decides the SQL: who may see what, the filter, the order, the
columns. What differs from one run to the next – whose eyes, which instant, behind which
row – are *givens*: the queryset is built by a function of them, at first twice with
stand-ins of no meaning, so that the parameters that come from each are known by comparing
the two. From then on only the SQL that Django itself compiled is run, through Django's own
connection, with its own converters for what comes back.

A queryset that cannot be kept so – a given decides its SQL, or changes on the way into it
– is built and run each time; the answer is the same, only slower.
"""

from collections.abc import Callable, Hashable, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from threading import Lock
from typing import Any

import orjson
from django.core.exceptions import EmptyResultSet
from django.db import DEFAULT_DB_ALIAS, connections
from django.db.models import JSONField, QuerySet
from django.db.models.fields.json import KeyTransform
from django.db.models.query import get_related_populators

from gannet_core.instants import seconds_of

Givens = Mapping[str, Any]
Rows = list[tuple[Any, ...]]
Build = Callable[[Givens], QuerySet[Any, Any]]

_MOST_KEPT = 1_000


@dataclass(frozen=True)
class _Place:
    """Where a parameter comes from: a given, as it is or so many seconds after it."""

    given: str
    plus: int = 0


@dataclass(frozen=True)
class _Kept:
    sql: str
    parameters: Sequence[Any]
    places: Mapping[int, _Place]
    converters: Mapping[int, Any]
    compiler: Any  # which of the columns are of which model


_all: "list[KeptQueries | KeptAnswers]" = []


def forget_kept() -> None:
    """Forget every query: numbers may stand for something else now."""
    for queries in _all:
        queries.forget()


class KeptQueries:
    """The compiled queries of one purpose, by their shape; a process has one of each."""

    def __init__(self) -> None:
        self._kept: dict[Hashable, _Kept | None] = {}
        self._lock = Lock()
        _all.append(self)

    def rows(self, shape: Hashable, build: Build, givens: Givens) -> Rows:
        """The rows of a values-list queryset, as tuples.

        `build` makes the queryset from givens – integers, floats, texts, instants – and
        from what the shape says, and from nothing else.
        """
        kept = self._find(shape, build, givens)
        if kept is None:
            return list(build(givens))
        return _fetched(kept, givens)

    def _find(self, shape: Hashable, build: Build, givens: Givens) -> "_Kept | None":
        shape = (shape, tuple((name, type(given)) for name, given in givens.items()))
        with self._lock:
            if shape in self._kept:
                return self._kept[shape]
        kept = _compiled(build, givens)
        with self._lock:
            if len(self._kept) >= _MOST_KEPT:  # the oldest shape goes
                self._kept.pop(next(iter(self._kept)))
            self._kept[shape] = kept
        return kept

    def objects(self, shape: Hashable, build: Build, givens: Givens) -> list[Any]:
        """What a queryset of models finds, with what it selects along; as `rows`.

        What it would prefetch is not read: that is a query of its own.
        """
        kept = self._find(shape, build, givens)
        if kept is None:
            return list(build(givens))
        return _made(kept, _fetched(kept, givens))

    def forget(self) -> None:
        """Forget every shape: what they were compiled from has changed."""
        with self._lock:
            self._kept.clear()


class KeptAnswers:
    """Answers that are the same for many who ask one after the other; the newest few.

    Their key says all that they depend on – the newest event among it, for what any act may
    change.
    """

    def __init__(self, most: int = 50) -> None:
        self._most = most
        self._kept: dict[Hashable, Any] = {}
        self._lock = Lock()
        _all.append(self)

    def get(self, key: Hashable, make: Callable[[], Any]) -> Any:
        """What is kept under a key, or made now and kept."""
        with self._lock:
            if key in self._kept:
                return self._kept[key]
        made = make()
        with self._lock:
            while len(self._kept) >= self._most:
                self._kept.pop(next(iter(self._kept)))
            self._kept[key] = made
        return made

    def forget(self) -> None:
        """Forget every answer."""
        with self._lock:
            self._kept.clear()


class _CannotBeKeptError(Exception):
    """Django reads more of it than is asked for, and takes that away again."""


def _compiled(build: Build, givens: Givens) -> _Kept | None:
    """What is run for a shape from now on; None if it has to be built each time."""
    first, second = _stand_ins(givens, 1), _stand_ins(givens, 2)
    try:
        sql, parameters, compiler = _compile(build(first))
        again, others, _ = _compile(build(second))
    except (EmptyResultSet, _CannotBeKeptError):
        return None
    if sql != again or len(parameters) != len(others):
        return None
    places: dict[int, _Place] = {}
    for n, (one, other) in enumerate(zip(parameters, others, strict=True)):
        if one == other:
            continue
        place = _place(one, other, first, second)
        if place is None:
            return None
        places[n] = place
    asked = {name for name, given in givens.items() if given is not None}
    if asked - {place.given for place in places.values()}:
        return None  # one of them decides the SQL itself
    converters = compiler.get_converters([select[0] for select in compiler.select])
    return _Kept(sql, parameters, places, _quicker(converters), compiler)


def _quicker(converters: Mapping[int, Any]) -> dict[int, Any]:
    """The same converters; JSON that the fields' own default reads is read by orjson."""
    return {
        n: ([_json if _is_plain_json(convert) else convert for convert in functions], expression)
        for n, (functions, expression) in converters.items()
    }


def _is_plain_json(convert: Any) -> bool:
    field = getattr(convert, "__self__", None)
    return isinstance(field, JSONField) and field.decoder is None


def _json(value: Any, expression: Any, connection: Any) -> Any:
    if value is None or isinstance(expression, KeyTransform):
        return value if value is None else JSONField().from_db_value(value, expression, connection)
    return orjson.loads(value)


def _compile(found: QuerySet[Any, Any]) -> tuple[str, tuple[Any, ...], Any]:
    compiler = found.query.get_compiler(DEFAULT_DB_ALIAS)
    sql, parameters = compiler.as_sql()
    if compiler.has_extra_select:
        raise _CannotBeKeptError
    return sql, tuple(parameters), compiler


def _stand_ins(givens: Givens, turn: int) -> Givens:
    """Values of the same types that nothing else in a query has, others each turn; so are
    the parts of their seconds, so that what is cut to whole ones in between shows."""
    return {name: _stand_in(given, n * 2 + turn) for n, (name, given) in enumerate(givens.items())}


def _stand_in(given: Any, n: int) -> Any:
    match given:
        case int():
            return 1_900_000_000 + n * 1_009  # never too small nor too large for a column
        case float():
            return 1_900_000_000.5 + n * 1_009
        case str():
            return f"stand-in {n}"
        case datetime():
            return datetime(2200 + n, 3, 4, 5, 6, 7, 999_999 * (n % 2), tzinfo=UTC)
    return given  # None is part of the shape


def _place(one: Any, other: Any, first: Givens, second: Givens) -> _Place | None:
    """The given that a parameter comes from, if it comes from one as it is."""
    for name in first:
        mine, next_mine = first[name], second[name]
        if isinstance(mine, datetime):
            if not isinstance(one, int) or not isinstance(other, int):
                continue
            plus = one - seconds_of(mine)
            if plus == other - seconds_of(next_mine):
                return _Place(name, plus)
        elif (one, other) == (mine, next_mine):
            return _Place(name)
    return None


def _made(kept: _Kept, rows: Rows) -> list[Any]:
    """Models of rows, and of those selected along, as Django's own iteration makes them."""
    compiler = kept.compiler
    about, select = compiler.klass_info, compiler.select
    model = about["model"]
    columns = about["select_fields"]
    begin, end = columns[0], columns[-1] + 1
    names = [column[0].target.attname for column in select[begin:end]]
    populators = get_related_populators(about, select, DEFAULT_DB_ALIAS)  # type: ignore[call-arg]
    found = []
    for row in rows:
        made = model.from_db(DEFAULT_DB_ALIAS, names, row[begin:end])
        for populator in populators:
            populator.populate(row, made)
        found.append(made)
    return found


def _fetched(kept: _Kept, givens: Givens) -> Rows:
    parameters = list(kept.parameters)
    for n, place in kept.places.items():
        given = givens[place.given]
        parameters[n] = seconds_of(given) + place.plus if isinstance(given, datetime) else given
    connection = connections[DEFAULT_DB_ALIAS]
    with connection.cursor() as cursor:
        cursor.execute(kept.sql, parameters)
        rows: Rows = cursor.fetchall()
    if not kept.converters:
        return rows
    return [_converted(row, kept.converters, connection) for row in rows]


def _converted(row: tuple[Any, ...], converters: Mapping[int, Any], connection: Any) -> Any:
    shown = list(row)
    for n, (functions, expression) in converters.items():
        for convert in functions:
            shown[n] = convert(shown[n], expression, connection)
    return tuple(shown)
