"""Reports as the database computes them: one grouped query, and the condition behind each cell.

What a cell counts is said once, as a condition of the language that lists use; where that
cannot say it (an hour of the day) the same expression that groups also chooses. So the list
behind a number and the number cannot disagree.
"""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace
from itertools import pairwise
from typing import Any

from django.db.models import (
    Case,
    Count,
    F,
    IntegerField,
    Max,
    Min,
    Q,
    QuerySet,
    Sum,
    When,
)
from django.db.models.functions import Coalesce
from django.db.models.lookups import Exact, GreaterThanOrEqual, IsNull, LessThan

from gannet.reports.asking import Spot, Tree
from gannet.reports.dividing import Divided
from gannet.reports.expressions import before
from gannet.tickets.listed import Listed, listed
from gannet.web.errors import Invalid
from gannet_core import reports as core
from gannet_core.conditions import fold
from gannet_core.instants import format_instant, instant_of, seconds_of
from gannet_core.reports import Dimension, Key, Tallies, Tally


class Builder(Divided):
    """The table of a report, and the records behind each of its cells."""

    def table(self, *, is_before: bool = False) -> core.Table:
        """The table of the report, or of the span that it is held against."""
        if self.found.event == core.OPEN_AT_END:
            groups = self._open_at_ends(is_before)
        else:
            groups = self._grouped(is_before)
        return core.table(
            self.found, groups, lambda one, keys: self._headings(one, keys, is_before)
        )

    def cell(self, spot: Spot, *, is_before: bool = False) -> Listed:
        """Exactly the tickets of a cell, a row, a column or all of it."""
        tree, more = self.condition(spot, is_before=is_before)
        return replace(listed(self.person, tree, self.now), also=more)

    def records(self, spot: Spot, *, is_before: bool = False) -> QuerySet[Any]:
        """As `cell`, of whatever kind of record."""
        tree, more = self.condition(spot, is_before=is_before)
        found = self._rows(tree)
        return found if more is None else found.filter(more)

    def figures(self, spot: Spot, *, is_before: bool = False) -> tuple[float | None, ...]:
        """The figures of one cell, from its records and not from the table."""
        rows = self.records(spot, is_before=is_before)
        tallies: Tallies = {core.RECORDS: Tally(rows.count())}
        counted = (core.CAME, core.WENT)
        for name in {one.of for one in self.found.measures} & set(counted):
            passed = self.records(replace(spot, of=name), is_before=is_before)
            tallies[name] = Tally(passed.count())
        for name in {one.of for one in self.found.measures} - {core.RECORDS, *counted}:
            values = rows.annotate(measured=self.value(name))
            read = values.exclude(measured=None).values_list("measured", flat=True)
            tallies[name] = Tally.of(int(value) for value in read.iterator())
        return core.figures(self.found, tallies)

    def condition(self, spot: Spot, *, is_before: bool = False) -> tuple[Tree, Q | None]:
        """A cell as a condition of lists, and what of it no condition can say."""
        parts = [*self._basis(), *self._event(self.span_before if is_before else self.span, spot)]
        more: Q | None = None
        given = [*zip(self.found.rows, spot.path, strict=False)]
        if self.found.columns is not None and spot.column != core.TOTAL:
            given.append((self.found.columns, spot.column))
        for one, key in given:
            if self.found.event == core.OPEN_AT_END and one == self.found.rows[0]:
                continue
            tree, q = self._part(one, key, is_before)
            parts += tree
            if q is not None:
                more = q if more is None else more & q
        return {"all": parts}, more

    def _grouped(self, is_before: bool) -> dict[core.Group, Tallies]:
        rows = self._base(is_before)
        names = []
        for index, one in enumerate(self.found.dimensions):
            rows = rows.annotate(**{f"key{index}": self._expression(one, is_before)})
            names.append(f"key{index}")
        wanted = {one.of for one in self.found.measures if one.of != core.RECORDS}
        listed_ = {one.of for one in self.found.measures if one.needs_values}
        values = {name: f"value{index}" for index, name in enumerate(sorted(wanted))}
        for name, column in values.items():
            rows = rows.annotate(**{column: self.value(name)})
        # Only what is shown is summed up: each sum may read other tables of every record.
        ways = {name: {one.way for one in self.found.measures if one.of == name} for name in wanted}
        sums: dict[str, Any] = {}
        for name, column in values.items():
            sums |= {f"{column}n": Count(column), f"{column}sum": Sum(column)}
            sums |= {f"{column}min": Min(column)} if "min" in ways[name] else {}
            sums |= {f"{column}max": Max(column)} if "max" in ways[name] else {}
        found: dict[tuple[Any, ...], Tallies] = {}
        if names:
            grouped: Iterable[Any] = rows.values(*names).annotate(records=Count("pk"), **sums)
        else:
            grouped = [rows.aggregate(records=Count("pk"), **sums)]
        for row in grouped:
            keys = tuple(row[name] for name in names)
            tallies = {core.RECORDS: Tally(row["records"])}
            for name, column in values.items():
                tallies[name] = Tally(
                    row[f"{column}n"],
                    int(row[f"{column}sum"] or 0),
                    row.get(f"{column}min"),
                    row.get(f"{column}max"),
                )
            found[keys] = tallies
        for name in listed_:
            column = values[name]
            each = rows.exclude(**{column: None}).values_list(*names, column)
            for *keys, value in each.iterator():
                found[tuple(keys)][name].values.append(int(value))
        return self._named(found, is_before)

    def _named(
        self, found: Mapping[tuple[Any, ...], Tallies], is_before: bool
    ) -> dict[core.Group, Tallies]:
        """Groups by keys as reports have them; those that are one for a condition are one."""
        dimensions = self.found.dimensions
        maps = [
            self._keys(one, {keys[index] for keys in found}, is_before)
            for index, one in enumerate(dimensions)
        ]
        groups: dict[core.Group, Tallies] = {}
        depth = len(self.found.rows)
        for keys, tallies in found.items():
            named = [maps[index][key] for index, key in enumerate(keys)]
            group = (tuple(named[:depth]), named[depth] if len(named) > depth else core.TOTAL)
            there = groups.setdefault(group, {})
            for name, tally in tallies.items():
                there.setdefault(name, Tally()).add(tally)
        return groups

    def _part(self, one: Dimension, key: Key, is_before: bool) -> tuple[list[Tree], Q | None]:
        """Which records have a key: as a condition, or for some as an expression."""
        if one.by == core.BAND:
            return [], self._in_band(one, key, is_before)
        field = self.fields[one.field]
        if key == core.REST:
            shown = self.table(is_before=is_before).rows
            heads = [row.path[0].key for row in shown if len(row.path) == 1]
            named = [head for head in heads if head not in (core.REST, None)]
            parts: list[Tree] = [
                {"not": tree} for head in named for tree in self._is(one, head, is_before)
            ]
            if None in heads:
                parts.append({"field": one.field, "op": "is filled"})
            return parts, None
        if key is None:
            return [{"field": one.field, "op": "is empty"}], None
        if one.is_time:
            pieces = self._pieces(one, is_before)
            if key not in pieces.keys:
                raise Invalid("There is no such cell.", fields={"path": "Choose another."})
            place = pieces.keys.index(str(key))
            start, end = (instant_of(pieces.starts_s[place + step]) for step in (0, 1))
            return [
                {"field": one.field, "op": ">=", "value": format_instant(start)},
                {"field": one.field, "op": "<", "value": format_instant(end)},
            ], None
        if one.by:
            if key not in core.ROUND[one.by]:
                raise Invalid("There is no such cell.", fields={"path": "Choose another."})
            place = core.ROUND[one.by].index(str(key))
            filled = Q(IsNull(self._read(field), False))
            return [], Q(Exact(self._round(one), place)) & filled
        return self._is(one, key, is_before), None

    def _in_band(self, one: Dimension, key: Key, is_before: bool) -> Q:
        """Whether a value lies in the band that begins so; of none, whether there is no value."""
        value = self.value(one.field)
        if key is None:
            return Q(IsNull(value, True))
        known = dict(pairwise(self._steps_of(one, is_before)))
        if isinstance(key, bool) or not isinstance(key, int) or key not in known:
            raise Invalid("There is no such cell.", fields={"path": "Choose another."})
        return Q(GreaterThanOrEqual(value, key)) & Q(LessThan(value, known[key]))

    def _is(self, one: Dimension, key: Key, is_before: bool) -> list[Tree]:
        """Whether a field has a key; words in each of the spellings that are one group."""
        field = self.fields[one.field]
        values: list[Key] = [key]
        is_spelled = not field.choices and not field.folded and field.computed is None
        if isinstance(key, str) and is_spelled:
            path = field.written or field.path
            read = self._base(is_before).values_list(path, flat=True).distinct()
            same = {one for one in read if isinstance(one, str) and fold(one) == fold(key)}
            values = [*sorted(same)] or values
        if len(values) == 1:
            return [{"field": one.field, "op": "is", "value": values[0]}]
        return [{"field": one.field, "op": "is one of", "value": values}]

    def _open_at_ends(self, is_before: bool) -> dict[core.Group, Tallies]:
        """What was open at the end of each piece of time: came up to then, less what went."""
        one, column = self.found.rows[0], self.found.columns
        pieces = self._pieces(one, is_before)
        now_s = seconds_of(self.now)
        ends = [min(at, now_s) for at in pieces.starts_s[1:]]
        if not ends:
            return {}
        rows = self._rows({"all": self._basis()})
        names = []
        if column is not None:
            rows = rows.annotate(key=self._expression(column, is_before))
            names = ["key"]
        # A piece ends after its last instant: what came exactly then counts at its end.
        steps = (pieces.starts_s[0] + 1, *(at + 1 for at in ends), ends[-1] + 1)
        came_at: Any = F("opened_s")
        gone_at: Any = Coalesce(F("resolved_s"), F("closed_s"))
        if self.source is not None:
            came_at, gone_at = F(self.source.came), F(self.source.gone)
        came = self._steps(rows, came_at, steps, names)
        gone = self._steps(rows, gone_at, steps, names)
        counts: dict[Any, list[list[int]]] = {}
        for which, found in enumerate((came, gone)):
            for (*keys, at), count in found.items():
                if at is None or at > len(ends):
                    continue
                there = counts.setdefault(tuple(keys), [[0, 0] for _ in range(len(ends) + 1)])
                there[int(at)][which] += count
        read: dict[tuple[Any, ...], Tallies] = {}
        for keys, ((came_before, gone_before), *changes) in counts.items():
            total = came_before - gone_before
            for index, (came_in, gone_in) in enumerate(changes):
                total += came_in - gone_in
                if pieces.starts_s[index] < now_s:  # what is still to come is not known
                    read[(index, *keys)] = {
                        core.RECORDS: Tally(total),
                        core.CAME: Tally(came_in),
                        core.WENT: Tally(gone_in),
                    }
        return self._named(read, is_before)

    @staticmethod
    def _steps(
        rows: QuerySet[Any], at: Any, steps: Sequence[int], names: Sequence[str]
    ) -> dict[tuple[Any, ...], int]:
        """How many records have an instant before each step, by group: index of the step."""
        found = rows.annotate(at_s=at).annotate(
            step=Case(
                When(at_s=None, then=None),
                default=before(steps, 0, len(steps) - 1),
                output_field=IntegerField(),
            )
        )
        counted = found.values_list(*names, "step").annotate(records=Count("pk"))
        return {tuple(row[:-1]): row[-1] for row in counted}
