"""Computed fields: expressions of the rulebook over a ticket's fields, as the database reads them.

`gannet_core.computed` says what an expression means; here it becomes one of the ORM, so that
lists are filtered, ordered and grouped by it, and reports count by it. A property test holds
the two to each other.
"""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from functools import partial, reduce
from operator import add, mul, or_, sub
from typing import Any

from django.db.models import (
    BigIntegerField,
    BooleanField,
    Case,
    F,
    FloatField,
    OuterRef,
    Q,
    Subquery,
    TextField,
    Value,
    When,
)
from django.db.models.expressions import CombinedExpression, NegatedExpression
from django.db.models.fields.json import KeyTextTransform
from django.db.models.functions import Cast, Coalesce, Least, Lower, NullIf, Round
from django.db.models.lookups import (
    Contains,
    Exact,
    GreaterThan,
    GreaterThanOrEqual,
    IsNull,
    LessThan,
    LessThanOrEqual,
    StartsWith,
)
from django.utils import timezone

from gannet.rulebook.book import Book, current
from gannet.rulebook.models import OpenHours
from gannet.rulebook.open_hours import mark_of
from gannet.tickets.field import Field
from gannet.tickets.fields import json_parts, registry
from gannet.tickets.models import Ticket
from gannet.tickets.stored import stored_values
from gannet_core import computed
from gannet_core.computed import Moment, Node
from gannet_core.conditions import Context, fold, is_empty
from gannet_core.errors import ConditionError, ExpressionError
from gannet_core.instants import format_instant, instant_of, parse_instant, seconds_of

_MOST_SPELLED = 200
_ARITHMETIC = {"+": add, "−": sub, "×": mul}
_TESTS: Mapping[str, Any] = {
    "=": Exact, "<": LessThan, "≤": LessThanOrEqual, ">": GreaterThan, "≥": GreaterThanOrEqual,
}  # fmt: skip
_ORDERS: Mapping[str, Any] = {
    "<": LessThan, "before": LessThan, "<=": LessThanOrEqual,
    ">": GreaterThan, "after": GreaterThan, ">=": GreaterThanOrEqual,
}  # fmt: skip
_OUTPUT: Mapping[str, Any] = {
    computed.NUMBER: FloatField, computed.TEXT: TextField,
    computed.YES_NO: BooleanField, computed.INSTANT: BigIntegerField,
}  # fmt: skip
_NOTHING = Q(pk__in=[])


@dataclass(frozen=True)
class Computed:
    """A computed field's expression: parsed, with the calendar that its service hours are of."""

    node: Node
    calendar: str = ""

    @property
    def asks_now(self) -> bool:
        """Whether it changes as time passes."""
        return computed.asks_now(self.node)

    def read(self, ticket: Ticket, book: Book | None = None) -> Any:
        """Its value for one ticket, now."""
        book = book or current()
        fields = registry(book)
        record = {name: fields[name].read(ticket) for name in computed.fields_in(self.node)}
        found = self.of_record(record, seconds_of(timezone.now()), book)
        return format_instant(found) if isinstance(found, datetime) else found

    def of_record(self, record: Mapping[str, Any], now_s: int, book: Book) -> Any:
        """Its value for a record at an instant."""
        calendar = book.calendar(self.calendar) if book.has_calendar(self.calendar) else None
        return computed.evaluate(self.node, record, Moment(instant_of(now_s), calendar))

    def expression(self, now_s: int, *, prefix: str = "", is_folded: bool = False) -> Any:
        """Its value as the database computes it: a number, a text, a truth, epoch seconds.

        `prefix` is the path from the rows that are read to their ticket; `is_folded` gives a
        text as it is compared.
        """
        book = current()
        found = _Reading(now_s, prefix, book, _mark(book, self.calendar)).read(self.node, is_folded)
        if self.node.type == computed.NUMBER:
            return Round(found, precision=computed.DECIMALS, output_field=FloatField())
        return found


def computed_fields(book: Book) -> Mapping[str, Field]:
    """The computed fields of a rulebook as lists and reports see them.

    One that cannot be read – what it asks for has gone – is none: the checks of the rulebook
    say so.
    """
    kept = book.kept.get("computed fields")
    if kept is None:
        every = registry(book)
        about = computed.readable({name: field.about() for name, field in every.items()})
        kept = {}
        for entry in book.document.get("computed") or ():
            try:
                node = computed.check(str(entry["expression"]), about)
            except ExpressionError:
                continue
            if str(entry["key"]) not in every:
                kept[str(entry["key"])] = _field(entry, node)
        book.kept["computed fields"] = kept
    found: Mapping[str, Field] = kept
    return found


