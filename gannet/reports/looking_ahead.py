"""The outlook of teams: what each will probably miss, kept a while, and whether it came true."""

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from datetime import datetime, timedelta
from typing import Any

from django.db import transaction
from django.db.models import Min, Q

from gannet.people.models import Person, Team
from gannet.reports.fields import zone
from gannet.reports.models import Forecast, TeamOutlook
from gannet.reports.playing import (
    ASSUMED_WORK_S,
    KINDS,
    Habits,
    habits,
    open_now,
    open_then,
    situation,
    spans_of_people,
)
from gannet.rulebook.book import Book, current
from gannet.tickets import policies
from gannet.tickets.models import Clock, Ticket
from gannet.tickets.team_lookout import teams_read_by
from gannet.web.errors import Missing
from gannet_core import outlook as core
from gannet_core.instants import instant_of, seconds_of
from gannet_core.measures import summary

# How long an outlook is good for, and how long after somebody asked it is kept current.
FRESH_S, ASKED_FOR_S, LOOK_BACK_DAYS = 300, 1_800, 120
SHOWN_S, MOST_BEHIND = 180 * 86_400, 100
_KEPT_AT_HOURS = (9, 13)
# So many instants of the past are told at once, so that other rounds have their turn.
_AT_ONCE = 4
# The form in which an outlook is kept: one of an earlier version is computed anew.
_FORM = 1


def keep_current(now_s: int) -> int:
    """The outlook of every team that somebody looks at is computed anew when it is old."""
    book, done = current(), 0
    for row in TeamOutlook.objects.filter(
        asked_s__gt=now_s - ASKED_FOR_S, computed_s__lte=now_s - FRESH_S
    ).select_related("team"):
        done += compute(book, row, now_s)
    return done + keep_forecasts(book, now_s)


def compute(book: Book, row: TeamOutlook, now_s: int, *, runs: int = core.RUNS) -> int:
    """Play a team's next hours and keep what came of it; 1 when it was kept."""
    team = row.team
    used = habits(team, now_s)
    people = spans_of_people(book, team, now_s)
    given = situation(book, now_s, used, people, open_now(team))
    found: dict[str, Any] = {"form": _FORM, "is_anybody": given is not None}
    if given is not None:
        told = core.look_ahead(given, runs=runs)
        steps = steps_known(now_s)
        due = [
            [one.number, one.due_s, round(core.said_of(told.chances[one.number], steps), 3)]
            for one in sorted(given.open, key=lambda one: (one.due_s, one.number))
            if given.now_s < one.due_s <= given.until_s
        ]
        spread: Sequence[float] = told.spread
        if steps:  # as often as it came true, not as it was played
            each = [[1 - chance, chance] for *_, chance in due]
            spread = core.joined([told.spread_of_coming, *each])
        whole = core.together([spread])
        found |= {
            "until_s": given.until_s,
            "expected": whole.expected,
            "low": whole.low,
            "high": whole.high,
            "spread": [round(one, 5) for one in spread],
            "of_open": whole.expected - told.of_coming,
            "of_coming": told.of_coming,
            "due": due,
            "helps": [
                [one.kind, one.expected, one.fewer, list(one.numbers)]
                for one in core.what_helps(given, told, runs=runs)
            ],
            "why": {
                **_why(given, used, now_s),
                "played": told.of_open if steps else None,
            },
        }
    return TeamOutlook.objects.filter(pk=row.pk).update(computed_s=now_s, found=found)


def _why(given: core.Situation, used: Habits, now_s: int) -> dict[str, Any]:
    """What was played, in numbers."""
    times = summary(used.handling[priority][at] for priority in used.handling
                    for at in range(len(used.handling[priority])))  # fmt: skip
    on_now = sum(any(a <= now_s < b for a, b in spans) for spans in given.people)
    on_later = sum(any(a < given.until_s for a, _ in spans) for spans in given.people)
    late_ours = sum(one.answer is None and one.fix is None for one in given.open)
    return {
        "open": len(given.open),
        "without_target": late_ours,
        "coming": sum(
            mean * (min(start + 3600, given.until_s) - max(start, now_s)) / 3600
            for start, mean in given.coming.hours
        ),
        "people_now": on_now,
        "people": on_later,
        "times": times.count,
        "median_s": times.median,
        "assumed_s": None if used.knows_times else ASSUMED_WORK_S,
        "runs": core.RUNS,
    }


