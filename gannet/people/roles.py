"""What somebody's roles and teams let them do, whatever it is done to."""

from gannet.people.models import Membership, Person, Role
from gannet.web.kept import KeptQueries

_READERS = (Role.MANAGER, Role.ADMINISTRATOR)


_teams = KeptQueries()


def _teams_of(person: Person) -> list[tuple[int, str]]:
    """Number and name of each team a person is in; read once per person object."""
    cached: list[tuple[int, str]] | None = getattr(person, "_teams", None)
    if cached is None:
        cached = _teams.rows(
            (),
            lambda givens: (
                Membership.objects.filter(person=givens["person"])
                .order_by("id")
                .values_list("team_id", "team__name")
            ),
            {"person": person.pk},
        )
        person._teams = cached  # type: ignore[attr-defined]
    return cached


def team_ids(person: Person) -> list[int]:
    """The numbers of the teams that a person is in."""
    return [number for number, _ in _teams_of(person)]


def team_names(person: Person) -> list[str]:
    """The names of the teams that a person is in."""
    return [name for _, name in _teams_of(person)]


def reads_desk(person: Person) -> bool:
    """Whether somebody sees the desk's lists: the desk, managers, administrators."""
    return person.is_on_desk or person.has_role(*_READERS)


def edits_rulebook(person: Person) -> bool:
    """Administrators change policies."""
    return person.is_active and person.has_role(Role.ADMINISTRATOR)


def leads(person: Person) -> bool:
    """Leads and administrators see and set when others are away or set aside."""
    return person.has_role(Role.TEAM_LEAD, Role.ADMINISTRATOR)
