"""Who people are to each other, for approval routes."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from gannet.estate.models import ConfigItem, Service
from gannet.people.models import Deputy, Membership, Person, Role
from gannet.rulebook.book import Book
from gannet.tickets.kinds import kind_of
from gannet.tickets.models import Ticket
from gannet_core.approvals import Case, Directory
from gannet_core.catalogue import FACTS


def about_person(person: Person) -> dict[str, str | None]:
    """What conditions can ask about a person."""
    return {
        "department": person.department,
        "job": person.job,
        "place": person.place,
        "name": person.name,
    }


@dataclass(frozen=True)
class Relations:
    """Who is here, who leads whom, who keeps the rulebook: read once."""

    here: frozenset[int]
    managers: Mapping[int, int | None]
    keepers: Sequence[int]


def relations() -> Relations:
    rows = list(Person.objects.order_by("id").values_list("id", "manager_id", "is_active", "roles"))
    return Relations(
        frozenset(key for key, _, is_active, _ in rows if is_active),
        {key: manager for key, manager, _, _ in rows},
        [key for key, _, is_active, roles in rows if is_active and Role.ADMINISTRATOR in roles],
    )


def technical_owner_of(item: ConfigItem | None, service: Service | None) -> int | None:
    """Who answers technically: the item's owner, else that of its service, or of the service."""
    if item is not None and item.owner_id is not None:
        return item.owner_id
    stands_for = item.service if item is not None and item.service is not None else service
    return stands_for.technical_owner_id if stands_for is not None else None


def directory_of(ticket: Ticket, known: Relations | None = None) -> Directory:
    """The people around one request, by their numbers."""
    requester = ticket.requester
    beneficiary = ticket.beneficiary or requester
    relations_now = known or relations()
    managers = relations_now.managers

    def find(who: str, of: str) -> Sequence[int]:
        touched = kind_of(ticket).owners(ticket, who)
        if touched is not None:
            return touched
        match who:
            case "line manager":
                found = [managers.get(requester.pk)]
            case "beneficiary's line manager":
                found = [managers.get(beneficiary.pk)]
            case "cost centre owner":
                centre = beneficiary.cost_centre
                found = [centre.owner_id if centre else None]
            case "service owner":
                found = [ticket.service.owner_id if ticket.service else None]
            case "technical owner":
                found = [technical_owner_of(ticket.ci, ticket.service)]
            case "person":
                found = list(Person.objects.filter(email=of).values_list("id", flat=True))
            case _:  # a team, or a board, which is a team that meets
                members = Membership.objects.filter(team__name=of).order_by("person_id")
                found = list(members.values_list("person_id", flat=True))
        return [one for one in found if one is not None]

    return Directory(find, managers.get, relations_now.here.__contains__, relations_now.keepers)


def route_in_ids(
    route: Mapping[str, Any], known: Mapping[str, int] | None = None
) -> dict[str, Any]:
    """A route with its people as their numbers, as the directory speaks of them."""
    named = [route.get("owner"), *(stage.get("fallback") for stage in route["stages"])]
    if known is None:
        emails = {str(email) for email in named if email}
        known = dict(Person.objects.filter(email__in=emails).values_list("email", "id"))
    return {
        **route,
        "owner": known.get(str(route.get("owner"))),
        "stages": [
            {**stage, "fallback": known.get(str(stage.get("fallback")))}
            for stage in route["stages"]
        ],
    }


def _about(field: Mapping[str, Any]) -> dict[str, Any]:
    """A custom field as explanations want it: its choices by their words."""
    return {**field, "choices": {one: one for one in field.get("choices") or ()}}


def case_of(ticket: Ticket, book: Book) -> Case:
    """A record as routes see it."""
    kind = kind_of(ticket)
    cost = kind.cost(ticket)
    person = ticket.beneficiary or ticket.requester
    record = {
        "cost": cost.once_pence / 100,
        "monthly cost": cost.monthly_pence / 100,
        "item": "",
        **kind.case(ticket),
        "for somebody else": ticket.beneficiary_id not in (None, ticket.requester_id),
        "department": person.department,
        "place": person.place,
        "service": ticket.service.name if ticket.service else None,
        **ticket.values,
    }
    return Case(
        record,
        ticket.requester_id,
        ticket.beneficiary_id,
        fields={**{key: _about(one) for key, one in book.fields.items()}, **FACTS},
        involved=kind.involved(ticket),
    )


def own_people(ticket: Ticket) -> frozenset[int]:
    """Those who may not decide on a record: whose it is, and who carries it out."""
    asks = (one for one in (ticket.requester_id, ticket.beneficiary_id) if one is not None)
    return frozenset(asks) | kind_of(ticket).involved(ticket)


def deputies_at(people: Sequence[int], at_s: int) -> dict[int, list[int]]:
    """Who decides beside each of some people at an instant."""
    found: dict[int, list[int]] = {}
    rows = Deputy.objects.filter(
        person__in=people, from_s__lte=at_s, to_s__gt=at_s, deputy__is_active=True
    )
    for person, deputy in rows.values_list("person_id", "deputy_id"):
        found.setdefault(person, []).append(deputy)
    return found
