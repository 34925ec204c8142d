"""How an article did, week by week: how often it was read, saved a ticket, and resolved one."""

from typing import Any

from gannet.knowledge.models import Article
from gannet.tickets.models import Ticket
from gannet_core import knowledge as core

WEEKS, WEEK_S = 12, 7 * 86_400


def weeks_of(article: Article, now_s: int) -> list[dict[str, Any]]:
    """The last twelve weeks up to now, the oldest first, with what fell into each."""
    since_s = now_s - WEEKS * WEEK_S
    reads = list(
        article.reads.filter(at_s__gt=since_s, at_s__lte=now_s).values_list(
            "person", "at_s", "is_found"
        )
    )
    readers = {person for person, _, _ in reads}
    logged: dict[int, list[tuple[int, int | None]]] = {}
    asked = Ticket.objects.filter(requester__in=readers, opened_s__gt=since_s)
    for person, opened_s, service in asked.values_list("requester", "opened_s", "service"):
        logged.setdefault(person, []).append((opened_s, service))
    found = [
        (person, at_s, article.service_id)
        for person, at_s, is_found in reads
        # Whether it saved one is not known before a day is over.
        if is_found and at_s <= now_s - core.SAVED_WITHIN_S
    ]
    used = Ticket.objects.filter(article=article, is_confidential=0, resolved_s__gt=since_s)
    resolved = used.filter(resolved_s__lte=now_s).values_list("resolved_s", flat=True)
    counts: dict[str, list[int]] = {
        "reads": [at_s for _, at_s, _ in reads],
        "saved": core.saved_at(found, logged),
        "used": [at_s for at_s in resolved if at_s is not None],
    }
    weeks: list[dict[str, int]] = [
        {"from_s": since_s + place * WEEK_S, **dict.fromkeys(counts, 0)} for place in range(WEEKS)
    ]
    for name, moments in counts.items():
        for at_s in moments:
            weeks[min(WEEKS - 1, (at_s - since_s - 1) // WEEK_S)][name] += 1
    return weeks
