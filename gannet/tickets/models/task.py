"""Tasks: parts of a ticket's work, each with its own team or person."""

from django.db import models

from gannet.people.models import Person, Team
from gannet.tickets.models.ticket import Ticket


class TaskState(models.TextChoices):
    OPEN = "open"
    DONE = "done"
    SKIPPED = "skipped"


class Task(models.Model):
    """One task of a ticket, added from a task template or by hand."""

    ticket = models.ForeignKey(Ticket, models.CASCADE, related_name="tasks")
    title = models.CharField(max_length=200)
    team = models.ForeignKey(Team, models.SET_NULL, null=True)
    person = models.ForeignKey(Person, models.SET_NULL, null=True, related_name="tasks")
    position = models.PositiveSmallIntegerField(default=0)
    state = models.CharField(max_length=10, choices=TaskState, default=TaskState.OPEN)
    after = models.ManyToManyField("self", symmetrical=False, related_name="before")
    estimate_minutes = models.PositiveIntegerField(default=0)
    cost_pence = models.BigIntegerField(default=0)
    due_s = models.BigIntegerField(null=True)
    phase = models.CharField(max_length=40, blank=True)
    # A runbook that does it by itself, and the inputs it gets.
    runbook = models.CharField(max_length=60, blank=True)
    inputs = models.JSONField(default=dict)
    # What doing it yields, by name; empty until it is done. Later tasks may read it.
    outputs = models.JSONField(default=dict)
    # Which step of which change it was born of; what it is only for: {"output", "is"}.
    born_of = models.CharField(max_length=40, blank=True)
    only_if = models.JSONField(default=dict)
    # A follow-up: it is to be done whether its record has ended or not, and holds nothing up.
    outlives = models.BooleanField(default=False)
    # How it finds its person once its turn has come, and when to look (again).
    mode = models.CharField(max_length=20, blank=True)
    route_again_s = models.BigIntegerField(null=True)
    # What it did cost; the plan is `cost_pence`.
    spent_pence = models.BigIntegerField(null=True)
    made_s = models.BigIntegerField()
    done_s = models.BigIntegerField(null=True)
    done_by = models.ForeignKey(Person, models.SET_NULL, null=True, related_name="+")

    class Meta:
        ordering = ["position", "id"]
        indexes = [
            models.Index(
                fields=["id"],
                condition=models.Q(state="open") & ~models.Q(runbook=""),
                name="task_runbook",
            ),
            models.Index(
                fields=["route_again_s"],
                condition=models.Q(state="open", route_again_s__isnull=False),
                name="task_route_again",
            ),
        ]
