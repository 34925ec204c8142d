"""Reads of tickets: lists by key, figures, and the record with its history."""

import json
from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

from django.db.models import (
    Count,
    Q,
    QuerySet,
    Value,
)

from gannet.audit import log as audit
from gannet.people.models import Person
from gannet.rulebook import book
from gannet.tickets import record_parts
from gannet.tickets.kinds import for_requesters, kinds
from gannet.tickets.listed import Listed, asks_who, seen_by
from gannet.tickets.models import (
    Affected,
    MoveCode,
    Task,
    TaskState,
    Ticket,
)
from gannet.tickets.policies import Sight, visible_q
from gannet.tickets.states import state_name
from gannet.tickets.turn_order import turn_expressions, turn_givens, turn_name
from gannet.web.kept import Givens, KeptAnswers, KeptQueries, Rows

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


def row_json(row: Mapping[str, Any]) -> dict[str, Any]:
    """A row of `.values(*ROW_FIELDS)` as the API shows it."""
    return row_shown([row[name] for name in ROW_FIELDS])


def row_shown(values: Sequence[Any]) -> dict[str, Any]:
    """The values of ROW_FIELDS, in that order, as the API shows them."""
    row = dict(zip(_SHOWN, values, strict=False))
    row["state"] = state_name(row["state"])
    row["move"] = _MOVE_LABELS[row["move"]]
    for flag in _FLAGS:
        row[flag] = row[flag] == 1
    return row


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


FIGURES = ("late", "due_soon", "nobodys", "unread", "answered", "major", "needs_reply")
_figures = KeptQueries()


