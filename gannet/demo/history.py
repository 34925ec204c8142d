"""Two years of incidents at Northmere, written in bulk by the same core as the actions.

Each ticket's story is a list of entries; clocks, markers and columns are derived from
them by `tickets.derive`, exactly as an action does, and the events are chained by
`audit.log`. Seeded, and relative to the instant the history ends.
"""

import random
import re
from bisect import bisect_right
from collections import defaultdict
from collections.abc import Callable, Iterable
from dataclasses import replace
from typing import Any

from django.db import transaction

from gannet.audit import log as audit
from gannet.audit.kinds import EventKind
from gannet.audit.models import Audience, Event
from gannet.demo import past_requests
from gannet.demo.rulebook import SHIPS, TERMINALS
from gannet.demo.stories import (
    ANSWERS_BACK,
    DATE_REASONS,
    FAULTS,
    FIRST_ANSWERS,
    HAND_OVER_REASONS,
    QUESTIONS,
    STILL_BROKEN,
    WAIT_REASONS,
    Fault,
    Teller,
)
from gannet.estate.models import ConfigItem, Service
from gannet.people.models import Membership, Person, Team
from gannet.requests.models import RequestFacts
from gannet.rulebook.book import Book
from gannet.tickets import promises, search
from gannet.tickets.actions.timers import Standing, wanted_timers
from gannet.tickets.approval_events import ApprovalEvent
from gannet.tickets.derive import derive
from gannet.tickets.directory import Relations, relations
from gannet.tickets.events import TicketEvent
from gannet.tickets.history import happenings, row_of_entry
from gannet.tickets.models import (
    Approval,
    Channel,
    Clock,
    ClockStateCode,
    RouteStage,
    StateCode,
    Ticket,
    Timer,
)
from gannet.tickets.routing import mode_of
from gannet_core import routing
from gannet_core.conditions import fold
from gannet_core.instants import instant_of
from gannet_core.priority import priority_of
from gannet_core.servicetime import ServiceCalendar

DAY, HOUR = 86_400, 3600
DAYS = 730
Progress = Callable[[str, int, int], None]

# How the day goes: arrivals by hour, and by weekday (Monday first).
_BY_HOUR = (1, 1, 1, 1, 2, 6, 10, 13, 16, 15, 13, 11, 9, 11, 12, 11, 10, 9, 7, 5, 4, 3, 2, 1)
_BY_WEEKDAY = (1.25, 1.1, 1.0, 1.05, 1.2, 0.75, 0.65)
_STORM = range(58, 65)  # days before the end
_UPGRADE = (201, 202)  # the failed upgrade of the tills
# The recurring fault: a gate that rejects barcodes again and again, of late more often; on
# these days before the end, beside what chance has.
_RECURRED = (2, 3, 5, 6, 8, 10, 12)
_RECURRING_ITEM = "Gate 3, Kestrel Point"
_NUMBER = re.compile(r"\b\d+\b")
_STORM_SERVICES = {"Ship-to-shore link", "Passenger Wi-Fi", "Terminal phones", "Signage"}
_DEPARTMENTS = {
    "Boarding gates": "Terminals",
    "Berth planner": "Terminals",
    "Ticket office tills": "Ticket Sales",
    "Freight manifest": "Freight",
    "Crew roster": "Crew Office",
    "Ship-to-shore link": "Sailing Operations",
    "Signage": "Terminals",
    "Passenger Wi-Fi": "Catering",
}
_CHANNELS = [Channel.PORTAL, Channel.MAIL, Channel.PHONE]
_PRIORITY_REASONS = (
    "full ship waiting", "school group at the gate", "workaround holds until tomorrow",
    "duty master asked for it", "two more terminals report the same",
)  # fmt: skip


