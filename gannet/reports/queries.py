"""Reports: every number is the size of a set of tickets, and that set can be opened.

`behind` builds the set; the tables count it with grouping and the list behind a number
reads it, so the two cannot disagree.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any
from zoneinfo import ZoneInfo

from django.conf import settings
from django.db.models import Count, F, Q, QuerySet

from gannet.people.models import Person, Team
from gannet.people.roles import reads_desk
from gannet.rulebook.book import current
from gannet.tickets import policies
from gannet.tickets.listed import Listed, listed
from gannet.tickets.models import Clock, ClockStateCode
from gannet.web.errors import Invalid
from gannet_core import measures
from gannet_core.instants import seconds_of

RANGES = ("this month", "last month", "this week", "last week", "last 30 days", "this quarter")
CLOCKS = ("answer", "fix")
DAY = 86_400
# Age bands of open work: name -> from, up to (in seconds; None: no end).
AGES: Mapping[str, tuple[int, int | None]] = {
    "under a day": (0, DAY),
    "1 to 3 days": (DAY, 3 * DAY),
    "3 to 7 days": (3 * DAY, 7 * DAY),
    "7 to 30 days": (7 * DAY, 30 * DAY),
    "over 30 days": (30 * DAY, None),
}
_OUTCOMES = {"kept": ClockStateCode.MET, "missed": ClockStateCode.MISSED}


@dataclass(frozen=True, kw_only=True)
class ReportAsked:
    """Which set of tickets: of a promise, of an age, or open at a moment."""

    clock: str = ""
    outcome: str = ""
    span: str = ""
    team: str = ""
    priority: int | None = None
    age: str = ""
    open_at_s: int | None = None


def zone() -> ZoneInfo:
    return ZoneInfo(settings.ORGANISATION_ZONE)


def span_of(name: str, now: datetime) -> tuple[int, int]:
    """A relative range as [from, to) in epoch seconds, on the organisation's calendar."""
    if name not in RANGES:
        raise Invalid(f"{name!r} is not a range of reports.", fields={"span": "Choose one."})
    start, end = measures.relative_range(name, now, zone())
    return seconds_of(start), seconds_of(end)


def behind(person: Person, asked: ReportAsked, now: datetime) -> Listed:
    """Exactly the tickets that a number counts."""
    return replace(listed(person, None, now), also=_behind_q(asked, now))


def _behind_q(asked: ReportAsked, now: datetime) -> Q:
    found = Q(team__key=asked.team) if asked.team else Q()
    if asked.clock:
        return found & Q(pk__in=_clocks(asked, now).values("ticket_id"))
    if asked.priority is not None:
        found &= Q(priority=asked.priority)
    if asked.age:
        return found & _age_q(asked.age, seconds_of(now))
    if asked.open_at_s is not None:
        return found & _open_at_q(asked.open_at_s)
    raise Invalid("Say which number to open.")


def _clocks(asked: ReportAsked, now: datetime) -> QuerySet[Clock]:
    """The clocks of one kind that came to stand in the span, kept or missed."""
    if asked.clock not in CLOCKS:
        raise Invalid(f"There is no report of {asked.clock!r}.", fields={"clock": "Choose one."})
    start, end = span_of(asked.span, now)
    wanted = list(_OUTCOMES.values())
    if asked.outcome:
        if asked.outcome not in _OUTCOMES:
            raise Invalid("A target is met or missed.", fields={"outcome": "Choose one."})
        wanted = [_OUTCOMES[asked.outcome]]
    clocks = Clock.objects.filter(
        kind=asked.clock, holder="", ended_s__gte=start, ended_s__lt=end, state__in=wanted
    )
    if asked.priority is not None:
        clocks = clocks.filter(priority=asked.priority)
    return clocks


def _age_q(age: str, now_s: int) -> Q:
    if age not in AGES:
        raise Invalid("There is no such age.", fields={"age": "Choose one."})
    least, most = AGES[age]
    condition = Q(is_open=True, opened_s__lte=now_s - least)
    return condition if most is None else condition & Q(opened_s__gt=now_s - most)


def _open_at_q(moment_s: int) -> Q:
    not_ended = Q(resolved_s__isnull=True, closed_s__isnull=True)
    ended_later = Q(resolved_s__gt=moment_s) | Q(resolved_s__isnull=True, closed_s__gt=moment_s)
    return Q(opened_s__lte=moment_s) & (not_ended | ended_later)


def promises_kept(person: Person, span: str, now: datetime) -> dict[str, Any]:
    """Promises kept and missed in a span, by team and priority, with true totals."""
    tables = {
        clock: _table(_counted(person, _clocks(ReportAsked(clock=clock, span=span), now)))
        for clock in CLOCKS
    }
    start, end = span_of(span, now)
    return {"span": span, "from_s": start, "to_s": end, "tables": tables}


