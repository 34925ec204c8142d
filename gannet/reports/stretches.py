"""Where tickets' time went, kept from their histories.

The worker reads what the log has since it read last, and works those tickets out anew; nothing
is written on the way of an act. A report of them says up to when it knows.
"""

from collections import defaultdict
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass

from django.db import transaction

from gannet.audit.models import Event
from gannet.people.models import Person, Team
from gannet.reports.models import ReadUpTo, Stretch
from gannet.rulebook.book import Book, edition
from gannet.tickets.history import HISTORY_COLUMNS, happenings
from gannet.tickets.kinds import kind_of
from gannet.tickets.models import Clock, Ticket
from gannet.tickets.promises import events_of
from gannet_core import clocks
from gannet_core import stretches as core
from gannet_core.lifecycle import Happening
from gannet_core.servicetime import ServiceCalendar

NAME = "stretches"
# So many events are looked at, and so many tickets worked out, before others have their turn.
MOST_EVENTS, MOST_TICKETS = 4_000, 150


def keep_current(now_s: int) -> int:
    """Work out anew what the next events of the log happened to; returns how many were read."""
    row = ReadUpTo.objects.filter(name=NAME).first() or ReadUpTo(name=NAME)
    seen = list(
        Event.objects.filter(id__gt=row.event)
        .order_by("id")
        .values_list("id", "ticket_id", "at_s")[:MOST_EVENTS]
    )
    if not seen:
        return 0
    numbers: dict[int, None] = {}
    read = 0
    for _, ticket, _ in seen:
        if ticket is not None and ticket not in numbers:
            if len(numbers) == MOST_TICKETS:
                break
            numbers[ticket] = None
        read += 1
    found = work_out(list(numbers))
    with transaction.atomic():
        Stretch.objects.filter(ticket__in=numbers).delete()
        Stretch.objects.bulk_create(found, batch_size=500)
        is_all = read == len(seen) < MOST_EVENTS
        row.event, row.at_s = seen[read - 1][0], now_s if is_all else seen[read - 1][2]
        row.save()
    return read


def keep_all(now_s: int) -> None:
    """As `keep_current`, until there is nothing more to read: for data made at once."""
    while keep_current(now_s):
        pass


def known_until_s(now_s: int) -> int:
    """Up to which instant all that happened is in them: now, where nothing waits to be read."""
    row = ReadUpTo.objects.filter(name=NAME).first() or ReadUpTo(name=NAME)
    is_all = not Event.objects.filter(id__gt=row.event).exists()
    return now_s if is_all else row.at_s


def work_out(numbers: Sequence[int]) -> list[Stretch]:
    """The stretches of some tickets, read from their histories."""
    histories: defaultdict[int, list[dict[str, object]]] = defaultdict(list)
    rows = Event.objects.filter(ticket__in=numbers).order_by("id")
    for ticket, *columns in rows.values_list("ticket_id", *HISTORY_COLUMNS):
        histories[ticket].append(dict(zip(HISTORY_COLUMNS, columns, strict=True)))
    fixes = {
        one.ticket_id: one
        for one in Clock.objects.filter(ticket__in=numbers, kind="fix", holder="")
    }
    teams = {one.key: one.pk for one in Team.objects.all()}
    people = set(Person.objects.values_list("pk", flat=True))
    found: list[Stretch] = []
    for ticket in Ticket.objects.filter(pk__in=numbers):
        history = happenings(histories[ticket.pk])
        clock = fixes.get(ticket.pk)
        promise = None if clock is None else _Promise.of(clock, edition(clock.edition), history)
        known = core.stretches(history, kind_of(ticket).lifecycle)
        found += [_row(ticket.pk, one, promise, teams, people) for one in known]
    return found


@dataclass(frozen=True)
class _Promise:
    """What the resolution clock of a ticket says of its stretches."""

    target: int
    calendar: ServiceCalendar
    events: Sequence[clocks.ClockEvent]

    @classmethod
    def of(cls, clock: Clock, book: Book, history: Sequence[Happening]) -> "_Promise":
        return cls(
            clock.target_seconds, book.calendar(clock.calendar), events_of(clock, book, history)
        )

    def service_seconds(self, one: core.Stretch) -> int | None:
        if one.end is None:
            return None
        return self.calendar.elapsed_s(one.start, one.end)

    def is_late(self, one: core.Stretch) -> bool:
        """Whether a wait began when a tenth of the target or less was left of it, but some was."""
        before = [event for event in self.events if event.at <= one.start]
        if not before:
            return False
        left = clocks.ledger_s(before, self.target, self.calendar, one.start).remaining
        return 0 <= left * 10 <= self.target


def _row(
    ticket: int, one: core.Stretch, promise: _Promise | None, teams: Mapping[str, int],
    people: Collection[int | None],
) -> Stretch:  # fmt: skip
    def who(said: str | None) -> int | None:
        number = int(said) if said else None
        return number if number in people else None

    return Stretch(
        ticket_id=ticket,
        team_id=teams.get(one.team),
        person_id=who(one.person),
        waiting=one.waiting,
        supplier=one.supplier[:60],
        begun_by=one.begun_by,
        by_id=who(one.by),
        from_s=one.start,
        until_s=one.end,
        service_seconds=promise.service_seconds(one) if promise else None,
        is_late=promise.is_late(one) if promise and one.waiting else None,
        ended_by=one.ended_by,
        is_hand_over=one.is_hand_over,
        next_team_id=teams.get(one.next_team),
        next_person_id=who(one.next_person),
    )
