"""Routing with the people that are there: reads candidates, lets the core decide."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

from django.db.models import QuerySet

from gannet.people.models import Absence, Membership, Person, Team
from gannet.rulebook.book import Book
from gannet.tickets.fields import record_of
from gannet.tickets.models import MoveCode, Ticket
from gannet.web.kept import Givens, KeptQueries
from gannet_core import routing
from gannet_core.conditions import evaluate
from gannet_core.instants import instant_of


@dataclass(frozen=True)
class PersonChoice:
    """Who gets a ticket in a team, why, and when to try again if nobody could."""

    person: Person | None
    why: list[dict[str, Any]] = field(default_factory=list)
    sentence: str = ""
    retry_at_s: int | None = None


_MOVE_LABELS = {int(code): code.label for code in MoveCode}


def choose_team(book: Book, ticket: Ticket) -> tuple[Team, routing.TeamChoice]:
    """The team of a ticket by its service, its category, else triage."""
    category = book.categories.get(ticket.category, {})
    service_team = ticket.service.team if ticket.service else None
    if service_team is not None:
        return service_team, routing.choose_team(by_service=service_team.key, triage="")
    triage = Team.objects.filter(is_triage=True).order_by("pk").first()
    if triage is None:
        raise LookupError("no team is the triage team: mark one as triage")
    choice = routing.choose_team(by_category=category.get("team"), triage=triage.name)
    team = triage if choice.team == triage.name else Team.objects.get(name=choice.team)
    return team, choice


def mode_of(book: Book, team: Team) -> str:
    """How a team's work finds a person."""
    return str(book.teams.get(team.name, {}).get("mode") or routing.BY_HAND)


def choose_person(
    book: Book, ticket: Ticket, team: Team, at_s: int, *, ignores_load: bool = False
) -> PersonChoice:
    """The person of the team who gets the ticket by the team's mode, with the reasons.

    `ignores_load` takes everybody as free and nobody as having had a turn, so that a
    rehearsal does not depend on what people happen to hold today.
    """
    mode = mode_of(book, team)
    if mode == routing.BY_HAND:
        return PersonChoice(None, sentence=f"{team.name} hands out its work by hand")
    if _is_exempt(book, ticket, team):
        return PersonChoice(None, sentence=f"{team.name} keeps such tickets for work by hand")
    needs = book.categories.get(ticket.category, {}).get("skills", ())
    return _choose(book, team, mode, needs, at_s, ignores_load=ignores_load)


def finds_people(book: Book, ticket: Ticket, team: Team) -> bool:
    """Whether a ticket of a team is given to somebody by itself."""
    return mode_of(book, team) != routing.BY_HAND and not _is_exempt(book, ticket, team)


def _is_exempt(book: Book, ticket: Ticket, team: Team) -> bool:
    exempt = book.teams.get(team.name, {}).get("exempt")
    return bool(exempt) and evaluate(exempt, record_of(ticket, book)).result


def choose_for_task(book: Book, team: Team, mode: str, at_s: int) -> PersonChoice:
    """The person of a team who gets a task of a ticket by the task's own mode."""
    return _choose(book, team, mode, (), at_s)


def _choose(
    book: Book,
    team: Team,
    mode: str,
    needs: Sequence[str],
    at_s: int,
    *,
    ignores_load: bool = False,
) -> PersonChoice:
    members = _members(book, team, at_s)
    needs_load = mode == routing.LEAST_LOADED and not ignores_load
    candidates = _candidates(book, team, members, at_s, needs_load=needs_load, ignores=ignores_load)
    picked = routing.pick(mode, candidates, needs, book.routing.get("weights"))
    names = {str(member.person_id): member.name for member in members}
    why = picked.explain(mode, names)
    if picked.picked is None:
        retry = _next_shift(book, members, picked.ruled_out, at_s)
        return PersonChoice(None, why, f"nobody in {team.name} can take it now", retry)
    person = Person.objects.get(pk=int(picked.picked))
    how = "was longest without one" if mode == routing.IN_TURN else "has the least load"
    return PersonChoice(person, why, f"{names[picked.picked]} {how} in {team.name}")


_kept = KeptQueries()


def _absences(givens: Givens) -> QuerySet[Any, Any]:
    found = Absence.objects.filter(person__memberships__team=givens["team"])
    return found.values_list("person_id", "starts_at", "ends_at")


def _memberships(givens: Givens) -> QuerySet[Any, Any]:
    return (
        Membership.objects.filter(team=givens["team"])
        .order_by("person_id")
        .values_list(
            "person_id",
            "person__email",
            "is_set_aside",
            "last_auto",
            "person__name",
            "person__is_active",
            "person__working_calendar",
        )
    )


