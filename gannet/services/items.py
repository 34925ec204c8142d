"""A service's or an item's page: facts, recorded against seen, what it stands on, its history."""

from collections.abc import Mapping, Sequence
from datetime import date, datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

from django.db.models import Q, QuerySet

from gannet.audit.kinds import Telling, in_words, kind_of
from gannet.audit.models import Event
from gannet.estate.models import ConfigItem, Dependency, Life, Service, Trace, Unrecorded
from gannet.estate.nodes import ends_of, node_of
from gannet.people.models import Membership, Person, Role
from gannet.rulebook.book import current
from gannet.services import touching
from gannet.services.covering import covering, windows_json
from gannet.tickets import policies
from gannet.tickets.states import state_name
from gannet.web.errors import Conflict, Missing, Refused
from gannet_core import item_types
from gannet_core.conditions import fold
from gannet_core.instants import seconds_of

PAGE, MOST_SHOWN = 60, 30
UNSEEN_DAYS = 30
_DAY = 86_400
# What of several items is changed at once.
ROW_FACTS = ("place", "life", "criticality", "owner", "team", "service")
_RELATED = ("service", "team", "owner", "business_owner", "used_by")


def may_change(person: Person, item: ConfigItem | None = None) -> bool:
    """Leads and administrators change the estate; who answers for an item, and its team, that."""
    if person.has_role(Role.ADMINISTRATOR, Role.TEAM_LEAD):
        return True
    if item is None or not person.is_on_desk:
        return False
    if person.pk in (item.owner_id, item.business_owner_id):
        return True
    teams = {item.team_id, item.service.team_id if item.service else None} - {None}
    return Membership.objects.filter(person=person, team__in=teams).exists()


def must_change(person: Person, item: ConfigItem | None = None) -> None:
    if not may_change(person, item):
        raise Refused("Its owner, its team, team leads and administrators change this.")


def found_item(number: int) -> ConfigItem | None:
    """An item with all that its page names, if it is there."""
    return ConfigItem.objects.select_related(*_RELATED, "service__team").filter(pk=number).first()


def fact(item: ConfigItem, name: str) -> Any:
    """What is recorded of an item as it is sent: people, teams and services by their numbers."""
    return getattr(item, f"{name}_id" if name in _RELATED else name)


def must_be(item: ConfigItem, seen: Mapping[str, Any]) -> None:
    """That facts of an item are still what somebody saw; `Conflict` names what is not."""
    other = [
        name for name, value in seen.items() if name in ROW_FACTS and fact(item, name) != value
    ]
    if other:
        raise Conflict(f"Its {', '.join(other)} was changed meanwhile.")


def item_of(number: int) -> ConfigItem:
    """An item with all that its page names; one that is not there is missing."""
    item = found_item(number)
    if item is None:
        raise Missing("There is no such item.")
    return item


def service_of(number: int) -> Service:
    rows = Service.objects.select_related("team", "owner", "technical_owner")
    service = rows.filter(pk=number).first()
    if service is None:
        raise Missing("There is no such service.")
    return service


def found(
    words: str, kind: str = "", place: str = "", service: int | None = None, *, drift: bool = False
) -> QuerySet[ConfigItem]:
    """Items whose name or key has all the words, of a type, a place, a service."""
    rows = ConfigItem.objects.select_related("service", "owner", "used_by")
    for word in fold(words).split()[:8]:
        rows = rows.filter(Q(name_folded__contains=word) | Q(key__contains=word))
    if kind:
        rows = rows.filter(kind=kind)
    if place:
        rows = rows.filter(place=place)
    if service is not None:
        rows = rows.filter(service=service)
    if drift:
        rows = rows.filter(drifts__gt=0)
    return rows.order_by("name_folded", "pk")


def line(item: ConfigItem) -> dict[str, Any]:
    """An item as one row of a list."""
    return {
        "id": item.pk,
        "node": node_of(item),
        "key": item.key,
        "name": item.name,
        "kind": item.kind,
        "service": item.service.name if item.service else "",
        "place": item.place,
        "life": item.life,
        "owner": item.owner.name if item.owner else "",
        "used_by": item.used_by.name if item.used_by else "",
        "seen_s": item.seen_s,
        "drifts": item.drifts,
    }


