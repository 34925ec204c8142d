"""What belongs to a change alone: when, how, on which items, how risky, and how it went."""

from collections.abc import Mapping, Sequence
from typing import Any, NamedTuple

from django.db import models

from gannet.estate.models import ConfigItem
from gannet.people.models import Person
from gannet.tickets.models import Ticket
from gannet_core.changes import IMPLEMENT, TEST, Step

KIND = "change"


class ChangeFacts(models.Model):
    """One row for each change; instants are epoch seconds.

    `steps` is the plan: `id`, `part`, `says`, `who` (a person's number or nothing),
    `minutes`. `points` and `rating` are the risk as it was weighed last; `weighed` keeps it
    as it was at each stage: `stage`, `at_s`, `points`, `rating`, `consequence`, `likelihood`.
    `authorised` is what was authorised. `added` and `dropped` are numbers of past changes
    that somebody counts as like it, or does not.
    """

    ticket = models.OneToOneField(
        Ticket, models.CASCADE, primary_key=True, related_name="change_facts"
    )
    type = models.CharField(max_length=80, blank=True)  # chosen by hand; empty: as suggested
    reason = models.CharField(max_length=300, blank=True)  # why it is an emergency
    template = models.CharField(max_length=80, blank=True)
    born_of = models.CharField(max_length=200, blank=True)
    problem = models.ForeignKey(Ticket, models.SET_NULL, null=True, related_name="fixes")
    why = models.TextField(blank=True)
    tried = models.CharField(max_length=300, blank=True)
    steps = models.JSONField(default=list)
    starts_s = models.BigIntegerField(null=True)
    ends_s = models.BigIntegerField(null=True)
    is_after_the_fact = models.PositiveSmallIntegerField(default=0)
    submitted_s = models.BigIntegerField(null=True)
    began_s = models.BigIntegerField(null=True)
    ended_s = models.BigIntegerField(null=True)
    review_s = models.BigIntegerField(null=True)
    points = models.PositiveSmallIntegerField(null=True)
    rating = models.CharField(max_length=10, blank=True)
    weighed = models.JSONField(default=list)
    authorised = models.JSONField(default=dict)
    added = models.JSONField(default=list)
    dropped = models.JSONField(default=list)
    # Of each fact that was edited: in which version of the record, and by whom.
    edited = models.JSONField(default=dict)
    # A release carries other changes through the same stages; these say which, in which phase.
    is_release = models.PositiveSmallIntegerField(default=0)
    release = models.ForeignKey(Ticket, models.SET_NULL, null=True, related_name="carries")
    phase = models.CharField(max_length=40, blank=True)
    # Of a release: its phases in order, `name` and whether it waits for a `go`; those open.
    phases = models.JSONField(default=list)
    opened = models.JSONField(default=list)
    # Of a release: steps that wait for others, wherever these are: [change, step, change, step],
    # the last of which waits for the first.
    links = models.JSONField(default=list)
    # Whether its steps become tasks when it begins, and why it was stopped, if it was.
    as_tasks = models.PositiveSmallIntegerField(default=0)
    stopped = models.CharField(max_length=500, blank=True)
    # The announcement of it on the portal, by number.
    announced = models.BigIntegerField(null=True)
    announced_zone = models.CharField(max_length=60, blank=True)
    # The begin of which those whom it reaches were told.
    told_s = models.BigIntegerField(null=True)
    # The key of the stage that the rulebook adds and that it is in, within its state.
    stage = models.CharField(max_length=80, blank=True)
    stage_name = models.CharField(max_length=160, blank=True)  # as lists show it
    # Why the change advisory board decides on it, whatever its type and risk.
    referred = models.CharField(max_length=300, blank=True)
    outcome = models.CharField(max_length=12, blank=True)
    learned = models.TextField(blank=True)

    class Meta:
        indexes = [
            models.Index(fields=["starts_s"], name="change_starts"),
            models.Index(fields=["ended_s"], name="change_ended"),
        ]

    def plan(self) -> tuple[Step, ...]:
        """The plan as the core reads it."""
        return steps_of(self.steps)


class ChangeItem(models.Model):
    """A change touches an item; `expected` says what is to be of which attribute.

    `found` is what the first scan after it has seen of those attributes, `found_s` when.
    """

    ticket = models.ForeignKey(Ticket, models.CASCADE, related_name="change_items")
    item = models.ForeignKey(ConfigItem, models.CASCADE, related_name="changes")
    expected = models.JSONField(default=dict)
    found = models.JSONField(default=dict)
    found_s = models.BigIntegerField(null=True)

    class Meta:
        ordering = ["id"]
        constraints = [models.UniqueConstraint(fields=["ticket", "item"], name="touched_once")]


class Verdict(models.TextChoices):
    """What a meeting has made of a change."""

    AUTHORISED = "authorised"
    ON_CONDITION = "authorised on condition"
    REJECTED = "rejected"
    PUT_OFF = "put off"


