"""Timers: acts that fall due by themselves, each fired exactly once."""

from django.db import models
from django.db.models import Q

from gannet.tickets.models.ticket import Ticket


class TimerState(models.IntegerChoices):
    ARMED = 1
    FIRED = 2
    DROPPED = 3


class Timer(models.Model):
    """One timer; a ticket has at most one armed per kind and subject.

    What its kind means is registered in `tickets.actions.timers`; one that is about no
    ticket, such as the beginning of a deputy's time, has none.
    """

    ticket = models.ForeignKey(
        Ticket, models.CASCADE, null=True, related_name="timers", db_index=False
    )
    kind = models.CharField(max_length=20)
    subject = models.CharField(max_length=90, blank=True)
    at_s = models.BigIntegerField()
    state = models.PositiveSmallIntegerField(choices=TimerState, default=TimerState.ARMED)
    fired_s = models.BigIntegerField(null=True)
    attempts = models.PositiveSmallIntegerField(default=0)
    problem = models.TextField(blank=True)

    class Meta:
        indexes = [
            models.Index(fields=["at_s", "id"], condition=Q(state=1), name="timer_armed"),
            models.Index(fields=["ticket", "state"], name="timer_ticket"),
        ]
        constraints = [
            models.UniqueConstraint(
                fields=["ticket", "kind", "subject"], condition=Q(state=1), name="one_armed_timer"
            ),
            models.UniqueConstraint(
                fields=["kind", "subject"],
                condition=Q(state=1, ticket=None),
                name="one_armed_timer_of_no_ticket",
            ),
        ]
