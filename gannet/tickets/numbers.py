"""The one running number that all kinds of records share."""

from django.db.models import Max

from gannet.knowledge.models import Article
from gannet.tickets.models import Ticket


def next_number() -> int:
    """The next free number; taken in a transaction that holds the write lock."""
    used = (model.objects.aggregate(last=Max("pk"))["last"] or 0 for model in (Ticket, Article))
    return max(used) + 1
