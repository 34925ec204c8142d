"""Replay: past tickets run again under a draft, to see what would have been different.

For each ticket of a span the same rules, matrix, routing and agreements decide that would
have decided on logging it, once under the edition the draft began from and once under the
draft; what people changed by hand afterwards stays as they set it. The clocks of both
agreements are then read off the ticket's own events.
"""

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from django.db.models import QuerySet

from gannet.audit.models import Event
from gannet.estate.models import Service
from gannet.people.models import Team
from gannet.requests.models import KIND, RequestFacts, facts_of
from gannet.rulebook.book import Book
from gannet.tickets import intake, promises
from gannet.tickets.actions.log import NewTicket, draft_ticket
from gannet.tickets.events import TicketEvent
from gannet.tickets.history import happenings
from gannet.tickets.models import Ticket
from gannet.web.errors import Invalid
from gannet_core import agreements, clocks, lifecycle
from gannet_core import routing as core_routing
from gannet_core.clocks import ClockState
from gannet_core.errors import GannetError

CHUNK = 400
# So many differing tickets are kept for the list; the counts cover all of them.
MOST_LISTED = 2_000
CLOCKS = ("answer", "fix")
_KEPT = (ClockState.MET,)
_COUNTED = (ClockState.MET, ClockState.MISSED, ClockState.LATE)

Progress = Callable[[int, int], bool]


@dataclass(frozen=True)
class Verdict:
    """What one rulebook makes of one past ticket."""

    priority: int
    agreement: str
    team: str
    targets: Mapping[str, tuple[int, str]]
    states: Mapping[str, str]
    due: Mapping[str, int | None]

    def as_json(self) -> dict[str, Any]:
        return {
            "priority": f"P{self.priority}",
            "agreement": self.agreement,
            "team": self.team,
            "targets": {kind: list(target) for kind, target in self.targets.items()},
            "states": dict(self.states),
            "due": dict(self.due),
        }


@dataclass
class Tally:
    """The sums of a replay while it runs."""

    tickets: int = 0
    skipped: int = 0
    priority: int = 0
    agreement: int = 0
    team: int = 0
    earlier: int = 0
    later: int = 0
    kept: dict[str, dict[str, dict[str, list[int]]]] = field(
        default_factory=lambda: {"team": {}, "priority": {}}
    )
    differing: list[dict[str, Any]] = field(default_factory=list)
    differ: int = 0

    def add(self, ticket: Ticket, before: Verdict, after: Verdict) -> None:
        self.tickets += 1
        self.priority += before.priority != after.priority
        self.agreement += before.agreement != after.agreement
        self.team += before.team != after.team
        is_earlier = any(_less(after.due.get(k), before.due.get(k)) for k in CLOCKS)
        is_later = any(_less(before.due.get(k), after.due.get(k)) for k in CLOCKS)
        self.earlier += is_earlier
        self.later += is_later and not is_earlier
        for kind in CLOCKS:
            self._count("team", after.team, kind, before, after)
            self._count("priority", f"P{after.priority}", kind, before, after)
        if before != after:
            self.differ += 1
            if len(self.differing) < MOST_LISTED:
                self.differing.append(
                    {
                        "number": ticket.pk,
                        "before": before.as_json(),
                        "after": after.as_json(),
                    }
                )

    def _count(self, by: str, name: str, kind: str, before: Verdict, after: Verdict) -> None:
        """Kept before, counted before, kept after, counted after."""
        row = self.kept[by].setdefault(name, {}).setdefault(kind, [0, 0, 0, 0])
        for offset, verdict in ((0, before), (2, after)):
            state = verdict.states.get(kind)
            row[offset] += state in _KEPT
            row[offset + 1] += state in _COUNTED

    def as_json(self) -> dict[str, Any]:
        return {
            "tickets": self.tickets,
            "skipped": self.skipped,
            "priority": self.priority,
            "agreement": self.agreement,
            "team": self.team,
            "earlier": self.earlier,
            "later": self.later,
            "differ": self.differ,
            "kept": self.kept,
            "differing": self.differing,
        }


def replay(
    tickets: QuerySet[Ticket], base: Book, draft: Book, progress: Progress
) -> dict[str, Any]:
    """Run tickets under both rulebooks; `progress(done, total)` answers whether to go on."""
    numbers = list(tickets.order_by("id").values_list("pk", flat=True))
    tally = Tally()
    world = _World.read()
    for start in range(0, len(numbers), CHUNK):
        for ticket, logged, history in _chunk(numbers[start : start + CHUNK]):
            try:
                before = _verdict(base, ticket, logged, history, world)
                after = _verdict(draft, ticket, logged, history, world)
            except (Invalid, GannetError):
                tally.skipped += 1
                continue
            by_hand = before.priority != ticket.priority
            if by_hand and before.priority == after.priority:
                before = _with_priority(base, ticket, before, history)
                after = _with_priority(draft, ticket, after, history)
            tally.add(ticket, before, after)
        if not progress(min(start + CHUNK, len(numbers)), len(numbers)):
            break
    return tally.as_json()


@dataclass(frozen=True)
class _World:
    """What routing by service and category reads, read once."""

    services: Mapping[str, Service]
    teams: Mapping[str, Team]
    triage: Team

    @classmethod
    def read(cls) -> "_World":
        teams = {team.name: team for team in Team.objects.all()}
        services = {one.name: one for one in Service.objects.select_related("team", "owner")}
        return cls(services, teams, next(team for team in teams.values() if team.is_triage))