class CabMeeting(models.Model):
    """A meeting of the change advisory board, from when somebody first writes into it.

    `present` are numbers of people, `invited` addresses; `sequence` counts the invitations
    and `sendings` the minutes that went out, so that each replaces the one before.
    """

    at_s = models.BigIntegerField(unique=True)
    present = models.JSONField(default=list)
    notes = models.TextField(blank=True)
    version = models.PositiveIntegerField(default=0)
    invited = models.JSONField(default=list)
    invited_s = models.BigIntegerField(null=True)
    sequence = models.PositiveIntegerField(default=0)
    minutes = models.TextField(blank=True)
    sent_s = models.BigIntegerField(null=True)
    sendings = models.PositiveIntegerField(default=0)


class CabVerdict(models.Model):
    """What one meeting has decided of one change."""

    meeting = models.ForeignKey(CabMeeting, models.CASCADE, related_name="verdicts")
    ticket = models.ForeignKey(Ticket, models.CASCADE, related_name="cab_verdicts")
    verdict = models.CharField(max_length=30, choices=Verdict)
    note = models.CharField(max_length=500, blank=True)
    by = models.ForeignKey(Person, models.PROTECT, related_name="+")
    at_s = models.BigIntegerField()

    class Meta:
        ordering = ["at_s", "id"]
        constraints = [models.UniqueConstraint(fields=["meeting", "ticket"], name="decided_once")]


class ScheduleView(models.Model):
    """The schedule as somebody wants to find it again: its span, lanes and words.

    `feed` is the digest of the secret in the link that calendars subscribe to.
    """

    owner = models.ForeignKey(Person, models.CASCADE, related_name="schedule_views")
    name = models.CharField(max_length=80)
    span = models.CharField(max_length=12)
    lanes = models.CharField(max_length=12)
    words = models.CharField(max_length=120, blank=True)
    is_shared = models.PositiveSmallIntegerField(default=0)

    class Meta:
        ordering = ["name", "id"]


class Feed(models.Model):
    """A personal link to a view of the schedule; nothing but a digest of its secret is kept."""

    person = models.ForeignKey(Person, models.CASCADE, related_name="feeds")
    view = models.ForeignKey(ScheduleView, models.CASCADE, related_name="feeds")
    digest = models.CharField(max_length=64, unique=True)
    made_s = models.BigIntegerField()
    read_s = models.BigIntegerField(null=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["person", "view"], name="fed_once")]


def carried(number: int) -> "models.QuerySet[Ticket]":
    """The changes that a release carries, in the order in which they joined."""
    rows = Ticket.objects.filter(change_facts__release=number)
    return rows.select_related("change_facts", "holder", "team", "service").order_by("pk")


def touched_by(ticket: Ticket) -> "models.QuerySet[ChangeItem]":
    """The items that a change touches; a release touches those of all its changes."""
    rows = ChangeItem.objects.filter(ticket=ticket)
    if facts_of(ticket).is_release:
        rows |= ChangeItem.objects.filter(ticket__change_facts__release=ticket.pk)
    return rows.order_by("id")


def steps_of(rows: Sequence[Mapping[str, Any]]) -> tuple[Step, ...]:
    """Steps as they are kept, as the core reads them."""
    return tuple(
        Step(
            str(one["id"]),
            str(one["part"]),
            str(one["says"]),
            str(one.get("who") or ""),
            int(one.get("minutes") or 0),
        )
        for one in rows
    )


def facts_of(ticket: Ticket) -> ChangeFacts:
    """The facts of a change; empty ones for a record that is none."""
    if ticket.kind != KIND:
        return ChangeFacts()
    try:
        found: ChangeFacts = ticket.change_facts
        return found
    except ChangeFacts.DoesNotExist:
        return ChangeFacts(ticket=ticket)


# The one phase of a release that names none.
FIRST = "All at once"


def phases_of(facts: ChangeFacts) -> list[dict[str, Any]]:
    return facts.phases or [{"name": FIRST, "gate": False}]


def phase_of(ticket: Ticket, names: Sequence[str]) -> str:
    """The phase of a change; one that names none belongs to the first."""
    phase = facts_of(ticket).phase
    return phase if phase in names else names[0]


class StepPlace(NamedTuple):
    """A step of a change that goes with a release, and in which phase it becomes a task."""

    change: int
    step: str
    says: str
    phase: str


def plan_across(ticket: Ticket, facts: ChangeFacts) -> list[StepPlace]:
    """The steps of a release and of all it carries that become tasks, those of each in turn."""
    names = [str(one["name"]) for one in phases_of(facts)]
    rows = [(ticket.pk, facts, names[0])]
    rows += [(one.pk, facts_of(one), phase_of(one, names)) for one in carried(ticket.pk)]
    return [
        StepPlace(number, step.id, step.says, phase)
        for number, its, phase in rows
        for step in its.plan()
        if step.part in (IMPLEMENT, TEST)
    ]
