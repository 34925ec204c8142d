"""Reads of tickets: lists by key, figures, and the record with its history."""

import base64
import json
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from django.db.models import Case, Count, IntegerField, Q, QuerySet, Value, When

from gannet.people.models import Person
from gannet.tickets import policies
from gannet.tickets.models import MoveCode, StateCode, Ticket
from gannet.tickets.orm_conditions import to_q
from gannet.web.errors import Invalid
from gannet_core.conditions import Context, check, leaves

PAGE = 50
HOUR = 3600

# What a list row carries; read with .values(), which at a million tickets costs a
# fraction of model instances.
ROW_FIELDS = (
    "id",
    "kind",
    "title",
    "priority",
    "state",
    "move",
    "place",
    "opened_s",
    "changed_s",
    "resolved_s",
    "due_kind",
    "due_s",
    "late_from_s",
    "left_s",
    "rank_s",
    "calendar",
    "waiting_on",
    "waiting_reason",
    "waiting_since_s",
    "waiting_until_s",
    "is_unread",
    "needs_reply",
    "is_answered",
    "is_announced",
    "is_confidential",
    "handed_to_id",
    "holder_id",
    "version",
    "service__name",
    "team__name",
    "holder__name",
    "requester__name",
)
_RENAMED = {
    "service__name": "service",
    "team__name": "team",
    "holder__name": "holder",
    "requester__name": "requester",
}

# Sort keys: name -> (label, ORM column). Every order ends with the number, so that a
# page can go on exactly behind the last row seen.
SORTS: Mapping[str, tuple[str, str]] = {
    "due": ("due, soonest first", "rank_s"),
    "opened": ("opened", "opened_s"),
    "changed": ("last change", "changed_s"),
    "priority": ("priority", "priority"),
    "resolved": ("resolved", "resolved_s"),
    "number": ("number", "id"),
}


@dataclass(frozen=True)
class Page:
    rows: list[dict[str, Any]]
    next_cursor: str | None


def context_of(person: Person, now: datetime) -> Context:
    """Whose eyes a filter is read with."""
    teams = [membership.team.name for membership in person.memberships.select_related("team")]
    return Context(now=now, me=person.name, my_teams=teams)


def filtered(person: Person, tree: Mapping[str, Any] | None, now: datetime) -> QuerySet[Ticket]:
    """The tickets that a person may see and a filter lets through."""
    found = policies.visible_to(person)
    if tree:
        check(tree)
        asks_who = any(leaf["op"] in ("is me", "is my team") for leaf in leaves(tree))
        context = context_of(person, now) if asks_who else Context(now=now)
        found = found.filter(to_q(tree, context))
    return found


def page(
    tickets: QuerySet[Ticket], sort: str = "due", *, descending: bool = False, cursor: str = ""
) -> Page:
    """A page of rows in a sort order, going on behind a cursor."""
    if sort not in SORTS:
        raise Invalid(f"A list cannot be sorted by {sort!r}.", fields={"sort": "Not a sort."})
    column = SORTS[sort][1]
    if column == "resolved_s":
        tickets = tickets.filter(resolved_s__isnull=False)
    after = _read_cursor(cursor)
    if after is not None:
        tickets = tickets.filter(_behind(column, after, descending=descending))
    prefix = "-" if descending else ""
    order = [f"{prefix}{column}"] + ([f"{prefix}id"] if column != "id" else [])
    rows = [row_json(row) for row in tickets.order_by(*order).values(*ROW_FIELDS)[: PAGE + 1]]
    following = None
    if len(rows) > PAGE:
        rows = rows[:PAGE]
        last = rows[-1]
        following = _write_cursor(last[column], last["id"])
    return Page(rows, following)


def row_json(row: Mapping[str, Any]) -> dict[str, Any]:
    """A row of `.values()` as the API shows it."""
    shown = {_RENAMED.get(name, name): value for name, value in row.items()}
    shown["state"] = _STATE_LABELS[row["state"]]
    shown["move"] = _MOVE_LABELS[row["move"]]
    for flag in _FLAGS:
        shown[flag] = bool(row[flag])
    return shown