def figures(tickets: Listed, now_s: int) -> dict[str, int]:
    """The figures above a list.

    Those of what all of the desk may know of are counted once for everybody who asks while
    nothing happens; each has their own few confidential tickets beside them.
    """
    sight, asks_of_all = tickets.sight, not (tickets.tree and asks_who(tickets.tree))
    if sight.is_active and sight.reads_desk and asks_of_all and tickets.also is None:
        whose = (json.dumps(tickets.tree, sort_keys=True), book.number_now())
        key = (whose, audit.latest(), now_s // _SHARED_SECONDS)
        desks = replace(tickets, sight=_ANYBODY_OF_THE_DESK)
        shared = _shared.get(key, lambda: _counted(desks, now_s))
        own = _counted(tickets, now_s, only_confidential=True)
        return {name: shared[name] + own[name] for name in FIGURES}
    return _counted(tickets, now_s)


_SHARED_SECONDS = 5
_shared = KeptAnswers()
# Who knows of everything but what is confidential.
_ANYBODY_OF_THE_DESK = Sight(person=0, teams=(), is_active=True, reads_desk=True)


def _counted(tickets: Listed, now_s: int, *, only_confidential: bool = False) -> dict[str, int]:
    of_open = replace(tickets, only_open=True)

    def build(givens: Givens) -> QuerySet[Any, Any]:
        at = givens["now_s"]
        late = Q(late_from_s__lt=at)
        found = of_open.build(givens).order_by().values(all_of_it=Value(1))
        if only_confidential:
            found = found.filter(is_confidential=1)
        return found.annotate(
            late=Count("id", filter=late),
            due_soon=Count("id", filter=Q(late_from_s__gte=at, due_s__lt=givens["in_an_hour_s"])),
            nobodys=Count("id", filter=Q(holder__isnull=True)),
            unread=Count("id", filter=Q(is_unread=1)),
            answered=Count("id", filter=Q(is_answered=1)),
            major=Count("id", filter=Q(is_major_suggested=1)),
            needs_reply=Count("id", filter=Q(needs_reply=1)),
        ).values_list(*FIGURES)

    when = {"now_s": now_s, "in_an_hour_s": now_s + HOUR}
    rows = of_open.rows(_figures, only_confidential, build, when)
    return dict(zip(FIGURES, rows[0] if rows else [0] * len(FIGURES), strict=True))


_totals = KeptQueries()


def total(tickets: Listed) -> int:
    """How many tickets a list has."""

    def build(givens: Givens) -> QuerySet[Any, Any]:
        found = tickets.build(givens).order_by().values(all_of_it=Value(1))
        return found.annotate(count=Count("id")).values_list("count")

    rows = tickets.rows(_totals, (), build)
    return int(rows[0][0]) if rows else 0


LOOKOUT_LIMIT = 200
_MOST_AROUND = 50


_lookouts = KeptQueries()


def lookout(person: Person, now_s: int) -> dict[str, Any]:
    """What needs a person, in the order of work: theirs, and what nobody of their teams holds."""
    turns = [*_turns(person, now_s, "mine"), *_turns(person, now_s, "nobody's")]
    return {**_around(person, now_s), **_in_turn(sorted(turns))}


def work_of_team(person: Person, team: int, now_s: int) -> dict[str, Any]:
    """What a team has open, in the order of work, as far as a person may see it."""
    return _in_turn(_turns(person, now_s, "team's", team=team))


def _in_turn(turns: Rows) -> dict[str, Any]:
    shown = _shown_in_turn([number for *_, number in turns[:LOOKOUT_LIMIT]])
    for row, (section, *_) in zip(shown, turns, strict=False):
        row["turn"] = turn_name(section)
    return {
        "ours": [row for row in shown if row["move"] == MoveCode.OURS.label],
        "others": [row for row in shown if row["move"] != MoveCode.OURS.label],
        "is_cut": len(turns) > LOOKOUT_LIMIT,
    }


_TURN = ("turn", "weight", "rank_s", "id")


def _turns(person: Person, now_s: int, whose: str, team: int = 0) -> Rows:
    """What somebody holds, what nobody in their teams does, or all of a team's, in the order
    of work.

    Only what decides that is read of each; the rows that are shown are read after.
    """
    seen = replace(seen_by(person), only_open=True)

    def build(givens: Givens) -> QuerySet[Any, Any]:
        if whose == "mine":
            its = Q(holder=givens["person"])
        elif whose == "team's":
            its = Q(team=givens["whole team"])
        else:
            its = Q(holder__isnull=True, team__in=seen.teams(givens))
        turn, weight, _ = turn_expressions(givens)
        found = seen.build(givens).filter(its).annotate(turn=turn, weight=weight)
        found = found.order_by(*_TURN)
        return found.values_list(*_TURN)[: LOOKOUT_LIMIT + 1]

    if whose == "nobody's" and not seen.sight.teams:
        return []
    asked = (whose, book.number_now())
    return seen.rows(_lookouts, asked, build, {**turn_givens(now_s), "whole team": team})


def _shown_in_turn(numbers: Sequence[int]) -> list[dict[str, Any]]:
    """The rows of some tickets, in the order in which they are named."""
    rows = Ticket.objects.filter(pk__in=numbers).values_list(*ROW_FIELDS)
    shown = {row[0]: row_shown(row) for row in rows}
    return [shown[number] for number in numbers]


_TASK_LINE = (
    "id",
    "title",
    "ticket",
    "ticket__title",
    "person",
    "team__name",
    "due_s",
    "outputs",
)


def _around(person: Person, now_s: int) -> dict[str, Any]:
    """What needs a person beside the tickets they hold: tasks, reminders, approvals."""
    asked = record_parts.to_decide(person, now_s, _MOST_AROUND)
    return {
        "tasks": _task_lines(person),
        "reminders": record_parts.reminders_json(person, _MOST_AROUND),
        "approvals": [record_parts.approval_json(row, person) for row in asked],
    }


def _task_lines(person: Person) -> list[dict[str, Any]]:
    seen = seen_by(person)

    def build(givens: Givens) -> QuerySet[Any, Any]:
        mine = Q(person=givens["person"]) | Q(person=None, team__in=seen.teams(givens))
        goes_on = Q(ticket__is_open=True) | Q(outlives=True)
        found = Task.objects.filter(mine, goes_on, state=TaskState.OPEN)
        found = found.filter(visible_q(seen.sight_in(givens), "ticket__"))
        return found.order_by("due_s", "id").values_list(*_TASK_LINE)[:_MOST_AROUND]

    rows = seen.rows(_lookouts, "tasks", build)
    waits: dict[int, list[str]] = {}
    before = Task.after.through.objects.filter(from_task__in=[row[0] for row in rows])
    for number, title in before.filter(to_task__state=TaskState.OPEN).values_list(
        "from_task", "to_task__title"
    ):
        waits.setdefault(number, []).append(title)
    return [
        {
            "id": number,
            "title": title,
            "ticket": ticket,
            "ticket_title": ticket_title,
            "is_mine": whose is not None,
            "team": team or "",
            "due_s": due_s,
            "waits_for": waits.get(number, []),
            "outputs": list(outputs),
        }
        for number, title, ticket, ticket_title, whose, team, due_s, outputs in rows
    ]


_outages = KeptQueries()
_OUTAGE = ("id", "public_title", "service__name", "opened_s", "next_news_s")


def outages(now_s: int, person: Person | None = None) -> list[dict[str, Any]]:
    """Announced incidents, as everybody's portal shows them: public words only."""

    def build(givens: Givens) -> QuerySet[Any, Any]:
        found = Ticket.objects.filter(is_announced=True, is_open=True, is_confidential=0)
        return found.order_by("next_news_s").values_list(*_OUTAGE)[:20]

    rows = [dict(zip(_OUTAGE, row, strict=True)) for row in _outages.rows("all", build, {})]
    numbers = [row["id"] for row in rows]
    news = {
        pk: text for kind in kinds().values() if rows for pk, text in kind.news(numbers).items()
    }
    hits: dict[int, int] = {}
    mine: set[int] = set()
    if rows:
        # Of the few that are shown, and not of every one that there is.
        counted = Affected.objects.filter(ticket__in=numbers).values_list("ticket")
        hits = dict(counted.annotate(Count("id")).order_by())
    if rows and person is not None:
        hit = Affected.objects.filter(person=person, ticket__in=numbers)
        mine = set(hit.values_list("ticket_id", flat=True))
    return [
        {
            "id": row["id"],
            "title": row["public_title"],
            "service": row["service__name"],
            "since_s": row["opened_s"],
            "next_news_s": row["next_news_s"],
            "hits": hits.get(row["id"], 0),
            "hits_me": row["id"] in mine,
            "news": news.get(row["id"], ""),
        }
        for row in rows
    ]


def asked_by(person: Person, *, only_open: bool = False) -> QuerySet[Ticket]:
    """What somebody has asked for, newest first."""
    found = Ticket.objects.filter(requester=person, kind__in=for_requesters())
    if only_open:
        found = found.filter(is_open=True)
    return found.order_by("-opened_s", "-id")
