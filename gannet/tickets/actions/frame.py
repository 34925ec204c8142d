"""The frame of every write to a ticket: load and lock, check, record, recompute, save.

An act names what happened (`RecordWrite.record`); everything that can be derived – state, move,
markers, clocks, due, timers – is recomputed from the whole history at the end, in the
same transaction, and nowhere else.
"""

from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, replace
from typing import Any

from django.db import models, transaction
from django.db.models import QuerySet, prefetch_related_objects

from gannet.audit import log as audit
from gannet.audit.kinds import EventKind, apart
from gannet.audit.models import Audience, Event
from gannet.people.acting import Acting
from gannet.people.models import Person
from gannet.people.roles import team_ids
from gannet.rulebook.book import Book, current, edition
from gannet.tickets import policies, promises, search, seen
from gannet.tickets.actions import timers
from gannet.tickets.actions.ladders import Ladder, ladders_of, tell_next
from gannet.tickets.derive import derive
from gannet.tickets.events import TicketEvent
from gannet.tickets.fields import record_of
from gannet.tickets.history import HISTORY_COLUMNS, happenings, row_of_entry, rows_of
from gannet.tickets.kinds import facts_tables, kind_of
from gannet.tickets.models import (
    Clock,
    Ticket,
    Timer,
    TimerState,
)
from gannet.tickets.states import state_code, state_name
from gannet.tickets.telling import Wanted, messenger
from gannet.web import kept_writes
from gannet.web.errors import Conflict, Missing, Refused
from gannet.web.kept import Build, Givens, KeptQueries, Rows
from gannet.web.numbers import next_number
from gannet_core.lifecycle import MOVES, Act
from gannet_core.lifecycles import Lifecycle

WITH_RELATED = (
    "requester",
    "beneficiary",
    "service",
    "service__team",
    "service__owner",
    "ci",
    "team",
    "holder",
    "resolver",
)


_kept = KeptQueries()


def _locked(givens: Givens) -> QuerySet[Any]:
    found = Ticket.objects.select_for_update(of=("self",)).select_related(*WITH_RELATED)
    return found.filter(pk=givens["number"])


def _clocks_of(givens: Givens) -> QuerySet[Any]:
    return Clock.objects.filter(ticket=givens["ticket"])


def _armed_of(givens: Givens) -> QuerySet[Any]:
    return Timer.objects.filter(ticket=givens["ticket"], state=TimerState.ARMED)


def _histories_of(givens: Givens) -> QuerySet[Any, Any]:
    found = Event.objects.filter(ticket_id__in=list(givens.values())).exclude(kind__in=apart())
    return found.order_by("id").values_list("ticket_id", *HISTORY_COLUMNS)


def _clocks_of_many(givens: Givens) -> QuerySet[Any]:
    return Clock.objects.filter(ticket__in=list(givens.values()))


def _armed_of_many(givens: Givens) -> QuerySet[Any]:
    return Timer.objects.filter(ticket__in=list(givens.values()), state=TimerState.ARMED)


def _many(givens: Givens) -> QuerySet[Any]:
    found = Ticket.objects.filter(pk__in=list(givens.values())).order_by("pk")
    return found.select_related(*facts_tables())


def _locked_many(givens: Givens) -> QuerySet[Any]:
    return _many(givens).select_for_update(of=("self",))


def _numbered(numbers: Sequence[int]) -> Iterator[Givens]:
    """Some tickets' numbers as givens, so many at a time; the last are filled up with none."""
    for start in range(0, len(numbers), _AT_ONCE):
        some = [*numbers[start : start + _AT_ONCE]]
        some += [0] * (_AT_ONCE - len(some) if len(some) > _FEW else 0)
        yield {str(n): number for n, number in enumerate(some)}


_AT_ONCE, _FEW = 100, 4


def _of_many(shape: str, build: Build, numbers: Sequence[int]) -> Rows:
    return [row for some in _numbered(numbers) for row in _kept.rows(shape, build, some)]


def _objects_of_many(shape: str, build: Build, numbers: Sequence[int]) -> list[Any]:
    return [one for some in _numbered(numbers) for one in _kept.objects(shape, build, some)]


@dataclass(frozen=True)
class _Mail:
    """A message to be queued once its event has a number."""

    person: Person | None
    event: str
    entry_index: int
    text: str
    message: str = ""  # a rule or step names its own; a notification looks it up
    address: str = ""  # of somebody outside, who is no person here