class History:
    """Writes the history; keeps what the stories draw from."""

    def __init__(self, book: Book, end_s: int, seed: int, tickets: int) -> None:
        self.rng = random.Random(seed)
        self.book = book
        self.end_s = end_s
        self.wanted = tickets
        self.services = {s.name: s for s in Service.objects.select_related("team")}
        self.teams = {team.key: team for team in Team.objects.all()}
        found = Person.objects.filter(roles=[]).select_related("cost_centre").order_by("pk")
        self.people = list(found)
        # What past requests draw from, with a source of chance of their own.
        self.wishes = random.Random(seed + 1)
        self.request_facts: list[RequestFacts] = []
        self.routes: list[past_requests.Route] = []
        self.by_id = Person.objects.in_bulk()
        self.by_mail = {person.email: person.pk for person in self.by_id.values()}
        self.relations: Relations = relations()
        self.directories: dict[Any, Any] = {}
        self.by_department: dict[str, list[Person]] = defaultdict(list)
        for person in self.people:
            self.by_department[person.department].append(person)
        self.members: dict[str, list[Membership]] = defaultdict(list)
        for membership in Membership.objects.select_related("person", "team").order_by("pk"):
            self.members[membership.team.key].append(membership)
        self.items: dict[tuple[str, str], list[ConfigItem]] = defaultdict(list)
        for item in ConfigItem.objects.select_related("service").filter(used_by__isnull=True):
            self.items[item.service.name if item.service else "", item.place].append(item)
        self._gates = self.items["Boarding gates", "Kestrel Point"]
        self.recurring: set[int] = set()
        self.devices = {i.used_by_id: i for i in ConfigItem.objects.filter(used_by__isnull=False)}
        names = [person.name for person in self.people]
        self.teller = Teller(self.rng, TERMINALS, SHIPS, names)
        self.busy: dict[int, list[int]] = defaultdict(list)
        self.turns: dict[int, int] = {}
        self.turn = 0

    def write(self, progress: Progress) -> int:
        """Write everything in one transaction; returns how many tickets there are."""
        openings = self._openings()
        again = self._recurrences()
        openings = sorted([*openings, *again])
        self.recurring = {openings.index(at) + 1 for at in again}
        stories = []
        for index, opened_s in enumerate(openings, start=1):
            stories.append(self._story(index, opened_s))
            if index % 500 == 0:
                progress("telling", index, len(openings))
        with transaction.atomic():
            self._save(stories, progress)
        return len(stories)

    def _openings(self) -> list[int]:
        """The instants at which something breaks, with their daily and weekly rhythm."""
        weights = []
        for ago in range(DAYS, 0, -1):
            day = instant_of(self.end_s - ago * DAY)
            weight = _BY_WEEKDAY[day.weekday()] * (0.85 + 0.3 * (day.month in (6, 7, 8)))
            weight *= 3.2 if ago in _STORM else 1.6 if ago in _UPGRADE else 1.0
            weights.append(weight)
        days = self.rng.choices(range(DAYS, 0, -1), weights, k=self.wanted)
        openings = []
        for ago in days:
            start = self.end_s - ago * DAY
            midnight = start - start % DAY
            hour = self.rng.choices(range(24), _BY_HOUR)[0]
            openings.append(midnight + hour * HOUR + self.rng.randrange(HOUR))
        return sorted(at for at in openings if at < self.end_s)

    def _recurrences(self) -> list[int]:
        """The instants at which the recurring fault came, in the morning of each of its days."""
        midnight = self.end_s - self.end_s % DAY
        return [midnight - ago * DAY + 6 * HOUR + ago * 700 for ago in _RECURRED]

    def _fault(self, opened_s: int) -> Fault:
        ago = (self.end_s - opened_s) // DAY
        weights = [fault.weight for fault in FAULTS]
        if ago in _STORM:
            weights = [
                w * (6 if f.service in _STORM_SERVICES else 1)
                for w, f in zip(weights, FAULTS, strict=True)
            ]
        elif ago in _UPGRADE:
            weights = [
                w * (9 if f.service == "Ticket office tills" else 1)
                for w, f in zip(weights, FAULTS, strict=True)
            ]
        elif 14 < ago < 120 and ago % 19 < 2:  # it has come before
            weights = [w * (5 if i == 0 else 1) for i, w in enumerate(weights)]
        return self.rng.choices(FAULTS, weights)[0]

    def _requester(self, service: str, opened_s: int) -> Person:
        pool = self.by_department.get(_DEPARTMENTS.get(service, ""), self.people)
        return self.rng.choice(pool if self.rng.random() < 0.8 else self.people)

    def _story(self, number: int, opened_s: int) -> "Told":
        is_recurring = number in self.recurring
        if not is_recurring and past_requests.is_wish(self):
            ticket, story = past_requests.wish(self, number, opened_s)
            return _WishTeller(self, ticket, story).tell()
        fault = FAULTS[0] if is_recurring else self._fault(opened_s)
        service = self.services[fault.service]
        requester = self._requester(fault.service, opened_s)
        item = self._item(fault, requester)
        if is_recurring:
            item = next((i for i in self._gates if i.name == _RECURRING_ITEM), item)
            here = [one for one in self.people if item and one.place == item.place]
            requester = self.rng.choice(here or [requester])
        number_of_item = _NUMBER.search(item.name if item and not item.used_by_id else "")
        told = self.teller.tell(fault, requester.place, number_of_item[0] if number_of_item else "")
        impact, urgency = self.rng.choice(fault.levels)
        answer = priority_of(self.book.matrix, impact, urgency)
        channel = self.rng.choices(_CHANNELS, [5, 3, 3])[0]
        ticket = Ticket(
            id=number,
            kind="incident",
            title=told.title[:200],
            title_folded=fold(told.title[:200]),
            requester=requester,
            service=service,
            ci=item,
            category=service.category,
            place=requester.place,
            channel=channel,
            impact=impact,
            urgency=urgency,
            priority=answer.priority,
            team=service.team or self.teams["harbour-desk"],
            edition=self.book.number,
            opened_s=opened_s,
            changed_s=opened_s,
            is_confidential=int(service.is_confidential),
        )
        return _Teller(self, ticket, told).tell()

    def _item(self, fault: Fault, requester: Person) -> ConfigItem | None:
        if fault.service == "Workplace laptops":
            return self.devices.get(requester.pk)
        if not fault.item or self.rng.random() < 0.2:
            return None
        near = self.items.get((fault.service, requester.place))
        return self.rng.choice(near or self.items.get((fault.service, "Saltgate")) or [None])

    def pick(self, team: Team, at_s: int) -> tuple[Person | None, list[dict[str, Any]], str]:
        """The person who gets it by the team's mode, by the core."""
        mode = mode_of(self.book, team)
        if mode == routing.BY_HAND:
            return None, [], f"{team.name} hands out its work by hand"
        members = self.members[team.key]
        candidates = [self._candidate(member, at_s) for member in members]
        found = routing.pick(mode, candidates, (), self.book.routing["weights"])
        names = {str(member.person_id): member.person.name for member in members}
        if found.picked is None:
            return None, found.explain(mode, names), f"nobody in {team.name} can take it now"
        person = next(m.person for m in members if str(m.person_id) == found.picked)
        self.turn += 1
        self.turns[person.pk] = self.turn
        how = "was longest without one" if mode == routing.IN_TURN else "has the least load"
        return person, found.explain(mode, names), f"{person.name} {how} in {team.name}"

    def _candidate(self, member: Membership, at_s: int) -> routing.Candidate:
        key = member.person.working_calendar
        held = [end for end in self.busy[member.person_id] if end > at_s]
        self.busy[member.person_id] = held
        return routing.Candidate(
            id=str(member.person_id),
            set_aside=member.is_set_aside,
            on_shift=not key or self.book.calendar(key).is_open_s(at_s),
            last_auto=self.turns.get(member.person_id),
            cap=self.book.member(member.team.name, member.person.email).get("cap"),
            open=[routing.OpenWork("P3", "ours")] * len(held),
        )

    def on_shift(self, team: Team, at_s: int) -> Person:
        """Somebody of a team, on shift if anybody is."""
        members = self.members[team.key]
        able = [m.person for m in members if self._candidate(m, at_s).on_shift]
        return self.rng.choice(able or [m.person for m in members])

    def _save(self, stories: list["Told"], progress: Progress) -> None:
        Ticket.objects.bulk_create([told.ticket for told in stories], batch_size=500)
        RequestFacts.objects.bulk_create(self.request_facts, batch_size=800)
        progress("tickets", len(stories), len(stories))
        clocks = [clock for told in stories for clock in told.clocks]
        Clock.objects.bulk_create(clocks, batch_size=800)
        progress("clocks", len(clocks), len(clocks))
        timers = [timer for told in stories for timer in told.timers]
        Timer.objects.bulk_create(timers, batch_size=800)
        entries = sorted(
            (entry for told in stories for entry in told.entries), key=lambda entry: entry.at
        )
        last = Event.objects.order_by("-id").values_list("id", "hash").first()
        rows = audit.chain(entries, last)
        for start in range(0, len(rows), 20_000):
            Event.objects.bulk_create(rows[start : start + 20_000], batch_size=800)
            progress("events", min(start + 20_000, len(rows)), len(rows))
        RouteStage.objects.bulk_create(
            [row for route in self.routes for row in route.rows], batch_size=800
        )
        Approval.objects.bulk_create(
            [row for route in self.routes for row in route.asked], batch_size=800
        )
        search.rebuild()
        for member_list in self.members.values():
            for member in member_list:
                if member.person_id in self.turns:
                    # Sequence numbers are event numbers; these turns lie before any of today's.
                    member.last_auto = self.turns[member.person_id]
            Membership.objects.bulk_update(member_list, ["last_auto"])


