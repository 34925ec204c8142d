"""What an outlook is played from: habits of a team, who works when, and what is open.

The same for now and, from events alone, for an instant of the past, so that the past can be
asked whether it would have been told.
"""

from collections import Counter, defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from django.db.models import Q

from gannet.audit.models import Event
from gannet.people.models import Absence, Membership, Team
from gannet.reports.fields import zone
from gannet.rulebook.book import Book, edition
from gannet.tickets import promises
from gannet.tickets.history import HISTORY_COLUMNS, happenings
from gannet.tickets.models import Clock, ClockStateCode, MoveCode, Ticket
from gannet_core import outlook as core
from gannet_core.clocks import ClockState
from gannet_core.instants import instant_of, seconds_of
from gannet_core.servicetime import Span

ARRIVALS_S, HANDLING_S = 56 * 86_400, 90 * 86_400
MOST_TIMES, MOST_OPEN = 400, 400
ASSUMED_WORK_S = 30 * 60  # where nobody has written down how long anything took
KINDS = ("answer", "fix")
_WEEKS = ARRIVALS_S // (7 * 86_400)
_ENDED = (ClockStateCode.MET, ClockStateCode.MISSED)


@dataclass(frozen=True)
class Habits:
    """What a team is used to: what comes when, how long it takes, what is promised for it."""

    by_hour: Mapping[int, int]
    shares: Mapping[int, float]
    targets: Mapping[tuple[int, str], tuple[str, int]]
    handling: Mapping[int, Sequence[int]]
    took: Mapping[str, Mapping[int, Sequence[int]]]

    @property
    def knows_times(self) -> bool:
        """Whether anybody wrote down how long work took."""
        return any(self.handling.values())


def habits(team: Team, at_s: int) -> Habits:
    """The habits of a team as they were at an instant."""
    rows = Ticket.objects.filter(team=team, opened_s__gt=at_s - ARRIVALS_S, opened_s__lte=at_s)
    hours: Counter[int] = Counter()
    priorities: Counter[int] = Counter()
    for opened_s, priority in rows.order_by().values_list("opened_s", "priority").iterator():
        hours[_hour_of_week(opened_s)] += 1
        priorities[priority] += 1
    many = sum(priorities.values())
    targets: Counter[tuple[int, str, str, int]] = Counter()
    clocks = Clock.objects.filter(ticket__in=rows.order_by(), holder="", kind__in=KINDS)
    targets.update(clocks.values_list("priority", "kind", "calendar", "target_seconds").iterator())
    usual: dict[tuple[int, str], tuple[str, int]] = {}
    for (priority, kind, calendar, seconds), _ in sorted(targets.items(), key=lambda one: one[1]):
        usual[priority, kind] = (calendar, seconds)
    took: defaultdict[int, list[int]] = defaultdict(list)
    done = Ticket.objects.filter(
        team=team, resolved_s__gt=at_s - HANDLING_S, resolved_s__lte=at_s, minutes__gt=0
    )
    for priority, minutes in done.order_by("-resolved_s").values_list("priority", "minutes")[
        : MOST_TIMES * 4
    ]:
        if len(took[priority]) < MOST_TIMES:
            took[priority].append(minutes * 60)
    shares = {priority: count / many for priority, count in priorities.items()} if many else {}
    ended = Clock.objects.filter(
        ticket__team=team, kind__in=KINDS, holder="",
        ended_s__gt=at_s - HANDLING_S, ended_s__lte=at_s, state__in=_ENDED,
    )  # fmt: skip
    until: dict[str, defaultdict[int, list[int]]] = {kind: defaultdict(list) for kind in KINDS}
    for kind, priority, target, left in (
        ended.order_by("-ended_s")
        .values_list("kind", "priority", "target_seconds", "remaining_seconds")
        .iterator()
    ):
        if len(until[kind][priority]) < MOST_TIMES:
            until[kind][priority].append(target - left)
    return Habits(hours, shares, usual, dict(took), until)


def _hour_of_week(at_s: int) -> int:
    local = instant_of(at_s).astimezone(zone())
    return local.weekday() * 24 + local.hour


def spans_of_people(
    book: Book, team: Team, at_s: int, length_s: int = 14 * 86_400
) -> list[list[Span]]:
    """When each of a team works from an instant on: their calendar, less when they are away."""
    members = Membership.objects.filter(team=team, person__is_active=True).select_related("person")
    people = [member.person for member in members]
    away: defaultdict[int, list[Span]] = defaultdict(list)
    until_s = at_s + length_s
    for row in Absence.objects.filter(
        person__in=people, ends_at__gt=instant_of(at_s), starts_at__lt=instant_of(until_s)
    ):
        away[row.person_id].append((seconds_of(row.starts_at), seconds_of(row.ends_at)))
    found = []
    for person in people:
        key = person.working_calendar
        spans: Sequence[Span] = [(at_s, until_s)]
        if key and book.has_calendar(key):
            spans = book.calendar(key).open_spans_s(at_s, until_s)
        found.append(without(spans, away[person.pk]))
    return found