class RecordWrite:
    """One act on one ticket, being done."""

    def __init__(
        self,
        ticket: Ticket,
        acting: Acting,
        rows: list[dict[str, Any]],
        *,
        book: Book | None = None,
        is_new: bool = False,
        runs_rules: bool = True,
    ) -> None:
        self.ticket = ticket
        self.acting = acting
        self.is_new = is_new
        self.entries: list[audit.Entry] = []
        self.events: list[Event] = []
        self._rows = rows
        self._mails: list[_Mail] = []
        self._clocks: list[Clock] | None = [] if is_new else None
        # What the ticket was promised by, and what is in force for everything else.
        self.policy: Book = book or current()
        self.book: Book = self.policy if is_new else edition(ticket.edition)
        self._afterwards: list[Callable[[], object]] = []
        # Nobody could take it: when to look again, if the act knows better than the frame.
        self.look_again_s: int | None = None
        self._as_read = kept_writes.as_read(ticket)
        self._clocks_as_read: dict[int, kept_writes.AsRead] = {}
        # A new ticket's rules have run before it was routed.
        self._ran_rules = is_new or not runs_rules
        self._before: dict[str, Any] | None = None
        self._watched = {} if is_new else seen.watched(ticket)
        if not self._ran_rules and self.policy.listens - {"created"}:
            self._before = record_of(ticket, self.policy)

    @property
    def clocks(self) -> list[Clock]:
        if self._clocks is None:
            self.take_clocks(_kept.objects("clocks", _clocks_of, {"ticket": self.ticket.pk}))
            assert self._clocks is not None
        return self._clocks

    def take_clocks(self, clocks: list[Clock]) -> None:
        """The clocks of the ticket, for a caller that read those of many at once."""
        self._clocks = list(clocks)
        self._clocks_as_read = {clock.pk: kept_writes.as_read(clock) for clock in clocks}

    @property
    def state_name(self) -> str:
        """The state of the record, as it is called."""
        return state_name(self.ticket.state)

    @property
    def lifecycle(self) -> Lifecycle:
        """The lifecycle of the record's kind."""
        return kind_of(self.ticket).lifecycle

    def check_seen(self, seen_version: int | None, *overwrites: str) -> None:
        """Refuse to overwrite what somebody changed since the actor looked, saying what."""
        seen.check(self.ticket, self.policy, seen_version, overwrites)

    def by_desk(self) -> bool:
        """Whether the actor acts for the desk, rather than as the requester."""
        person = self.acting.person
        return person is not None and policies.works_on(person, self.ticket)

    def record(
        self,
        kind: EventKind,
        *,
        facts: dict[str, Any] | None = None,
        values: dict[str, Any] | None = None,
        text: str = "",
        audience: Audience = Audience.DESK,
        by_desk: bool | None = None,
        is_automatic: bool | None = None,
        is_ending: bool = False,
    ) -> None:
        """Record that something happened; an act the state does not allow is `Conflict`.

        What ends a record is recorded by `endings.end` alone, which says so.
        """
        if kind.ends and not is_ending:
            raise ValueError(f"{kind} ends a record: endings.end records it")
        if kind in self.lifecycle.moves:
            self._move(kind)
        all_facts = dict(facts or {})
        as_desk = self.by_desk() if by_desk is None else by_desk
        if as_desk and str(kind) in _TEAM_ACTS and self._acts_for_team():
            all_facts["for_team"] = self.ticket.team.key
        automatic = self.acting.is_automatic if is_automatic is None else is_automatic
        if self.acting.unverified and not automatic:
            values = {**(values or {}), "unverified": self.acting.unverified}
        self.entries.append(
            audit.Entry(
                kind=kind,
                at=self.acting.now,
                actor_id=None if automatic else self.acting.person_id,
                by_desk=as_desk,
                is_automatic=automatic,
                audience=audience,
                ticket_id=self.ticket.pk,
                facts=all_facts,
                values=values or {},
                text=text,
            )
        )

    def end_wait(self) -> None:
        """Clear what a wait left on the ticket."""
        ticket = self.ticket
        ticket.waiting_on, ticket.waiting_reason, ticket.waiting_supplier = "", "", ""
        ticket.waiting_since_s, ticket.waiting_until_s = None, None

    def tell(self, person: Person | None, event: str, text: str = "", message: str = "") -> None:
        """Queue a message about the event recorded last; nobody is told of their own act.

        Without a `message` the rulebook's notifications say which one it is, if any.
        """
        if person is None or (person.pk == self.acting.person_id and event not in _ANSWERS):
            return
        said = (person.pk, event, message)
        told = {(mail.person.pk, mail.event, mail.message) for mail in self._mails if mail.person}
        if said in told:
            return
        self._mails.append(_Mail(person, event, len(self.entries) - 1, text, message))

    def tell_outside(self, address: str, text: str) -> None:
        """Queue a copy of what was replied to an address outside."""
        self._mails.append(_Mail(None, "replied", len(self.entries) - 1, text, address=address))

    def afterwards(self, do: Callable[[], object]) -> None:
        """Do something in the same transaction once the ticket and its events have numbers."""
        self._afterwards.append(do)

    def retarget(self) -> None:
        """Choose the customer agreement again and fit the clocks to it, keeping their history."""
        found = promises.promise(self.book, self.ticket, "customer", self.acting.now_s)
        fitted = promises.fit_clocks(self.book, self.ticket, found, "customer", self.clocks)
        self._keep(fitted)
        self.ticket.agreement = found.agreement if found else ""
        tiers = {clock.care_tier for clock in fitted if clock.care_tier}
        self.ticket.care_tier = min(tiers, default="")
        self._refit_team_clocks()
        self.record(
            TicketEvent.PROMISED,
            by_desk=False,
            is_automatic=True,
            values={
                "agreement": found.agreement if found else None,
                "why": found.why if found else [],
                "targets": {clock.kind: clock.target_seconds for clock in fitted},
                "normal": {clock.kind: clock.normal_seconds for clock in fitted},
                "priority": self.ticket.priority,
            },
        )

    def start_team_clocks(self) -> None:
        """Give the holding team its clocks; a team that had them goes on with them."""
        self._start_clocks("team", self.ticket.team.key, team=self.ticket.team.name)

    def start_supplier_clocks(self, supplier: str) -> None:
        """The clocks of the supplier contract run while the ticket waits on that supplier."""
        self._start_clocks("supplier", supplier, supplier=supplier)

    def _start_clocks(self, kind: str, holder: str, **extra: Any) -> None:
        """Fit a holder's clocks; running ones keep the edition under which they started."""
        known = next((clock for clock in self.clocks if clock.holder == holder), None)
        book = self.policy if known is None else edition(known.edition)
        found = promises.promise(book, self.ticket, kind, self.acting.now_s, **extra)
        self._keep(promises.fit_clocks(book, self.ticket, found, kind, self.clocks, holder))

    def _refit_team_clocks(self) -> None:
        """The holding team's targets follow the priority; those of former holders stay."""
        if any(clock.holder == self.ticket.team.key for clock in self.clocks):
            self.start_team_clocks()

    def _keep(self, fitted: list[Clock]) -> None:
        known = {id(clock) for clock in self.clocks}
        self.clocks.extend(clock for clock in fitted if id(clock) not in known)

    def _move(self, act: str) -> None:
        words = cannot(self.ticket, act)
        if words:
            raise Conflict(words)
        self.ticket.state = state_code(self.lifecycle.after(self.state_name, act))

    def _acts_for_team(self) -> bool:
        person = self.acting.person
        return person is not None and self.ticket.team_id in team_ids(person)

    def finish(self) -> None:
        """Let the rules act, write events, recompute what follows from them, save."""
        if not self.entries:
            return
        ladders = self.recompute()
        ticket = self.ticket
        if self.is_new:
            ticket.pk = ticket.pk or next_number()
            kept_writes.insert([ticket])
            self.entries = [replace(entry, ticket_id=ticket.pk) for entry in self.entries]
        else:
            kept_writes.update_changed(self.changed_rows())
        self._wrote(audit.append(self.entries))
        self._index()
        kept_writes.insert_unnamed(self.fresh_clocks())
        self._queue_mails()
        for do in self._afterwards:
            do()
        self._arm_timers(ladders)

    def recompute(self) -> list[Ladder]:
        """Recompute what follows from the act, and from what the rules make of it."""
        ticket = self.ticket
        ticket.changed_s = max(self.acting.now_s, ticket.opened_s)
        self._derive()
        if not self._ran_rules:
            self._ran_rules = True
            if _run_rules[-1](self, self._before):
                self._derive()
        ladders = ladders_of(ticket, self.clocks, self._all_rows(), self.acting.now_s)
        tell_next(ticket, ladders)
        if not self.is_new:
            # That somebody looked at it makes nobody's edit stale, least of all their own.
            ticket.version += any(entry.kind != TicketEvent.OPENED for entry in self.entries)
            seen.note_changes(ticket, self._watched, self.acting.person_id)
        return ladders

    def _wrote(self, events: list[Event]) -> None:
        self.events = events
        for event in events:
            if event.actor_id == self.acting.person_id:
                event.actor = self.acting.person  # known here, so nobody need read it again

    def _index(self) -> None:
        """Keep the words of the ticket searchable, in the same transaction."""
        texts = [entry.text for entry in self.entries if entry.text]
        title = self.ticket.title
        if self.is_new:
            search.add(self.ticket.pk, title, texts)
        elif texts or title != self._as_read["title"]:
            search.more(self.ticket.pk, (self._as_read["title"], title), self.events[0].id)

    def _derive(self) -> None:
        derive(
            self.ticket,
            self.clocks,
            happenings(self._all_rows()),
            self.book,
            self.acting.now_s,
        )

    def _all_rows(self) -> list[dict[str, Any]]:
        """The history with what is about to be written, so that a row is written once."""
        last = self._rows[-1]["id"] if self._rows else 0
        fresh = (row_of_entry(entry, last + n) for n, entry in enumerate(self.entries, 1))
        return [*self._rows, *fresh]

    def steps_now(self) -> list[Ladder]:
        """The escalation steps of the ticket's clocks as they stand now."""
        self._derive()
        return ladders_of(self.ticket, self.clocks, self._all_rows(), self.acting.now_s)

    def changed_rows(self) -> Iterator[tuple[models.Model, kept_writes.AsRead]]:
        """What there was before the act, each row with how it was read."""
        if not self.is_new:
            yield self.ticket, self._as_read
        for clock in self.clocks:
            if clock.pk is not None:
                yield clock, self._clocks_as_read[clock.pk]

    def fresh_clocks(self) -> list[Clock]:
        """The clocks that began with the act."""
        fresh = [clock for clock in self.clocks if clock.pk is None]
        for clock in fresh:
            clock.ticket = self.ticket
        return fresh

    def rearm(self) -> None:
        """Work the timers out again though nothing was done that is worth an event."""
        self._arm_timers(self.steps_now())

    def _arm_timers(self, ladders: list[Ladder]) -> None:
        armed: list[Timer] = []
        if not self.is_new:
            armed = _kept.objects("armed", _armed_of, {"ticket": self.ticket.pk})
        dropped, fresh = self.timers_after(ladders, armed)
        for timer in dropped:
            timer.state = TimerState.DROPPED
        kept_writes.update(dropped, ["state"])
        kept_writes.insert_unnamed(fresh)

    def timers_after(
        self, ladders: list[Ladder], armed: list[Timer]
    ) -> tuple[list[Timer], list[Timer]]:
        """Of the armed timers those that go, and those that come."""
        standing = timers.Standing(
            ticket=self.ticket,
            clocks=self.clocks,
            book=self.policy,
            now_s=self.acting.now_s,
            ladders=ladders,
            armed={(timer.kind, timer.subject): timer.at_s for timer in armed},
            look_again_s=self.look_again_s,
        )
        return timers.compare(standing, armed)

    def _queue_mails(self) -> None:

        if not self.is_new:
            messenger().acted(self.ticket, self.events, self.acting.person_id, self.acting.now_s)
        if not self._mails:
            return
        wanted = [
            Wanted(
                mail.person,
                mail.event,
                self.events[mail.entry_index],
                mail.text,
                mail.message,
                mail.address,
            )
            for mail in self._mails
            if kind_of(self.ticket).hears(self.ticket, mail.person)
        ]
        messenger().queue(self.ticket, self.policy, self.acting.now_s, self.clocks, wanted)


