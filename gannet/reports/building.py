"""Reports as the database computes them: one grouped query, and the condition behind each cell.

What a cell counts is said once, as a condition of the language that lists use; where that
cannot say it (an hour of the day) the same expression that groups also chooses. So the list
behind a number and the number cannot disagree.
"""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from functools import cached_property
from itertools import pairwise
from typing import Any
from zoneinfo import ZoneInfo

from django.conf import settings
from django.db.models import (
    BigIntegerField,
    Case,
    Count,
    F,
    IntegerField,
    Max,
    Min,
    Model,
    Q,
    QuerySet,
    Sum,
    Value,
    When,
)
from django.db.models.functions import Coalesce
from django.db.models.lookups import Exact, GreaterThanOrEqual, IsNull, LessThan

from gannet.people.models import Person, Role
from gannet.reports.own_values import own_expressions, own_values
from gannet.reports.source import Source
from gannet.reports.sources import SOURCES
from gannet.reports.values import OF_TICKETS, Values
from gannet.rulebook.book import Book, current
from gannet.tickets.computing import computed_fields, expression_of
from gannet.tickets.field import Field
from gannet.tickets.fields import registry
from gannet.tickets.kinds import kinds
from gannet.tickets.listed import Listed, listed
from gannet.tickets.models import Ticket
from gannet.web.errors import Invalid
from gannet_core import reports as core
from gannet_core.conditions import fold
from gannet_core.errors import ReportError
from gannet_core.instants import format_instant, instant_of, seconds_of
from gannet_core.reports import Definition, Dimension, Edges, Heading, Key, Tallies, Tally

Tree = dict[str, Any]
# Fields that name single people of the desk, and who sees figures by them where nothing is said.
BY_PERSON = ("holder", "resolver")
_SEE_PEOPLE = (Role.TEAM_LEAD, Role.MANAGER, Role.ADMINISTRATOR)
_NUMBERS = frozenset(
    {"impact", "urgency", "score", "hand-overs", "reopenings", "service.criticality",
     "ci.criticality", "item.criticality", "survey.score"}
)  # fmt: skip
_NOT_GROUPED = frozenset(
    {"title", "next step does", "announced", "unread", "needs reply", "answered", "workaround",
     "impact assumed", "urgency assumed", "open"}
)  # fmt: skip
_MOST_NUMBERS = 10_000  # that a query is given at once
_GROUPED = ("choice", "person", "team", "number", "yes/no", "text")


def zone() -> ZoneInfo:
    """The zone in which reports read the calendar."""
    return ZoneInfo(settings.ORGANISATION_ZONE)


def first_month(book: Book) -> int:
    """The month in which the financial year begins, by the rulebook."""
    return int(book.reports.get("first_month", 1))


def groupable(field: Field) -> bool:
    """Whether records can be grouped by a field."""
    if field.groups is not None or field.items_of is not None or field.through is not None:
        return False
    if field.type == "number" and not field.is_custom and field.computed is None:
        return field.name in _NUMBERS
    return field.is_instant or (field.type in _GROUPED and field.name not in _NOT_GROUPED)


def fields_of(source: Source | None, book: Book) -> Mapping[str, Field]:
    """The fields by which records of a kind are grouped."""
    every = {**registry(book), **computed_fields(book)}
    if source is None:
        return every
    mine = {one.name for one in source.fields}
    return {name: one for name, one in source.known(book).items() if name in mine or name in every}


def values_of(source: Source | None, book: Book) -> Values:
    """What records of a kind are measured by."""
    return source.values if source else {**OF_TICKETS, **own_expressions(book)}


def events_of(source: Source | None) -> Sequence[str]:
    """What can have happened to records of a kind."""
    return source.events if source else core.OF_TICKETS


def names_people(source: Source | None, name: str) -> bool:
    """Whether a field names single people of the desk."""
    return name in BY_PERSON or (source is not None and name in source.people)


def may_group_people(person: Person) -> bool:
    """Whether somebody may see figures of single people of the desk, by the rulebook."""
    said = current().reports.get("people", _SEE_PEOPLE)
    return person.has_role(*(Role(one) for one in said))


