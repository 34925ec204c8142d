"""Mail going out, mail coming in, and what the stand-in server has seen."""

from django.db import models
from django.db.models import Q

from gannet.people.models import Person


class Outgoing(models.Model):
    """A message in the outbox. Its Message-ID makes a second sending harmless."""

    message_id = models.CharField(max_length=200, unique=True)
    to = models.EmailField()
    person = models.ForeignKey(Person, models.SET_NULL, null=True)
    subject = models.CharField(max_length=300)
    body = models.TextField()
    # Where keys stand in it once it is sent, and what they open: see `people.mail_keys`.
    keys = models.JSONField(default=list)
    again_of = models.BigIntegerField(null=True, db_index=True)
    headers = models.JSONField(default=dict)
    ticket = models.ForeignKey("tickets.Ticket", models.CASCADE, null=True)
    event_id = models.BigIntegerField(null=True, db_index=True)
    # The notification it follows from, and whether it is gathered into a digest.
    event_name = models.CharField(max_length=40, blank=True)
    in_digest = models.PositiveSmallIntegerField(default=0)
    made_at = models.DateTimeField()
    send_at_s = models.BigIntegerField()
    sent_s = models.BigIntegerField(null=True)
    # When a report came that it could not be delivered.
    bounced_s = models.BigIntegerField(null=True)
    withdrawn = models.PositiveSmallIntegerField(default=0)
    attempts = models.PositiveSmallIntegerField(default=0)
    problem = models.TextField(blank=True)

    class Meta:
        indexes = [
            # A condition with a value would not be taken for a question with a parameter.
            models.Index(
                fields=["in_digest", "withdrawn", "send_at_s", "id"],
                condition=Q(sent_s__isnull=True),
                name="outgoing_waiting",
            )
        ]


class MailFile(models.Model):
    """A file that Gannet has made for a letter: minutes, an invitation, a report."""

    outgoing = models.ForeignKey(Outgoing, models.CASCADE, related_name="files")
    name = models.CharField(max_length=120)
    content_type = models.CharField(max_length=120)
    content = models.BinaryField()


class Outcome(models.TextChoices):
    """What became of a message that came in."""

    LOGGED = "logged", "became a ticket"
    ANSWERED = "answered", "was added to a ticket"
    TWICE = "twice", "had come in before"
    AUTOMATIC = "automatic", "was automatic mail; nothing was done"
    UNKNOWN = "unknown", "came from nobody we know; quarantined"
    UNWANTED = "unwanted", "came from a sender marked as not ours; quarantined"
    BOUNCE = "bounce", "says that a message could not be delivered"
    LOOP = "loop", "would have started a loop; quarantined"
    TOO_LARGE = "too large", "was too large; quarantined"
    UNREADABLE = "unreadable", "could not be read; quarantined"
    UNVERIFIED = "unverified", "was about something confidential, sender not verified; quarantined"


class Incoming(models.Model):
    """A message that was read, and what became of it. Nothing is dropped."""

    message_id = models.CharField(max_length=200, unique=True)
    stand_in_id = models.BigIntegerField(null=True)
    from_address = models.CharField(max_length=254)
    # By which way it came and what it was about, to tell a loop from a person.
    path = models.CharField(max_length=120, blank=True)
    about = models.CharField(max_length=20, blank=True)
    subject = models.CharField(max_length=300, blank=True)
    outcome = models.CharField(max_length=20, choices=Outcome)
    because = models.CharField(max_length=300, blank=True)
    ticket = models.ForeignKey("tickets.Ticket", models.SET_NULL, null=True)
    read_at = models.DateTimeField()
    # What the desk made of it, if it was quarantined: logged, added, dismissed; empty: it waits.
    handled_how = models.CharField(max_length=20, blank=True)
    handled_by = models.ForeignKey(Person, models.SET_NULL, null=True, related_name="+")
    handled_s = models.BigIntegerField(null=True)

    class Meta:
        indexes = [
            models.Index(fields=["from_address", "read_at"], name="incoming_sender"),
            models.Index(fields=["outcome", "handled_how", "read_at"], name="incoming_outcome"),
        ]


