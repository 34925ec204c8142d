"""The stored form of the rulebook: editions, the draft, rehearsals and long jobs."""

from django.db import models

from gannet.people.models import Person


class Edition(models.Model):
    """One published version of every policy; tickets remember theirs by number."""

    number = models.PositiveIntegerField(unique=True)
    document = models.JSONField()
    published_at = models.DateTimeField()
    starts_at_s = models.BigIntegerField(default=0, db_index=True)
    published_by = models.ForeignKey(Person, models.SET_NULL, null=True)
    comment = models.TextField(blank=True)
    restores = models.PositiveIntegerField(null=True)
    # What it changes in the one before, and whose hand that was; None until it is asked for.
    changes = models.JSONField(null=True)
    # What is called otherwise from it on: [section, old, new], in the order in which it was done;
    # and how many of these have yet to be followed by the records that bear the old names.
    renames = models.JSONField(default=list)
    renames_left = models.PositiveIntegerField(default=0)

    class Meta:
        ordering = ["-number"]


class OpenHours(models.Model):
    """An open span of a calendar in epoch seconds: `before_s` seconds were open before it.

    `mark` stands for what the calendar says, not for its name.
    """

    mark = models.CharField(max_length=32)
    from_s = models.BigIntegerField()
    to_s = models.BigIntegerField()
    before_s = models.BigIntegerField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["mark", "from_s"], name="open_hours_begin")]


class Draft(models.Model):
    """The draft that everybody edits; there is at most one."""

    base = models.PositiveIntegerField()
    document = models.JSONField()
    version = models.PositiveIntegerField(default=1)
    made_at = models.DateTimeField()
    changed_at = models.DateTimeField()


class DraftEdit(models.Model):
    """One edit of the draft, which can be taken back as long as nobody edited over it."""

    draft = models.ForeignKey(Draft, models.CASCADE, related_name="edits")
    person = models.ForeignKey(Person, models.SET_NULL, null=True)
    at = models.DateTimeField()
    section = models.CharField(max_length=40)
    key = models.CharField(max_length=120, blank=True)
    before = models.JSONField(null=True)
    after = models.JSONField(null=True)
    position = models.PositiveIntegerField(null=True)
    from_position = models.PositiveIntegerField(null=True)
    is_undone = models.BooleanField(default=False)

    class Meta:
        ordering = ["-id"]


class Rehearsal(models.Model):
    """An example with the outcome it must have; all are run before publishing."""

    name = models.CharField(max_length=160, unique=True)
    given = models.JSONField()
    at = models.DateTimeField()
    expected = models.JSONField()
    from_ticket = models.ForeignKey("tickets.Ticket", models.SET_NULL, null=True)
    made_by = models.ForeignKey(Person, models.SET_NULL, null=True)
    made_at = models.DateTimeField()

    class Meta:
        ordering = ["name"]
