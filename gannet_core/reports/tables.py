"""The table that groups of records make."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from gannet_core.conditions import fold
from gannet_core.errors import ReportError
from gannet_core.reports.definition import (
    MOST_BUCKETS,
    MOST_COLUMNS,
    MOST_ROWS,
    OPEN_AT_END,
    Definition,
    Dimension,
)
from gannet_core.reports.tallies import Group, Key, Tallies, Tally

REST = "\x00rest"  # the key of what is gathered beyond the first rows
TOTAL = "\x00total"  # the key of a column that takes all of them


@dataclass(frozen=True, slots=True)
class Heading:
    """One row or column: its key and what it is called."""

    key: Key
    label: str


@dataclass(frozen=True)
class Row:
    """A row: the headings from the outermost, its cells by column, and its total.

    Each cell has the figures of all measures in their order.
    """

    path: tuple[Heading, ...]
    cells: tuple[tuple[float | None, ...], ...]
    total: tuple[float | None, ...]


@dataclass(frozen=True)
class Table:
    """The table of a report: inner rows follow their outer one, whose path is shorter."""

    columns: tuple[Heading, ...]
    rows: tuple[Row, ...]
    totals: tuple[tuple[float | None, ...], ...]
    total: tuple[float | None, ...]
    gathered: int = 0  # how many rows stand in “the rest”


def table(
    found: Definition,
    groups: Mapping[Group, Tallies],
    headings: Callable[[Dimension, Iterable[Key]], list[Heading]],
) -> Table:
    """The table that groups of records make.

    `groups` are tallies by (keys of the rows, key of the column); `headings` puts the keys of
    a dimension that there are in order, those of time with the empty ones between.
    """
    columns = headings(found.columns, [key for _, key in groups]) if found.columns else []
    if len(columns) > MOST_COLUMNS:
        raise ReportError("columns", f"there would be {len(columns)} columns: choose longer ones")
    cells: dict[tuple[tuple[Key, ...], Key], Tallies] = {}
    gathered = 0
    outer = headings(found.rows[0], [rows[0] for rows, _ in groups]) if found.rows else []
    if found.rows:
        outer, gathered, groups = _gathered(found, outer, groups)
    for (rows, column), tallies in groups.items():
        for depth in range(len(rows) + 1):
            _add(cells, (rows[:depth], TOTAL), tallies)
            if found.columns:
                _add(cells, (rows[:depth], column), tallies)
    rows_ = []
    for heading in outer:
        rows_.append(_row(found, cells, (heading,), columns))
        if len(found.rows) > 1 and heading.key != REST:
            inner = [keys[1] for keys, _ in groups if keys[0] == heading.key]
            rows_ += [
                _row(found, cells, (heading, one), columns)
                for one in headings(found.rows[1], inner)
                if ((heading.key, one.key), TOTAL) in cells
            ]
    whole = _row(found, cells, (), columns)
    if found.event == OPEN_AT_END:  # what was open twice is not twice as much
        blank = (None,) * len(found.measures)
        whole = Row((), (blank,) * len(columns), blank)
    return Table(tuple(columns), tuple(rows_), whole.cells, whole.total, gathered)


def _add(cells: dict[Any, Tallies], where: Any, tallies: Tallies) -> None:
    kept = cells.setdefault(where, {})
    for name, tally in tallies.items():
        kept.setdefault(name, Tally()).add(tally)


def _row(
    found: Definition,
    cells: Mapping[Any, Tallies],
    path: tuple[Heading, ...],
    columns: Sequence[Heading],
) -> Row:
    keys = tuple(one.key for one in path)
    return Row(
        path,
        tuple(figures(found, cells.get((keys, one.key), {})) for one in columns),
        figures(found, cells.get((keys, TOTAL), {})),
    )


def figures(found: Definition, tallies: Tallies) -> tuple[float | None, ...]:
    """The figures of all measures of a report, of some records."""
    return tuple(one.figure(tallies) for one in found.measures)


def _gathered(
    found: Definition, outer: list[Heading], groups: Mapping[Group, Tallies]
) -> tuple[list[Heading], int, Mapping[Group, Tallies]]:
    """The rows that stand by themselves, in order of the first figure; the rest as one."""
    if found.rows[0].by:
        if len(outer) > MOST_BUCKETS:
            raise ReportError("rows", f"there would be {len(outer)} rows: choose longer pieces")
        return outer, 0, groups
    sums: dict[Any, Tallies] = {}
    for (rows, _), tallies in groups.items():
        _add(sums, rows[0], tallies)
    first = found.measures[0]
    places = {one.key: index for index, one in enumerate(outer)}

    def rank(one: Heading) -> tuple[float, int]:
        value = first.figure(sums.get(one.key, {}))
        return (-value if value is not None else float("inf"), places[one.key])

    if not all(isinstance(one.key, (int, float)) for one in outer) or found.top:
        outer = sorted(outer, key=rank)
    most = found.top or MOST_ROWS
    if len(outer) <= most:
        return outer, 0, groups
    kept = {one.key for one in outer[:most]}
    folded: dict[Group, Tallies] = {}
    for (rows, column), tallies in groups.items():
        keys = rows if rows[0] in kept else (REST, *(None for _ in rows[1:]))
        _add(folded, (keys, column), tallies)
    rest = len(outer) - most
    return [*outer[:most], Heading(REST, f"the {rest} others")], rest, folded


def merged(keys: Iterable[Any]) -> dict[Any, Key]:
    """What groups are one: words that differ in case alone, and all that is empty.

    Maps each key that was read to the key of its group: the first spelling in the order of
    the alphabet, or None.
    """
    first: dict[str, str] = {}
    found: dict[Any, Key] = {}
    for key in sorted((one for one in keys if isinstance(one, str) and one), key=str):
        first.setdefault(fold(key), key)
    for key in keys:
        if key is None or key == "":
            found[key] = None
        else:
            found[key] = first[fold(key)] if isinstance(key, str) else key
    return found


def merged_by(keys: Iterable[Any], name: Callable[[Any], str | None]) -> dict[Any, Key]:
    """As `merged`, for keys that stand for names."""
    named = {key: name(key) for key in keys}
    groups = merged(named.values())
    return {key: groups[said] for key, said in named.items()}
