"""Who may read and change the rulebook."""

from gannet.people.models import Person, Role


def edits_rulebook(person: Person) -> bool:
    """Administrators change policies."""
    return person.is_active and person.has_role(Role.ADMINISTRATOR)


def leads(person: Person) -> bool:
    """Leads and administrators see and set when others are away or set aside."""
    return person.has_role(Role.TEAM_LEAD, Role.ADMINISTRATOR)
