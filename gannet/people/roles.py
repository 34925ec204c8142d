"""What somebody's roles and teams let them do, whatever it is done to."""

from gannet.people.models import Person, Role

_READERS = (Role.MANAGER, Role.ADMINISTRATOR)


def team_ids(person: Person) -> list[int]:
    """The teams a person is in; read once per person object."""
    cached = getattr(person, "_team_ids", None)
    if cached is None:
        cached = list(person.memberships.values_list("team_id", flat=True))
        person._team_ids = cached  # type: ignore[attr-defined]
    return list(cached)


def reads_desk(person: Person) -> bool:
    """Whether somebody sees the desk's lists: the desk, managers, administrators."""
    return person.is_on_desk or person.has_role(*_READERS)


def edits_rulebook(person: Person) -> bool:
    """Administrators change policies."""
    return person.is_active and person.has_role(Role.ADMINISTRATOR)


def leads(person: Person) -> bool:
    """Leads and administrators see and set when others are away or set aside."""
    return person.has_role(Role.TEAM_LEAD, Role.ADMINISTRATOR)
