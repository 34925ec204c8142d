"""What belongs to a major incident: its room, who leads, what was said and told."""

from django.db import models
from django.db.models import Q

from gannet.people.models import Person, Team
from gannet.tickets.models import Ticket

KIND = "major incident"


class MajorFacts(models.Model):
    """One row for each major incident.

    `plan` is the key of its plan and `planned` the plan as it was when it was declared;
    `instead` has what somebody said instead of a derived figure: name → `value`, `why`,
    `who`, `at_s`. `checklist` are the first things to do: `text`, `who`, `at_s`. `review`
    has `well`, `badly`, `summary` as they were written.
    """

    ticket = models.OneToOneField(
        Ticket, models.CASCADE, primary_key=True, related_name="major_facts"
    )
    call_sign = models.CharField(max_length=60)
    plan = models.CharField(max_length=80, blank=True)
    planned = models.JSONField(default=dict)
    is_drill = models.PositiveSmallIntegerField(default=0)
    source = models.ForeignKey(Ticket, models.SET_NULL, null=True, related_name="+")
    # When it began as a person states it, and when the first report of it came.
    began_s = models.BigIntegerField(null=True)
    reported_s = models.BigIntegerField()
    declared_s = models.BigIntegerField()
    first_update_s = models.BigIntegerField(null=True)
    restored_s = models.BigIntegerField(null=True)
    stood_down_s = models.BigIntegerField(null=True)
    conference = models.CharField(max_length=300, blank=True)
    summary = models.TextField(blank=True)
    instead = models.JSONField(default=dict)
    checklist = models.JSONField(default=list)
    review = models.JSONField(default=dict)
    gathered = models.PositiveIntegerField(default=0)
    affected = models.PositiveIntegerField(default=0)

    class Meta:
        indexes = [models.Index(fields=["declared_s"], name="major_declared")]


class MajorRole(models.Model):
    """Who had which role from when to when; nobody yet where there is no person."""

    major = models.ForeignKey(MajorFacts, models.CASCADE, related_name="held_roles")
    role = models.CharField(max_length=40)
    person = models.ForeignKey(Person, models.PROTECT, related_name="+")
    from_s = models.BigIntegerField()
    to_s = models.BigIntegerField(null=True)

    class Meta:
        ordering = ["from_s", "id"]
        constraints = [
            models.UniqueConstraint(
                fields=["major", "role"], condition=Q(to_s=None), name="one_in_a_role"
            )
        ]


class RoomChannel(models.Model):
    """A conversation of the room. An open one is for all who may know of the major incident,
    a closed one for its members alone."""

    major = models.ForeignKey(MajorFacts, models.CASCADE, related_name="channels")
    name = models.CharField(max_length=40)
    is_closed = models.PositiveSmallIntegerField(default=0)
    # What is said in it goes to the outside chat as well, and comes from there.
    in_chat = models.PositiveSmallIntegerField(default=0)
    position = models.PositiveSmallIntegerField(default=0)
    people = models.ManyToManyField(Person, related_name="+")
    teams = models.ManyToManyField(Team, related_name="+")

    class Meta:
        ordering = ["position", "id"]
        constraints = [
            models.UniqueConstraint(fields=["major", "name"], name="one_channel_of_a_name")
        ]


class RoomFile(models.Model):
    """A file of the room, in a folder; a later one of the same name there is a new version."""

    major = models.ForeignKey(MajorFacts, models.CASCADE, related_name="files")
    # Whose it is: a closed channel's files are its members'.
    channel = models.ForeignKey(RoomChannel, models.CASCADE, related_name="files")
    folder = models.CharField(max_length=60, blank=True)
    name = models.CharField(max_length=160)
    version = models.PositiveSmallIntegerField(default=1)
    content_type = models.CharField(max_length=80)
    size = models.PositiveIntegerField()
    sha256 = models.CharField(max_length=64)
    came_from = models.CharField(max_length=200, blank=True)
    label = models.CharField(max_length=20, blank=True)
    file = models.FileField(upload_to="rooms/%Y/%m")
    by = models.ForeignKey(Person, models.PROTECT, related_name="+")
    at_s = models.BigIntegerField()

    class Meta:
        ordering = ["id"]
        constraints = [
            models.UniqueConstraint(
                fields=["channel", "folder", "name", "version"], name="one_version_of_a_file"
            )
        ]