def _chunk(
    numbers: Sequence[int],
) -> Iterator[tuple[Ticket, Mapping[str, Any], list[lifecycle.Happening]]]:
    rows: dict[int, list[dict[str, Any]]] = {}
    for row in (
        Event.objects.filter(ticket_id__in=numbers)
        .order_by("id")
        .values("ticket_id", "id", "at_s", "kind", "actor_id", "by_desk", "is_automatic", "facts")
    ):
        rows.setdefault(row["ticket_id"], []).append(dict(row))
    logged = dict(
        Event.objects.filter(ticket_id__in=numbers, kind=TicketEvent.LOGGED).values_list(
            "ticket_id", "values"
        )
    )
    related = (
        "requester",
        "beneficiary",
        "team",
        "service__owner",
        "service__team",
        "ci",
        "team",
        "holder",
    )
    for ticket in Ticket.objects.filter(pk__in=numbers).select_related(*related).order_by("pk"):
        yield ticket, logged.get(ticket.pk, {}), happenings(rows.get(ticket.pk, []))


def _verdict(
    book: Book,
    ticket: Ticket,
    logged: Mapping[str, Any],
    history: Sequence[lifecycle.Happening],
    world: _World,
) -> Verdict:
    said = logged.get("as") or {}
    service = world.services.get(said["service"]) if said.get("service") else None
    if not said:
        service = ticket.service
    new = NewTicket(
        requester=ticket.requester,
        title=logged.get("title") or ticket.title,
        channel=ticket.channel,  # type: ignore[arg-type]
        service=service,
        ci=ticket.ci,
        place=said.get("place") or ticket.place,
        answers=logged.get("answers") or {},
        impact=said.get("impact"),
        urgency=said.get("urgency"),
        values=said.get("values") or {},
        is_confidential=bool(ticket.is_confidential),
        **_asked(book, ticket, world),
    )
    again = draft_ticket(new, book, ticket.opened_s)
    run = intake.run_rules(book, again, ("created",), {}, ticket.opened_s)
    intake.apply_sets(again, run, book)
    team = _team(book, again, run, world)
    again.team = team
    return _judge(book, again, team.name, history)


def _asked(book: Book, ticket: Ticket, world: _World) -> dict[str, Any]:
    """What of the catalogue a request was for, as the book would offer it."""
    if ticket.kind != KIND:
        return {"kind": ticket.kind}
    known = facts_of(ticket)
    offer = book.items.get(known.item) or book.bundles.get(known.item) or {}
    return {
        "kind": KIND,
        "beneficiary": ticket.beneficiary or ticket.requester,
        "given_team": (world.teams.get(offer.get("team", "")) or ticket.team, ""),
        "is_secret_by_service": False,
        "facts": lambda again: RequestFacts(
            ticket=again,
            item=known.item,
            item_name=known.item_name,
            delivery=str(offer.get("delivery") or known.delivery),
            once_pence=known.once_pence,
            monthly_pence=known.monthly_pence,
        ),
    }


def _team(book: Book, ticket: Ticket, run: Any, world: _World) -> Team:
    if "team" in run.sets:
        return world.teams.get(run.sets["team"].parts["team"]) or world.triage
    given = getattr(ticket, "given_team", None)
    if given is not None:
        return given[0]  # type: ignore[no-any-return]
    if ticket.service and ticket.service.team_id:
        return next(t for t in world.teams.values() if t.pk == ticket.service.team_id)
    category = book.categories.get(ticket.category, {})
    choice = core_routing.choose_team(by_category=category.get("team"), triage=world.triage.name)
    return world.teams.get(choice.team) or world.triage


def _judge(
    book: Book, ticket: Ticket, team: str, history: Sequence[lifecycle.Happening]
) -> Verdict:
    found = promises.promise(book, ticket, "customer", ticket.opened_s)
    if found is None:
        return Verdict(ticket.priority, "", team, {}, {}, {})
    agreement = book.agreement(found.agreement) or {}
    states: dict[str, str] = {}
    dues: dict[str, int | None] = {}
    targets: dict[str, tuple[int, str]] = {}
    now_s = max((event.at for event in history), default=ticket.opened_s) + 1
    for kind in CLOCKS:
        target = found.targets.get(kind)
        if target is None:
            continue
        events = lifecycle.clock_events(
            book.clock_kinds[kind], history, agreements.pauses(agreement, kind)
        )
        calendar = book.calendar(target.calendar)
        ledger = clocks.ledger_s(events, target.seconds, calendar, now_s)
        targets[kind] = (target.seconds, target.calendar)
        states[kind] = str(ledger.state)
        try:
            dues[kind] = calendar.due_s(ticket.opened_s, target.seconds)
        except GannetError:
            dues[kind] = None
    return Verdict(ticket.priority, found.agreement, team, targets, states, dues)


def _with_priority(
    book: Book, ticket: Ticket, verdict: Verdict, history: Sequence[lifecycle.Happening]
) -> Verdict:
    """The verdict with the priority that people gave the ticket in the end."""
    return _judge(book, ticket, verdict.team, history)


def _less(first: int | None, second: int | None) -> bool:
    return first is not None and second is not None and first < second