class StandInMessage(models.Model):
    """A message that the stand-in mail server accepted, as it came over the wire."""

    received_at = models.DateTimeField()
    envelope_from = models.CharField(max_length=254, blank=True)
    envelope_to = models.JSONField(default=list)
    raw = models.BinaryField()
    for_desk = models.PositiveSmallIntegerField(default=0)
    is_read = models.PositiveSmallIntegerField(default=0)
    tries = models.PositiveSmallIntegerField(default=0)
    # What a list of them shows, read as it came in: see `gannet.messages.standin`.
    message_id = models.CharField(max_length=200, blank=True, db_index=True)
    sender = models.CharField(max_length=254, blank=True)
    subject = models.CharField(max_length=300, blank=True)

    class Meta:
        indexes = [
            models.Index(fields=["id"], condition=Q(for_desk=1, is_read=0), name="standin_unread")
        ]


class Notification(models.Model):
    """Something a person should know of or decide, shown until it is dealt with.

    `about` tells what it is one of: two of the same about the same thing are one.
    """

    person = models.ForeignKey(Person, models.CASCADE, related_name="notifications")
    ticket = models.ForeignKey("tickets.Ticket", models.CASCADE, null=True)
    event_name = models.CharField(max_length=40)
    about = models.CharField(max_length=80)
    title = models.CharField(max_length=300)
    text = models.CharField(max_length=500, blank=True)
    actor = models.CharField(max_length=120, blank=True)
    count = models.PositiveSmallIntegerField(default=1)
    made_s = models.BigIntegerField()
    seen_s = models.BigIntegerField(null=True)
    gone_s = models.BigIntegerField(null=True)

    class Meta:
        ordering = ["-made_s", "-id"]
        indexes = [
            models.Index(
                fields=["person", "made_s", "id"],
                condition=Q(gone_s__isnull=True),
                name="notification_shown",
            )
        ]
        constraints = [
            models.UniqueConstraint(
                fields=["person", "about"], condition=Q(gone_s=None), name="one_notification"
            )
        ]


class Unwanted(models.Model):
    """A sender whose mail is not for the desk, and who said so."""

    address = models.EmailField(unique=True)
    marked_by = models.ForeignKey(Person, models.PROTECT)
    marked_at = models.DateTimeField()
    kept_aside = models.PositiveIntegerField(default=0)


class OtherAddress(models.Model):
    """Another address of a person, from which their mail is theirs as well."""

    person = models.ForeignKey(Person, models.CASCADE, related_name="other_addresses")
    address = models.EmailField(unique=True)


class HookState(models.TextChoices):
    WAITING = "waiting"
    DONE = "done", "was taken"
    GIVEN_UP = "given up"


class HookCall(models.Model):
    """A post to another system: signed, retried, and shown with what it answered."""

    hook = models.CharField(max_length=60)
    name = models.CharField(max_length=120)
    url = models.CharField(max_length=400)
    ticket = models.ForeignKey("tickets.Ticket", models.CASCADE, null=True)
    article = models.ForeignKey("knowledge.Article", models.CASCADE, null=True, related_name="+")
    body = models.TextField()
    state = models.CharField(max_length=12, choices=HookState, default=HookState.WAITING)
    attempts = models.PositiveSmallIntegerField(default=0)
    made_s = models.BigIntegerField()
    next_at_s = models.BigIntegerField()
    done_s = models.BigIntegerField(null=True)
    status = models.PositiveSmallIntegerField(null=True)
    answer = models.CharField(max_length=500, blank=True)

    class Meta:
        indexes = [
            models.Index(
                fields=["next_at_s", "id"], condition=Q(state="waiting"), name="hook_waiting"
            )
        ]


class HookReceived(models.Model):
    """What the shipped receiver got, and whether its signature was right."""

    received_at = models.DateTimeField()
    hook = models.CharField(max_length=60)
    delivery = models.CharField(max_length=60)
    is_genuine = models.BooleanField()
    body = models.TextField()
