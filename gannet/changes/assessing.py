"""How risky a change is, what it reaches and clashes with, and what went before it.

Everything is worked out from the plan as it stands, so that a draft is weighed while it is
edited; what was decided upon is kept beside it by the stages.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from fractions import Fraction
from functools import cached_property
from typing import Any

from django.db import connection
from django.db.models import Count, Max, Q

from gannet.changes import covering
from gannet.changes.models import (
    KIND,
    ChangeFacts,
    ChangeItem,
    carried,
    facts_of,
    touched_by,
)
from gannet.estate.models import ConfigItem, Service
from gannet.estate.nodes import node_of, things, web
from gannet.people.models import Absence, Person, Role
from gannet.rulebook.book import Book
from gannet.tickets.models import Link, LinkKind, Ticket
from gannet.tickets.states import state_code
from gannet_core import changes as core
from gannet_core import risk, schedule, similarity
from gannet_core.changes import Step
from gannet_core.instants import instant_of, seconds_of
from gannet_core.risk import Affected, Circumstances, Remedy, Risk, Track
from gannet_core.schedule import Occasion, Planned, Slot
from gannet_core.similarity import Corpus, Finished, Likeness, Outing, Record, Similar
from gannet_core.windows import read_zone

_DAY = 86_400
MOST_PAST = 3000
# The states in which a change takes its time: it is meant, and not over.
TAKING = ("assess", "authorise", "planned", "under way")
_OVER = ("look back", "done", "backed out")
_EMPTY: tuple[Any, ...] = (None, "", [])
_AMONG_CLASHES = (schedule.IMPLEMENTER, schedule.ITEM, schedule.SERVICE, schedule.ABSENT)


@dataclass(frozen=True)
class Proposed:
    """A change as it is proposed: what is weighed, whether it is saved or only typed yet."""

    number: int
    title: str
    service: Service | None
    category: str
    items: tuple[ConfigItem, ...]
    facts: ChangeFacts
    holder: int | None
    is_urgent: bool = False
    # Of a release: the plans of the changes that it carries, and their numbers.
    carried_steps: tuple[Step, ...] = ()
    carries: frozenset[int] = frozenset()
    # The keys of the ticket's own fields that have a value.
    filled: frozenset[str] = frozenset()

    @property
    def steps(self) -> tuple[Step, ...]:
        """The steps of its plan; of a release, those of its changes too."""
        return (*self.facts.plan(), *self.carried_steps)

    @property
    def people(self) -> frozenset[str]:
        """Who carries it out, by number: whoever does a step, else whoever holds it."""
        named = {step.who for step in self.steps if step.who}
        return frozenset(named or ({str(self.holder)} if self.holder else ()))

    @property
    def words(self) -> str:
        """Its title and plan, by which past changes are found that are like it."""
        return " ".join([self.title, *(step.says for step in self.steps)])


def proposed(
    ticket: Ticket, facts: ChangeFacts | None = None, without: int | None = None
) -> Proposed:
    """A change as it is saved, or with other facts; a release perhaps without one of its own."""
    rows = touched_by(ticket).select_related("item", "item__service")
    touched = [one for one in rows if one.ticket_id != without]
    kept = facts or facts_of(ticket)
    parts = [one for one in carried(ticket.pk) if one.pk != without] if kept.is_release else []
    return Proposed(
        number=ticket.pk,
        title=ticket.title,
        service=ticket.service,
        category=ticket.category,
        items=tuple({one.item_id: one.item for one in touched}.values()),
        facts=kept,
        holder=ticket.holder_id,
        is_urgent=is_urgent(ticket.pk),
        carried_steps=tuple(step for one in parts for step in facts_of(one).plan()),
        carries=frozenset(one.pk for one in parts),
        filled=frozenset(key for key, value in ticket.values.items() if value not in _EMPTY),
    )


def is_urgent(number: int) -> bool:
    """Whether a P1 or P2 incident is linked to a change."""
    links = Link.objects.filter(Q(source=number) | Q(target=number))
    near = Q(source__kind="incident", source__priority__lte=2) | Q(
        target__kind="incident", target__priority__lte=2
    )
    return links.filter(near).exists()


@dataclass
class Assessment:
    """All that is worked out of a proposed change, each part when it is asked for."""

    change: Proposed
    book: Book
    now_s: int
    settings: core.Settings = field(init=False)

    def __post_init__(self) -> None:
        self.settings = self.book.changes

    @property
    def template(self) -> Mapping[str, Any]:
        """The template that it comes of, if it is there still."""
        return self.book.change_templates.get(self.change.facts.template) or {}

    @property
    def is_preauthorised(self) -> bool:
        """Whether it is what was authorised beforehand: of such a template, and by its plan."""
        runs = [str(one.get("runbook") or "") for one in self.change.facts.steps]
        plan = [
            (step.part, step.says, run)
            for step, run in zip(self.change.facts.plan(), runs, strict=True)
        ]
        written = [
            (str(one["part"]), " ".join(str(one["says"]).split()), str(one.get("runbook") or ""))
            for one in self.template.get("steps") or ()
        ]
        return bool(self.template.get("is_preauthorised")) and plan == written

    @cached_property
    def occasion(self) -> Occasion:
        """The change among all that is planned; without the CAB, which waits for its rating."""
        change, facts = self.change, self.change.facts
        start, end = self._span
        return Occasion(
            id=str(change.number),
            implementers=change.people,
            items=frozenset(node_of(item) for item in change.items),
            others=others(self._together, start, end),
            web=web(),
            services=frozenset(f"service-{pk}" for pk in _service_numbers()),
            freezes=covering.freezes_over(self.book, change.items, start, end),
            windows=covering.windows_of(self.book, change.items, start, end),
            cab_at_s=None,
            absences=_absences(change.people, start, end) if facts else [],
        )

    @property
    def _together(self) -> frozenset[int]:
        """What it does not clash with: itself, and all that goes with it in one release."""
        change = self.change
        whole = change.facts.release_id or change.number
        is_alone = not change.facts.is_release and whole == change.number
        beside = () if is_alone else carried(whole).values_list("pk", flat=True)
        return frozenset({change.number, whole, *beside})

    @cached_property
    def _span(self) -> tuple[int, int]:
        """What is looked at: round the planned time, and the weeks ahead for slots."""
        facts = self.change.facts
        start = min(facts.starts_s or self.now_s, self.now_s)
        end = max(facts.ends_s or self.now_s, self.now_s)
        return start - _DAY, end + 60 * _DAY

    @cached_property
    def clashes(self) -> list[schedule.Clash]:
        """What stands in the way of the planned time, the CAB's meeting included."""
        facts = self.change.facts
        found = list(self._clashes)
        if self.cab_s is not None and facts.starts_s is not None and self.cab_s > facts.starts_s:
            found.append(schedule.Clash(schedule.CAB, schedule.CAB))
        return found

    @cached_property
    def _clashes(self) -> list[schedule.Clash]:
        facts = self.change.facts
        if facts.starts_s is None or facts.ends_s is None or facts.ends_s <= facts.starts_s:
            return []
        return self.occasion.clashes(facts.starts_s, facts.ends_s)

    @cached_property
    def affected(self) -> list[tuple[Service, Affected, list[str]]]:
        """The services it reaches, most reach first, each with the path that explains it."""
        found = web().stopped(node_of(item) for item in self.change.items)
        wanted = [name for name in found.reach if name.startswith("service-")]
        services = things(wanted)
        rows = []
        for name in wanted:
            service = services[name]
            assert isinstance(service, Service)
            share = Fraction(found.reach[name])
            path = [name, *(step.target for step in found.path(name))]
            rows.append((service, Affected(service.criticality, share, service.name), path))
        rows.sort(key=lambda row: (-self.settings.model.weights[row[1].criticality] * row[1].reach,
                                   row[0].name))  # fmt: skip
        return rows

    @cached_property
    def track(self) -> list[tuple[Similar, Outing, Ticket]]:
        """The past changes that count: the most alike, those added, without those dropped."""
        facts, past = self.change.facts, past_changes()
        likeness = Likeness(
            facts.template or None,
            frozenset(node_of(item) for item in self.change.items),
            self.change.words,
            self.change.category or None,
        )
        alike = past.closest(likeness, self.change.number)
        ranked = [one for one in alike if int(one.id) not in facts.dropped]
        known = {one.id for one in ranked}
        ranked += [
            Similar(str(number), 0.0, False, (), 0.0, False)
            for number in facts.added
            if str(number) in past.changes and str(number) not in known
        ]
        tickets = Ticket.objects.in_bulk([int(one.id) for one in ranked])
        return [
            (one, past.changes[one.id].outing, tickets[int(one.id)])
            for one in ranked
            if int(one.id) in tickets
        ]

    @cached_property
    def record(self) -> Record:
        """How those past changes went."""
        return similarity.summary(outing for _, outing, _ in self.track)

    @cached_property
    def circumstances(self) -> Circumstances:
        """What makes it likelier to fail, as the core weighs it."""
        facts, kinds = self.change.facts, [clash.kind for clash in self._clashes]
        parts = {step.part for step in self.change.steps}
        since = facts.submitted_s or self.now_s
        lead_s = self.settings.lead_hours * 3600
        others = {clash.other for clash in self._clashes if clash.kind in _AMONG_CLASHES}
        return Circumstances(
            in_freeze=schedule.FREEZE in kinds,
            outside_window=schedule.WINDOW in kinds,
            clashes=len(others),
            lead_time_short=facts.starts_s is not None and facts.starts_s - since < lead_s,
            no_backout=core.BACK_OUT not in parts,
            untested=not facts.tried.strip(),
            first_on_service=self._is_first,
            items=len(self.change.items),
        )

    @cached_property
    def _is_first(self) -> bool:
        """Whether nobody who carries it out has finished a change of its service before."""
        if self.change.service is None or not self.change.people:
            return False
        people = [int(one) for one in self.change.people]
        over = [state_code(name) for name in _OVER]
        before = Ticket.objects.filter(
            kind=KIND, service=self.change.service, holder__in=people, state__in=over
        )
        return not before.exclude(pk=self.change.number).exists()

    @cached_property
    def _weighed_by(self) -> tuple[list[Affected], Track, Circumstances]:
        record = self.record
        return (
            [affected for _, affected, _ in self.affected],
            Track(record.n, record.failed, record.with_issues),
            self.circumstances,
        )

    @cached_property
    def risk(self) -> Risk:
        """Consequence × likelihood, with the parts that add up to each.

        Of a release it is the worst: that of all together, or that of one of its changes.
        """
        return self._whole if self.worst is None else self.worst.risk

    @cached_property
    def _whole(self) -> Risk:
        return risk.score(*self._weighed_by, self.settings.model)

    @cached_property
    def worst(self) -> "Assessment | None":
        """The change of a release that is riskier by itself than all of them together, if any."""
        found = max(self.parts, key=lambda one: one.risk.points, default=None)
        if found is None or found.risk.points <= self._whole.points:
            return None
        return found

    @cached_property
    def parts(self) -> list["Assessment"]:
        """The assessments of the changes that a release carries."""
        rows = carried(self.change.number) if self.change.carries else ()
        return [assess(one, self.book, self.now_s) for one in rows if one.pk in self.change.carries]

    @cached_property
    def remedies(self) -> list[Remedy]:
        """What would lower the risk, and to what."""
        if self.worst is not None:
            return self.worst.remedies
        return risk.remedies(*self._weighed_by, self.settings.model)

    @cached_property
    def suggested(self) -> tuple[core.ChangeType, str]:
        """The type that fits it, and why."""
        return core.suggested(
            self.settings,
            is_preauthorised=self.is_preauthorised,
            rating=self.risk.rating,
            is_urgent=self.change.is_urgent,
        )

    @property
    def type(self) -> core.ChangeType:
        """The type that counts: the one that was chosen, else the suggested."""
        chosen = self.change.facts.type
        return self.settings.type_of(chosen) if chosen else self.suggested[0]

    @property
    def against_type(self) -> str:
        """Why it cannot be of its type, in words, or nothing."""
        return core.against(
            self.type,
            is_preauthorised=self.is_preauthorised,
            rating=self.risk.rating,
            is_urgent=self.change.is_urgent,
            reason=self.change.facts.reason,
        )

    @property
    def draft(self) -> core.Draft:
        """What of it counts when something is asked of it."""
        change, facts = self.change, self.change.facts
        return core.Draft(
            why=facts.why,
            service=change.service.name if change.service else "",
            items=len(change.items),
            starts_s=facts.starts_s,
            ends_s=facts.ends_s,
            steps=change.steps,
            tried=facts.tried,
            fields=change.filled,
        )

    @property
    def labels(self) -> dict[str, str]:
        """The names of the rulebook's own fields, by their keys."""
        return {key: str(one["label"]) for key, one in self.book.fields.items()}

    def lacks(self, person: Person | None) -> list[core.Lack]:
        """What it lacks before somebody can submit it."""
        is_manager = _is_manager(person)
        found = core.lacks(self.type, self.draft, self.labels, is_manager=is_manager)
        return [*found, *self._lacks_of_parts(person)] if self.change.facts.is_release else found

    def lacks_in(self, state: str, person: Person | None) -> list[core.Lack]:
        """What the stage that the rulebook adds, and that it is in, needs of who moves it on."""
        here = core.standing_in(self.type, state, self.change.facts.stage)
        if here is None:
            return []
        needs = core.asked_of(here, is_manager=_is_manager(person))
        return core.lacks_of(needs, self.draft, self.labels)

    def _lacks_of_parts(self, person: Person | None) -> list[core.Lack]:
        """What the changes of a release lack, and which of them lie outside of its time."""
        facts = self.change.facts
        if not self.parts:
            return [core.Lack("carries", "Name the changes that it carries.")]
        found = []
        for one in self.parts:
            number, theirs = one.change.number, one.change.facts
            found += [core.Lack("carries", f"{number}: {lack.says}") for lack in one.lacks(person)]
            begins, ends = theirs.starts_s, theirs.ends_s
            if None in (begins, ends, facts.starts_s, facts.ends_s):
                continue
            if begins < facts.starts_s or ends > facts.ends_s:  # type: ignore[operator]
                found.append(core.Lack("carries", f"{number} is planned outside of the release."))
        return found

    @property
    def needs_cab(self) -> bool:
        """Whether the change advisory board decides on it."""
        is_referred = bool(self.change.facts.referred)
        return is_referred or core.needs_cab(self.type, self.risk.rating)

    @cached_property
    def cab_s(self) -> int | None:
        """When the CAB can decide on it: at its next meeting before whose cut-off it comes."""
        if not self.needs_cab or not self.settings.cab:
            return None
        return schedule.cab_slot(
            meeting(self.settings),
            self.change.facts.submitted_s or self.now_s,
            needs_cab=True,
            is_emergency=self.type.like == core.EMERGENCY,
        )

    def slots(self, minutes: int, from_s: int, until_s: int) -> list[Slot]:
        """The first five spans in which it clashes with nothing, the CAB's meeting included."""
        self.occasion.cab_at_s = self.cab_s
        try:
            return self.occasion.slots(from_s, until_s, minutes)
        finally:
            self.occasion.cab_at_s = None


