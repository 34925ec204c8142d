"""The rota of a team, who stands in, and who was paged about what."""

from django.db import models
from django.db.models import Q

from gannet.people.models import Person, Team
from gannet.tickets.models import Ticket


class DutyRota(models.Model):
    """Whose turn it is in a team: `people` in order, by their ids, each for some weeks.

    `at` is a local time of `zone`, as HH:MM; who does not answer within `next_minutes` is
    followed by the next.
    """

    team = models.OneToOneField(Team, models.CASCADE, related_name="rota")
    people = models.JSONField(default=list)
    zone = models.CharField(max_length=60)
    starts = models.DateField()
    at = models.CharField(max_length=5)
    weeks = models.PositiveSmallIntegerField(default=1)
    next_minutes = models.PositiveSmallIntegerField(default=10)


class StandIn(models.Model):
    """Somebody takes the turn of whoever has it, for a span."""

    rota = models.ForeignKey(DutyRota, models.CASCADE, related_name="stand_ins")
    person = models.ForeignKey(Person, models.CASCADE, related_name="+")
    start_s = models.BigIntegerField()
    end_s = models.BigIntegerField()
    made_by = models.ForeignKey(Person, models.SET_NULL, null=True, related_name="+")
    made_s = models.BigIntegerField()

    class Meta:
        ordering = ["made_s", "id"]


class PageCall(models.Model):
    """One reason to page a team about a record: open until somebody answers, or nobody is left."""

    ticket = models.ForeignKey(Ticket, models.CASCADE, related_name="page_calls")
    team = models.ForeignKey(Team, models.PROTECT, related_name="+")
    why = models.CharField(max_length=300)
    asked_by = models.ForeignKey(Person, models.SET_NULL, null=True, related_name="+")
    at_s = models.BigIntegerField()
    answered_by = models.ForeignKey(Person, models.SET_NULL, null=True, related_name="+")
    ended_s = models.BigIntegerField(null=True)

    class Meta:
        ordering = ["id"]
        constraints = [
            models.UniqueConstraint(
                fields=["ticket", "team"], condition=Q(ended_s=None), name="one_call_of_a_team"
            )
        ]


class Answer(models.TextChoices):
    WAITS = "", "waits"
    ANSWERED = "answered"
    NONE = "none"
    OVER = "over"  # somebody else answered, or the record ended


class Page(models.Model):
    """One person was paged, and what came of it."""

    call = models.ForeignKey(PageCall, models.CASCADE, related_name="pages")
    person = models.ForeignKey(Person, models.CASCADE, related_name="pages")
    at_s = models.BigIntegerField()
    answer = models.CharField(max_length=10, choices=Answer, blank=True)

    class Meta:
        ordering = ["id"]