def _load(givens: Givens) -> QuerySet[Any, Any]:
    """What the members of a team hold, with the priority and the move of each."""
    found = Ticket.objects.filter(holder__memberships__team=givens["team"], is_open=True)
    return found.values_list("holder_id", "priority", "move")


@dataclass(frozen=True)
class _Member:
    """A member of a team, as far as routing cares (rows, not models: it runs on each log)."""

    person_id: int
    skills: list[str]
    cap: int | None
    is_set_aside: bool
    last_auto: int | None
    name: str
    is_active: bool
    working_calendar: str
    is_absent: bool


def _members(book: Book, team: Team, at_s: int) -> list[_Member]:
    at = instant_of(at_s)
    absences = _kept.rows("absent", _absences, {"team": team.pk})
    away = {person_id for person_id, starts_at, ends_at in absences if starts_at <= at < ends_at}
    rows = _kept.rows("members", _memberships, {"team": team.pk})
    said = {entry["person"]: entry for entry in book.teams.get(team.name, {}).get("members", [])}
    return [
        _Member(
            person_id=person_id,
            skills=list(said.get(email, {}).get("skills", [])),
            cap=said.get(email, {}).get("cap"),
            is_set_aside=is_set_aside,
            last_auto=last_auto,
            name=name,
            is_active=is_active,
            working_calendar=calendar,
            is_absent=person_id in away,
        )
        for person_id, email, is_set_aside, last_auto, name, is_active, calendar in rows
    ]


def mark_turn(team: Team, person_id: int, sequence: int) -> None:
    """Remember that a person had their turn; the event number is the sequence."""
    Membership.objects.filter(team=team, person_id=person_id).update(last_auto=sequence)


def _candidates(
    book: Book,
    team: Team,
    members: Sequence[_Member],
    at_s: int,
    *,
    needs_load: bool,
    ignores: bool,
) -> list[routing.Candidate]:
    write: dict[int, list[routing.OpenWork]] = {}
    if needs_load or (not ignores and any(member.cap is not None for member in members)):
        for holder_id, priority, move in _kept.rows("load", _load, {"team": team.pk}):
            write.setdefault(holder_id, []).append(
                routing.OpenWork(f"P{priority}", _MOVE_LABELS[move])
            )
    return [
        routing.Candidate(
            id=str(member.person_id),
            active=member.is_active,
            set_aside=member.is_set_aside,
            on_shift=_is_on_shift(book, member, at_s),
            absent=member.is_absent,
            skills=frozenset(member.skills),
            cap=member.cap,
            last_auto=None if ignores else member.last_auto,
            open=write.get(member.person_id, ()),
        )
        for member in members
    ]


def _is_on_shift(book: Book, member: _Member, at_s: int) -> bool:
    key = member.working_calendar
    return not key or not book.has_calendar(key) or book.calendar(key).is_open_s(at_s)


def is_there(book: Book, person: Person, at_s: int) -> bool:
    """Whether somebody works at an instant: within their shift, and not away."""
    key = person.working_calendar
    if key and book.has_calendar(key) and not book.calendar(key).is_open_s(at_s):
        return False
    at = instant_of(at_s)
    away = Absence.objects.filter(person=person, starts_at__lte=at, ends_at__gt=at)
    return not away.exists()


def _next_shift(
    book: Book, members: Sequence[_Member], ruled_out: dict[str, str], at_s: int
) -> int | None:
    """When the next person who is only off shift comes on."""
    openings = []
    for member in members:
        is_off = ruled_out.get(str(member.person_id)) == "off shift"
        if is_off and book.has_calendar(member.working_calendar):
            opening = book.calendar(member.working_calendar).next_opening_s(at_s + 1)
            if opening is not None:
                openings.append(opening)
    return min(openings, default=None)


def next_in_chain(book: Book, ticket: Ticket) -> tuple[Team | None, str]:
    """The team behind the holding one in the service's support chain, and why it is that one."""
    service = ticket.service.name if ticket.service else ""
    chain = list(book.chains.get(service) or ())
    here = ticket.team.name
    if not chain and ticket.service is not None and ticket.service.team is not None:
        chain = [ticket.service.team.name]
    if not chain:
        return None, "Its service has no support chain: hand it over to a team by name."
    name = routing.escalate(chain, here)
    if name is None or name == here:
        return None, f"{here} is the end of the support chain of {service}: it stays here."
    following = Team.objects.filter(name=name).first()
    if following is None:
        return None, f"The support chain of {service} names {name}, which is gone."
    path = " → ".join(chain)
    return following, f"The support chain of {service} is {path}; after {here} comes {name}."