def meeting(settings: core.Settings) -> schedule.Meeting:
    """When the CAB meets, as the rulebook says."""
    cab = settings.cab
    return schedule.meeting_of(
        cab["weekday"], cab["time"], read_zone(cab["zone"]), int(cab["cutoff_minutes"])
    )


def others(but: frozenset[int], start_s: int, end_s: int) -> list[Planned]:
    """All changes but some that take time in a span, with who does them and what they touch."""
    rows = list(
        Ticket.objects.filter(
            kind=KIND,
            state__in=[state_code(name) for name in TAKING],
            change_facts__starts_s__lt=end_s,
            change_facts__ends_s__gt=start_s,
        )
        .exclude(pk__in=but)
        .select_related("change_facts")
    )
    touched: dict[int, set[str]] = {}
    items = ChangeItem.objects.filter(ticket__in=[row.pk for row in rows])
    for ticket, item in items.values_list("ticket_id", "item_id"):
        touched.setdefault(ticket, set()).add(f"item-{item}")
    found = []
    for row in rows:
        facts = facts_of(row)
        if facts.starts_s is None or facts.ends_s is None or facts.ends_s <= facts.starts_s:
            continue
        people = {step.who for step in facts.plan() if step.who}
        if not people and row.holder_id:
            people = {str(row.holder_id)}
        found.append(
            Planned(
                str(row.pk),
                facts.starts_s,
                facts.ends_s,
                frozenset(people),
                frozenset(touched.get(row.pk, ())),
            )
        )
    return found