@dataclass(frozen=True)
class Spot:
    """A cell of a report: the keys of its rows from the outermost, and of its column.

    Fewer keys than rows, and no column (`core.TOTAL`), are totals.
    """

    path: tuple[Key, ...] = ()
    column: Key = core.TOTAL
    # Of what was open at the end of each: what came in the piece, or went.
    of: str = core.RECORDS


class Builder:
    """One report as one person sees it at one instant.

    An open one is for others to read: of what that person may see, nothing that is confidential
    or meant for some.
    """

    def __init__(
        self, found: Definition, person: Person, now: datetime, *, is_open: bool = False
    ) -> None:
        self.found, self.person, self.now, self.is_open = found, person, now, is_open
        self.book, self.zone = current(), zone()
        self.source = SOURCES.get(found.kind)
        self.fields = fields_of(self.source, self.book)
        self.values = values_of(self.source, self.book)
        self.own = own_values(self.book) if self.source is None else {}
        self._edges: dict[tuple[Dimension, bool], Edges] = {}
        self._bands: dict[tuple[Dimension, bool], tuple[int, ...]] = {}
        self._check()

    def _check(self) -> None:
        kind = self.found.kind
        if kind and kind not in kinds() and self.source is None:
            raise ReportError("kind", "there is no such kind of record")
        called = self.source.plural if self.source else "these records"
        if self.found.event not in events_of(self.source):
            raise ReportError("event", f"of {called} nobody can ask what was {self.found.event}")
        for measure in self.found.measures:
            counted = measure.of in (core.RECORDS, core.CAME, core.WENT)
            if not counted and measure.of not in self.values:
                said = measure.value.label
                raise ReportError("measures", f"{called} have no {said}")
        for one in self.found.dimensions:
            place = "columns" if one == self.found.columns else "rows"
            if one.by == core.BAND:
                if one.field not in self.values or self._value_of(one.field).is_share:
                    raise ReportError(place, f"there are no bands of “{one.field}”")
                continue
            field = self.fields.get(one.field)
            if field is None or not groupable(field):
                raise ReportError(place, f"records are not grouped by “{one.field}”")
            if self._names_people(one.field) and not may_group_people(self.person):
                raise ReportError(place, "figures of single people are not for you to see")
            if field.is_instant != bool(one.by):
                raise ReportError(place, f"say by which piece of time “{field.label}” is grouped")

    def _names_people(self, name: str) -> bool:
        return names_people(self.source, name)

    def _value_of(self, name: str) -> core.Value:
        return self.own.get(name) or core.VALUES[name]

    @staticmethod
    def _bands_between(value: core.Value, least: int | None, most: int | None) -> tuple[int, ...]:
        """Bands from the least to the greatest there is, in parts of the value's unit."""
        if least is None or most is None:
            return ()
        ends = (least // value.scale, -(-most // value.scale))
        return tuple(at * value.scale for at in core.bands(value.unit, *ends))

    @cached_property
    def span(self) -> core.Span:
        """The span of the report."""
        return core.span_of(self.found, self.now, self.zone, self.first_month)

    @cached_property
    def span_before(self) -> core.Span:
        """The span that it is held against."""
        return core.span_before(self.found, self.span, self.zone, self.first_month)

    @property
    def first_month(self) -> int:
        return first_month(self.book)

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

    def value(self, name: str) -> Any:
        """A value of a record as the database reads it."""
        return self.values[name](seconds_of(self.now))

    def _rows(self, tree: Tree) -> QuerySet[Any]:
        if self.source is None:
            return listed(self.person, tree, self.now).found.order_by()
        found = self.source.rows(self.person, tree, self.now, self.book)
        if self.is_open:
            found = found.filter(self.source.is_open)
        if self.found.event == core.OPEN:
            found = found.filter(self.source.opened(seconds_of(self.now)) or Q())
        return found

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

    # --- what it counts -------------------------------------------------------------------

    def _basis(self) -> list[Tree]:
        """The kind and the condition, which hold for every cell."""
        parts: list[Tree] = []
        if self.found.kind and self.source is None:
            parts.append({"field": "kind", "op": "is", "value": self.found.kind})
        if self.found.where:
            parts.append(dict(self.found.where))
        if self.is_open and (self.source is None or self.source.on_ticket):
            parts.append({"field": "confidential", "op": "is", "value": False})
        return parts

    def _event(self, span: core.Span, spot: Spot | None = None) -> list[Tree]:
        """What happened to the records in the span, or was so at the end of a piece of it."""
        event = self.found.event
        if event == core.OPEN:
            return [] if self.source else [{"field": "open", "op": "is", "value": True}]
        if event == core.EVER:
            return []
        if event == core.OPEN_AT_END:
            if spot is None or not spot.path:
                return self._open_at(self._until(span.until))
            pieces = self._pieces(self.found.rows[0], span == self.span_before)
            if str(spot.path[0]) not in pieces.keys:
                raise Invalid("There is no such cell.", fields={"path": "Choose another."})
            place = pieces.keys.index(str(spot.path[0]))
            if spot.of != core.RECORDS:
                ends = (instant_of(pieces.starts_s[place + step]) for step in (0, 1))
                return self._passed(spot.of, *ends)
            return self._open_at(self._until(instant_of(pieces.starts_s[place + 1])))
        return [
            {"field": event, "op": ">=", "value": format_instant(span.start)},
            {"field": event, "op": "<", "value": format_instant(self._end_of(span))},
        ]

    def _passed(self, of: str, start: datetime, end: datetime) -> list[Tree]:
        """What came or went in a piece of time, up to now.

        An instant belongs to the piece before it, as for what was open then.
        """
        after, until = format_instant(start), format_instant(self._until(end))

        def between(name: str) -> Tree:
            return {"all": [{"field": name, "op": ">", "value": after},
                            {"field": name, "op": "<=", "value": until}]}  # fmt: skip

        if self.source is not None:
            came, gone = self._came_and_gone()
            return [between(came if of == core.CAME else gone)]
        if of == core.CAME:
            return [between("opened")]
        ended = {"all": [{"field": "resolved", "op": "is empty"}, between("closed")]}
        return [{"any": [between("resolved"), ended]}]

    def _came_and_gone(self) -> list[str]:
        """The fields in which a kind keeps from when to when one is open."""
        assert self.source is not None
        return [
            next(one.name for one in self.source.fields if one.path == path and one.is_instant)
            for path in (self.source.came, self.source.gone)
        ]

    def _open_at(self, at: datetime) -> list[Tree]:
        """Open at an instant, by the fields in which the kind keeps when it came and went."""
        if self.source is None:
            return _open_at(at)
        came, gone = self._came_and_gone()
        moment = format_instant(at)
        return [
            {"field": came, "op": "<=", "value": moment},
            {"any": [{"field": gone, "op": "is empty"},
                     {"field": gone, "op": ">", "value": moment}]},
        ]  # fmt: skip

    def _end_of(self, span: core.Span) -> datetime:
        """A span that runs is taken whole; one held against it ends where that has got to."""
        return span.end if span is self.span else span.until

    def _until(self, at: datetime) -> datetime:
        """The end of a piece of time, which is now for the one that runs."""
        return min(at, self.now)

    def _base(self, is_before: bool) -> QuerySet[Any]:
        span = self.span_before if is_before else self.span
        return self._rows({"all": [*self._basis(), *self._event(span)]})

    # --- groups ---------------------------------------------------------------------------

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

    def _keys(self, one: Dimension, read: Iterable[Any], is_before: bool) -> dict[Any, Key]:
        """What was read from the database, as keys."""
        read = list(read)
        if one.by == core.BAND:
            return {at: None if at is None else int(at) for at in read}
        field = self.fields[one.field]
        if one.is_time:
            pieces = self._pieces(one, is_before)
            return {at: pieces.keys[int(at)] if at is not None else None for at in read}
        if one.by:
            places = core.ROUND[one.by]
            return {at: places[int(at)] if at is not None else None for at in read}
        named = self._named_by(field)
        if named is not None:
            called = _names(named[1], read)
            return core.merged_by(read, lambda key: called.get(key))
        if field.choices and not field.is_custom:
            names = {code: name for name, code in field.choices.items()}
            return core.merged_by(read, lambda key: names.get(key))
        if field.type == "yes/no":
            return {key: None if key is None else bool(key) for key in read}
        return core.merged(read)

    def _headings(self, one: Dimension, keys: Iterable[Key], is_before: bool) -> list[Heading]:
        """The keys of a dimension in their order, with what they are called."""
        there = set(keys)
        nothing = [Heading(None, "none")] if None in there else []
        if one.by == core.BAND:
            steps, value = self._steps_of(one, is_before), self._value_of(one.field)
            found = [
                Heading(low, core.band_label(low // value.scale, to // value.scale, value.unit))
                for low, to in pairwise(steps)
            ]
            return found + nothing
        if one.by:
            known = core.ROUND[one.by] if not one.is_time else self._pieces(one, is_before).keys
            return [Heading(key, core.bucket_label(key, one.by)) for key in known] + nothing
        field = self.fields[one.field]
        if field.type == "yes/no":
            said = {True: "yes", False: "no"}
            return [Heading(key, said[key]) for key in (True, False) if key in there] + nothing
        named = sorted(
            (key for key in there if key is not None and key != core.REST),
            key=lambda key: (
                not isinstance(key, (int, float)),
                key if isinstance(key, (int, float)) else 0,
                str(key),
            ),
        )
        return [Heading(key, str(key)) for key in named] + nothing

    def _steps_of(self, one: Dimension, is_before: bool) -> tuple[int, ...]:
        """Where the bands of a value begin, among all the records of the report."""
        kept = self._bands.get((one, is_before))
        if kept is None:
            rows = self._base(is_before).annotate(measured=self.value(one.field))
            ends = rows.aggregate(least=Min("measured"), most=Max("measured"))
            kept = self._bands_between(self._value_of(one.field), ends["least"], ends["most"])
            self._bands[one, is_before] = kept
        return kept

    def _pieces(self, one: Dimension, is_before: bool) -> Edges:
        """The pieces of time of a dimension: of the span, or of all that its records have."""
        kept = self._edges.get((one, is_before))
        if kept is None:
            kept = self._edges[one, is_before] = self._read_pieces(one, is_before)
        return kept

    def _read_pieces(self, one: Dimension, is_before: bool) -> Edges:
        span = self.span_before if is_before else self.span
        is_event = one.field == self.found.event_field or self.found.event == core.OPEN_AT_END
        if is_event:
            start, end = span.start, span.end
        else:
            moment = self._read(self.fields[one.field])
            ends = self._base(is_before).aggregate(least=Min(moment), most=Max(moment))
            if ends["least"] is None:
                return Edges((), ())
            start, end = instant_of(ends["least"]), instant_of(ends["most"] + 1)
        return core.edges(one, start, end, self.zone, self.first_month)

    def _expression(self, one: Dimension, is_before: bool) -> Any:
        """What the database groups by."""
        if one.by == core.BAND:
            return _band(self.value(one.field), self._steps_of(one, is_before))
        field = self.fields[one.field]
        named = self._named_by(field)
        if named is not None:
            return F(named[0])
        read = self._read(field)
        if one.is_time:
            return _piece(read, self._pieces(one, is_before).starts_s)
        return self._round(one) if one.by else read

    def _named_by(self, field: Field) -> tuple[str, type[Model]] | None:
        """Of a field that is the name of another row: the path to its number, and its model.

        Grouped by number, the names need be read of few rows, and not be joined to all.
        """
        path, _, last = field.path.rpartition("__")
        if last != "name" or not path or field.computed is not None or field.is_custom:
            return None
        model: Any = self.source.model if self.source else Ticket
        for part in path.split("__"):
            model = model._meta.get_field(part).related_model
            if model is None:
                return None
        return f"{path}_id", model

    def _read(self, field: Field) -> Any:
        """What the database reads for a field."""
        return expression_of(field)(seconds_of(self.now))

    def _round(self, one: Dimension) -> Any:
        """The hour of the day or the day of the week, on the local clock."""
        moment = self._read(self.fields[one.field])
        every = self.source.model._default_manager if self.source else Ticket.objects
        known = every.aggregate(least=Min(moment), most=Max(moment))
        start, end = known["least"] or 0, (known["most"] or 0) + 1
        steps = core.offsets(start, end, self.zone)
        ahead: Any = Value(steps[-1][1])
        if len(steps) > 1:
            whens = [When(LessThan(moment, until), then=Value(by)) for until, by in steps[:-1]]
            ahead = Case(*whens, default=ahead, output_field=IntegerField())
        local = moment + ahead
        if one.by == core.HOUR_OF_DAY:
            return local / 3600 % 24
        return (local / 86_400 + 3) % 7  # 1 January 1970 was a Thursday; Monday is 0

    # --- a cell as a condition ------------------------------------------------------------

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

    # --- open at the end of each ----------------------------------------------------------

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
                default=_before(steps, 0, len(steps) - 1),
                output_field=IntegerField(),
            )
        )
        counted = found.values_list(*names, "step").annotate(records=Count("pk"))
        return {tuple(row[:-1]): row[-1] for row in counted}


def _names(model: type[Model], numbers: Sequence[Any]) -> dict[Any, str]:
    """What rows are called, by number."""
    rows = model._default_manager.all()
    if len(numbers) <= _MOST_NUMBERS:
        rows = rows.filter(pk__in=[one for one in numbers if one is not None])
    return dict(rows.values_list("pk", "name"))


def _before(steps: Sequence[int], low: int, high: int) -> Any:
    """The first step that an instant is before; one that is before none has the last index."""
    if low == high:
        return Value(low)
    middle = (low + high) // 2
    return Case(
        When(at_s__lt=steps[middle], then=_before(steps, low, middle)),
        default=_before(steps, middle + 1, high),
        output_field=IntegerField(),
    )


def _piece(moment: Any, starts_s: Sequence[int]) -> Any:
    """The index of the piece of time that an instant falls into, found by halves."""

    def part(low: int, high: int) -> Any:
        if low >= high:
            return Value(low)
        middle = (low + high + 1) // 2
        return Case(
            When(LessThan(moment, starts_s[middle]), then=part(low, middle - 1)),
            default=part(middle, high),
            output_field=IntegerField(),
        )

    if len(starts_s) < 2:
        return Value(None, output_field=IntegerField())
    return Case(
        When(IsNull(moment, True), then=None),
        default=part(0, len(starts_s) - 2),
        output_field=IntegerField(),
    )


def _band(value: Any, starts: Sequence[int]) -> Any:
    """Where the band begins into which a value falls, found by halves."""

    def part(low: int, high: int) -> Any:
        if low >= high:
            return Value(starts[low])
        middle = (low + high + 1) // 2
        return Case(
            When(LessThan(value, starts[middle]), then=part(low, middle - 1)),
            default=part(middle, high),
            output_field=BigIntegerField(),
        )

    if len(starts) < 2:
        return Value(None, output_field=BigIntegerField())
    return Case(
        When(IsNull(value, True), then=None),
        default=part(0, len(starts) - 2),
        output_field=BigIntegerField(),
    )


def _open_at(at: datetime) -> list[Tree]:
    """Open at an instant: opened by then, and neither resolved nor closed by then."""
    moment = format_instant(at)
    return [
        {"field": "opened", "op": "<=", "value": moment},
        {"any": [
            {"all": [{"field": "resolved", "op": "is empty"},
                     {"field": "closed", "op": "is empty"}]},
            {"field": "resolved", "op": ">", "value": moment},
            {"all": [{"field": "resolved", "op": "is empty"},
                     {"field": "closed", "op": ">", "value": moment}]},
        ]},
    ]  # fmt: skip
