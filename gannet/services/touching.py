"""Which changes touch an item or a service: those to come, under way, and done lately."""

from collections import Counter
from collections.abc import Iterable
from typing import Any

from django.db.models import Count, Q

from gannet.changes.models import KIND, facts_of
from gannet.people.models import Person
from gannet.tickets import policies
from gannet.tickets.models import Ticket
from gannet.tickets.states import state_code, state_name

_DAY = 86_400
LATELY_S, MOST = 30 * _DAY, 30
# What has been submitted and is not over: it is coming, or happens now.
COMING = ("assess", "authorise", "planned", "under way")


def changes_of(person: Person, whose: Q, now_s: int) -> list[dict[str, Any]]:
    """The changes of an item or service that somebody may know of, what begins last first."""
    lately = Q(is_open=True) | Q(change_facts__ended_s__gte=now_s - LATELY_S)
    rows = policies.visible_to(person).filter(whose, lately, kind=KIND)
    found = (
        rows.select_related("change_facts").distinct().order_by("-change_facts__starts_s", "-pk")
    )
    return [_line(one) for one in found[:MOST]]


def _line(ticket: Ticket) -> dict[str, Any]:
    facts = facts_of(ticket)
    return {
        "id": ticket.pk,
        "title": ticket.title,
        "state": state_name(ticket.state),
        "outcome": facts.outcome,
        "starts_s": facts.starts_s,
        "began_s": facts.began_s,
        "ended_s": facts.ended_s,
    }


def coming_by_node(person: Person, now_s: int) -> dict[str, int]:
    """How many changes to come, or under way, touch each service and item."""
    seen = policies.visible_to(person).filter(
        kind=KIND, state__in=[state_code(name) for name in COMING]
    )
    live = seen.filter(Q(change_facts__ends_s__gte=now_s) | Q(state=state_code("under way")))
    found: Counter[str] = Counter()
    for what, column in (("service", "service_id"), ("item", "change_items__item_id")):
        rows = live.order_by().exclude(**{column: None}).values_list(column)
        _count(found, what, rows.annotate(count=Count("id", distinct=True)))
    return dict(found)


def _count(found: Counter[str], what: str, rows: Iterable[tuple[int, int]]) -> None:
    for number, count in rows:
        found[f"{what}-{number}"] = count
