"""What becomes of a ticket when it comes in: rules, team and person, decided and explained.

Pure over what it is given, apart from reading who is there; it changes the unsaved
ticket and saves nothing. Logging, rehearsals, trying a rule out and replay all ask here,
so a rehearsal cannot promise what logging does not do.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from gannet.people.models import Membership, Person, Team
from gannet.rulebook.book import Book
from gannet.tickets import routing
from gannet.tickets.fields import LazyRecord, about_fields
from gannet.tickets.kinds import moments
from gannet.tickets.models import Ticket
from gannet.tickets.setting import follow_matrix, set_field
from gannet.web.errors import Invalid
from gannet_core import rules
from gannet_core.conditions import Context
from gannet_core.errors import PriorityError
from gannet_core.instants import instant_of
from gannet_core.priority import priority_of

_ASSIGNS = ("assign team", "assign person")


@dataclass(frozen=True)
class Intake:
    """What was decided for a new ticket, each with its explanation."""

    run: rules.RuleRun
    team: Team
    team_because: str
    person: routing.PersonChoice
    matrix_priority: int


def decide(
    book: Book,
    ticket: Ticket,
    at_s: int,
    *,
    with_leaves: bool = False,
    ignores_load: bool = False,
) -> Intake:
    """Run the rules for a new ticket, apply what they set, and find who gets it."""
    matrix_priority = ticket.priority
    run = run_rules(book, ticket, ("created",), {}, at_s, with_leaves=with_leaves)
    apply_sets(ticket, run, book)
    team, because = _team(book, ticket, run)
    ticket.team = team
    assigned = assigned_person(run)
    given: tuple[Person, str] | None = getattr(ticket, "given_person", None)
    if given is not None or assigned is not None:
        if given is not None:
            assigned, words = given
        else:
            words = f"the rule “{_rule_name(run, 'holder')}” gives it to them"
        person = routing.PersonChoice(assigned, sentence=words)
        if assigned and not Membership.objects.filter(team=team, person=assigned).exists():
            if given is not None and ticket.is_confidential:
                raise Invalid(
                    f"This is confidential: only the {team.name} may hold it.",
                    fields={"person": f"Choose somebody of the {team.name}."},
                )
            membership = assigned.memberships.select_related("team").order_by("pk").first()
            if membership is not None:
                team, because = membership.team, f"{assigned.name} works there"
                ticket.team = team
    else:
        person = routing.choose_person(book, ticket, team, at_s, ignores_load=ignores_load)
    ticket.holder = person.person
    return Intake(run, team, because, person, matrix_priority)


def run_rules(
    book: Book,
    ticket: Ticket,
    events: tuple[str, ...],
    changes: Mapping[str, Any],
    at_s: int,
    *,
    record: Mapping[str, Any] | None = None,
    with_leaves: bool = False,
) -> rules.RuleRun:
    """One pass of the rules over a ticket as it stands."""
    if not set(events) & book.listens:
        return rules.RuleRun()
    return rules.run(
        book.rules,
        events,
        LazyRecord(ticket, book) if record is None else record,
        changes,
        context=Context(now=instant_of(at_s)),
        fields=about_fields(book),
        follow=_follower(book),
        with_leaves=with_leaves,
        moments=moments(),
    )


def apply_sets(ticket: Ticket, run: rules.RuleRun, book: Book) -> list[str]:
    """Set on the ticket what the rules want set; returns the fields, assignments aside."""
    done = []
    for name, effect in run.sets.items():
        if effect.do in _ASSIGNS:
            continue
        set_field(ticket, name, effect.parts["value"], book)
        done.append(name)
    if (
        {"impact", "urgency"} & set(done)
        and "priority" not in run.sets
        and follow_matrix(ticket, book)
    ):
        done.append("priority")
    if "priority" in run.sets:
        ticket.priority_reason = f"the rule “{_rule_name(run, 'priority')}”"[:300]
    return done


def assigned_team(run: rules.RuleRun) -> Team | None:
    """The team that a rule assigns, if one does."""
    effect = run.sets.get("team")
    if effect is None:
        return None
    team = Team.objects.filter(name=effect.parts["team"]).first()
    if team is None:
        raise Invalid(f"The rule {effect.rule} names a team that is gone: {effect.parts['team']}.")
    return team


def assigned_person(run: rules.RuleRun) -> Person | None:
    """The person whom a rule assigns, if one does; nobody who is gone."""
    effect = run.sets.get("holder")
    if effect is None:
        return None
    return Person.objects.filter(email=effect.parts["person"], is_active=True).first()


def _team(book: Book, ticket: Ticket, run: rules.RuleRun) -> tuple[Team, str]:
    by_rule = assigned_team(run)
    if by_rule is not None:
        return by_rule, f"the rule “{_rule_name(run, 'team')}”"
    given: tuple[Team, str] | None = getattr(ticket, "given_team", None)
    if given is not None:
        return given
    team, choice = routing.choose_team(book, ticket)
    return team, choice.because


def _rule_name(run: rules.RuleRun, field: str) -> str:
    key = run.sets[field].rule
    return next((trace.name for trace in run.traces if trace.key == key), key)


def _follower(book: Book) -> Callable[[Mapping[str, Any], frozenset[str]], dict[str, Any]]:
    """What else follows from what a rule set, for the rules after it."""

    def follow(record: Mapping[str, Any], names: frozenset[str]) -> dict[str, Any]:
        found: dict[str, Any] = {}
        if names & {"impact", "urgency"} and "priority" not in names:
            try:
                answer = priority_of(book.matrix, record["impact"], record["urgency"])
            except PriorityError:
                return found
            found["priority"] = f"P{answer.priority}"
        if "holder" in names and "@" in str(record.get("holder")):
            named = Person.objects.filter(email=record["holder"]).values_list("name", flat=True)
            found["holder"] = named.first()
        return found

    return follow
