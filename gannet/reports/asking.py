"""A report as asked by one person at one instant: which records it is about."""

from dataclasses import dataclass
from datetime import datetime
from functools import cached_property
from typing import Any

from django.db.models import (
    Max,
    Min,
    Q,
    QuerySet,
)

from gannet.people.models import Person
from gannet.reports.fields import (
    events_of,
    fields_of,
    first_month,
    groupable,
    may_group_people,
    names_people,
    values_of,
    zone,
)
from gannet.reports.own_values import own_values
from gannet.reports.sources import SOURCES
from gannet.rulebook.book import current
from gannet.tickets.computing import expression_of
from gannet.tickets.field import Field
from gannet.tickets.kinds import kinds
from gannet.tickets.listed import listed
from gannet.web.errors import Invalid
from gannet_core import reports as core
from gannet_core.errors import ReportError
from gannet_core.instants import format_instant, instant_of, seconds_of
from gannet_core.reports import Definition, Dimension, Edges, Key

Tree = dict[str, Any]


@dataclass(frozen=True)
class Spot:
    """A cell of a report: the keys of its rows from the outermost, and of its column.

    Fewer keys than rows, and no column (`core.TOTAL`), are totals.
    """

    path: tuple[Key, ...] = ()
    column: Key = core.TOTAL
    # Of what was open at the end of each: what came in the piece, or went.
    of: str = core.RECORDS


class Asked:
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

    def _read(self, field: Field) -> Any:
        """What the database reads for a field."""
        return expression_of(field)(seconds_of(self.now))


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