@dataclass(frozen=True)
class PastChange:
    """A finished change: what it is compared by, and how it went."""

    finished: Finished
    outing: Outing


@dataclass(frozen=True)
class Past:
    """All finished changes, by number, and ready to be compared with."""

    changes: Mapping[str, PastChange]
    corpus: Corpus

    def closest(self, change: Likeness, number: int) -> list[Similar]:
        """Those most like a change, which is never like itself."""
        if str(number) not in self.changes:
            return self.corpus.closest(change)
        others = [one.finished for key, one in self.changes.items() if key != str(number)]
        return similarity.rank(change, others)


_read: dict[str, Any] = {}


def past_changes() -> Past:
    """The changes that are over and done with, read again when one more is, or an incident
    is linked to one."""
    over = ChangeFacts.objects.exclude(outcome="")
    caused = Link.objects.filter(kind=LinkKind.CAUSED_BY, target__kind=KIND)
    state = over.aggregate(count=Count("pk"), last=Max("ticket__changed_s"), learned=Max("pk"))
    version = (*state.values(), caused.count(), connection.settings_dict["NAME"])
    if _read.get("version") != version:
        found = _past_changes()
        corpus = Corpus([one.finished for one in found.values()])
        _read.update(version=version, past=Past(found, corpus))
    past: Past = _read["past"]
    return past


