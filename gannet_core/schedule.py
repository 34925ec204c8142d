"""Schedule: when a change may be done, and what stands in its way (computation, §13).

Spans are half open, in epoch seconds: what touches does not clash. An `Occasion` holds all
that is planned round a change – others, freezes, windows, the meeting, absences – and answers
for any span of it; what does not depend on the span is found once.
"""

from bisect import bisect_right
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime, time, timedelta
from zoneinfo import ZoneInfo

from gannet_core.errors import ScheduleError
from gannet_core.impact import Web
from gannet_core.instants import instant_of, seconds_of
from gannet_core.servicetime import ServiceCalendar
from gannet_core.windows import Span, gaps, merged

IMPLEMENTER, ITEM, SERVICE, FREEZE, WINDOW, CAB, ABSENT = (
    "implementer",
    "ci",
    "service",
    "freeze",
    "window",
    "cab",
    "absent",
)
KINDS = (IMPLEMENTER, ITEM, SERVICE, FREEZE, WINDOW, CAB, ABSENT)
# A service is reached when at least so much of it is lost.
REACHED = 0.5
QUARTER_S = 15 * 60
DAYS = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")
_MOST_DAYS = 10_000


@dataclass(frozen=True, slots=True)
class Meeting:
    """When the CAB meets: weekday 0 (Monday) … 6, local time, zone, minutes of cut-off before."""

    weekday: int
    at: time
    zone: ZoneInfo
    cutoff_minutes: int


@dataclass(frozen=True, slots=True)
class Planned:
    """A change or a task of one: its span, who does it, which CIs it touches."""

    id: str
    start_s: int
    end_s: int
    implementers: frozenset[str] = frozenset()
    items: frozenset[str] = frozenset()


@dataclass(frozen=True, slots=True)
class Freeze:
    """A freeze and the CIs and services it covers; None covers all."""

    id: str
    spans: tuple[Span, ...]
    covers: frozenset[str] | None = None


@dataclass(frozen=True, slots=True)
class Absence:
    """A span in which a person is away."""

    person: str
    start_s: int
    end_s: int


@dataclass(frozen=True, slots=True)
class Clash:
    """What stands in the way: its kind, with whom or what, and over what, sorted."""

    kind: str
    other: str
    what: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Slot:
    """A free span that can be taken, and what stood in the way since the slot before it."""

    start_s: int
    end_s: int
    after: tuple[tuple[str, str], ...]


def meeting_of(weekday: str, at: str, zone: ZoneInfo, cutoff_minutes: int) -> Meeting:
    """A meeting from its written form: `tue`, `10:30`; what cannot be read is `ScheduleError`."""
    if weekday not in DAYS:
        raise ScheduleError(f"there is no weekday “{weekday}”")
    if isinstance(cutoff_minutes, bool) or cutoff_minutes < 0:
        raise ScheduleError("a cut-off is a number of minutes before the meeting")
    try:
        return Meeting(DAYS.index(weekday), time.fromisoformat(at), zone, cutoff_minutes)
    except ValueError:
        raise ScheduleError(f"“{at}” is no time of day") from None


def next_meeting(meeting: Meeting, submitted_s: int) -> int:
    """The earliest meeting whose cut-off has not passed; exactly at the cut-off counts."""
    wanted = submitted_s + meeting.cutoff_minutes * 60
    day = instant_of(wanted).astimezone(meeting.zone).date() - timedelta(days=8)
    day += timedelta(days=(meeting.weekday - day.weekday()) % 7)
    while True:
        at = seconds_of(datetime.combine(day, meeting.at, meeting.zone))
        if at >= wanted:
            return at
        day += timedelta(days=7)


def cab_slot(
    meeting: Meeting, submitted_s: int, *, needs_cab: bool, is_emergency: bool
) -> int | None:
    """When the CAB can decide on a change: an emergency at once, one that needs it next meeting."""
    if is_emergency:
        return submitted_s
    return next_meeting(meeting, submitted_s) if needs_cab else None