def _counted(person: Person, clocks: QuerySet[Clock]) -> list[dict[str, Any]]:
    """Clocks that somebody may know of, counted by team and priority.

    Those of tickets that all of the desk may know of are counted in an index, without a
    look at their tickets; only the few others are looked up.
    """
    counts: dict[tuple[int, int], list[int]] = {}
    may_see = policies.visible_q(person, "ticket__")
    if reads_desk(person):
        parts = [clocks.filter(is_confidential=0), clocks.filter(may_see, is_confidential=1)]
    else:
        parts = [clocks.filter(may_see)]
    for part in parts:
        grouped = part.values_list("team", "priority", "state").annotate(Count("id"))
        for team, priority, state, count in grouped.order_by():
            both = counts.setdefault((team, priority), [0, 0])
            both[state == ClockStateCode.MISSED] += count
    teams = Team.objects.in_bulk({team for team, _ in counts})
    cells = [
        {
            "team": teams[team].key,
            "name": teams[team].name,
            "priority": priority,
            "kept": kept,
            "missed": missed,
        }
        for (team, priority), (kept, missed) in counts.items()
    ]
    return sorted(cells, key=lambda cell: (cell["name"], cell["priority"]))


def _table(cells: Sequence[Mapping[str, Any]]) -> dict[str, Any]:
    """Rows by team, columns by priority; totals from the records, not from shares."""
    teams: dict[str, dict[str, Any]] = {}
    for cell in cells:
        row = teams.setdefault(
            cell["team"], {"team": cell["team"], "name": cell["name"], "cells": {}}
        )
        row["cells"][str(cell["priority"])] = _cell(cell["kept"], cell["missed"])
    for row in teams.values():
        row["total"] = _sum(row["cells"].values())
    totals = {
        str(priority): _sum(
            row["cells"][str(priority)] for row in teams.values() if str(priority) in row["cells"]
        )
        for priority in sorted({*current().priorities, *(cell["priority"] for cell in cells)})
    }
    return {
        "rows": list(teams.values()),
        "totals": totals,
        "total": _sum(row["total"] for row in teams.values()),
    }


def _cell(kept: int, missed: int) -> dict[str, Any]:
    return {"kept": kept, "missed": missed, "share": measures.share(kept, kept + missed)}


def _sum(cells: Any) -> dict[str, Any]:
    listed = list(cells)
    return _cell(sum(c["kept"] for c in listed), sum(c["missed"] for c in listed))


def age_of_open(person: Person, now: datetime) -> list[dict[str, Any]]:
    """Open work by age and team: every band, empty ones as zero."""
    now_s = seconds_of(now)
    bands = {
        f"band{index}": Count("id", filter=_age_q(age, now_s)) for index, age in enumerate(AGES)
    }
    found = (
        policies.visible_to(person)
        .filter(is_open=True)
        .values(key=F("team__key"), name=F("team__name"))
        .annotate(**bands)
        .order_by("name")
    )
    rows: list[dict[str, Any]] = [dict(row) for row in found]
    return [
        {
            "team": row["key"],
            "name": row["name"],
            "counts": {age: row[f"band{index}"] for index, age in enumerate(AGES)},
            "total": sum(row[f"band{index}"] for index in range(len(AGES))),
        }
        for row in rows
    ]


def open_by_day(person: Person, now: datetime, days: int = 28) -> list[dict[str, Any]]:
    """How much was open at the end of each of the last days (today: now)."""
    start, end = measures.relative_range(f"last {days} days", now, zone())
    buckets = measures.buckets(start, end, "day", zone())
    moments = [min(seconds_of(bucket.end), seconds_of(now)) for bucket in buckets]
    # Each of the three is read from an index of its own, and none of them twice: what is open
    # is neither resolved nor closed.
    seen = policies.visible_to(person).filter(opened_s__lte=moments[-1])
    spans: list[tuple[int, int | None]] = [
        *(
            (opened_s, None)
            for opened_s in seen.filter(is_open=True).values_list("opened_s", flat=True)
        ),
        *seen.filter(resolved_s__gt=moments[0]).values_list("opened_s", "resolved_s"),
        *seen.filter(resolved_s__isnull=True, closed_s__gt=moments[0]).values_list(
            "opened_s", "closed_s"
        ),
    ]
    counts = measures.open_at(spans, moments)
    return [
        {"day": bucket.key, "at_s": moment, "open": count}
        for bucket, moment, count in zip(buckets, moments, counts, strict=True)
    ]
