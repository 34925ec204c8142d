"""The escalation steps of a ticket's clocks: which come, which are done, which is next."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from gannet.audit.kinds import kind_of
from gannet.rulebook.book import edition
from gannet.tickets.events import TicketEvent
from gannet.tickets.models import Clock, ClockStateCode, Ticket
from gannet_core import escalation
from gannet_core.clocks import Ledger
from gannet_core.escalation import UNTOUCHED, Moment
from gannet_core.rules import describe_action

_LIVE = (ClockStateCode.RUNNING, ClockStateCode.LATE)


@dataclass(frozen=True)
class Ladder:
    """The steps of one clock of a ticket, with their moments and those done already."""

    kind: str
    holder: str
    label: str
    target: str
    moments: Sequence[Moment]
    done: frozenset[str]

    @property
    def subject(self) -> str:
        return f"{self.kind}/{self.holder}"

    @property
    def next(self) -> Moment | None:
        return escalation.next_moment(self.moments, self.done)


def ladders_of(
    ticket: Ticket, clocks: Iterable[Clock], rows: Sequence[Mapping[str, Any]], now_s: int
) -> list[Ladder]:
    """The escalation steps of every clock that runs, and of the ticket being untouched."""
    if not ticket.is_open:
        return []
    undone = {row["facts"]["event"] for row in rows if row["kind"] == TicketEvent.UNDONE}
    done = _done(row for row in rows if row["id"] not in undone)
    found = []
    for clock in clocks:
        if clock.state not in _LIVE:
            continue
        published = edition(clock.edition)
        agreement = published.agreement(clock.agreement) or {}
        steps = agreement.get("steps") or ()
        if not any(step["clock"] == clock.kind for step in steps):
            continue
        ledger: Ledger = clock.ledger  # type: ignore[attr-defined]
        calendar = published.calendar(clock.calendar)
        target = f"{clock.target_seconds}@{clock.calendar}"
        label = published.clock_kinds[clock.kind]["label"] or clock.kind
        found.append(
            Ladder(
                clock.kind,
                clock.holder,
                label,
                target,
                escalation.moments(steps, clock.kind, ledger, calendar, now_s),
                done.get((clock.kind, clock.holder, target), frozenset()),
            )
        )
    untouched = _untouched(ticket, rows, undone, done)
    return [*found, untouched] if untouched else found


def tell_next(ticket: Ticket, ladders: Iterable[Ladder]) -> None:
    """Keep on the ticket which step comes next, and when, for lists and the record."""
    coming = [(ladder.next, ladder) for ladder in ladders if ladder.next is not None]
    ticket.next_step, ticket.next_step_s = "", None
    if not coming:
        return
    moment, ladder = min(coming, key=lambda pair: (pair[0].at, pair[1].subject))
    does = "; ".join(describe_action(action) for action in moment.step["then"])
    said = escalation.describe_step(moment.step, ladder.label)
    ticket.next_step = f"{said}: {does}"[:160]
    ticket.next_step_s = moment.at


def _done(rows: Iterable[Mapping[str, Any]]) -> dict[tuple[str, str, str], frozenset[str]]:
    """Steps that have fired or were passed over, by clock, holder and target."""
    found: dict[tuple[str, str, str], set[str]] = {}
    for row in rows:
        if row["kind"] in (TicketEvent.ESCALATED, TicketEvent.STEP_PASSED):
            facts = row["facts"]
            found.setdefault((facts["clock"], facts["holder"], facts["target"]), set()).add(
                facts["step"]
            )
    return {key: frozenset(steps) for key, steps in found.items()}


def _untouched(
    ticket: Ticket,
    rows: Sequence[Mapping[str, Any]],
    undone: set[int],
    done: Mapping[tuple[str, str, str], frozenset[str]],
) -> Ladder | None:
    published = edition(ticket.edition)
    agreement = published.agreement(ticket.agreement) or {}
    steps = agreement.get("steps") or ()
    if not any(step["clock"] == UNTOUCHED for step in steps):
        return None
    since = max(
        (
            row["at_s"]
            for row in rows
            if not row["is_automatic"] and _touches(row["kind"]) and row["id"] not in undone
        ),
        default=ticket.opened_s,
    )
    calendar = published.calendar(agreement["calendar"])
    found = escalation.untouched_moments(steps, since, calendar)
    target = f"since {since}"
    return Ladder(
        UNTOUCHED, "", "untouched", target, found, done.get((UNTOUCHED, "", target), frozenset())
    )


def _touches(name: str) -> bool:
    kind = kind_of(name)
    return kind is None or kind.touches
