"""Major incidents: their call signs, their figures, when news is due, and how long all took.

Source: computation.md, section 19. Durations and instants are whole seconds since the epoch.
"""

import random
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass

from gannet_core.errors import MajorError

# A call sign is not drawn again for two years.
_YEAR = 365 * 86_400
CALL_SIGN_RESTS_S = 2 * _YEAR

# Two word lists: the first says how it looks, the second what it is. Spoken, none of one
# list sounds like another, and no pair says anything about what has failed.
LOOKS: Sequence[str] = (
    "Amber", "Ashen", "Brass", "Bright", "Broad", "Calm", "Chalk", "Cobalt", "Copper", "Coral",
    "Dappled", "Distant", "Early", "Ebony", "Feathered", "Frosted", "Gilded", "Granite", "Green",
    "Hollow", "Indigo", "Iron", "Ivory", "Jade", "Keen", "Linen", "Lofty", "Marble", "Mellow",
    "Narrow", "Noble", "Ochre", "Olive", "Patient", "Pewter", "Plain", "Quiet", "Rapid", "Russet",
    "Saffron", "Scarlet", "Silver", "Slate", "Steady", "Tawny", "Umber", "Velvet", "Violet",
    "Walnut", "Winter", "Wooden", "Yellow",
)  # fmt: skip
THINGS: Sequence[str] = (
    "Acorn", "Anchor", "Arrow", "Barrel", "Basket", "Beacon", "Bellows", "Bridge", "Candle",
    "Chimney", "Compass", "Cradle", "Dolphin", "Drum", "Falcon", "Ferry", "Fiddle", "Garden",
    "Gate", "Hammer", "Harbour", "Hedge", "Island", "Kettle", "Ladder", "Lantern", "Lighthouse",
    "Mantle", "Meadow", "Mill", "Needle", "Orchard", "Otter", "Paddle", "Pebble", "Pillar",
    "Quarry", "Ribbon", "Saddle", "Sail", "Sparrow", "Spindle", "Thimble", "Thistle", "Tower",
    "Trumpet", "Tulip", "Wagon", "Weaver", "Whistle", "Window", "Yard",
)  # fmt: skip


def draw_call_sign(
    used: Mapping[str, int],
    now_s: int,
    chance: random.Random,
    looks: Sequence[str] = LOOKS,
    things: Sequence[str] = THINGS,
) -> str:
    """Two words that no major incident was called by within the last two years.

    `used` gives for each call sign when it was last drawn. Words that one of the last year
    had are not drawn while others are left, so that two of them are not taken for one
    another; `MajorError` when every pair is in use.
    """
    resting = {sign for sign, at_s in used.items() if now_s - at_s < CALL_SIGN_RESTS_S}
    heard = {word for sign, at_s in used.items() if now_s - at_s < _YEAR for word in sign.split()}
    free = [f"{look} {thing}" for look in looks for thing in things]
    free = [sign for sign in free if sign not in resting]
    if not free:
        raise MajorError("every call sign was used within the last two years")
    fresh = [sign for sign in free if not heard & set(sign.split())]
    return chance.choice(fresh or free)


@dataclass(frozen=True)
class Figure:
    """A figure as it was derived, and what somebody said instead, with the reason."""

    derived: int | None
    said: int | None = None
    why: str = ""

    @property
    def counts(self) -> int | None:
        """What counts: what was said, or else what was derived."""
        return self.derived if self.said is None else self.said


def people_affected(
    people: Iterable[tuple[int, str, str]],
    departments: Collection[str],
    places: Collection[str],
    by_name: Collection[int] = (),
) -> frozenset[int]:
    """Who is affected, each counted once however many services are.

    `people` are (number, department, place); somebody is affected who is named, or works in
    a department or at a place that uses what is reached.
    """
    named = set(by_name)
    return frozenset(
        number
        for number, department, place in people
        if number in named or department in departments or (place and place in places)
    )


def next_update(declared_s: int, last_s: int | None, interval_s: int) -> int:
    """When an audience hears next: an interval after it last did, or after declaring."""
    if interval_s <= 0:
        raise MajorError("the interval of updates is longer than nothing")
    return (declared_s if last_s is None else last_s) + interval_s


def lateness(due_s: int, told_s: int) -> int:
    """By how many seconds an update came late; 0 if it was on time."""
    return max(0, told_s - due_s)


@dataclass(frozen=True, kw_only=True)
class Times:
    """How long all took, in seconds; None where it has not happened, or is not known.

    `to_notice` is from the beginning, which a person states, to the first report;
    `to_declare` from the first report to declaring, `to_first_update` from declaring to the
    first update that anybody got, `to_restore` from the beginning (else the first report)
    until all worked again, `duration` from declaring until standing down.
    """

    to_notice: int | None
    to_declare: int | None
    to_first_update: int | None
    to_restore: int | None
    duration: int | None


def times_of(
    *,
    reported_s: int,
    declared_s: int,
    began_s: int | None = None,
    first_update_s: int | None = None,
    restored_s: int | None = None,
    stood_down_s: int | None = None,
) -> Times:
    """The times of a major incident from its instants; `MajorError` if they run backwards."""
    if began_s is not None and began_s > reported_s:
        raise MajorError("it was reported before it began")
    if declared_s < reported_s:
        raise MajorError("it was declared before it was reported")
    for name, at_s in (("restored", restored_s), ("stood down", stood_down_s)):
        if at_s is not None and at_s < reported_s:
            raise MajorError(f"it was {name} before it was reported")
    start_s = reported_s if began_s is None else began_s
    return Times(
        to_notice=None if began_s is None else reported_s - began_s,
        to_declare=declared_s - reported_s,
        to_first_update=None if first_update_s is None else max(0, first_update_s - declared_s),
        to_restore=None if restored_s is None else restored_s - start_s,
        duration=None if stood_down_s is None else max(0, stood_down_s - declared_s),
    )


def many_at_once(reports: Iterable[tuple[int, str]], count: int, within_s: int) -> dict[str, int]:
    """The things of which so many reports came within a short time.

    `reports` are (instant, what it is about), in any order; gives for each such thing the
    instant at which the report came that made it so many.
    """
    if count < 2 or within_s <= 0:
        raise MajorError("many are two or more, within some time")
    found: dict[str, int] = {}
    lately: dict[str, list[int]] = {}
    for at_s, about in sorted(reports):
        row = lately.setdefault(about, [])
        row.append(at_s)
        while at_s - row[0] > within_s:
            row.pop(0)
        if len(row) >= count:
            found.setdefault(about, at_s)
    return found


# What stands for something in the words of an update.
PLACEHOLDERS = ("title", "call_sign", "services", "people", "since", "next", "began")
# What stands for something in the template of a situation report.
OF_REPORTS = (
    "title", "call_sign", "summary", "people", "services", "duration", "timeline", "tasks", "roles",
)  # fmt: skip
# To whom an update can go, beside teams by name and addresses.
EVERYONE_AFFECTED, EVERYONE_REPORTED, RESPONDERS = (
    "everyone affected",
    "everyone who reported",
    "the responders",
)