class RoomMessage(models.Model):
    """Something said in a channel, by a person here or by somebody in the outside chat."""

    channel = models.ForeignKey(RoomChannel, models.CASCADE, related_name="messages")
    person = models.ForeignKey(Person, models.PROTECT, null=True, related_name="+")
    author = models.CharField(max_length=120, blank=True)  # of the outside chat
    outside = models.CharField(max_length=80, blank=True)
    text = models.TextField()
    label = models.CharField(max_length=20, blank=True)
    file = models.ForeignKey(RoomFile, models.SET_NULL, null=True, related_name="+")
    at_s = models.BigIntegerField()

    class Meta:
        ordering = ["id"]
        indexes = [models.Index(fields=["channel", "id"], name="said_in_a_channel")]
        constraints = [
            models.UniqueConstraint(
                fields=["channel", "outside"],
                condition=~Q(outside=""),
                name="said_outside_once",
            )
        ]


class ChannelRead(models.Model):
    """How far somebody has read a channel, and when they were last in it."""

    channel = models.ForeignKey(RoomChannel, models.CASCADE, related_name="readers")
    person = models.ForeignKey(Person, models.CASCADE, related_name="+")
    message = models.BigIntegerField(default=0)
    seen_s = models.BigIntegerField(default=0)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["channel", "person"], name="reads_once")]


class TimelineEntry(models.Model):
    """What happened, as somebody wrote or lifted it; what is derived is read, not kept."""

    major = models.ForeignKey(MajorFacts, models.CASCADE, related_name="entries")
    # Who may read it: all of the room, or the members of a closed channel.
    channel = models.ForeignKey(RoomChannel, models.CASCADE, null=True, related_name="+")
    at_s = models.BigIntegerField()
    text = models.TextField()
    label = models.CharField(max_length=20, blank=True)
    person = models.ForeignKey(Person, models.PROTECT, related_name="+")
    message = models.ForeignKey(RoomMessage, models.SET_NULL, null=True, related_name="entries")
    file = models.ForeignKey(RoomFile, models.SET_NULL, null=True, related_name="entries")
    made_s = models.BigIntegerField()

    class Meta:
        ordering = ["at_s", "id"]


class Hearers(models.Model):
    """An audience of updates: how often it hears, by what way, in which words."""

    major = models.ForeignKey(MajorFacts, models.CASCADE, related_name="audiences")
    name = models.CharField(max_length=60)
    words = models.TextField(blank=True)
    minutes = models.PositiveSmallIntegerField()
    # "everyone affected", "everyone who reported", "the responders", or addresses.
    to = models.JSONField(default=list)
    on_portal = models.PositiveSmallIntegerField(default=0)
    on_status_page = models.PositiveSmallIntegerField(default=0)
    due_s = models.BigIntegerField(null=True)
    reminded_s = models.BigIntegerField(default=0)
    position = models.PositiveSmallIntegerField(default=0)

    class Meta:
        ordering = ["position", "id"]


class Update(models.Model):
    """What an audience was told; one with `send_at_s` and no `sent_s` waits for its time."""

    hearers = models.ForeignKey(Hearers, models.CASCADE, related_name="updates")
    number = models.PositiveSmallIntegerField()
    title = models.CharField(max_length=160)
    text = models.TextField()
    by = models.ForeignKey(Person, models.PROTECT, related_name="+")
    made_s = models.BigIntegerField()
    send_at_s = models.BigIntegerField(null=True)
    due_s = models.BigIntegerField(null=True)
    sent_s = models.BigIntegerField(null=True)
    count = models.PositiveIntegerField(default=0)

    class Meta:
        ordering = ["id"]
        constraints = [
            models.UniqueConstraint(fields=["hearers", "number"], name="one_update_of_a_number")
        ]
        indexes = [models.Index(fields=["sent_s"], name="update_sent")]


class ChatLine(models.Model):
    """A line in the shipped stand-in of an outside chat, written there or come from a room."""

    room = models.BigIntegerField()
    channel = models.BigIntegerField()
    title = models.CharField(max_length=120)
    author = models.CharField(max_length=120)
    text = models.TextField()
    is_from_room = models.PositiveSmallIntegerField(default=0)
    key = models.CharField(max_length=80, unique=True)
    at_s = models.BigIntegerField()

    class Meta:
        ordering = ["id"]


class SituationReport(models.Model):
    """A report of how things stand, as it was edited and sent; kept."""

    major = models.ForeignKey(MajorFacts, models.CASCADE, related_name="reports")
    text = models.TextField()
    to = models.JSONField(default=list)
    by = models.ForeignKey(Person, models.PROTECT, related_name="+")
    at_s = models.BigIntegerField()

    class Meta:
        ordering = ["id"]


def facts_of(ticket: Ticket) -> MajorFacts:
    """The facts of a major incident; empty ones for a record that is none."""
    if ticket.kind == KIND:
        try:
            return ticket.major_facts
        except MajorFacts.DoesNotExist:
            pass
    return MajorFacts(ticket=ticket, reported_s=ticket.opened_s, declared_s=ticket.opened_s)
