"""The event log: append-only, numbered, chained.

Each row's hash covers the hash before it, what the row says in the open (number,
instant, kind, actor, ticket, facts) and a *digest* of what can be redacted (its text
and its values, with a salt of the row's own). Redacting removes text, values and salt
and keeps the digest: the chain still holds, and the removed text cannot be guessed.

`facts` say what happened to the record (which team, what it waits on) and stay, because
clocks and lifelines are read from them; `values` are what people wrote or chose.
"""

from datetime import datetime

from django.conf import settings
from django.db import models

from gannet.web.columns import HexField, PackedJSONField
from gannet_core.instants import instant_of


class Audience(models.IntegerChoices):
    """Who may read an event of a ticket."""

    EVERYBODY = 1
    DESK = 2


class Event(models.Model):
    """One thing that happened. Rows are only ever added."""

    id = models.BigAutoField(primary_key=True)  # given by the log, without a gap
    at_s = models.BigIntegerField()
    kind = models.CharField(max_length=30)  # registered with its sentence, not listed here
    actor = models.ForeignKey(
        settings.AUTH_USER_MODEL, models.DO_NOTHING, null=True, db_constraint=False, db_index=False
    )
    by_desk = models.SmallIntegerField(default=0)
    is_automatic = models.SmallIntegerField(default=0)
    audience = models.SmallIntegerField(choices=Audience, default=Audience.DESK)
    ticket = models.ForeignKey(
        "tickets.Ticket",
        models.DO_NOTHING,
        null=True,
        db_constraint=False,
        db_index=False,
        related_name="events",
    )
    facts = models.JSONField(default=dict)
    values = PackedJSONField(default=dict)
    text = models.TextField(blank=True)
    salt = HexField(max_length=16, blank=True, default="")
    digest = HexField(max_length=32)
    hash = HexField(max_length=32)
    redacted_by = models.BigIntegerField(null=True)

    class Meta:
        ordering = ["id"]
        indexes = [models.Index(fields=["ticket", "id"], name="event_ticket")]

    @property
    def at(self) -> datetime:
        """When it happened, to the second."""
        return instant_of(self.at_s)
