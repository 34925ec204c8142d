"""What belongs to groups of items today, and who uses it."""

from collections.abc import Iterable
from dataclasses import dataclass
from functools import lru_cache
from itertools import islice

from django.db.models import Max

from gannet.estate.models import ConfigItem, Life, Service, Trace
from gannet.estate.nodes import node_of, split, web
from gannet.people.models import Person
from gannet.rulebook.book import current
from gannet.tickets.fields import registry
from gannet.tickets.models import Ticket
from gannet_core.item_groups import FIELD


@dataclass(frozen=True)
class Users:
    """Who uses something: people by their numbers, and all who work in some departments."""

    people: frozenset[int]
    departments: frozenset[str]

    def has(self, person: Person) -> bool:
        return person.pk in self.people or person.department in self.departments


def groups() -> dict[str, str]:
    """The groups of the rulebook in force by their keys: what they are called, in its order."""
    return {str(one["key"]): str(one["name"]) for one in current().item_groups}


def members(names: Iterable[str], most: int | None = None) -> list[ConfigItem]:
    """The items that are in use and in one of the groups, as they are today, by name."""
    wanted = set(names)
    if not wanted:
        return []
    read = registry(current())[FIELD].read
    rows = ConfigItem.objects.exclude(life=Life.RETIRED).select_related("service").order_by("name")
    found = (one for one in rows.iterator() if wanted & set(read(Ticket(ci=one))))
    return list(islice(found, most))


def users_of_group(key: str) -> Users:
    """Who uses an item of a group, or works where a service that stands on one is used.

    Nobody uses a group that is gone.
    """
    return _users_of_group(groups().get(key, ""), current().number, _estate_now())


def users_of_service(service: Service) -> Users:
    """Who works where a service is used, or uses an item of it."""
    items = ConfigItem.objects.filter(service=service, used_by__isnull=False)
    people = items.exclude(life=Life.RETIRED).values_list("used_by_id", flat=True)
    return Users(frozenset(people), frozenset(service.departments))


@lru_cache(maxsize=64)
def _users_of_group(name: str, edition: int, estate: int) -> Users:
    """Kept for an edition of the rulebook and a state of the estate, which both are part of."""
    found = members([name] if name else [])
    above = web().above([node_of(one) for one in found])
    services = {number for what, number in map(split, above) if what == "service"}
    services |= {one.service_id for one in found if one.service_id is not None}
    used = Service.objects.filter(pk__in=services).values_list("departments", flat=True)
    return Users(
        frozenset(one.used_by_id for one in found if one.used_by_id is not None),
        frozenset(name for departments in used for name in departments),
    )


def _estate_now() -> int:
    """Moves on with every change of the estate, each of which leaves a trace."""
    return Trace.objects.aggregate(last=Max("id"))["last"] or 0