def without(spans: Iterable[Span], gone: Iterable[Span]) -> list[Span]:
    """Spans less others."""
    left = list(spans)
    for start, end in gone:
        parts: list[Span] = []
        for a, b in left:
            parts += [one for one in ((a, min(b, start)), (max(a, end), b)) if one[0] < one[1]]
        left = sorted(set(parts)) if start < end else left
    return left


def horizon_end(people: Sequence[Sequence[Span]], at_s: int) -> int | None:
    """The end of the next eight hours in which anybody of a team works; None without any."""
    left = core.HORIZON_S
    reached = at_s
    for start, end in sorted(span for spans in people for span in spans):
        begin = max(start, reached)
        if end <= begin:
            continue
        if end - begin >= left:
            return begin + left
        left -= end - begin
        reached = end
    return reached if reached > at_s else None


def open_now(team: Team) -> list[core.Open]:
    """What a team has open that its people have to work on, or whose promises run."""
    running = Clock.objects.filter(
        ticket__team=team, ticket__is_open=True, holder="", kind__in=KINDS,
        state=ClockStateCode.RUNNING,
    )  # fmt: skip
    dues: defaultdict[int, dict[str, core.Running]] = defaultdict(dict)
    for ticket, kind, due_s, target, left in running.values_list(
        "ticket_id", "kind", "due_s", "target_seconds", "remaining_seconds"
    ):
        if due_s is not None:
            dues[ticket][kind] = core.Running(due_s, target - left, target)
    rows = Ticket.objects.filter(team=team, is_open=True).order_by("rank_s", "id")
    return [
        core.Open(number, priority, dues[number].get("answer"), dues[number].get("fix"), opened_s)
        for number, priority, move, opened_s in rows.values_list(
            "id", "priority", "move", "opened_s"
        )[:MOST_OPEN]
        if move == MoveCode.OURS or number in dues
    ]


def open_then(team: Team, at_s: int) -> list[core.Open]:
    """What a team had open at an instant of the past, told from events up to then."""
    rows = Ticket.objects.filter(
        team=team, opened_s__lte=at_s, opened_s__gt=at_s - HANDLING_S
    ).filter(
        Q(resolved_s__gt=at_s)
        | Q(resolved_s=None, closed_s=None)
        | Q(resolved_s=None, closed_s__gt=at_s)
    )
    tickets = {ticket.pk: ticket for ticket in rows.order_by("id")[:MOST_OPEN]}
    events: defaultdict[int, list[dict[str, Any]]] = defaultdict(list)
    told = Event.objects.filter(ticket_id__in=list(tickets), at_s__lte=at_s).order_by("id")
    for row in told.values_list("ticket_id", *HISTORY_COLUMNS):
        events[row[0]].append(dict(zip(HISTORY_COLUMNS, row[1:], strict=True)))
    dues: defaultdict[int, dict[str, core.Running]] = defaultdict(dict)
    clocks = Clock.objects.filter(ticket__in=list(tickets), holder="", kind__in=KINDS)
    for clock in clocks:
        number = clock.ticket_id
        ledger = promises.ledger_of(clock, edition(clock.edition), happenings(events[number]), at_s)
        if ledger.state is ClockState.RUNNING and ledger.due is not None:
            target = clock.target_seconds
            dues[number][clock.kind] = core.Running(ledger.due, target - ledger.remaining, target)
    return [
        core.Open(
            number,
            ticket.priority,
            dues[number].get("answer"),
            dues[number].get("fix"),
            ticket.opened_s,
        )
        for number, ticket in tickets.items()
        if number in dues
    ]


def situation(
    book: Book,
    at_s: int,
    used: Habits,
    people: Sequence[Sequence[Span]],
    open_: Sequence[core.Open],
) -> core.Situation | None:
    """All that is played for a team at an instant; None where nobody of it works."""
    until_s = horizon_end(people, at_s)
    if until_s is None:
        return None
    first = at_s - at_s % 3600
    starts = range(first, until_s, 3600)
    hours = [(start, used.by_hour.get(_hour_of_week(start), 0) / _WEEKS) for start in starts]
    promised = {
        priority: [
            (start, *(_promise(book, used.targets.get((priority, kind)), start) for kind in KINDS))
            for start in starts
        ]
        for priority in used.shares
    }
    return core.Situation(
        now_s=at_s,
        until_s=until_s,
        open=open_,
        people=people,
        handling=core.Taken(used.handling if used.knows_times else {0: [ASSUMED_WORK_S]}),
        answers=core.Taken(used.took["answer"]),
        fixes=core.Taken(used.took["fix"]),
        coming=core.Coming(hours, used.shares, promised),  # type: ignore[arg-type]
    )


def _promise(book: Book, target: tuple[str, int] | None, start_s: int) -> core.Running | None:
    """What is promised to what comes at an instant."""
    if target is None or not book.has_calendar(target[0]):
        return None
    return core.Running(book.calendar(target[0]).due_s(start_s, target[1]), 0, target[1])
