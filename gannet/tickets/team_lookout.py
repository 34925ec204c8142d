"""A lead's Lookout: who has how much, who is on, and all that the team has open."""

from fractions import Fraction
from typing import Any

from django.db.models import Count, Q

from gannet.people.models import Absence, Membership, Person, Team
from gannet.people.roles import reads_desk, team_ids
from gannet.rulebook.book import current
from gannet.tickets import policies
from gannet.tickets.models import MoveCode, Presence, Task, TaskState, Ticket
from gannet.tickets.queries import work_of_team
from gannet.web.errors import Missing
from gannet_core import routing
from gannet_core.instants import instant_of

_HERE_S = 300
# What somebody holds, how many of it are late, and how much it weighs.
_NOTHING = (0, 0, Fraction(0))


def teams_read_by(person: Person) -> list[Team]:
    """The teams whose Lookout somebody may read: those they are in, all for administrators."""
    teams = Team.objects.filter(is_board=False).order_by("name")
    if reads_desk(person) and not person.is_on_desk:
        return list(teams)
    return list(teams.filter(pk__in=team_ids(person)))


def led_by(person: Person) -> set[int]:
    """The teams that somebody leads, by number."""
    led = Membership.objects.filter(person=person, is_lead=True)
    return set(led.values_list("team_id", flat=True))


def team_lookout(person: Person, team_id: int, now_s: int) -> dict[str, Any]:
    """Everything about a team's open work that decides what its lead does next."""
    team = next((one for one in teams_read_by(person) if one.pk == team_id), None)
    if team is None:
        raise Missing("There is no such team, or you are not in it.")
    visible = policies.visible_to(person).filter(is_open=True, team=team)
    return {
        "team": {"id": team.pk, "name": team.name},
        "people": people_of(team, now_s),
        **work_of_team(person, team.pk, now_s),
        **visible.aggregate(
            open=Count("id"),
            answered=Count("id", filter=Q(is_answered=1)),
            unread=Count("id", filter=Q(is_unread=1)),
        ),
        "tasks": Task.objects.filter(
            Q(ticket__is_open=True) | Q(outlives=True),
            state=TaskState.OPEN,
            team=team,
            person=None,
        ).count(),
        "now_s": now_s,
    }


def people_of(team: Team, now_s: int) -> list[dict[str, Any]]:
    """Each member: whether they are on, how much they have, weighted as routing counts it."""
    book = current()
    at = instant_of(now_s)
    members = list(Membership.objects.filter(team=team).select_related("person"))
    ids = [member.person_id for member in members]
    away = {
        absence.person_id: absence
        for absence in Absence.objects.filter(person__in=ids, starts_at__lte=at, ends_at__gt=at)
    }
    here = set(
        Presence.objects.filter(person__in=ids, seen_s__gt=now_s - _HERE_S).values_list(
            "person_id", flat=True
        )
    )
    weights = {**routing.DEFAULT_WEIGHTS, **(book.routing.get("weights") or {})}
    held: dict[int, tuple[int, int, Fraction]] = {}
    is_late = Q(late_from_s__lt=now_s)
    rows = Ticket.objects.filter(holder__in=ids, is_open=True).order_by()
    for holder, priority, move, many, late in rows.values_list(
        "holder", "priority", "move"
    ).annotate(many=Count("id"), late=Count("id", filter=is_late)):
        one = routing.OpenWork(f"P{priority}", MoveCode(move).label)
        before = held.get(holder, _NOTHING)
        load = many * routing.load([one], weights)
        held[holder] = (before[0] + many, before[1] + late, before[2] + load)
    found: list[dict[str, Any]] = []
    for member in members:
        person = member.person
        key = person.working_calendar
        is_on = not key or book.calendar(key).is_open_s(now_s)
        absence = away.get(person.pk)
        many, late, load = held.get(person.pk, _NOTHING)
        until = None if absence is None else absence.ends_at.timestamp()
        found.append(
            {
                "id": person.pk,
                "name": person.name,
                "is_lead": member.is_lead,
                "is_set_aside": member.is_set_aside,
                "is_on": is_on and absence is None,
                "is_here": person.pk in here,
                "away_until_s": None if until is None else int(until),
                "next_on_s": None if is_on or not key else book.calendar(key).next_opening_s(now_s),
                "open": many,
                "load": float(load),
                "late": late,
                "cap": book.member(team.name, person.email).get("cap"),
            }
        )
    found.sort(key=lambda one: (not one["is_on"], -one["load"], one["name"]))
    return found
