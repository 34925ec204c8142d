"""Clocks as lists and timers need them; the truth is their recomputation from events."""

from django.db import models

from gannet.people.models import Team
from gannet.tickets.models.ticket import Ticket
from gannet_core.clocks import ClockState


class ClockStateCode(models.IntegerChoices):
    NOT_STARTED = 1, ClockState.NOT_STARTED.value
    RUNNING = 2, ClockState.RUNNING.value
    PAUSED = 3, ClockState.PAUSED.value
    LATE = 4, ClockState.LATE.value
    MET = 5, ClockState.MET.value
    MISSED = 6, ClockState.MISSED.value
    CANCELLED = 7, ClockState.CANCELLED.value

    @classmethod
    def of(cls, state: ClockState) -> "ClockStateCode":
        return _CODES[state]


_CODES = {ClockState(code.label): code for code in ClockStateCode}


class Clock(models.Model):
    """One clock of a ticket under one agreement; `holder` is a team's or supplier's key."""

    ticket = models.ForeignKey(Ticket, models.CASCADE, related_name="clocks", db_index=False)
    kind = models.CharField(max_length=20)
    holder = models.CharField(max_length=60, blank=True)
    agreement = models.CharField(max_length=60)
    edition = models.PositiveIntegerField()
    calendar = models.CharField(max_length=60)
    target_seconds = models.PositiveIntegerField()
    normal_seconds = models.PositiveIntegerField()
    care_tier = models.CharField(max_length=60, blank=True)
    priority = models.PositiveSmallIntegerField()

    state = models.PositiveSmallIntegerField(choices=ClockStateCode)
    remaining_seconds = models.BigIntegerField()
    due_s = models.BigIntegerField(null=True)
    missed_s = models.BigIntegerField(null=True)
    started_s = models.BigIntegerField(null=True)
    ended_s = models.BigIntegerField(null=True)

    # Of its ticket, for reports: they group so many that each cannot be looked up.
    team = models.ForeignKey(Team, models.PROTECT, null=True, db_index=False, related_name="+")
    is_confidential = models.SmallIntegerField(default=0)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["ticket", "kind", "holder"], name="one_clock")
        ]
        indexes = [
            # All that a report of promises asks of a clock stands in it.
            models.Index(
                fields=[
                    "kind",
                    "holder",
                    "ended_s",
                    "state",
                    "priority",
                    "team",
                    "is_confidential",
                    "ticket",
                ],
                name="clock_ended",
                condition=models.Q(ended_s__isnull=False),
            ),
            models.Index(
                fields=["missed_s", "kind", "ticket", "ended_s"],
                name="clock_missed",
                condition=models.Q(missed_s__isnull=False),
            ),
        ]