def _field(entry: Mapping[str, Any], node: Node) -> Field:
    one = Computed(node, str(entry.get("calendar") or ""))
    return Field(
        str(entry["key"]),
        node.type,
        str(entry["label"]),
        "",
        one.read,
        is_instant=node.type == computed.INSTANT,
        is_nullable=True,
        computed=one,
        values=list,
    )


def computed_leaf(field: Field, op: str, value: Any, context: Context) -> Q:
    """A leaf over a computed field; an empty value makes all but `is not` false."""
    match op:
        case "is not":
            return ~computed_leaf(field, "is", value, context)
        case "is none of":
            return ~computed_leaf(field, "is one of", value, context)
        case "between":
            low, high = value
            return computed_leaf(field, ">=", low, context) & computed_leaf(
                field, "<=", high, context
            )
    assert field.computed is not None
    now_s = seconds_of(context.now or timezone.now())
    is_text = field.type == "text"
    found = field.computed.expression(now_s, prefix=field.prefix, is_folded=is_text)
    filled = Q(IsNull(found, False))
    match op:
        case "is empty":
            return ~filled
        case "is filled":
            return filled
        case "in the last" | "in the next":
            ends = (-float(value), 0.0) if op == "in the last" else (0.0, float(value))
            low, high = (now_s + int(one) for one in ends)
            return filled & Q(GreaterThanOrEqual(found, low)) & Q(LessThanOrEqual(found, high))
        case "is" | "is one of":
            wanted = value if op == "is one of" else [value]
            parts = [Q(Exact(found, _stored(field, one))) for one in wanted if not is_empty(one)]
            return filled & reduce(or_, parts) if parts else _NOTHING
    if is_empty(value):
        return _NOTHING
    if op in _ORDERS:
        return filled & Q(_ORDERS[op](found, _stored(field, value)))
    if op in ("contains", "starts with"):
        lookup = Contains if op == "contains" else StartsWith
        return filled & Q(lookup(found, Value(fold(str(value)))))
    raise ConditionError(f"{field.name}: a list cannot ask {op!r}")


def _stored(field: Field, value: Any) -> Any:
    """A value of a condition as the expression's results are compared."""
    match field.type:
        case "number":
            return Value(round(float(value), computed.DECIMALS), FloatField())
        case "yes/no":
            return Value(bool(value), BooleanField())
        case "instant":
            return Value(seconds_of(parse_instant(value)), BigIntegerField())
    return Value(fold(str(value)), TextField())


def _mark(book: Book, calendar: str) -> str:
    found = book.document["calendars"] if calendar else ()
    return next((mark_of(one) for one in found if one["key"] == calendar), "")


