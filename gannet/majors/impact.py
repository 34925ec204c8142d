"""What a major incident does to others: services reached, people affected, duration; each derived,
with what it was derived from, and correctable with a reason."""

from typing import Any

from gannet.estate.models import ConfigItem, Service
from gannet.estate.nodes import things
from gannet.majors import standing
from gannet.majors.events import MajorEvent
from gannet.majors.gathering import numbers_of, reach, struck
from gannet.majors.models import MajorFacts
from gannet.people.acting import Acting
from gannet.people.models import Person
from gannet.tickets.actions.frame import writing
from gannet.tickets.item_groups import users_of_service
from gannet.tickets.models import Ticket
from gannet.web.errors import Invalid
from gannet_core.majors import Figure, people_affected, times_of

FIGURES = ("people", "services")
TIMES = ("began", "reported", "restored")


def services_hit(facts: MajorFacts) -> list[tuple[str, float]]:
    """The services that are reached, each with the share that is lost, the worst first."""
    found = {node: share for node, share in reach(facts).items() if node.startswith("service-")}
    names = things(found)
    return sorted(
        ((names[node].name, share) for node, share in found.items() if node in names),
        key=lambda one: (-one[1], one[0]),
    )


def affected_people(facts: MajorFacts) -> list[Person]:
    """Who is affected, each once: who uses a service that is reached, works where a struck
    item stands, or reported one of the incidents."""
    nodes = [node for node in reach(facts) if node.startswith("service-")]
    departments: set[str] = set()
    named: set[int] = set()
    for thing in things(nodes).values():
        if isinstance(thing, Service):
            users = users_of_service(thing)
            departments |= users.departments
            named |= users.people
    places = {one.place for one in struck(facts) if isinstance(one, ConfigItem) and one.place}
    named |= set(
        Ticket.objects.filter(pk__in=numbers_of(facts)).values_list("requester_id", flat=True)
    )
    rows = Person.objects.filter(is_active=True).values_list("pk", "department", "place")
    found = people_affected(list(rows), departments, places, named)
    return list(Person.objects.filter(pk__in=found).order_by("name"))


def figures_json(facts: MajorFacts, now_s: int) -> list[dict[str, Any]]:
    """The figures of the head, each with why: what it was derived from."""
    hit = services_hit(facts)
    people = affected_people(facts)
    departments: dict[str, int] = {}
    for one in people:
        departments[one.department or "no department"] = (
            departments.get(one.department or "no department", 0) + 1
        )
    why_people = [
        f"{name}: {count}" for name, count in sorted(departments.items(), key=lambda d: -d[1])
    ][:12]
    end_s = facts.stood_down_s or now_s
    return [
        _figure(facts, "people", len(people), why_people or ["nobody uses what is reached"]),
        _figure(
            facts,
            "services",
            len(hit),
            [f"{name}: {round(share * 100)} %" for name, share in hit[:12]]
            or ["it is about no service and no item"],
        ),
        {
            "name": "duration",
            "derived": end_s - facts.declared_s,
            "said": None,
            "counts": end_s - facts.declared_s,
            "why": "",
            "who": "",
            "parts": ["from declaring until standing down" if facts.stood_down_s else "until now"],
        },
    ]


def _figure(facts: MajorFacts, name: str, derived: int, parts: list[str]) -> dict[str, Any]:
    said = facts.instead.get(name) or {}
    figure = Figure(derived, said.get("value"), said.get("why", ""))
    return {
        "name": name,
        "derived": derived,
        "said": figure.said,
        "counts": figure.counts,
        "why": figure.why,
        "who": said.get("who", ""),
        "parts": parts,
    }


def correct(number: int, acting: Acting, name: str, value: int | None, why: str) -> None:
    """Say another figure than the derived one, with a reason; without one the derived counts."""
    if name not in FIGURES:
        raise Invalid("That figure is not corrected.", fields={"figure": ", ".join(FIGURES)})
    if value is not None and not why.strip():
        raise Invalid("Say why.", fields={"why": "This is empty."})
    with writing(number, acting, MajorEvent.FIGURE) as write:
        facts = standing.locked(write)
        facts.ticket = write.ticket
        derived = next(
            one["derived"] for one in figures_json(facts, acting.now_s) if one["name"] == name
        )
        if value is None:
            facts.instead.pop(name, None)
        else:
            facts.instead[name] = {
                "value": value,
                "why": why.strip()[:300],
                "who": acting.person.name if acting.person else "",
                "at_s": acting.now_s,
            }
        facts.save(update_fields=["instead"])
        write.record(
            MajorEvent.FIGURE,
            text=why.strip(),
            values={
                "figure": name,
                "derived": derived,
                "value": "the derived figure" if value is None else value,
            },
        )


def keep_affected(facts: MajorFacts) -> None:
    """Keep how many are affected beside it, for lists and reports."""
    said = facts.instead.get("people")
    count = int(said["value"]) if said else len(affected_people(facts))
    MajorFacts.objects.filter(pk=facts.pk).update(affected=count)


def times_json(facts: MajorFacts) -> dict[str, int | None]:
    """How long each part took, in seconds."""
    found = times_of(
        reported_s=facts.reported_s,
        declared_s=max(facts.declared_s, facts.reported_s),
        began_s=facts.began_s,
        first_update_s=facts.first_update_s,
        restored_s=facts.restored_s,
        stood_down_s=facts.stood_down_s,
    )
    return {
        "to_notice": found.to_notice,
        "to_declare": found.to_declare,
        "to_first_update": found.to_first_update,
        "to_restore": found.to_restore,
        "duration": found.duration,
    }