_STATE_LABELS = {int(code): code.label for code in StateCode}
_MOVE_LABELS = {int(code): code.label for code in MoveCode}
_FLAGS = ("is_unread", "needs_reply", "is_answered", "is_announced", "is_confidential")


def figures(tickets: QuerySet[Ticket], now_s: int) -> dict[str, int]:
    """The figures above a list, in one query."""
    found = tickets.aggregate(
        late=Count("id", filter=Q(is_open=1, late_from_s__lt=now_s)),
        due_soon=Count("id", filter=Q(is_open=1, late_from_s__gte=now_s, due_s__lt=now_s + HOUR)),
        nobodys=Count("id", filter=Q(is_open=1, holder__isnull=True)),
        unread=Count("id", filter=Q(is_open=1, is_unread=1)),
        answered=Count("id", filter=Q(is_open=1, is_answered=1)),
    )
    return dict(found)


LOOKOUT_LIMIT = 200


def lookout(person: Person) -> dict[str, Any]:
    """What needs a person: theirs, and what nobody of their teams holds; our move first."""
    open_tickets = policies.visible_to(person).filter(is_open=1)
    scope = open_tickets.filter(
        Q(holder=person) | Q(holder__isnull=True, team__in=policies.team_ids(person))
    )
    ours = Case(
        When(move=MoveCode.OURS, then=Value(0)), default=Value(1), output_field=IntegerField()
    )
    rows = scope.annotate(turn=ours).order_by("turn", "rank_s", "id").values(*ROW_FIELDS)
    shown = [row_json(row) for row in rows[: LOOKOUT_LIMIT + 1]]
    return {
        "ours": [row for row in shown[:LOOKOUT_LIMIT] if row["move"] == MoveCode.OURS.label],
        "others": [row for row in shown[:LOOKOUT_LIMIT] if row["move"] != MoveCode.OURS.label],
        "is_cut": len(shown) > LOOKOUT_LIMIT,
    }


def outages(now_s: int) -> list[dict[str, Any]]:
    """Announced incidents, as everybody's portal shows them: public words only."""
    rows = Ticket.objects.filter(is_announced=1, is_open=1, is_confidential=0)
    return [
        {
            "id": row["id"],
            "title": row["public_title"],
            "service": row["service__name"],
            "since_s": row["opened_s"],
            "next_news_s": row["next_news_s"],
        }
        for row in rows.order_by("next_news_s").values(
            "id", "public_title", "service__name", "opened_s", "next_news_s"
        )[:20]
    ]


def asked_by(person: Person, *, only_open: bool = False) -> QuerySet[Ticket]:
    """What somebody has asked for, newest first."""
    found = Ticket.objects.filter(requester=person)
    if only_open:
        found = found.filter(is_open=1)
    return found.order_by("-opened_s", "-id")


def _behind(column: str, after: tuple[int, int], *, descending: bool) -> Q:
    value, number = after
    if column == "id":
        return Q(id__lt=number) if descending else Q(id__gt=number)
    step = "lt" if descending else "gt"
    # The first comparison lets SQLite start in the index at the right place.
    return Q(**{f"{column}__{step}e": value}) & (
        Q(**{f"{column}__{step}": value}) | Q(**{column: value, f"id__{step}": number})
    )


def _write_cursor(value: int, number: int) -> str:
    return base64.urlsafe_b64encode(json.dumps([value, number]).encode()).decode()


def _read_cursor(cursor: str) -> tuple[int, int] | None:
    if not cursor:
        return None
    try:
        value, number = json.loads(base64.urlsafe_b64decode(cursor.encode()))
        return int(value), int(number)
    except (ValueError, TypeError) as error:
        raise Invalid("This place in the list is not readable: start from the top.") from error