def _past_changes() -> dict[str, PastChange]:
    rows = list(
        Ticket.objects.filter(kind=KIND, change_facts__outcome__gt="")
        .select_related("change_facts")
        .order_by("-change_facts__ended_s")[:MOST_PAST]
    )
    numbers = [row.pk for row in rows]
    touched: dict[int, set[str]] = {}
    for ticket, item in ChangeItem.objects.filter(ticket__in=numbers).values_list(
        "ticket_id", "item_id"
    ):
        touched.setdefault(ticket, set()).add(f"item-{item}")
    incidents = dict(
        Link.objects.filter(kind=LinkKind.CAUSED_BY, target__in=numbers, source__kind="incident")
        .values_list("target_id")
        .annotate(Count("id"))
        .order_by()
    )
    found = {}
    for row in rows:
        facts = facts_of(row)
        says = " ".join([row.title, *(str(step["says"]) for step in facts.steps)])
        finished = Finished(
            facts.template or None,
            frozenset(touched.get(row.pk, ())),
            says,
            row.category or None,
            str(row.pk),
            facts.ended_s or row.opened_s,
        )
        outing = Outing(
            facts.outcome,
            _minutes(facts.starts_s, facts.ends_s),
            _minutes(facts.began_s, facts.ended_s),
            incidents.get(row.pk, 0),
        )
        found[str(row.pk)] = PastChange(finished, outing)
    return found


def _minutes(start_s: int | None, end_s: int | None) -> Fraction | None:
    return None if start_s is None or end_s is None else Fraction(end_s - start_s, 60)


def _service_numbers() -> Sequence[int]:
    return list(Service.objects.values_list("pk", flat=True))


def _absences(people: frozenset[str], start_s: int, end_s: int) -> list[schedule.Absence]:
    rows = Absence.objects.filter(
        person__in=[int(one) for one in people],
        starts_at__lt=instant_of(end_s),
        ends_at__gt=instant_of(start_s),
    )
    return [
        schedule.Absence(str(row.person_id), seconds_of(row.starts_at), seconds_of(row.ends_at))
        for row in rows
    ]


def assess(ticket: Ticket, book: Book, now_s: int, facts: ChangeFacts | None = None) -> Assessment:
    """The assessment of a change as it is saved, or with other facts."""
    return Assessment(proposed(ticket, facts), book, now_s)


def _is_manager(person: Person | None) -> bool:
    return person is not None and person.has_role(Role.CHANGE_MANAGER)
