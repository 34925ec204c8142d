"""What the rulebook's own numbers are as values of reports: custom fields and computed ones.

A report adds whole numbers up, so that totals are exact: these are read in thousandths.
"""

from collections.abc import Callable, Mapping
from typing import Any

from django.db.models import BigIntegerField, F, FloatField, Value
from django.db.models.fields.json import KeyTextTransform
from django.db.models.functions import Cast, Round

from gannet.reports.values import Values
from gannet.rulebook.book import Book
from gannet.tickets.computing import computed_fields
from gannet.tickets.field import Field
from gannet.tickets.fields import custom_field, json_parts
from gannet_core import reports as core

PREFIX = "field "
_SCALE = 1_000


def own_values(book: Book) -> Mapping[str, core.Value]:
    """Each number of the rulebook's own as a value: “field KEY” -> what it is called."""
    return {
        f"{PREFIX}{name}": core.Value(field.label, scale=_SCALE, about=_about(field))
        for name, field in _numbers(book).items()
    }


def own_expressions(book: Book) -> Values:
    """The same values as the database reads them."""
    return {f"{PREFIX}{name}": _reading(field) for name, field in _numbers(book).items()}


def _numbers(book: Book) -> Mapping[str, Field]:
    if "own numbers" not in book.kept:
        custom = {key: custom_field(entry) for key, entry in book.fields.items()}
        every = {**custom, **computed_fields(book)}
        book.kept["own numbers"] = {
            name: field for name, field in every.items() if field.type == "number"
        }
    found: Mapping[str, Field] = book.kept["own numbers"]
    return found


def _about(field: Field) -> str:
    if field.computed is None:
        return "What was written into the field."
    return "Computed by the rulebook, of each record at the moment of asking."


def _reading(field: Field) -> Callable[[int], Any]:
    def read(now_s: int) -> Any:
        value = field.computed.expression(now_s) if field.computed else _written(field)
        many = value * Value(float(_SCALE), FloatField())
        return Cast(Round(many, output_field=FloatField()), BigIntegerField())

    return read


def _written(field: Field) -> Any:
    parts = json_parts(field.path)
    assert parts is not None
    return Cast(KeyTextTransform(parts[1], F(parts[0])), FloatField())
