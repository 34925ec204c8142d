"""Who may see which tickets, and who may do what with one.

Every query of tickets starts from `visible_to`; every action asks `may`. A denial
carries a sentence that the person can read.
"""

from dataclasses import dataclass, replace
from typing import Any

from django.db.models import Exists, OuterRef, Q, QuerySet

from gannet.people.models import Person, Role
from gannet.people.roles import reads_desk, team_ids
from gannet.rulebook.book import Book
from gannet.tickets.kinds import kind_of
from gannet.tickets.models import Approval, ApprovalState, Follower, Ticket
from gannet.web.kept import Givens, KeptQueries
from gannet_core.lifecycle import Act

_REQUESTER_ACTS = frozenset({Act.REQUESTER_WROTE, Act.REOPENED, Act.CANCELLED})


@dataclass(frozen=True)
class Decision:
    """Yes, or no with the reason in words."""

    is_allowed: bool
    reason: str = ""

    def __bool__(self) -> bool:
        return self.is_allowed


YES = Decision(is_allowed=True)


@dataclass(frozen=True)
class Sight:
    """All that decides which tickets somebody may know of.

    Its numbers may be stand-ins (see `web.kept`): whoever builds a query from it may look
    at how many teams there are, not at which.
    """

    person: int
    teams: tuple[int, ...]
    is_active: bool
    reads_desk: bool


def sight_of(person: Person) -> Sight:
    return Sight(
        person=person.pk,
        teams=tuple(team_ids(person)) if person.is_on_desk else (),
        is_active=person.is_active,
        reads_desk=reads_desk(person),
    )


def visible_q(whose: Person | Sight, prefix: str = "") -> Q:
    """The rows that somebody may know of, as a condition on tickets.

    With a prefix ("ticket__") it is one on rows that point at tickets: the database then
    reads the few rows that are asked for and not every ticket there is.
    """
    sight = whose if isinstance(whose, Sight) else sight_of(whose)
    if not sight.is_active:
        return Q(pk__in=[])
    number = OuterRef(f"{prefix.removesuffix('__')}_id" if prefix else "pk")
    follows = Exists(Follower.objects.filter(ticket=number, person=sight.person))
    takes_part = Q(**{f"{prefix}requester": sight.person}) | Q(follows)
    if not sight.reads_desk:
        return takes_part
    mine = Q(**{f"{prefix}holder": sight.person})
    if sight.teams:
        mine |= Q(**{f"{prefix}team__in": list(sight.teams)})
    return Q(**{f"{prefix}is_confidential": 0}) | takes_part | mine


def visible_to(person: Person) -> QuerySet[Ticket]:
    return Ticket.objects.filter(visible_q(person))


_kept = KeptQueries()


def may_know(person: Person, number: int) -> bool:
    """Whether a person may know of a ticket at all."""
    sight = sight_of(person)
    teams = {f"team {n}": team for n, team in enumerate(sight.teams)}

    def build(givens: Givens) -> QuerySet[Any, Any]:
        there = tuple(givens[name] for name in teams)
        seen = visible_q(replace(sight, person=givens["person"], teams=there))
        return Ticket.objects.filter(seen, pk=givens["number"]).values_list("pk")

    shape = (len(teams), sight.is_active, sight.reads_desk)
    return bool(_kept.rows(shape, build, {"person": person.pk, "number": number, **teams}))


def works_on(person: Person, ticket: Ticket) -> bool:
    """Whether a person acts on a ticket as the desk, not as its requester."""
    if not person.is_on_desk:
        return False
    return (
        not ticket.is_confidential
        or ticket.team_id in team_ids(person)
        or (ticket.holder_id == person.pk)
    )


def reads_as_desk(person: Person, ticket: Ticket) -> bool:
    """Whether a person reads what the desk keeps to itself on a ticket: never on a
    confidential one of their own."""
    return reads_desk(person) and (
        not ticket.is_confidential or works_on(person, ticket) or person.pk != ticket.requester_id
    )


ITS_TEAM = "its team"


def may_wait(person: Person | None, on: str, book: Book, ticket: Ticket | None = None) -> Decision:
    """Whether somebody may stop a ticket on a reason: the rulebook says who, for each.

    *Its team* are the people of the team that has the ticket, and whoever holds it; without
    a ticket they are taken to be of its team.
    """
    entries = [entry for entry in book.waits if entry["on"] == on and entry.get("is_on", True)]
    if not entries:
        return Decision(False, f"The rulebook has no wait on {on}.")
    if person is None:
        return YES
    allowed = {role for entry in entries for role in entry.get("who") or person.roles}
    if allowed & set(person.roles):
        return YES
    if ITS_TEAM in allowed and (ticket is None or _is_of_team(person, ticket)):
        return YES
    team = "its team" if ticket is None else ticket.team.name
    names = sorted(f"a {role}" for role in allowed - {ITS_TEAM} if role)
    who = " or ".join([team] * (ITS_TEAM in allowed) + names)
    words = f"Only {who} may set it waiting on {_A_WAIT.get(on, on)}: take it first."
    return Decision(False, words)


_A_WAIT = {
    "requester": "the requester",
    "supplier": "a supplier",
    "date": "a date",
    "approval": "an approval",
}


def _is_of_team(person: Person, ticket: Ticket) -> bool:
    return ticket.holder_id == person.pk or ticket.team_id in team_ids(person)


def may(person: Person, act: str, ticket: Ticket) -> Decision:
    """Whether a person may do an act on a ticket that they can see; its kind may say otherwise."""
    said = kind_of(ticket).may(person, act, ticket)
    if said is not None:
        return said
    if works_on(person, ticket):
        if act == Act.REQUESTER_WROTE and ticket.requester_id != person.pk:
            return Decision(False, "Only the requester writes as the requester: reply instead.")
        return YES
    if ticket.requester_id == person.pk and act in _REQUESTER_ACTS:
        return YES
    if act in _REQUESTER_ACTS:
        return Decision(False, "Only the person who asked can do that.")
    return Decision(False, "Only the desk can do that.")


def may_decide_in_place(asked: Approval, person: Person) -> bool:
    """Whether somebody may decide a stage in its approver's place, with a reason."""
    ticket = asked.ticket
    involved = kind_of(ticket).involved(ticket)
    own = (ticket.requester_id, ticket.beneficiary_id, *involved)
    return (
        asked.state == ApprovalState.PENDING
        and asked.stage_id is not None
        and person.has_role(Role.CHANGE_MANAGER)
        and person.pk not in (*own, asked.asked_of_id)
    )