@dataclass(frozen=True)
class _Reading:
    """What an expression is turned into one of the database with.

    `ref` makes the reference to a column: of the row itself, or of the row that a subquery
    stands beside.
    """

    now_s: int
    prefix: str
    book: Book
    mark: str
    ref: Callable[[str], Any] = F

    def read(self, node: Node, is_folded: bool = False) -> Any:
        """An expression that is NULL wherever the core says that it is empty."""
        match node.kind:
            case "value":
                return self._constant(node, is_folded)
            case "now":
                return Value(self.now_s, BigIntegerField())
            case "field":
                return self._field(registry(self.book)[str(node.value)], is_folded)
            case "if empty":
                parts = [self.read(part, is_folded) for part in node.parts]
                return Coalesce(*parts, output_field=_OUTPUT[node.type]())
            case "negative":
                return self.read(node.parts[0]) * Value(-1.0, FloatField())
            case computed.SERVICE_HOURS:
                return self._service_hours(node)
            case "+" if node.type == computed.TEXT:
                left, right = (self.read(part, is_folded) for part in node.parts)
                return CombinedExpression(left, "||", right, output_field=TextField())
        left, right = (self.read(part) for part in node.parts)
        if node.kind in _ARITHMETIC:
            return _ARITHMETIC[node.kind](left, right)
        if node.kind == "÷":
            return left / NullIf(right, Value(0.0, FloatField()))
        if node.kind in ("days between", "hours between"):
            unit = 86_400.0 if node.kind == "days between" else 3_600.0
            return Cast(right - left, FloatField()) / Value(unit, FloatField())
        return self._compared(node, left, right)

    @staticmethod
    def _compared(node: Node, left: Any, right: Any) -> Any:
        if node.parts[0].type == computed.NUMBER:
            apart = left - right
            left = Round(apart, precision=computed.DECIMALS, output_field=FloatField())
            right = Value(0.0, FloatField())
        if node.kind == "≠":
            return NegatedExpression(Exact(left, right))
        return _TESTS[node.kind](left, right)

    @staticmethod
    def _constant(node: Node, is_folded: bool) -> Any:
        match node.type:
            case computed.NUMBER:
                return Value(float(node.value), FloatField())
            case computed.YES_NO:
                return Value(bool(node.value), BooleanField())
        text = str(node.value)
        return Value(fold(text) if is_folded else text, TextField())

    def _field(self, field: Field, is_folded: bool) -> Any:
        path = f"{self.prefix}{field.path}"
        if field.is_custom:
            return self._custom(field, is_folded)
        match field.type:
            case "number":
                return Cast(self.ref(path), FloatField())
            case "instant":
                return self.ref(path)
            case "yes/no":
                return Cast(self.ref(path), BooleanField())
        if field.choices is not None:
            return self._one_of(path, {code: name for name, code in field.choices.items()},
                                is_folded)  # fmt: skip
        text: Any
        if not is_folded:
            text = self.ref(path)
        elif field.folded:
            text = self.ref(f"{self.prefix}{field.folded}")
        else:
            text = self._spelled(field, path)
        return NullIf(text, Value("", TextField()), output_field=TextField())

    def _custom(self, field: Field, is_folded: bool) -> Any:
        """A value that stands in JSON."""
        parts = json_parts(field.path if is_folded else field.written)
        assert parts is not None
        column, key = parts
        text = KeyTextTransform(key, self.ref(f"{self.prefix}{column}"))
        if field.type == "number":
            return Cast(text, FloatField())
        if field.type == "yes/no":
            return Case(
                When(Exact(text, Value("true")), then=Value(True)),
                When(Exact(text, Value("false")), then=Value(False)),
                output_field=BooleanField(),
            )
        return NullIf(text, Value("", TextField()), output_field=TextField())

    def _one_of(self, path: str, names: Mapping[Any, str], is_folded: bool) -> Any:
        whens = [
            When(Exact(self.ref(path), code), then=Value(fold(name) if is_folded else name))
            for code, name in names.items()
        ]
        return Case(*whens, output_field=TextField())

    def _spelled(self, field: Field, path: str) -> Any:
        """A text without a folded column, folded where its few spellings are known."""

        spelled = {one: fold(one) for one in stored_values(field) if fold(one) != one}
        if not spelled or len(spelled) > _MOST_SPELLED:
            return Lower(self.ref(path))
        whens = [
            When(Exact(self.ref(path), Value(one)), then=Value(folded))
            for one, folded in spelled.items()
        ]
        # What nobody listed is folded as far as a database folds.
        return Case(*whens, default=Lower(self.ref(path)), output_field=TextField())

    def _service_hours(self, node: Node) -> Any:
        """Open seconds up to the one instant, less those up to the other."""
        if not self.mark:
            return Value(None, FloatField())
        start, end = (self._opened_until(part) for part in node.parts)
        return Cast(end - start, FloatField()) / Value(3_600.0, FloatField())

    def _opened_until(self, node: Node) -> Any:
        at = _Reading(self.now_s, self.prefix, self.book, self.mark, OuterRef).read(node)
        here = self.read(node)
        last = (
            OpenHours.objects.filter(mark=self.mark, from_s__lte=at)
            .order_by("-from_s")
            .annotate(
                until=F("before_s")
                + Least(at, F("to_s"), output_field=BigIntegerField())
                - F("from_s")
            )
            .values("until")[:1]
        )
        # Before the first opening none; without an instant nothing is known.
        none = here * Value(0, BigIntegerField())
        return Coalesce(Subquery(last), none, output_field=BigIntegerField())


def sources_of(fields: Sequence[Field]) -> list[Field]:
    """The fields that some computed ones read."""
    every = registry()
    names = {
        name
        for field in fields
        if field.computed is not None
        for name in computed.fields_in(field.computed.node)
    }
    return [every[name] for name in sorted(names) if name in every]


def expression_of(field: Field) -> Callable[[int], Any]:
    """What the database reads for a field at an instant: of a computed one its expression."""
    if field.computed is None:
        return lambda _: F(field.written or field.path)
    return partial(field.computed.expression, prefix=field.prefix)
