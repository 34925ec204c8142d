"""What people of the desk keep for their own work: views, marks, reminders, phrases."""

from django.db import models
from django.db.models import Q

from gannet.people.models import Person, Team
from gannet.tickets.models.ticket import Ticket


class View(models.Model):
    """A list as somebody wants it: its sentence, columns, order, grouping and shape."""

    owner = models.ForeignKey(Person, models.CASCADE, related_name="views")
    name = models.CharField(max_length=80)
    body = models.JSONField(default=dict)
    people = models.ManyToManyField(Person, related_name="shared_views")
    teams = models.ManyToManyField(Team, related_name="shared_views")
    kept_at = models.DateTimeField()

    class Meta:
        ordering = ["name", "id"]

    def __str__(self) -> str:
        return self.name


class Pin(models.Model):
    """A view that a person keeps above their queue."""

    person = models.ForeignKey(Person, models.CASCADE, related_name="pins")
    view = models.ForeignKey(View, models.CASCADE, related_name="pins")

    class Meta:
        ordering = ["id"]
        constraints = [models.UniqueConstraint(fields=["person", "view"], name="pinned_once")]


class TeamView(models.Model):
    """The view a team's members start with."""

    team = models.OneToOneField(Team, models.CASCADE, related_name="default_view")
    view = models.ForeignKey(View, models.CASCADE)


class Mark(models.Model):
    """A ticket that somebody wants to come back to; it has no date."""

    person = models.ForeignKey(Person, models.CASCADE)
    ticket = models.ForeignKey(Ticket, models.CASCADE, related_name="marks")
    made_s = models.BigIntegerField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["person", "ticket"], name="marked_once")]


class PassedArticle(models.Model):
    """An article that somebody of the desk said does not fit a ticket: it is not offered there
    again."""

    ticket = models.ForeignKey(Ticket, models.CASCADE, related_name="passed_articles")
    article = models.BigIntegerField()
    person = models.ForeignKey(Person, models.CASCADE, related_name="+")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["ticket", "article"], name="passed_once")]


class TickedSteps(models.Model):
    """Which steps of an article are done on a ticket, by their places from zero on."""

    ticket = models.ForeignKey(Ticket, models.CASCADE, related_name="ticked_steps")
    article = models.BigIntegerField()
    version = models.PositiveIntegerField()
    ticked = models.JSONField(default=list)
    person = models.ForeignKey(Person, models.PROTECT, related_name="+")
    at_s = models.BigIntegerField()

    class Meta:
        ordering = ["-at_s", "-id"]
        constraints = [
            models.UniqueConstraint(fields=["ticket", "article"], name="ticked_on_a_ticket")
        ]


class Reminder(models.Model):
    """A note to oneself that comes back at an instant."""

    person = models.ForeignKey(Person, models.CASCADE, related_name="reminders")
    ticket = models.ForeignKey(Ticket, models.CASCADE, null=True, related_name="reminders")
    text = models.CharField(max_length=300)
    at_s = models.BigIntegerField()
    fired_s = models.BigIntegerField(null=True)
    done_s = models.BigIntegerField(null=True)

    class Meta:
        indexes = [
            models.Index(fields=["at_s"], condition=Q(fired_s=None), name="reminder_waiting"),
            models.Index(fields=["person", "done_s"], name="reminder_person"),
        ]


class TimeEntry(models.Model):
    """Minutes that somebody spent on a ticket, and what for; a running one has no minutes yet."""

    ticket = models.ForeignKey(Ticket, models.CASCADE, related_name="time_entries")
    person = models.ForeignKey(Person, models.PROTECT, related_name="time_entries")
    what = models.CharField(max_length=200, blank=True)
    minutes = models.PositiveIntegerField(default=0)
    started_s = models.BigIntegerField(null=True)
    made_s = models.BigIntegerField()

    class Meta:
        ordering = ["id"]
        constraints = [
            models.UniqueConstraint(
                fields=["person"], condition=Q(started_s__isnull=False), name="one_running_timer"
            )
        ]


class Shared(models.Model):
    """Something of a person's own, of a team's, or of everybody's (neither is named)."""

    owner = models.ForeignKey(Person, models.CASCADE, null=True, related_name="+")
    team = models.ForeignKey(Team, models.CASCADE, null=True, related_name="+")
    name = models.CharField(max_length=80)

    class Meta:
        abstract = True
        ordering = ["name", "id"]

    def __str__(self) -> str:
        return self.name


class Phrase(Shared):
    """A ready piece of text with placeholders."""

    text = models.TextField()


class Routine(Shared):
    """Several acts on a ticket saved as one button."""

    acts = models.JSONField(default=list)


class Hint(models.Model):
    """Short advice for agents on a category or service."""

    category = models.CharField(max_length=80, blank=True)
    service = models.ForeignKey("estate.Service", models.CASCADE, null=True)
    text = models.TextField()
    kept_by = models.ForeignKey(Person, models.PROTECT)
    kept_at = models.DateTimeField()
