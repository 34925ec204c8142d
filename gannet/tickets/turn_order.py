"""The order of work in the ORM's words (see `gannet_core.turn`)."""

from collections.abc import Mapping, Sequence
from typing import Any

from django.db.models import Case, F, IntegerField, Q, Value, When

from gannet.rulebook.book import current
from gannet.tickets.models import MoveCode
from gannet.web.kept import Givens
from gannet_core.lifecycle import State
from gannet_core.turn import Turn

# The parts of the order: their names as columns of it.
PARTS = ("turn", "turn weight", "turn rank")
_NONE = "no calendar is called this"


def turn_givens(now_s: int) -> dict[str, Any]:
    """What the order is read with: the instant, and the calendars that are closed at it.

    There are as many of them as there are calendars, so that their number decides no SQL.
    """
    book = current()
    keys = book.calendar_keys
    closed = [key for key in keys if not book.calendar(key).is_open_s(now_s)]
    padded = [*closed, *[_NONE] * (len(keys) - len(closed))]
    return {"turn now": now_s, **{f"closed {n}": key for n, key in enumerate(padded)}}


def turn_name(section: int) -> str:
    """A section of the order as the API says it: “overdue”, “out of hours”."""
    return Turn(section).name.lower().replace("_", " ")


def turn_expressions(givens: Givens) -> Sequence[Any]:
    """What the parts of the order are read by."""
    closed = [givens[name] for name in givens if name.startswith("closed ")]
    overdue = Q(move=MoveCode.OURS, late_from_s__lte=givens["turn now"])
    ours = Q(move=MoveCode.OURS)
    section = Case(
        When(move=MoveCode.NOBODY, then=Value(int(Turn.ENDED))),
        When(~ours, then=Value(int(Turn.WAITING))),
        When(overdue, then=Value(int(Turn.OVERDUE))),
        *([When(calendar__in=closed, then=Value(int(Turn.OUT_OF_HOURS)))] if closed else []),
        default=Value(int(Turn.RUNNING)),
        output_field=IntegerField(),
    )
    weight = Case(When(overdue, then=F("priority")), default=Value(0), output_field=IntegerField())
    return section, weight, F("rank_s")


_OPEN_STATES = {State.NEW, State.IN_PROGRESS, State.WAITING}


def may_have_ended(tree: Mapping[str, Any] | None) -> bool:
    """Whether a filter can let through what has ended; not knowing counts as yes."""
    if not tree:
        return True
    return not any(_is_open_leaf(leaf) for leaf in tree.get("all", (tree,)))


def _is_open_leaf(leaf: Mapping[str, Any]) -> bool:
    field, op, value = leaf.get("field"), leaf.get("op"), leaf.get("value")
    if field == "open":
        return op == "is" and value is True
    values = value if isinstance(value, list) else [value]
    return field == "state" and op in ("is", "is one of") and _OPEN_STATES.issuperset(values)
