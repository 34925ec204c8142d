"""Which piece of time or band a value falls into, as the database finds it: by halves."""

from collections.abc import Sequence
from typing import Any

from django.db.models import (
    BigIntegerField,
    Case,
    IntegerField,
    Value,
    When,
)
from django.db.models.lookups import IsNull, LessThan


def before(steps: Sequence[int], low: int, high: int) -> Any:
    """The first step that an instant is before; one that is before none has the last index."""
    if low == high:
        return Value(low)
    middle = (low + high) // 2
    return Case(
        When(at_s__lt=steps[middle], then=before(steps, low, middle)),
        default=before(steps, middle + 1, high),
        output_field=IntegerField(),
    )


def piece(moment: Any, starts_s: Sequence[int]) -> Any:
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


def band(value: Any, starts: Sequence[int]) -> Any:
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
