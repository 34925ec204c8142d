"""Reports that people keep."""

from django.db import models

from gannet.people.models import Person


class KeptReport(models.Model):
    """A report under a name; `definition` is what it asks for, as the core reads it."""

    owner = models.ForeignKey(Person, models.CASCADE, related_name="reports")
    name = models.CharField(max_length=80)
    about = models.CharField(max_length=500, blank=True)
    definition = models.JSONField()
    is_shared = models.PositiveSmallIntegerField(default=0)
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

    `rows` are lists of parts, each `kind` (report or text), `report` (the key of a shipped one
    or the number of a kept one as text), `show` (figures, table or drawing), `text`.
    """

    owner = models.ForeignKey(Person, models.CASCADE, related_name="dashboards")
    name = models.CharField(max_length=80)
    rows = models.JSONField(default=list)
    is_shared = models.PositiveSmallIntegerField(default=0)
    changed_s = models.BigIntegerField()
    version = models.PositiveIntegerField(default=1)

    class Meta:
        ordering = ["name", "id"]
