"""What records are measured by, as the database reads it: whole numbers, or nothing."""

from collections.abc import Callable, Mapping
from typing import Any

from django.db.models import (
    BigIntegerField,
    Case,
    F,
    IntegerField,
    OuterRef,
    Q,
    Subquery,
    Value,
    When,
)
from django.db.models.functions import Coalesce

from gannet.tickets.models import Clock, ClockStateCode

# Name of a value -> its expression at an instant, in epoch seconds.
Values = Mapping[str, Callable[[int], Any]]


def column(path: str) -> Callable[[int], Any]:
    """A number that stands in a column."""
    return lambda _: F(path)


def took(start: str, end: str) -> Callable[[int], Any]:
    """How long something took, or has taken by now while it goes on."""
    return lambda now_s: Coalesce(F(end), Value(now_s), output_field=BigIntegerField()) - F(start)


def truth(yes: Q, known: Q | None = None) -> Callable[[int], Any]:
    """1 where something is so, else 0; nothing where it cannot be told."""
    so: Any = Case(When(yes, then=Value(1)), default=Value(0), output_field=IntegerField())
    if known is not None:
        so = Case(When(known, then=so), output_field=IntegerField())
    return lambda _: so


def _age(now_s: int) -> Any:
    return Case(
        When(is_open=True, then=Value(now_s)),
        default=Coalesce(F("closed_s"), F("resolved_s"), Value(now_s)),
        output_field=BigIntegerField(),
    ) - F("opened_s")


_IS_MET = Case(
    When(state=ClockStateCode.MET, then=Value(1)), default=Value(0), output_field=IntegerField()
)
_ENDED = (ClockStateCode.MET, ClockStateCode.MISSED)


def _clock(kind: str, what: Any) -> Callable[[int], Any]:
    """What the customer's clock of a promise says of a record, once it has ended."""
    rows = Clock.objects.filter(ticket=OuterRef("pk"), kind__in=[kind], holder="", state__in=_ENDED)
    said = rows.annotate(said=what).values("said")[:1]
    return lambda _: Subquery(said, output_field=BigIntegerField())


_RESOLVED = Q(resolved_s__isnull=False)
OF_TICKETS: Values = {
    "age": _age,
    "first response": lambda _: F("answered_s") - F("opened_s"),
    "resolution": lambda _: F("resolved_s") - F("opened_s"),
    "service time": _clock("fix", F("target_seconds") - F("remaining_seconds")),
    "hand-overs": column("hand_overs"),
    "reopenings": column("reopenings"),
    "minutes": column("minutes"),
    "cost": column("spent_pence"),
    "score": column("score"),
    "messages": column("messages"),
    "response met": _clock("answer", _IS_MET),
    "resolution met": _clock("fix", _IS_MET),
    "first line": truth(Q(is_first_line=1), _RESOLVED),
    "reopened": truth(Q(reopenings__gt=0), Q(reopenings__gt=0) | _RESOLVED),
    "with knowledge": truth(Q(article__isnull=False), _RESOLVED),
}