def review_date(calendar: ServiceCalendar, end_s: int, days: int, zone: ZoneInfo) -> int:
    """When to look back: `days` service days after the end, at the same local time of day.

    A service day is a local date on which the calendar is open at all; out of hours it is
    that day's next opening. A calendar that never opens again: plain days.
    """
    local = instant_of(end_s).astimezone(zone)
    day, left = local.date(), days
    for _ in range(_MOST_DAYS):
        if left <= 0:
            break
        day += timedelta(days=1)
        start, end = _day_span(day, zone)
        if calendar.open_spans_s(start, end):
            left -= 1
    if left > 0:
        return end_s + days * 86_400
    at = seconds_of(datetime.combine(day, local.time(), zone))
    if calendar.is_open_s(at):
        return at
    opening = calendar.next_opening_s(at)
    return at if opening is None else opening


def _day_span(day: object, zone: ZoneInfo) -> Span:
    start = datetime.combine(day, time(), zone)  # type: ignore[arg-type]
    after = datetime.combine(start.date() + timedelta(days=1), time(), zone)
    return seconds_of(start.astimezone(UTC)), seconds_of(after.astimezone(UTC))


@dataclass
class Occasion:
    """One change – its people and CIs – among all that is planned; times are asked for.

    `services` are the nodes of the web that are services; `windows` the maintenance windows
    of those CIs that have any; `cab_at_s` when the CAB decides on it, if it must.
    """

    id: str
    implementers: frozenset[str]
    items: frozenset[str]
    others: Sequence[Planned]
    web: Web
    services: frozenset[str]
    freezes: Sequence[Freeze] = ()
    windows: Mapping[str, Sequence[Span]] = field(default_factory=dict)
    cab_at_s: int | None = None
    absences: Sequence[Absence] = ()

    def __post_init__(self) -> None:
        for other in self.others:
            if other.end_s <= other.start_s:
                raise ScheduleError(f"{other.id} ends before it begins")
        self.others = [other for other in self.others if other.id != self.id]
        self._reach = self.web.stopped(self.items).reach
        self._reached = frozenset(
            name for name in self.services if self._reach.get(name, 0) >= REACHED
        )
        # Only services that this change can take half of, and only what can take half of one
        # of those, alone or with it: all else of the estate cannot make the two clash there.
        self._touched = self.services & self.web.half_above(self.items)
        self._under = self.web.half_below(self._touched)
        self._small = self.web.within(self._under)
        self._related: dict[str, set[str]] = {}
        for item in self.items:
            for node in {item, *self.web.below([item]), *self.web.above([item])}:
                self._related.setdefault(node, set()).add(item)
        self._found: dict[frozenset[str], tuple[str, ...]] = {}

    @property
    def reached(self) -> frozenset[str]:
        """The services of which at least half is lost while the change's CIs are stopped."""
        return self._reached

    def clashes(self, start_s: int, end_s: int) -> list[Clash]:
        """What clashes with [start_s, end_s), in the order of kinds, then by the other's id."""
        if end_s <= start_s:
            raise ScheduleError("a change that ends before it begins")
        found: list[Clash] = []
        for other in self.others:
            if _overlap(other.start_s, other.end_s, start_s, end_s):
                found += self._with(other)
        for freeze in self.freezes:
            if any(a < b and _overlap(a, b, start_s, end_s) for a, b in freeze.spans):
                found += self._under_freeze(freeze)
        for item, spans in self.windows.items():
            if item in self.items and not _is_held(merged(spans), start_s, end_s):
                found.append(Clash(WINDOW, item))
        if self.cab_at_s is not None and self.cab_at_s > start_s:
            found.append(Clash(CAB, CAB))
        away = {
            one.person
            for one in self.absences
            if one.person in self.implementers
            and one.start_s < one.end_s
            and _overlap(one.start_s, one.end_s, start_s, end_s)
        }
        found += (Clash(ABSENT, person) for person in away)
        return sorted(found, key=lambda clash: (KINDS.index(clash.kind), clash.other))

    def slots(self, from_s: int, until_s: int, minutes: int, count: int = 5) -> list[Slot]:
        """The first free spans of the needed length, each at its earliest quarter of an hour.

        At most one in each free span. A length or count below 1, or an end before the
        start, is `ScheduleError`.
        """
        if minutes < 1 or count < 1 or until_s < from_s:
            raise ScheduleError("a slot needs a length of a minute, a count of one, and a span")
        blockers = self._blockers(from_s, until_s)
        found: list[Slot] = []
        since = from_s
        for start, end in gaps((span for _, span in blockers), from_s, until_s):
            begins = -(-start // QUARTER_S) * QUARTER_S
            ends = begins + minutes * 60
            if ends > end:
                continue
            after = {
                (KINDS.index(clash.kind), clash.other)
                for clash, span in blockers
                if since < begins and _overlap(*span, since, begins)
            }
            told = tuple((KINDS[kind], other) for kind, other in sorted(after))
            found.append(Slot(begins, ends, told))
            since = ends
            if len(found) == count:
                break
        return found

    def _blockers(self, from_s: int, until_s: int) -> list[tuple[Clash, Span]]:
        """All that takes time from [from_s, until_s), each with a span of it."""
        found: list[tuple[Clash, Span]] = []
        for other in self.others:
            if _overlap(other.start_s, other.end_s, from_s, until_s):
                span = (other.start_s, other.end_s)
                found += ((clash, span) for clash in self._with(other))
        for freeze in self.freezes:
            for clash in self._under_freeze(freeze):
                found += ((clash, span) for span in freeze.spans if span[0] < span[1])
        for item, spans in self.windows.items():
            if item in self.items:
                clash = Clash(WINDOW, item)
                found += ((clash, span) for span in gaps(spans, from_s, until_s))
        if self.cab_at_s is not None and self.cab_at_s > from_s:
            found.append((Clash(CAB, CAB), (from_s, self.cab_at_s)))
        found += (
            (Clash(ABSENT, one.person), (one.start_s, one.end_s))
            for one in self.absences
            if one.person in self.implementers and one.start_s < one.end_s
        )
        return found

    def _with(self, other: Planned) -> list[Clash]:
        """How another change clashes if their times do."""
        found = []
        people = self.implementers & other.implementers
        if people:
            found.append(Clash(IMPLEMENTER, other.id, tuple(sorted(people))))
        items = {item for node in other.items for item in self._related.get(node, ())}
        if items:
            found.append(Clash(ITEM, other.id, tuple(sorted(items))))
        services = self._shared_services(other.items)
        if services:
            found.append(Clash(SERVICE, other.id, services))
        return found

    def _shared_services(self, items: frozenset[str]) -> tuple[str, ...]:
        """The services that each takes by half, or that only the two together do."""
        near = items & self._under
        if not near:
            return ()
        found = self._found.get(near)
        if found is None:
            theirs = self._small.stopped(near).reach
            both = self._small.stopped(self.items | near).reach
            found = tuple(
                sorted(
                    name
                    for name in self._touched
                    if (name in self._reached and theirs.get(name, 0) >= REACHED)
                    or (
                        both.get(name, 0) >= REACHED
                        and both.get(name, 0) > max(self._reach.get(name, 0), theirs.get(name, 0))
                    )
                )
            )
            self._found[near] = found
        return found

    def _under_freeze(self, freeze: Freeze) -> list[Clash]:
        if freeze.covers is None:
            return [Clash(FREEZE, freeze.id)]
        what = freeze.covers & (self.items | self._reached)
        return [Clash(FREEZE, freeze.id, tuple(sorted(what)))] if what else []


def _overlap(start: int, end: int, other_start: int, other_end: int) -> bool:
    return start < other_end and other_start < end


def _is_held(spans: Sequence[Span], start_s: int, end_s: int) -> bool:
    """Whether one of the merged spans holds all of [start_s, end_s)."""
    index = bisect_right([span[0] for span in spans], start_s) - 1
    return index >= 0 and spans[index][1] >= end_s
