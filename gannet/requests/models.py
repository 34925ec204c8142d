"""What belongs to a request alone: what of the catalogue, what it costs, its delivery."""

from django.db import models

from gannet.tickets.models import Ticket

KIND = "request"


class RequestFacts(models.Model):
    """What was asked for, one row for each request."""

    ticket = models.OneToOneField(
        Ticket, models.CASCADE, primary_key=True, related_name="request_facts"
    )
    item = models.CharField(max_length=80, blank=True)
    item_name = models.CharField(max_length=120, blank=True)
    is_bundle = models.PositiveSmallIntegerField(default=0)
    once_pence = models.BigIntegerField(default=0)
    monthly_pence = models.BigIntegerField(default=0)
    delivery = models.CharField(max_length=60, blank=True)
    # What of a bundle was chosen: item key -> the answers for it.
    parts = models.JSONField(default=dict)

    class Meta:
        indexes = [models.Index(fields=["item"], name="request_item")]


def facts_of(ticket: Ticket) -> RequestFacts:
    """The facts of a request; empty ones for a record that is none."""
    if ticket.kind != KIND:
        return RequestFacts()
    try:
        return ticket.request_facts
    except RequestFacts.DoesNotExist:
        return RequestFacts()