def service_line(service: Service) -> dict[str, Any]:
    """What every list and page says of a service first."""
    return {
        "id": service.pk,
        "node": node_of(service),
        "name": service.name,
        "plain": service.plain,
        "criticality": service.criticality,
        "life": service.life,
        "team": service.team.name if service.team else "",
        "owner": service.owner.name if service.owner else "",
        "departments": service.departments,
    }


def facts(item: ConfigItem) -> list[dict[str, Any]]:
    """Each attribute of an item: recorded, seen, whether they differ and who explains it."""
    about = current().item_types.get(item.kind, {})
    known = {one["key"]: one for one in about.get("attributes") or ()}
    apart = item_types.differing(item.attributes, item.seen)
    keys = dict.fromkeys([*known, *item.attributes, *item.seen])
    return [
        {
            "key": key,
            "label": known.get(key, {}).get("label", key),
            "type": known.get(key, {}).get("type", item_types.TEXT),
            "unit": known.get(key, {}).get("unit") or "",
            "choices": known.get(key, {}).get("choices") or [],
            "recorded": item_types.said(known.get(key, {}), item.attributes.get(key)),
            "value": item.attributes.get(key),
            "seen": item_types.said(known.get(key, {}), item.seen.get(key)),
            "differs": key in apart,
            "explained": item.explained.get(key, ""),
        }
        for key in keys
    ]


def page_of_item(person: Person, item: ConfigItem, now_s: int) -> dict[str, Any]:
    """All of an item's page."""
    return {
        **line(item),
        "key": item.key,
        "service_node": node_of(item.service) if item.service else "",
        "criticality": item.criticality,
        "layer": item_types.layer_of(current().item_types, item.kind),
        "team": item.team.name if item.team else "",
        "team_id": item.team_id,
        "service_id": item.service_id,
        "business_owner": item.business_owner.name if item.business_owner else "",
        "supplier": item.supplier,
        "contract": item.contract,
        "attributes": facts(item),
        **_around(item),
        **_incidents(person, Q(ci=item), now_s),
        "changes": touching.changes_of(person, Q(change_items__item=item), now_s),
        "agreements": covering(item, person, now_s),
        "windows": windows_json(item, now_s),
        "history": history(item),
        "can_change": may_change(person, item),
        "now_s": now_s,
    }


def page_of_service(person: Person, service: Service, now_s: int) -> dict[str, Any]:
    """All of a service's page."""
    parts = ConfigItem.objects.filter(service=service).exclude(life=Life.RETIRED)
    kinds: dict[str, int] = {}
    for kind in parts.values_list("kind", flat=True):
        kinds[kind] = kinds.get(kind, 0) + 1
    return {
        **service_line(service),
        "team_id": service.team_id,
        "owner_id": service.owner_id,
        "technical_owner": service.technical_owner.name if service.technical_owner else "",
        "technical_owner_id": service.technical_owner_id,
        "supplier": service.supplier,
        "contract": service.contract,
        "words": service.words,
        "category": service.category,
        "default_impact": service.default_impact,
        "default_urgency": service.default_urgency,
        "kinds": [{"kind": kind, "count": count} for kind, count in sorted(kinds.items())],
        **_around(service),
        **_incidents(person, Q(service=service), now_s),
        "changes": touching.changes_of(person, Q(service=service), now_s),
        "agreements": covering(service, person, now_s),
        "windows": windows_json(service, now_s),
        "history": history(service),
        "can_change": may_change(person),
        "now_s": now_s,
    }


