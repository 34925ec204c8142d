"""Reports that people keep."""

from django.db import models

from gannet.people.models import Person, Team
from gannet.tickets.models import Ticket


class KeptReport(models.Model):
    """A report under a name; `definition` is what it asks for, as the core reads it."""

    owner = models.ForeignKey(Person, models.CASCADE, related_name="reports")
    name = models.CharField(max_length=80)
    about = models.CharField(max_length=500, blank=True)
    definition = models.JSONField()
    is_shared = models.PositiveSmallIntegerField(default=0)
    freezes = models.PositiveSmallIntegerField(default=0)  # by itself, at each month's end
    made_s = models.BigIntegerField()
    changed_s = models.BigIntegerField()
    version = models.PositiveIntegerField(default=1)

    class Meta:
        ordering = ["name", "id"]


class Delivery(models.Model):
    """A kept report that goes out by mail again and again.

    `rhythm` and `threshold` are as the core reads them (an empty threshold: always); `to` are
    addresses, `kinds` which files go with it. `next_s` is when it goes out next.
    """

    report = models.ForeignKey(KeptReport, models.CASCADE, related_name="deliveries")
    rhythm = models.JSONField()
    threshold = models.JSONField(default=dict)
    to = models.JSONField()
    kinds = models.JSONField()
    note = models.CharField(max_length=500, blank=True)
    is_on = models.BooleanField(default=True)
    next_s = models.BigIntegerField()
    version = models.PositiveIntegerField(default=1)

    class Meta:
        ordering = ["id"]
        indexes = [
            models.Index(
                fields=["next_s"], condition=models.Q(is_on=True), name="report_delivery_due"
            )
        ]


class SentReport(models.Model):
    """One time that a delivery was due: sent to whom, saying what, or why it was not."""

    delivery = models.ForeignKey(Delivery, models.CASCADE, related_name="sent")
    due_s = models.BigIntegerField()
    at_s = models.BigIntegerField()
    is_sent = models.BooleanField()
    to = models.JSONField(default=list)
    says = models.CharField(max_length=500)

    class Meta:
        ordering = ["-due_s"]
        constraints = [models.UniqueConstraint(fields=["delivery", "due_s"], name="sent_once")]


class Dashboard(models.Model):
    """Parts in rows under a name.

    `rows` are lists of parts, each `kind` (report, list, outlook, schedule or text), `report`
    (the key of a shipped one or the number of a kept one as text), `show` (figures, table or
    drawing; of a list its order), `text` (of a list its name), `where` (of a list its condition).
    """

    owner = models.ForeignKey(Person, models.CASCADE, related_name="dashboards")
    name = models.CharField(max_length=80)
    rows = models.JSONField(default=list)
    is_shared = models.PositiveSmallIntegerField(default=0)
    changed_s = models.BigIntegerField()
    version = models.PositiveIntegerField(default=1)

    class Meta:
        ordering = ["name", "id"]


class TeamOutlook(models.Model):
    """What a team will probably miss, as it was computed last; `found` as `looking_ahead` has it.

    It is computed while somebody looks (`asked_s`); up to `foretold_s` what was said each day
    is kept as forecasts.
    """

    team = models.OneToOneField(Team, models.CASCADE, related_name="outlook")
    asked_s = models.BigIntegerField()
    computed_s = models.BigIntegerField(default=0)
    foretold_s = models.BigIntegerField(default=0)
    found = models.JSONField(default=dict)


class Forecast(models.Model):
    """What was said of a ticket at an instant: that it would miss a target until another.

    `played` is the share of plays, `said` what was told of it then; `was_late` is known after.
    """

    team = models.ForeignKey(Team, models.CASCADE, related_name="+")
    ticket = models.ForeignKey(Ticket, models.CASCADE, related_name="+")
    at_s = models.BigIntegerField()
    until_s = models.BigIntegerField()
    played = models.FloatField()
    said = models.FloatField()
    was_late = models.BooleanField(null=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["ticket", "at_s"], name="foretold_once")]
        indexes = [
            models.Index(
                fields=["until_s"], condition=models.Q(was_late=None), name="forecast_waiting"
            )
        ]


class DashboardLink(models.Model):
    """A link that shows a dashboard to whoever has it, until an instant or until it is ended."""

    dashboard = models.ForeignKey(Dashboard, models.CASCADE, related_name="links")
    digest = models.CharField(max_length=64, unique=True)
    note = models.CharField(max_length=120, blank=True)
    made_s = models.BigIntegerField()
    until_s = models.BigIntegerField()
    ended_s = models.BigIntegerField(null=True)

    class Meta:
        ordering = ["-made_s", "-id"]


class LinkOpening(models.Model):
    """One visit by a link: from where, from when to when, and how often it looked."""

    link = models.ForeignKey(DashboardLink, models.CASCADE, related_name="openings")
    address = models.CharField(max_length=45)
    first_s = models.BigIntegerField()
    last_s = models.BigIntegerField()
    times = models.PositiveIntegerField(default=1)

    class Meta:
        ordering = ["-last_s", "-id"]


class FrozenReport(models.Model):
    """A kept report as it was at an instant: its table then, whatever becomes of its records.

    `definition` and `shown` are as the API had them; what is confidential was never counted.
    """

    report = models.ForeignKey(KeptReport, models.CASCADE, related_name="frozen")
    at_s = models.BigIntegerField()
    by = models.ForeignKey(Person, models.PROTECT, null=True, related_name="+")
    definition = models.JSONField()
    shown = models.JSONField()

    class Meta:
        ordering = ["-at_s", "-id"]
        constraints = [models.UniqueConstraint(fields=["report", "at_s"], name="frozen_once")]


class Stretch(models.Model):
    """A part of a ticket's life in the same hands, waiting on the same or on nothing.

    Kept from its history by the worker (`stretches.py`). `waiting` is empty while it was the
    desk's own move; `service_seconds` are those of the resolution clock's calendar, and `is_late`
    says of a wait that it began in the last tenth of that clock's target. `ended_by` is the act
    that ended it, with whose it was then; a stretch that goes on has no `until_s`.
    """

    ticket = models.ForeignKey(Ticket, models.CASCADE, related_name="stretches")
    team = models.ForeignKey(Team, models.SET_NULL, null=True, related_name="+")
    person = models.ForeignKey(Person, models.SET_NULL, null=True, related_name="+")
    waiting = models.CharField(max_length=20, blank=True)
    supplier = models.CharField(max_length=60, blank=True)
    begun_by = models.CharField(max_length=30)
    by = models.ForeignKey(Person, models.SET_NULL, null=True, related_name="+")
    from_s = models.BigIntegerField()
    until_s = models.BigIntegerField(null=True)
    service_seconds = models.BigIntegerField(null=True)
    is_late = models.BooleanField(null=True)
    ended_by = models.CharField(max_length=30, blank=True)
    is_hand_over = models.BooleanField(default=False)
    next_team = models.ForeignKey(Team, models.SET_NULL, null=True, related_name="+")
    next_person = models.ForeignKey(Person, models.SET_NULL, null=True, related_name="+")

    class Meta:
        ordering = ["ticket", "from_s", "id"]
        indexes = [
            models.Index(fields=["from_s"], name="stretch_from"),
            models.Index(fields=["until_s"], name="stretch_until"),
        ]


class ReadUpTo(models.Model):
    """Up to which event of the log something that is kept from it has been read."""

    name = models.CharField(max_length=40, primary_key=True)
    event = models.BigIntegerField(default=0)
    at_s = models.BigIntegerField(default=0)
