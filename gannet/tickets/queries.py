"""Reads of tickets: lists by key, figures, and the record with its history."""

from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any

from django.db.models import Case, Count, IntegerField, Q, QuerySet, Value, When
from django.utils import timezone

from gannet.people.models import Person
from gannet.people.roles import team_ids
from gannet.tickets import policies, record_parts
from gannet.tickets.models import (
    Affected,
    MoveCode,
    Task,
    TaskState,
    Ticket,
)
from gannet.tickets.orm_conditions import to_q
from gannet.tickets.states import state_name
from gannet_core.conditions import Context, check, leaves
from gannet_core.instants import seconds_of

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
    "left_seconds",
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
    "open_tasks",
    "open_approvals",
    "handed_why",
    "is_major_suggested",
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


def row_json(row: Mapping[str, Any]) -> dict[str, Any]:
    """A row of `.values(*ROW_FIELDS)` as the API shows it."""
    return row_shown([row[name] for name in ROW_FIELDS])


def row_shown(values: Sequence[Any]) -> dict[str, Any]:
    """The values of ROW_FIELDS, in that order, as the API shows them."""
    shown = dict(zip(_SHOWN, values, strict=False))
    shown["state"] = state_name(shown["state"])
    shown["move"] = _MOVE_LABELS[shown["move"]]
    for flag in _FLAGS:
        shown[flag] = bool(shown[flag])
    return shown


_SHOWN = tuple(_RENAMED.get(name, name) for name in ROW_FIELDS)
_MOVE_LABELS = {int(code): code.label for code in MoveCode}
_FLAGS = (
    "is_unread",
    "needs_reply",
    "is_answered",
    "is_announced",
    "is_confidential",
    "is_major_suggested",
)


def figures(tickets: QuerySet[Ticket], now_s: int) -> dict[str, int]:
    """The figures above a list, in one query."""
    found = tickets.aggregate(
        late=Count("id", filter=Q(is_open=1, late_from_s__lt=now_s)),
        due_soon=Count("id", filter=Q(is_open=1, late_from_s__gte=now_s, due_s__lt=now_s + HOUR)),
        nobodys=Count("id", filter=Q(is_open=1, holder__isnull=True)),
        unread=Count("id", filter=Q(is_open=1, is_unread=1)),
        answered=Count("id", filter=Q(is_open=1, is_answered=1)),
        major=Count("id", filter=Q(is_open=1, is_major_suggested=1)),
        needs_reply=Count("id", filter=Q(is_open=1, needs_reply=1)),
    )
    return dict(found)


LOOKOUT_LIMIT = 200
_MOST_AROUND = 50


def lookout(person: Person) -> dict[str, Any]:
    """What needs a person: theirs, and what nobody of their teams holds; our move first."""
    open_tickets = policies.visible_to(person).filter(is_open=1)
    scope = open_tickets.filter(
        Q(holder=person) | Q(holder__isnull=True, team__in=team_ids(person))
    )
    ours = Case(
        When(move=MoveCode.OURS, then=Value(0)), default=Value(1), output_field=IntegerField()
    )
    rows = scope.annotate(turn=ours).order_by("turn", "rank_s", "id").values(*ROW_FIELDS)
    shown = [row_json(row) for row in rows[: LOOKOUT_LIMIT + 1]]
    return {
        **_around(person),
        "ours": [row for row in shown[:LOOKOUT_LIMIT] if row["move"] == MoveCode.OURS.label],
        "others": [row for row in shown[:LOOKOUT_LIMIT] if row["move"] != MoveCode.OURS.label],
        "is_cut": len(shown) > LOOKOUT_LIMIT,
    }


def _around(person: Person) -> dict[str, Any]:
    """What needs a person beside the tickets they hold: tasks, reminders, approvals."""
    mine = Q(person=person) | Q(person=None, team__in=team_ids(person))
    tasks = (
        Task.objects.filter(mine, state=TaskState.OPEN, ticket__is_open=1)
        .filter(ticket__in=policies.visible_to(person))
        .select_related("ticket", "team", "person")
        .prefetch_related("after")
        .order_by("due_s", "id")
    )
    reminders = person.reminders.filter(done_s=None).select_related("ticket").order_by("at_s")
    asked = record_parts.to_decide(person, seconds_of(timezone.now()))
    return {
        "tasks": [_task_line(task) for task in tasks[:_MOST_AROUND]],
        "reminders": [record_parts.reminder_json(row) for row in reminders[:_MOST_AROUND]],
        "approvals": [record_parts.approval_json(row, person) for row in asked[:_MOST_AROUND]],
    }


def _task_line(task: Task) -> dict[str, Any]:
    waits = [other.title for other in task.after.all() if other.state == TaskState.OPEN]
    return {
        "id": task.pk,
        "title": task.title,
        "ticket": task.ticket_id,
        "ticket_title": task.ticket.title,
        "is_mine": task.person_id is not None,
        "team": task.team.name if task.team else "",
        "due_s": task.due_s,
        "waits_for": waits,
        "outputs": list(task.outputs),
    }


def outages(now_s: int, person: Person | None = None) -> list[dict[str, Any]]:
    """Announced incidents, as everybody's portal shows them: public words only."""
    rows = Ticket.objects.filter(is_announced=1, is_open=1, is_confidential=0)
    mine = set(Affected.objects.filter(person=person).values_list("ticket_id", flat=True))
    return [
        {
            "id": row["id"],
            "title": row["public_title"],
            "service": row["service__name"],
            "since_s": row["opened_s"],
            "next_news_s": row["next_news_s"],
            "hits": row["many"],
            "hits_me": row["id"] in mine,
        }
        for row in rows.order_by("next_news_s")
        .annotate(many=Count("hits"))
        .values("id", "public_title", "service__name", "opened_s", "next_news_s", "many")[:20]
    ]


def asked_by(person: Person, *, only_open: bool = False) -> QuerySet[Ticket]:
    """What somebody has asked for, newest first."""
    found = Ticket.objects.filter(requester=person)
    if only_open:
        found = found.filter(is_open=1)
    return found.order_by("-opened_s", "-id")
