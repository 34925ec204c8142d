"""Who people are: made and changed by an import, with an event for each."""

from collections.abc import Mapping
from typing import Any

from django.db import transaction

from gannet.audit import log as audit
from gannet.people.acting import Acting
from gannet.people.events import PersonEvent
from gannet.people.models import Person
from gannet.web.errors import Conflict

# What an import may say of a person, beside their address and manager.
FACTS = ("name", "department", "job", "place", "phone")


@transaction.atomic
def put_person(
    acting: Acting, email: str, facts: Mapping[str, str], manager: Person | None = None
) -> tuple[Person, dict[str, Any] | None]:
    """Make a person, or change who is known by the address; a fact that is not given stays.

    Returns the person and how they were before, which is nothing for somebody new.
    """
    address = email.casefold()
    person = Person.objects.filter(email=address).first()
    before = None if person is None else facts_of(person)
    if person is None:
        person = Person.objects.create_user(address, name=facts["name"])
    for name in FACTS:
        if name in facts:
            most = Person._meta.get_field(name).max_length  # type: ignore[union-attr]
            setattr(person, name, facts[name][:most])
    if manager is not None:
        person.manager = manager
    person.save()
    _record(acting, person, "changed" if before else "made", before or {})
    return person, before


@transaction.atomic
def put_back(acting: Acting, person: Person, before: Mapping[str, Any] | None) -> None:
    """Take a change back; somebody who was new goes, unless they have asked for something."""
    if before is None:
        if person.asked.exists():
            raise Conflict(f"{person.name} has asked for something since.")
        _record(acting, person, "taken away", facts_of(person))
        person.delete()
        return
    now = facts_of(person)
    for name, value in before.items():
        setattr(person, name, value)
    person.save()
    _record(acting, person, "put back", now)


def facts_of(person: Person) -> dict[str, Any]:
    """What an import may change of a person, as it is."""
    return {**{name: getattr(person, name) for name in FACTS}, "manager_id": person.manager_id}


def _record(acting: Acting, person: Person, how: str, before: Mapping[str, Any]) -> None:
    after = facts_of(person)
    changes = {
        name: [before.get(name), value]
        for name, value in after.items()
        if before.get(name) != value
    }
    entry = audit.Entry(
        kind=PersonEvent.PERSON_CHANGED,
        at=acting.now,
        actor_id=acting.person_id,
        facts={"person": str(person.pk), "how": how},
        values={"person": person.name, "how": how, "changes": changes},
    )
    audit.append([entry])
