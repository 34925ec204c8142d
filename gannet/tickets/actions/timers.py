"""Future moments: every one is a row of `Timer` whose kind is registered with its act.

Most kinds are *derived*: after each act on a ticket they are worked out again from how it
stands, and what is armed and not wanted any more is dropped. A few are *set by hand* –
a reminder, the beginning of a deputy's time – and stay until they fire or are dropped.
"""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

from gannet.people.acting import Acting
from gannet.rulebook.book import Book
from gannet.tickets.actions.ladders import Ladder
from gannet.tickets.models import Clock, Ticket, Timer, TimerState

Wanted = dict[tuple[str, str], int]


@dataclass(frozen=True, kw_only=True)
class Standing:
    """How a ticket stands after an act, as far as its timers care.

    `armed` has the derived timers that are armed now, by kind and subject; `look_again_s`
    is when the act said to look for a person again, if it looked and found nobody.
    """

    ticket: Ticket
    clocks: Sequence[Clock]
    book: Book
    now_s: int
    ladders: Sequence[Ladder] = ()
    armed: Mapping[tuple[str, str], int] = field(default_factory=dict)
    look_again_s: int | None = None


@dataclass(frozen=True, kw_only=True)
class TimerKind:
    """One kind of moment: what it does when it comes, and when it is wanted.

    `wanted` gives, for a ticket that has just been acted on, each subject with its instant
    in epoch seconds; a kind without it is set by hand. `stands` says whether it still has
    any point, without loading the ticket.
    """

    key: str
    fire: Callable[[Timer, Acting], object]
    wanted: Callable[[Standing], Mapping[str, int]] | None = None
    is_for_open: bool = False


_kinds: dict[str, TimerKind] = {}


def register(kind: TimerKind) -> None:
    """Let a kind of moment come; told twice, it is one kind still."""
    _kinds[kind.key] = kind


def kind_of(key: str) -> TimerKind:
    return _kinds[key]


def known_kinds() -> list[str]:
    """The names of every kind of moment."""
    return list(_kinds)


def wanted_timers(standing: Standing) -> Wanted:
    """(kind, subject) -> epoch seconds; what is armed and not here is dropped."""
    return {
        (kind.key, subject): at_s
        for kind in _kinds.values()
        if kind.wanted is not None
        for subject, at_s in kind.wanted(standing).items()
    }


def compare(standing: Standing, armed: Sequence[Timer]) -> tuple[list[Timer], list[Timer]]:
    """Of the armed timers of a ticket those that go, and those that come."""
    wanted = wanted_timers(standing)
    kept = set()
    dropped = []
    for timer in armed:
        name = (timer.kind, timer.subject)
        if wanted.get(name) == timer.at_s:
            kept.add(name)
        elif _is_derived(timer):
            dropped.append(timer)
    fresh = [
        Timer(ticket=standing.ticket, kind=kind, subject=subject, at_s=at_s)
        for (kind, subject), at_s in wanted.items()
        if (kind, subject) not in kept
    ]
    return dropped, fresh


def _is_derived(timer: Timer) -> bool:
    kind = _kinds.get(timer.kind)
    return kind is None or kind.wanted is not None


def set_timer(kind: str, subject: str, at_s: int, ticket: Ticket | None = None) -> None:
    """Arm a timer that is set by hand, or move it."""
    drop_timer(kind, subject)
    Timer.objects.create(kind=kind, subject=subject, at_s=at_s, ticket=ticket)


def drop_timer(kind: str, subject: str) -> None:
    """Let a timer that was set by hand not fire."""
    armed = Timer.objects.filter(kind=kind, subject=subject, state=TimerState.ARMED)
    armed.update(state=TimerState.DROPPED)