def steps_known(at_s: int) -> tuple[core.Step, ...]:
    """What is said of each played chance, from what was known of earlier ones at an instant."""
    known = Forecast.objects.filter(until_s__lte=at_s, was_late__isnull=False)
    rows = known.order_by().values_list("played", "was_late").iterator()
    return core.calibrated((played, bool(late)) for played, late in rows)


def told(person: Person, now_s: int, team: int | None = None) -> dict[str, Any]:
    """The outlooks that somebody may read: of one team, or of all theirs and their sum."""
    teams = [one for one in teams_read_by(person) if team is None or one.pk == team]
    if team is not None and not teams:
        raise Missing("There is no such team, or you are not in it.")
    rows = {row.team_id: row for row in TeamOutlook.objects.filter(team__in=teams)}
    _ask(teams, rows, now_s)
    shown = {
        one.pk: rows[one.pk].found
        for one in teams
        if one.pk in rows
        and rows[one.pk].computed_s > now_s - 3 * FRESH_S
        and rows[one.pk].found.get("form") == _FORM
    }
    numbers = {
        number
        for found in shown.values()
        for number in _numbers(found)
    }  # fmt: skip
    visible = dict(
        policies.visible_to(person)
        .filter(pk__in=numbers, is_open=True)
        .values_list("pk", "title")
    )  # fmt: skip
    listed = [
        _told_of(one, rows[one.pk].computed_s, shown[one.pk], visible)
        for one in teams
        if one.pk in shown
    ]
    whole = core.together(one["spread"] for one in shown.values() if one["is_anybody"])
    return {
        "teams": listed,
        "expected": whole.expected,
        "low": whole.low,
        "high": whole.high,
        "is_pending": len(shown) < len(teams),
        "known": Forecast.objects.filter(was_late__isnull=False).count(),
        "now_s": now_s,
    }


def _numbers(found: Mapping[str, Any]) -> Iterable[int]:
    yield from (number for number, _, _ in found.get("due", ()))
    yield from (number for *_, numbers in found.get("helps", ()) for number in numbers)


def _told_of(
    team: Team, computed_s: int, found: Mapping[str, Any], visible: Mapping[int, str]
) -> dict[str, Any]:
    due = [
        {"number": number, "title": visible[number], "due_s": due_s, "chance": chance}
        for number, due_s, chance in found.get("due", ())
        if number in visible
    ]
    helps = [
        {
            "kind": kind,
            "expected": expected,
            "fewer": fewer,
            "numbers": [number for number in numbers if number in visible],
        }
        for kind, expected, fewer, numbers in found.get("helps", ())
        if not numbers or any(number in visible for number in numbers)
    ]
    return {
        "team": team.pk,
        "name": team.name,
        "computed_s": computed_s,
        "is_anybody": found["is_anybody"],
        "until_s": found.get("until_s"),
        "expected": found.get("expected"),
        "low": found.get("low"),
        "high": found.get("high"),
        "of_open": found.get("of_open"),
        "of_coming": found.get("of_coming"),
        "due": due,
        "hidden": len(found.get("due", ())) - len(due),
        "helps": helps,
        "why": found.get("why"),
    }


def _ask(teams: Sequence[Team], rows: Mapping[int, TeamOutlook], now_s: int) -> None:
    """Note that somebody looks, no more often than the note has to be renewed."""
    for team in teams:
        row = rows.get(team.pk)
        if row is None:
            TeamOutlook.objects.get_or_create(team=team, defaults={"asked_s": now_s})
        elif row.asked_s < now_s - ASKED_FOR_S // 3:
            TeamOutlook.objects.filter(pk=row.pk).update(asked_s=now_s)


# --- whether it came true ---------------------------------------------------------------------


def keep_forecasts(book: Book, now_s: int) -> int:
    """What is said twice a day is kept, and what became of it is filled in."""
    done = _settle(now_s)
    instants = [
        at_s
        for back in range(LOOK_BACK_DAYS, -1, -1)
        for hour in _KEPT_AT_HOURS
        if (at_s := _local_hour(now_s, back, hour)) <= now_s
    ]
    untold = Q(outlook=None) | Q(outlook__foretold_s__lt=instants[-1])
    for team in Team.objects.filter(untold, is_board=False):
        row, _ = TeamOutlook.objects.get_or_create(team=team, defaults={"asked_s": 0})
        if row.foretold_s == 0:  # before its first ticket there was nothing to tell
            first = Ticket.objects.filter(team=team).aggregate(at_s=Min("opened_s"))["at_s"]
            row.foretold_s = max([0, *(at_s for at_s in instants if at_s < (first or now_s))])
            row.save(update_fields=["foretold_s"])
        missing = [at_s for at_s in instants if at_s > row.foretold_s]
        done += foretell(book, row, missing[:_AT_ONCE], now_s)
    return done


