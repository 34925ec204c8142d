"""What belongs to a problem alone: its causes, its workaround, what was decided about it."""

from django.db import models

from gannet.people.models import Person
from gannet.tickets.models import Ticket

KIND = "problem"


class ProblemFacts(models.Model):
    """One row for each problem.

    `causes` is the tree of its possible causes, each with `id`, `says`, `parent`, `state`,
    `evidence`, `who`, `at_s`. `instead` keeps what somebody said instead of a computed
    figure: figure → `pence`, `reason`, `who`, `at_s`. `decided` are the figures, in pence,
    on which it was decided to live with it.
    """

    ticket = models.OneToOneField(
        Ticket, models.CASCADE, primary_key=True, related_name="problem_facts"
    )
    born_of = models.CharField(max_length=200, blank=True)
    causes = models.JSONField(default=list)
    known_s = models.BigIntegerField(null=True)
    no_cause_why = models.CharField(max_length=300, blank=True)
    workaround = models.TextField(blank=True)
    workaround_s = models.BigIntegerField(null=True)
    is_for_portal = models.PositiveSmallIntegerField(default=0)
    fix_about = models.CharField(max_length=300, blank=True)
    fix_pence = models.BigIntegerField(null=True)
    live_until_s = models.BigIntegerField(null=True)
    live_why = models.CharField(max_length=300, blank=True)
    live_by = models.ForeignKey(Person, models.PROTECT, null=True, related_name="lived_with")
    decided = models.JSONField(default=dict)
    instead = models.JSONField(default=dict)
    # How many incidents are linked to it, for lists.
    incidents = models.PositiveIntegerField(default=0)

    class Meta:
        indexes = [models.Index(fields=["known_s"], name="problem_known")]


class WorkaroundUse(models.Model):
    """A workaround was used on a record, once; `event` is what told of it, if it was told."""

    problem = models.ForeignKey(Ticket, models.CASCADE, related_name="workaround_uses")
    ticket = models.ForeignKey(Ticket, models.CASCADE, null=True, related_name="+")
    person = models.ForeignKey(Person, models.PROTECT, null=True, related_name="+")
    how = models.CharField(max_length=10)  # told, desk or portal
    event = models.BigIntegerField(null=True)
    at_s = models.BigIntegerField()

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["problem", "ticket"], name="used_once_on_a_record")
        ]


def facts_of(ticket: Ticket) -> ProblemFacts:
    """The facts of a problem; empty ones for a record that is none."""
    if ticket.kind != KIND:
        return ProblemFacts()
    try:
        return ticket.problem_facts
    except ProblemFacts.DoesNotExist:
        return ProblemFacts(ticket=ticket)