# What somebody is told in answer to what they did themselves.
_ANSWERS = frozenset({"logged", "articles offered"})
_TEAM_ACTS: frozenset[str] = frozenset({Act.TAKEN, Act.REPLIED, Act.NOTED})


# What the lifecycle of some kind may know; looking at a record is open to every one.
_OF_LIFECYCLES: frozenset[str] = frozenset(MOVES)


def _article(word: str) -> str:
    return f"{'An' if word[0] in 'aeiou' else 'A'} {word}"


def cannot(ticket: Ticket, act: str) -> str:
    """Why the state of a record does not allow an act, in words, or nothing."""
    kind = kind_of(ticket)
    state = state_name(ticket.state)
    if act in _OF_LIFECYCLES and act not in kind.lifecycle.moves:
        return f"{_article(kind.label)} is never {act}."
    if act not in kind.lifecycle.moves or kind.lifecycle.can(state, act):
        return ""
    return f"{kind.label.capitalize()} {ticket.pk} is {state}, so it cannot be {act} now."


RunRules = Callable[[RecordWrite, Mapping[str, Any] | None], bool]
_run_rules: list[RunRules] = [lambda write, before: False]


def let_rules_act(run: RunRules) -> RunRules:
    """Let a function act at the end of every act; it says whether it changed the ticket.

    It is given the act, and the record as it was before (None: nothing listens).
    """
    _run_rules.append(run)
    return run


