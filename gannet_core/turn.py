"""The order of work: what a desk does next.

What is overdue comes first, by priority; then what runs out soonest; then what stands
still because its hours are over; then what waits on others, by when it comes back; then
what has ended. Lists, Lookout and the API say the same order.
"""

from dataclasses import dataclass
from enum import IntEnum

from gannet_core.lifecycle import Move


class Turn(IntEnum):
    """The sections of the order, in order."""

    OVERDUE = 0
    RUNNING = 1
    OUT_OF_HOURS = 2
    WAITING = 3
    ENDED = 4


@dataclass(frozen=True, slots=True)
class Standing:
    """How a record stands: whose move it is, and its soonest target.

    `late_from_s` is from when on it is overdue, `rank_s` when it runs out or comes back,
    both in epoch seconds; `is_in_hours` says that its calendar is open now.
    """

    number: int
    move: Move
    priority: int
    late_from_s: int | None
    rank_s: int
    is_in_hours: bool


def turn_of(standing: Standing, now_s: int) -> Turn:
    """The section a record stands in at an instant."""
    if standing.move is Move.NOBODY:
        return Turn.ENDED
    if standing.move is not Move.OURS:
        return Turn.WAITING
    if standing.late_from_s is not None and standing.late_from_s <= now_s:
        return Turn.OVERDUE
    return Turn.RUNNING if standing.is_in_hours else Turn.OUT_OF_HOURS


def turn_key(standing: Standing, now_s: int) -> tuple[int, int, int, int]:
    """What records are ordered by: section, priority if overdue, when it runs out, number.

    What has ended stands with the latest first.
    """
    turn = turn_of(standing, now_s)
    if turn is Turn.ENDED:
        return int(turn), 0, -standing.rank_s, -standing.number
    weight = standing.priority if turn is Turn.OVERDUE else 0
    return int(turn), weight, standing.rank_s, standing.number