def _around(thing: Service | ConfigItem) -> dict[str, Any]:
    mine = {"service": thing} if isinstance(thing, Service) else {"item": thing}
    on_me = {f"on_{name}": value for name, value in mine.items()}
    rows = Dependency.objects.select_related("service", "item", "on_service", "on_item")
    return {
        "stands_on": [_end(row, row.on_item or row.on_service) for row in rows.filter(**mine)],
        "carries": [_end(row, row.item or row.service) for row in rows.filter(**on_me)[:200]],
        "carries_count": Dependency.objects.filter(**on_me).count(),
    }


def _end(row: Dependency, thing: Service | ConfigItem | None) -> dict[str, Any]:
    assert thing is not None
    source, target = ends_of(row)
    return {
        "node": node_of(thing),
        "id": thing.pk,
        "name": thing.name,
        "kind": "service" if isinstance(thing, Service) else thing.kind,
        "strength": row.strength,
        "group": row.group,
        "source": source,
        "target": target,
    }


def _incidents(person: Person, whose: Q, now_s: int) -> dict[str, Any]:
    seen = policies.visible_to(person).filter(whose, kind="incident")
    opened = seen.filter(is_open=True).order_by("priority", "opened_s")[:MOST_SHOWN]
    return {
        "open_incidents": [
            {
                "id": ticket.pk,
                "title": ticket.title,
                "priority": ticket.priority,
                "opened_s": ticket.opened_s,
                "due_s": ticket.due_s,
                "late_from_s": ticket.late_from_s,
            }
            for ticket in opened
        ],
        "open_count": seen.filter(is_open=True).count(),
        "problems": _problems(person, whose),
        "weeks": _weeks(seen.filter(opened_s__gte=now_s - 84 * _DAY), now_s),
    }


def _problems(person: Person, whose: Q) -> list[dict[str, Any]]:
    """The problems of an item or service that are not over, known errors among them."""
    rows = policies.visible_to(person).filter(whose, kind="problem", is_open=True)
    return [
        {"id": number, "title": title, "state": state_name(state)}
        for number, title, state in rows.order_by("-id").values_list("id", "title", "state")[:20]
    ]