@contextmanager
def writing(ticket_id: int, acting: Acting, act: str | None = None) -> Iterator[RecordWrite]:
    """Do an act on a ticket: locked, permitted, in one transaction."""
    with transaction.atomic():
        ticket: Ticket | None = next(
            iter(_kept.objects("ticket", _locked, {"number": ticket_id})), None
        )
        if ticket is None:
            raise Missing("There is no such ticket, or it is not for you to see.")
        _check(ticket, acting, act)
        write = RecordWrite(ticket, acting, rows_of(ticket_id))
        yield write
        write.finish()


def _check(ticket: Ticket, acting: Acting, act: str | None) -> None:
    person = acting.person
    if person is None:
        return
    if not policies.may_know(person, ticket.pk):
        raise Missing("There is no such ticket, or it is not for you to see.")
    if act is None:
        return
    decision = policies.may(person, act, ticket)
    if not decision:
        raise Refused(decision.reason)


def finish_all(writes: Sequence[RecordWrite]) -> None:
    """Finish the same act on many tickets with few statements; the caller holds the transaction."""
    entries: list[audit.Entry] = []
    writes = [write for write in writes if write.entries]
    ladders = {}
    for write in writes:
        ladders[write.ticket.pk] = write.recompute()
        entries += write.entries
    _share_out(writes, audit.append(entries))
    kept_writes.update_changed(row for write in writes for row in write.changed_rows())
    kept_writes.insert_unnamed([clock for write in writes for clock in write.fresh_clocks()])
    for write in writes:
        write._index()
        write._queue_mails()
        for do in write._afterwards:
            do()
    _arm_all(writes, ladders)