def _local_hour(now_s: int, days_back: int, hour: int) -> int:
    local = instant_of(now_s).astimezone(zone()) - timedelta(days=days_back)
    return seconds_of(local.replace(hour=hour, minute=0, second=0, microsecond=0))


def foretell(
    book: Book, row: TeamOutlook, instants: Sequence[int], now_s: int, *, runs: int = 200
) -> int:
    """What would have been said of a team's open work at instants, and what became of it."""
    team, done = row.team, 0
    used: Habits | None = None
    for place, at_s in enumerate(instants):
        if place % 14 == 0 or used is None:
            used = habits(team, at_s)
        people = spans_of_people(book, team, at_s)
        if not any(a <= at_s < b for spans in people for a, b in spans):
            continue
        given = situation(book, at_s, used, people, open_then(team, at_s))
        if given is None or not given.open:
            continue
        chances = core.look_ahead(given, runs=runs).chances
        steps = steps_known(at_s)
        numbers = [one.number for one in given.open]
        known = Forecast.objects.filter(at_s=at_s, ticket__in=numbers)
        already = set(known.values_list("ticket", flat=True))
        rows = [
            Forecast(
                team=team, ticket_id=one.number, at_s=at_s, until_s=given.until_s,
                played=chances[one.number], said=core.said_of(chances[one.number], steps),
            )
            for one in given.open
            if at_s < one.due_s <= given.until_s and one.number not in already
        ]  # fmt: skip
        with transaction.atomic():
            made = Forecast.objects.bulk_create(rows)
            TeamOutlook.objects.filter(pk=row.pk).update(foretold_s=at_s)
        done += len(made)
        _settle(now_s, team)
    TeamOutlook.objects.filter(pk=row.pk).update(foretold_s=max(instants, default=row.foretold_s))
    return done


def _settle(now_s: int, team: Team | None = None) -> int:
    """What became of what was said, once the hours it was said of are over."""
    rows = Forecast.objects.filter(was_late__isnull=True, until_s__lte=now_s)
    if team is not None:
        rows = rows.filter(team=team)
    waiting = list(rows.values_list("pk", "ticket_id", "at_s", "until_s")[:2_000])
    if not waiting:
        return 0
    missed: defaultdict[int, list[int]] = defaultdict(list)
    clocks = Clock.objects.filter(
        ticket__in={ticket for _, ticket, _, _ in waiting}, holder="", kind__in=KINDS,
        missed_s__isnull=False,
    )  # fmt: skip
    for ticket, missed_s in clocks.values_list("ticket_id", "missed_s"):
        missed[ticket].append(missed_s or 0)
    late = [
        number
        for number, ticket, at_s, until_s in waiting
        if any(at_s <= one <= until_s for one in missed[ticket])
    ]
    numbers = {number for number, *_ in waiting}
    with transaction.atomic():
        Forecast.objects.filter(pk__in=late).update(was_late=True)
        Forecast.objects.filter(pk__in=numbers - set(late)).update(was_late=False)
    return len(waiting)


def came_true(person: Person, now: datetime) -> dict[str, Any]:
    """What was said, by tenths, against what became of it, of the tickets somebody may see."""
    since_s = seconds_of(now) - SHOWN_S
    known = Forecast.objects.filter(was_late__isnull=False, at_s__gt=since_s)
    visible = policies.visible_to(person).filter(pk__in=known.order_by().values("ticket"))
    titles = dict(visible.values_list("pk", "title"))
    steps: dict[int, dict[str, Any]] = {}
    rows = known.order_by("-at_s", "ticket").values_list("ticket_id", "at_s", "said", "was_late")
    for number, at_s, said, late in rows.iterator():
        if number not in titles:
            continue
        step = min(9, int(said * 10))
        found = steps.setdefault(step, {"said": 0.0, "late": 0, "count": 0, "behind": []})
        found["said"] += said
        found["late"] += bool(late)
        found["count"] += 1
        if len(found["behind"]) < MOST_BEHIND:
            one = {"number": number, "title": titles[number], "at_s": at_s, "chance": said}
            found["behind"].append({**one, "was_late": bool(late)})
    return {
        "steps": [
            {
                "from_chance": step / 10,
                "to_chance": (step + 1) / 10,
                "said": found["said"] / found["count"],
                "late": found["late"],
                "count": found["count"],
                "behind": found["behind"],
            }
            for step, found in sorted(steps.items())
        ],
        "since_s": since_s,
        "now_s": seconds_of(now),
    }
