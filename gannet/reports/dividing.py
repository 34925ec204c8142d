"""The groups of a report: what the database groups by, the keys that makes, and their names."""

from collections.abc import Iterable, Sequence
from functools import cached_property
from itertools import pairwise
from typing import Any

from django.db.models import (
    Case,
    F,
    IntegerField,
    Max,
    Min,
    Model,
    Value,
    When,
)
from django.db.models.lookups import LessThan

from gannet.reports.asking import Asked
from gannet.reports.expressions import band, piece
from gannet.tickets.field import Field
from gannet.tickets.models import Ticket
from gannet_core import reports as core
from gannet_core.reports import Dimension, Heading, Key

_MOST_NUMBERS = 10_000  # that a query is given at once


class Divided(Asked):
    """A report with its dimensions."""

    @cached_property
    def _bands(self) -> dict[tuple[Dimension, bool], tuple[int, ...]]:
        return {}

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

    @staticmethod
    def _bands_between(value: core.Value, least: int | None, most: int | None) -> tuple[int, ...]:
        """Bands from the least to the greatest there is, in parts of the value's unit."""
        if least is None or most is None:
            return ()
        ends = (least // value.scale, -(-most // value.scale))
        return tuple(at * value.scale for at in core.bands(value.unit, *ends))

    def _expression(self, one: Dimension, is_before: bool) -> Any:
        """What the database groups by."""
        if one.by == core.BAND:
            return band(self.value(one.field), self._steps_of(one, is_before))
        field = self.fields[one.field]
        named = self._named_by(field)
        if named is not None:
            return F(named[0])
        read = self._read(field)
        if one.is_time:
            return piece(read, self._pieces(one, is_before).starts_s)
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


def _names(model: type[Model], numbers: Sequence[Any]) -> dict[Any, str]:
    """What rows are called, by number."""
    rows = model._default_manager.all()
    if len(numbers) <= _MOST_NUMBERS:
        rows = rows.filter(pk__in=[one for one in numbers if one is not None])
    return dict(rows.values_list("pk", "name"))