def _weeks(seen: QuerySet[Any], now_s: int) -> list[int]:
    """Incidents opened in each of the last twelve weeks, the oldest first."""
    counts = [0] * 12
    for opened_s in seen.order_by().values_list("opened_s", flat=True):
        counts[max(0, 11 - (now_s - opened_s) // (7 * _DAY))] += 1
    return counts


def history(thing: Service | ConfigItem, until_s: int | None = None) -> list[dict[str, Any]]:
    """What happened to it, the latest first."""
    traces = Trace.objects.filter(node=node_of(thing))
    if until_s is not None:
        traces = traces.filter(at_s__gt=until_s)
    numbers = list(traces.order_by("-event_id").values_list("event_id", flat=True)[:MOST_SHOWN])
    rows = Event.objects.select_related("actor").filter(pk__in=numbers).order_by("-id")
    return [
        {
            "at_s": event.at_s,
            "who": event.actor.name if event.actor else "",
            "sentence": _said(event),
        }
        for event in rows
    ]


def _said(event: Event) -> str:
    kind = kind_of(event.kind)
    told = Telling(
        who=event.actor.name if event.actor else "a scan",
        text=event.text,
        facts=event.facts,
        values=event.values,
        is_automatic=bool(event.is_automatic),
    )
    return kind.says(told) if kind else event.kind


def as_it_was(item: ConfigItem, at_s: int) -> dict[str, Any]:
    """The facts of an item at an instant, read back from what has changed since."""
    numbers = Trace.objects.filter(node=node_of(item), at_s__gt=at_s).values_list(
        "event_id", flat=True
    )
    values: dict[str, Any] = {
        "name": item.name, "kind": item.kind, "place": item.place, "life": item.life,
        "criticality": item.criticality, "supplier": item.supplier, "contract": item.contract,
        **{
            name: getattr(getattr(item, name.replace(" ", "_")), "name", None)
            for name in ("service", "team", "owner", "business owner", "used by")
        },
    }  # fmt: skip
    attributes, was_there = dict(item.attributes), True
    for event in Event.objects.filter(pk__in=list(numbers)).order_by("-id"):
        if event.facts.get("how") == "made":
            was_there = False
        for name, (before, _) in (event.values.get("changes") or {}).items():
            if name.startswith("attribute "):
                attributes[name.removeprefix("attribute ")] = before
            elif name in values:
                values[name] = before
    kept = {key: value for key, value in attributes.items() if value is not None}
    about = current().item_types.get(str(values["kind"]), {})
    known = {one["key"]: one for one in about.get("attributes") or ()}
    return {
        "was_there": was_there,
        "facts": {name: in_words(value) for name, value in values.items()},
        "attributes": [
            {
                "label": known.get(key, {}).get("label", key),
                "value": item_types.said(known.get(key, {}), value),
            }
            for key, value in kept.items()
        ],
    }


def drift(person: Person, now_s: int) -> dict[str, Any]:
    """What scans and records do not agree on: differences, things not seen, things unknown."""
    differing = ConfigItem.objects.select_related(*_RELATED, "service__team").filter(drifts__gt=0)
    since = now_s - UNSEEN_DAYS * _DAY
    unseen = ConfigItem.objects.select_related("service", "owner", "used_by").filter(
        seen_s__lt=since, life=Life.IN_USE
    )
    return {
        "differing": [
            {
                **line(item),
                "attributes": [one for one in facts(item) if one["differs"]],
                "can_change": may_change(person, item),
            }
            for item in differing.order_by("-seen_s", "name")[:200]
        ],
        "differing_count": differing.count(),
        "unseen": [line(item) for item in unseen.order_by("seen_s")[:200]],
        "unseen_count": unseen.count(),
        "unseen_days": UNSEEN_DAYS,
        "unrecorded": [
            {
                "id": row.pk,
                "key": row.key,
                "name": row.name,
                "kind": row.kind,
                "place": row.place,
                "attributes": [
                    {"label": key, "value": in_words(value)}
                    for key, value in list(row.attributes.items())[:8]
                ],
                "first_s": row.first_s,
                "seen_s": row.seen_s,
            }
            for row in Unrecorded.objects.filter(dismissed="")[:200]
        ],
        "unrecorded_count": Unrecorded.objects.filter(dismissed="").count(),
        "can_change": may_change(person),
        "now_s": now_s,
    }


def rows_to_export(what: str) -> tuple[Sequence[str], list[Mapping[str, Any]]]:
    """All items, or all dependencies, in the columns that the import of them reads."""
    if what == "dependencies":
        rows = Dependency.objects.select_related("service", "item", "on_service", "on_item")
        return ("thing", "stands on", "strength", "group"), [
            {
                "thing": _key(row.item or row.service),
                "stands on": _key(row.on_item or row.on_service),
                "strength": row.strength,
                "group": row.group,
            }
            for row in rows.order_by("id")
        ]
    items = ConfigItem.objects.select_related(*_RELATED).order_by("key")
    names = sorted({key for item in items for key in item.attributes})
    columns = (
        "key", "name", "kind", "service", "place", "used by", "life", "supplier", "contract", *names
    )  # fmt: skip
    return columns, [
        {
            "key": item.key,
            "name": item.name,
            "kind": item.kind,
            "service": item.service.name if item.service else "",
            "place": item.place,
            "used by": item.used_by.email if item.used_by else "",
            "life": item.life,
            "supplier": item.supplier,
            "contract": item.contract,
            **{key: in_words(value) for key, value in item.attributes.items()},
        }
        for item in items
    ]


def _key(thing: Service | ConfigItem | None) -> str:
    if thing is None:
        return ""
    return f"service {thing.key}" if isinstance(thing, Service) else thing.key


def day_end_s(person: Person, day: str) -> int:
    """The end of a day in somebody's own zone, as seconds."""
    try:
        first = date.fromisoformat(day)
    except ValueError as error:
        raise Missing("There is no such day.") from error
    start = datetime(first.year, first.month, first.day, tzinfo=ZoneInfo(person.zone))
    return seconds_of(start + timedelta(days=1)) - 1
