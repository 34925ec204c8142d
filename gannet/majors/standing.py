"""Who leads a major incident, who is in it, and who may: what all its parts ask."""

from collections.abc import Iterable

from django.db.models import Q

from gannet.majors.models import KIND, MajorFacts
from gannet.majors.plans import LEAD
from gannet.people.models import Person, Role, Team
from gannet.people.roles import reads_desk
from gannet.tickets.actions.frame import RecordWrite
from gannet.tickets.models import Ticket
from gannet.tickets.models.attached import let_read
from gannet.web.errors import Invalid, Refused

_DECLARERS = (Role.MAJOR_LEAD, Role.TEAM_LEAD)


def may_declare(person: Person | None) -> bool:
    return person is not None and person.has_role(*_DECLARERS)


def running_of(ticket: Ticket) -> MajorFacts | None:
    """The major incident that a record was declared as, or gathered in, while it runs."""
    linked = ticket.links_out.filter(target__kind=KIND).values("target")
    mine = MajorFacts.objects.filter(Q(source=ticket) | Q(ticket__in=linked))
    return mine.filter(stood_down_s=None).first()


def locked(write: RecordWrite) -> MajorFacts:
    """The facts of the major incident that is being written to."""
    if write.ticket.kind != KIND:
        raise Invalid(f"{write.ticket.kind.capitalize()} {write.ticket.pk} is no major incident.")
    return MajorFacts.objects.select_for_update().get(ticket=write.ticket)


def leads(write: RecordWrite) -> MajorFacts:
    """The same, for what its lead does, or whoever may declare."""
    facts = locked(write)
    if not is_lead(facts, write.acting.person):
        raise Refused("Whoever leads it does that, or a major incident lead.")
    return facts


def is_lead(facts: MajorFacts, person: Person | None) -> bool:
    if person is None:
        return False
    return person.has_role(Role.MAJOR_LEAD) or has_role(facts, person, LEAD)


def has_role(facts: MajorFacts, person: Person, *roles: str) -> bool:
    return facts.held_roles.filter(person=person, role__in=roles, to_s=None).exists()


def people_of(facts: MajorFacts) -> list[Person]:
    """Everybody in the room: those with a role, and the people and teams of its channels."""
    teams = Team.objects.filter(pk__in=facts.channels.values("teams"))
    found = Person.objects.filter(is_active=True).filter(
        Q(pk__in=facts.held_roles.filter(to_s=None).values("person"))
        | Q(pk__in=facts.channels.values("people"))
        | Q(memberships__team__in=teams)
    )
    return list(found.distinct().order_by("name"))


def let_in(ticket: Ticket, people: Iterable[Person]) -> None:
    """Let people know of the major incident at all, who could not otherwise."""
    for person in people:
        if ticket.is_confidential or not reads_desk(person):
            let_read(ticket, person)