class Told:
    """A ticket with its entries, clocks and timers."""

    def __init__(
        self,
        ticket: Ticket,
        entries: list[audit.Entry],
        clocks: list[Clock],
        timers: list[Timer],
    ) -> None:
        self.ticket = ticket
        self.entries = entries
        self.clocks = clocks
        self.timers = timers


class _Teller:
    """Tells one ticket's life, act by act, until it ends or the history does."""

    def __init__(self, history: History, ticket: Ticket, told: Any) -> None:
        self.h = history
        self.rng = history.rng
        self.ticket = ticket
        self.story = told
        self.entries: list[audit.Entry] = []
        self.clocks: list[Clock] = []
        self.at = ticket.opened_s
        self.holder: Person | None = None
        self.calendar: ServiceCalendar | None = None

    def tell(self) -> Told:
        try:
            self._log()
            self._first_answer()
            self._work()
            self._end()
        except _TheEnd:
            pass
        return self._finish()

    def _go(self, at_s: int) -> None:
        """Move on in time; a story does not go past the end of the history."""
        at_s = max(at_s, self.at + 1)
        if at_s >= self.h.end_s:
            raise _TheEnd
        self.at = at_s

    def _after(self, service_seconds: float) -> int:
        calendar = self.calendar or self.h.book.calendar("offices")
        return calendar.due_s(self.at, max(60, int(service_seconds)))

    def _entry(
        self,
        kind: EventKind,
        actor: Person | None,
        *,
        text: str = "",
        facts: dict[str, Any] | None = None,
        values: dict[str, Any] | None = None,
        by_desk: bool = True,
        public: bool = True,
    ) -> None:
        facts = dict(facts or {})
        acts = (TicketEvent.TAKEN, TicketEvent.REPLIED, TicketEvent.NOTED)
        if kind in acts and by_desk and actor and self._is_member(actor):
            facts["for_team"] = self.ticket.team.key
        self.entries.append(
            audit.Entry(
                kind=kind,
                at=instant_of(self.at),
                actor_id=actor.pk if actor else None,
                by_desk=by_desk and actor is not None,
                is_automatic=actor is None,
                audience=Audience.EVERYBODY if public else Audience.DESK,
                ticket_id=self.ticket.pk,
                facts=facts,
                values=values or {},
                text=text,
            )
        )
        self.ticket.changed_s = self.at

    def _is_member(self, person: Person) -> bool:
        return any(m.person_id == person.pk for m in self.h.members[self.ticket.team.key])

    def _log(self) -> None:
        ticket, history = self.ticket, self.h
        person, why, sentence = history.pick(ticket.team, self.at)
        self.holder = person
        actor, by_desk = ticket.requester, False
        if ticket.channel == Channel.PHONE:
            actor, by_desk = history.on_shift(history.teams["harbour-desk"], self.at), True
        self._entry(
            TicketEvent.LOGGED,
            actor,
            by_desk=by_desk,
            text=self.story.text,
            facts={"team": ticket.team.key, "person": _text(person)},
            values={
                "title": ticket.title,
                "channel": ticket.channel,
                "why_team": "the service's team",
                "why_person": why,
                "person": sentence,
                "answers": dict(ticket.answers),
                "as": {
                    "service": ticket.service.name if ticket.service else None,
                    "ci": ticket.ci.name if ticket.ci else None,
                    "place": ticket.place,
                    "impact": ticket.impact,
                    "urgency": ticket.urgency,
                    "values": {},
                },
            },
        )
        self._promise()
        self._team_clocks()

    def _promise(self) -> None:
        found = promises.promise(self.h.book, self.ticket, "customer", self.at)
        assert found is not None
        fitted = promises.fit_clocks(self.h.book, self.ticket, found, "customer", self.clocks)
        self._keep(fitted)
        self.ticket.agreement = found.agreement
        self.ticket.care_tier = min((c.care_tier for c in fitted if c.care_tier), default="")
        self.calendar = self.h.book.calendar(found.targets["fix"].calendar)
        self._entry(
            TicketEvent.PROMISED,
            None,
            public=False,
            values={
                "agreement": found.agreement,
                "why": found.why,
                "targets": {clock.kind: clock.target_seconds for clock in fitted},
                "normal": {clock.kind: clock.normal_seconds for clock in fitted},
                "priority": self.ticket.priority,
            },
        )

    def _team_clocks(self) -> None:
        team = self.ticket.team
        found = promises.promise(self.h.book, self.ticket, "team", self.at, team=team.name)
        fitted = promises.fit_clocks(self.h.book, self.ticket, found, "team", self.clocks, team.key)
        self._keep(fitted)

    def _keep(self, fitted: Iterable[Clock]) -> None:
        known = {id(clock) for clock in self.clocks}
        self.clocks.extend(clock for clock in fitted if id(clock) not in known)

    def _target(self, kind: str) -> int:
        return next(c.target_seconds for c in self.clocks if c.kind == kind and not c.holder)

    def _spread(self, middle: float, spread: float) -> float:
        return middle * self.rng.lognormvariate(0, spread)

    def _first_answer(self) -> None:
        delay = self._spread(0.34 * self._target("answer"), 0.75)
        if self.holder is None:
            self._go(self._after(0.55 * delay))
            self._take(self.h.on_shift(self.ticket.team, self.at))
            delay *= 0.45
        self._go(self._after(delay))
        self._reply(self.h.teller.say(FIRST_ANSWERS, self.ticket.place))

    def _take(self, person: Person) -> None:
        self._entry(
            TicketEvent.TAKEN,
            person,
            facts={"person": str(person.pk), "from_person": _text(self.holder)},
        )
        self.holder = person

    def _reply(self, text: str) -> None:
        self._entry(TicketEvent.REPLIED, self.holder, text=text)

    def _work(self) -> None:
        write = self._spread(0.27 * self._target("fix"), 0.85)
        steps = self.rng.randint(1, 3)
        chance = self.rng.random
        for _step in range(steps):
            self._go(self._after(write / steps))
            if chance() < 0.05:
                self._change_priority()
            if chance() < 0.24:
                self._hand_over()
            if chance() < 0.22:
                self._wait_on_requester()
            elif chance() < 0.05:
                self._wait_on_date()
            elif chance() < 0.06:
                self._wait_on_supplier()
            if chance() < 0.3 and self.story.note:
                self._entry(TicketEvent.NOTED, self.holder, text=self.story.note, public=False)
            if chance() < 0.12:
                self._entry(
                    TicketEvent.REQUESTER_WROTE,
                    self.ticket.requester,
                    text=self.h.teller.say(ANSWERS_BACK, self.ticket.place),
                    by_desk=False,
                )
                self._go(self._after(self._spread(20 * 60, 0.6)))
                self._reply(self.h.teller.say(FIRST_ANSWERS, self.ticket.place))

    def _change_priority(self) -> None:
        before = self.ticket.priority
        after = min(4, max(1, before + self.rng.choice((-1, 1))))
        if after == before:
            return
        self.ticket.priority = after
        reason = self.rng.choice(_PRIORITY_REASONS)
        self.ticket.priority_reason = reason
        self._entry(
            TicketEvent.CHANGED,
            self.holder,
            public=False,
            text=reason,
            values={"changes": {"priority": [f"P{before}", f"P{after}"]}, "by_hand": True},
        )
        self._promise()
        self._team_clocks()

    def _hand_over(self) -> None:
        service = self.ticket.service
        chain = self.h.book.chains.get(service.name, []) if service else []
        following = routing.escalate(chain, self.ticket.team.name)
        if following is None or following == self.ticket.team.name:
            return
        team = next(team for team in self.h.teams.values() if team.name == following)
        person, why, sentence = self.h.pick(team, self.at)
        before_team, before = self.ticket.team.key, self.holder
        self.ticket.team = team
        self._entry(
            TicketEvent.HANDED_OVER,
            before,
            public=False,
            text=self.h.teller.say(HAND_OVER_REASONS, self.ticket.place),
            facts={
                "team": team.key,
                "from_team": before_team,
                "person": _text(person),
                "from_person": _text(before),
            },
            values={"why_person": why, "person": sentence},
        )
        self.ticket.hand_overs += 1
        self.holder = person
        self._team_clocks()
        if person is None:
            self._go(self._after(self._spread(1500, 0.7)))
            self._take(self.h.on_shift(team, self.at))
        else:
            self._go(self._after(self._spread(1200, 0.7)))
            self._entry(
                TicketEvent.NOTED, person, text=self.story.note or "I have it.", public=False
            )

    def _wait(self, on: str, reason: str, **facts: str) -> None:
        self._entry(TicketEvent.WAITING, self.holder, text=reason, facts={"on": on, **facts})
        ticket = self.ticket
        ticket.waiting_on, ticket.waiting_reason = on, reason
        ticket.waiting_since_s = self.at
        ticket.waiting_until_s = int(facts["until"]) if "until" in facts else None

    def _resume(self, actor: Person | None) -> None:
        self._entry(TicketEvent.RESUMED, actor)
        ticket = self.ticket
        ticket.waiting_on, ticket.waiting_reason = "", ""
        ticket.waiting_since_s = ticket.waiting_until_s = None

    def _wait_on_requester(self) -> None:
        place = self.ticket.place
        self._reply(self.h.teller.say(QUESTIONS, place))
        self._go(self.at + 5)
        self._wait("requester", self.rng.choice(WAIT_REASONS))
        self._go(self.at + int(self._spread(2.5 * HOUR, 1.1)))
        self._entry(
            TicketEvent.REQUESTER_WROTE,
            self.ticket.requester,
            text=self.h.teller.say(ANSWERS_BACK, place),
            by_desk=False,
            values={"channel": "portal"},
        )
        self._resume(None)
        self._go(self._after(self._spread(25 * 60, 0.6)))
        self._reply(self.h.teller.say(FIRST_ANSWERS, place))

    def _wait_on_date(self) -> None:
        until = self.at + self.rng.randint(1, 5) * DAY
        until -= until % DAY - 9 * HOUR
        self._wait("date", self.rng.choice(DATE_REASONS), until=str(until))
        self._go(until)
        self._resume(None)

    def _wait_on_supplier(self) -> None:
        if self.ticket.service is None:
            return
        radio = self.ticket.service.name in _STORM_SERVICES
        supplier = "Brightmast Networks" if radio else "Loam Payments"
        self._wait("supplier", f"{supplier} has it", supplier=supplier)
        self._go(self.at + int(self._spread(3 * HOUR, 0.8)))
        self._resume(self.holder)

    def _end(self) -> None:
        self._go(self._after(self._spread(300, 0.5)))
        self._resolve()
        if self.rng.random() < 0.045:
            self._reopen()
        closes = self.h.book.calendar(self.h.book.closing["calendar"]).due_s(
            self.at, self.h.book.closing["after_seconds"]
        )
        self._go(closes)
        self._entry(TicketEvent.CLOSED, None)
        self.ticket.closed_s = self.at

    def _resolve(self) -> None:
        self._entry(TicketEvent.RESOLVED, self.holder, text=self.story.fix)
        self.ticket.resolved_s = self.at
        self.ticket.resolution = self.story.fix

    def _reopen(self) -> None:
        resolved_at = self.at
        self._go(self.at + int(self._spread(5 * HOUR, 0.7)))
        if self.at - resolved_at > DAY:
            return
        requester = self.ticket.requester
        self._entry(TicketEvent.REOPENED, requester, by_desk=False)
        self._entry(
            TicketEvent.REQUESTER_WROTE,
            requester,
            text=self.rng.choice(STILL_BROKEN),
            by_desk=False,
        )
        self.ticket.resolved_s, self.ticket.resolution = None, ""
        self.ticket.reopenings += 1
        self._go(self._after(self._spread(900, 0.6)))
        self._reply(self.h.teller.say(FIRST_ANSWERS, self.ticket.place))
        self._go(self._after(self._spread(0.2 * self._target("fix"), 0.8)))
        self._resolve()

    def _finish(self) -> Told:
        ticket, end = self.ticket, self.h.end_s
        ticket.holder = self.holder
        rows = [row_of_entry(entry, index) for index, entry in enumerate(self.entries)]
        history = happenings(rows)
        derive(ticket, self.clocks, history, self.h.book, end)
        self._record_misses()
        if self.holder is not None and ticket.state != StateCode.CANCELLED:
            self.h.busy[self.holder.pk].append(ticket.resolved_s or end)
        timers = [
            Timer(ticket=ticket, kind=kind, subject=subject, at_s=at_s)
            for (kind, subject), at_s in wanted_timers(
                Standing(ticket=ticket, clocks=self.clocks, book=self.h.book, now_s=end)
            ).items()
        ]
        return Told(ticket, self.entries, self.clocks, timers)

    def _record_misses(self) -> None:
        for clock in self.clocks:
            if clock.missed_s is None:
                continue
            calendar = self.h.book.calendar(clock.calendar)
            late = clock.missed_s
            if not calendar.is_open_s(late):
                late = calendar.next_opening_s(late) or late
            if late + 1 >= self.h.end_s or clock.state == ClockStateCode.CANCELLED:
                continue
            missed = audit.Entry(
                kind=TicketEvent.TARGET_MISSED,
                at=instant_of(late + 1),
                is_automatic=True,
                ticket_id=self.ticket.pk,
                facts={"clock": clock.kind, "holder": clock.holder},
            )
            place = bisect_right([entry.at for entry in self.entries], missed.at)
            self.entries.insert(place, replace(missed))


class _WishTeller(_Teller):
    """Tells a request: decided, brought, closed."""

    def tell(self) -> Told:
        route = past_requests.Route(self.h, self.ticket)
        self.h.routes.append(route)
        try:
            self._log()
            self._go(self.at + 1)
            if past_requests.tell_route(self, route, self.h.by_id):
                self._first_answer()
                self._go(self._after(self._spread(0.4 * self._target("fix"), 0.6)))
                self._end()
        except _TheEnd:
            route.rows, route.asked = [], []
            if self.ticket.approval == "approved" and not any(
                entry.kind == ApprovalEvent.ROUTE_ENDED for entry in self.entries
            ):
                self.ticket.approval, self.ticket.route = "", ""
        return self._finish()

    def _first_answer(self) -> None:
        if self.holder is None:
            self._go(self._after(self._spread(HOUR, 0.6)))
            self._take(self.h.on_shift(self.ticket.team, self.at))
        self._go(self._after(self._spread(HOUR, 0.5)))
        self._reply("We are getting it ready for you.")


class _TheEnd(Exception):
    """The history ends before this ticket's story does."""


def _text(person: Person | None) -> str | None:
    return None if person is None else str(person.pk)