def _arm_all(writes: Sequence[RecordWrite], ladders: Mapping[int, list[Ladder]]) -> None:
    armed: dict[int, list[Timer]] = {}
    fresh: list[Timer] = []
    dropped: list[int] = []
    numbers = [write.ticket.pk for write in writes]
    for timer in _objects_of_many("armed of many", _armed_of_many, numbers):
        armed.setdefault(timer.ticket_id or 0, []).append(timer)
    for write in writes:
        number = write.ticket.pk
        gone, come = write.timers_after(ladders[number], armed.get(number, []))
        dropped += [timer.pk for timer in gone]
        fresh += come
    Timer.objects.filter(pk__in=dropped).update(state=TimerState.DROPPED)
    kept_writes.insert_unnamed(fresh)


def _share_out(writes: Sequence[RecordWrite], events: Sequence[Event]) -> None:
    start = 0
    for write in writes:
        end = start + len(write.entries)
        write._wrote(list(events[start:end]))
        start = end


def load_many(
    numbers: Sequence[int], acting: Acting, *, lock: bool, runs_rules: bool = True
) -> list[RecordWrite]:
    """The works of many tickets, their histories and clocks read with a query each.

    Nothing is checked: the caller asks the policies.
    """
    rows: dict[int, list[dict[str, Any]]] = {}
    for number, *row in _of_many("histories", _histories_of, numbers):
        rows.setdefault(number, []).append(dict(zip(HISTORY_COLUMNS, row, strict=True)))
    clocks: dict[int, list[Clock]] = {}
    for clock in _objects_of_many("clocks of many", _clocks_of_many, numbers):
        clocks.setdefault(clock.ticket_id, []).append(clock)
    shape, build = ("locked", _locked_many) if lock else ("many", _many)
    tickets = _objects_of_many(shape, build, numbers)
    # What many of them share – people, teams, services – is read and made once.
    prefetch_related_objects(tickets, *WITH_RELATED)
    book = current()
    writes = []
    for ticket in tickets:
        write = RecordWrite(
            ticket, acting, rows.get(ticket.pk, []), book=book, runs_rules=runs_rules
        )
        write.take_clocks(clocks.get(ticket.pk, []))
        writes.append(write)
    return writes
