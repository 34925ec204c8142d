"""What people leave around a ticket: followers, files, drafts, presence."""

import uuid

from django.db import models

from gannet.people.models import Person
from gannet.tickets.models.ticket import Ticket


class Follower(models.Model):
    ticket = models.ForeignKey(Ticket, models.CASCADE, related_name="followers")
    person = models.ForeignKey(Person, models.CASCADE, related_name="following")
    # Whoever is asked for an approval may read the ticket, but gets no replies unasked.
    only_reads = models.BooleanField(default=False)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["ticket", "person"], name="follows_once")]


def let_read(ticket: Ticket, person: Person) -> None:
    """Let somebody read a ticket who is asked about it, without being written to."""
    Follower.objects.get_or_create(ticket=ticket, person=person, defaults={"only_reads": True})


class Attachment(models.Model):
    """A file; without an event it has been uploaded and not yet been sent."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    ticket = models.ForeignKey(Ticket, models.CASCADE, null=True, related_name="attachments")
    event_id = models.BigIntegerField(null=True, db_index=True)
    uploaded_by = models.ForeignKey(Person, models.PROTECT)
    uploaded_at = models.DateTimeField()
    name = models.CharField(max_length=160)
    content_type = models.CharField(max_length=80)
    size = models.PositiveIntegerField()
    file = models.FileField(upload_to="attachments/%Y/%m")


class Draft(models.Model):
    """What somebody has typed and not yet sent; kept on the server, per place."""

    person = models.ForeignKey(Person, models.CASCADE)
    place = models.CharField(max_length=80)
    body = models.JSONField(default=dict)
    kept_at = models.DateTimeField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["person", "place"], name="one_draft")]


class Presence(models.Model):
    """Who has a ticket open right now; rows older than a minute mean nothing."""

    person = models.ForeignKey(Person, models.CASCADE)
    ticket = models.ForeignKey(Ticket, models.CASCADE)
    seen_s = models.BigIntegerField()
    is_typing = models.BooleanField(default=False)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["person", "ticket"], name="one_presence")]


class SuggestionModel(models.Model):
    """A trained model of words, per what it suggests."""

    subject = models.CharField(max_length=20, unique=True)
    model = models.JSONField()
    trained_at = models.DateTimeField()
    documents = models.PositiveIntegerField()
