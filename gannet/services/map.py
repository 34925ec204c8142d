"""The map of the estate: what is drawn, folded where many are alike, and what a stop reaches."""

import re
from collections import Counter, defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from django.db.models import Count, Q
from django.utils.text import slugify

from gannet.estate.models import ConfigItem, Life, Service, Unrecorded
from gannet.estate.nodes import edges, node_of, things, web
from gannet.people.models import Person
from gannet.rulebook.book import current
from gannet.services import touching
from gannet.services.items import service_line
from gannet.tickets import policies
from gannet.web.errors import Invalid
from gannet_core.impact import Impact
from gannet_core.item_types import DEVICES, LAYERS, SERVICES, layer_of

# How many that are alike – one type, one service – stay apart; more are folded into one.
FOLD_FROM = 4
_FOLDED_LAYERS = ("network", "places", DEVICES)
_NUMBERED = re.compile(r"\s+\d+\b|,| to ")
MOST_DRAWN, MOST_STRUCK = 2_500, 20
_DAY = 86_400


def drawn(
    person: Person, now_s: int, unfold: Iterable[str] = (), around: str = "", steps: int = 0
) -> dict[str, Any]:
    """Nodes and edges to draw: all, or those within some steps of one.

    Devices that are alike are one node with a count unless its name is among `unfold`.
    """
    book, opened = current(), set(unfold)
    counts = Counts(_open_by_node(person), touching.coming_by_node(person, now_s))
    nodes: dict[str, dict[str, Any]] = {}
    for service in Service.objects.exclude(life=Life.RETIRED):
        nodes[node_of(service)] = _node(service, SERVICES, counts)
    folds: dict[str, list[ConfigItem]] = defaultdict(list)
    for item in ConfigItem.objects.exclude(life=Life.RETIRED).order_by("name"):
        layer = layer_of(book.item_types, item.kind)
        if fold := _fold_of(item, layer):
            folds[fold].append(item)
        else:
            nodes[node_of(item)] = _node(item, layer, counts)
    stands_for: dict[str, str] = {}
    for name, alike in folds.items():
        if len(alike) < FOLD_FROM or name in opened:
            for item in alike:
                layer = layer_of(book.item_types, item.kind)
                nodes[node_of(item)] = {**_node(item, layer, counts), "fold": name}
            continue
        stands_for.update({node_of(item): name for item in alike})
        layer = layer_of(book.item_types, alike[0].kind)
        nodes[name] = _folded(name, alike, layer, counts)
    lines = _lines(nodes, stands_for)
    if around:
        kept = _within(around, steps, lines, stands_for)
        nodes = {name: node for name, node in nodes.items() if name in kept}
        lines = [one for one in lines if one["from"] in nodes and one["to"] in nodes]
    return {
        "nodes": list(nodes.values())[:MOST_DRAWN],
        "edges": lines,
        # From those who use down to what all stands on: no line leads upwards.
        "layers": [SERVICES, DEVICES, *(one for one in LAYERS if one != DEVICES)],
        "folded": sum(node["count"] for node in nodes.values() if node["is_fold"]),
        "left_out": max(0, len(nodes) - MOST_DRAWN),
        "drift": ConfigItem.objects.filter(drifts__gt=0).count()
        + Unrecorded.objects.filter(dismissed="").count(),
    }


@dataclass(frozen=True)
class Counts:
    """How many open incidents name each node, and how many changes to come touch it."""

    incidents: Mapping[str, int]
    changes: Mapping[str, int]


def _node(thing: Service | ConfigItem, layer: str, counts: Counts) -> dict[str, Any]:
    name = node_of(thing)
    return {
        "id": name,
        "name": thing.name,
        "kind": "service" if isinstance(thing, Service) else thing.kind,
        "layer": layer,
        "place": "" if isinstance(thing, Service) else thing.place,
        "life": thing.life,
        "criticality": thing.criticality,
        "incidents": counts.incidents.get(name, 0),
        "changes": counts.changes.get(name, 0),
        "drifts": 0 if isinstance(thing, Service) else thing.drifts,
        "is_fold": False,
        "count": 1,
        "fold": "",
    }


def _fold_of(item: ConfigItem, layer: str) -> str:
    """The name of the node that an item is folded into with those alike; empty: never folded."""
    if layer not in _FOLDED_LAYERS:
        return ""
    return f"fold-{item.service_id or 0}-{slugify(f'{item.kind} {_stem(item)}')}"


def _stem(item: ConfigItem) -> str:
    """What those that are alike have in common: the name up to a number, a place or a person."""
    return _NUMBERED.split(item.name, maxsplit=1)[0].strip() or item.kind


def _folded(name: str, alike: Sequence[ConfigItem], layer: str, counts: Counts) -> dict[str, Any]:
    return {
        "id": name,
        "name": f"{len(alike)} × {_stem(alike[0])}",
        "kind": alike[0].kind,
        "layer": layer,
        "place": "",
        "life": Life.IN_USE,
        "criticality": min(item.criticality for item in alike),
        "incidents": sum(counts.incidents.get(node_of(item), 0) for item in alike),
        "changes": sum(counts.changes.get(node_of(item), 0) for item in alike),
        "drifts": sum(item.drifts for item in alike),
        "is_fold": True,
        "count": len(alike),
        "fold": name,
    }


def _lines(nodes: Mapping[str, Any], stands_for: Mapping[str, str]) -> list[dict[str, Any]]:
    """Each dependency once between what is drawn; those of folded nodes run together."""
    found: dict[tuple[str, str], dict[str, Any]] = {}
    for edge in edges():
        source = stands_for.get(edge.source, edge.source)
        target = stands_for.get(edge.target, edge.target)
        if source == target or source not in nodes or target not in nodes:
            continue
        known = found.setdefault(
            (source, target),
            {
                "from": source,
                "to": target,
                "strength": edge.strength,
                "group": edge.group,
                "count": 0,
            },
        )
        known["count"] += 1
    return list(found.values())


def _within(
    around: str, steps: int, lines: Sequence[Mapping[str, Any]], stands_for: Mapping[str, str]
) -> set[str]:
    beside: dict[str, set[str]] = defaultdict(set)
    for one in lines:
        beside[one["from"]].add(one["to"])
        beside[one["to"]].add(one["from"])
    reached = {stands_for.get(around, around)}
    for _ in range(max(0, min(steps, 12))):
        reached |= {other for node in reached for other in beside[node]}
    return reached


def _open_by_node(person: Person) -> dict[str, int]:
    """How many open incidents somebody may know of name each service and item."""
    seen = policies.visible_to(person).filter(is_open=True, kind="incident").order_by()
    found: Counter[str] = Counter()
    for what, column in (("service", "service_id"), ("item", "ci_id")):
        rows = seen.filter(**{f"{column}__isnull": False}).values_list(column)
        for number, count in rows.annotate(count=Count("id")):
            found[f"{what}-{number}"] = count
    return dict(found)


def stopped(person: Person, struck: Sequence[str]) -> dict[str, Any]:
    """What loses something when some things stop at once, most first, each with its path."""
    wanted = list(dict.fromkeys(struck))
    if not 1 <= len(wanted) <= MOST_STRUCK:
        raise Invalid(f"Choose one to {MOST_STRUCK} things.", fields={"node": "How many?"})
    hit = things(wanted)
    found = web().stopped(wanted)
    named, types = _named(found), current().item_types
    affected = [
        {
            "id": node,
            "name": named[node].name,
            "kind": "service" if isinstance(named[node], Service) else named[node].kind,
            "criticality": named[node].criticality,
            "share": share,
            "fold": _fold_of(named[node], layer_of(types, named[node].kind))
            if isinstance(named[node], ConfigItem)
            else "",
            "path": [
                {
                    "node": step.node,
                    "name": named[step.node].name,
                    "on": named[step.target].name,
                    "share": step.share,
                    "strength": step.strength,
                    "group": step.group,
                }
                for step in found.path(node)
            ],
        }
        for node, share in found.reach.items()
        if node in named and node not in hit
    ]
    affected.sort(key=lambda one: (-one["share"], one["criticality"], one["name"]))
    services = [one for one in affected if one["kind"] == "service"]
    return {
        "struck": [{"id": node, "name": thing.name} for node, thing in hit.items()],
        "affected": affected[:MOST_DRAWN],
        "services": len(services) + sum(isinstance(one, Service) for one in hit.values()),
        "all_services": Service.objects.exclude(life=Life.RETIRED).count(),
        "items": len(affected) - len(services),
        **_people(hit, found, named),
        "lost_groups": [
            {
                "name": named[one.node].name,
                "group": one.group,
                "members": [named[node].name for node in one.members if node in named],
                "causes": [named[node].name for node in one.causes if node in named],
            }
            for one in found.lost_groups
            if one.node in named
        ],
    }


def _named(found: Impact) -> dict[str, Any]:
    """Every service and item of an answer that is still in use, in two queries."""
    numbers: dict[str, list[int]] = defaultdict(list)
    for node in found.reach:
        what, _, number = node.partition("-")
        numbers[what].append(int(number))
    named: dict[str, Any] = {}
    for start in range(0, max(len(numbers["item"]), 1), 900):
        some = numbers["item"][start : start + 900]
        for item in ConfigItem.objects.filter(pk__in=some):
            named[node_of(item)] = item
    for service in Service.objects.filter(pk__in=numbers["service"]):
        named[node_of(service)] = service
    return named


def _people(hit: Mapping[str, Any], found: Impact, named: Mapping[str, Any]) -> dict[str, Any]:
    """Who uses what loses at least half: people by departments and by their own devices."""
    hurt = [
        thing
        for node, thing in {**named, **hit}.items()
        if node in hit or found.reach.get(node, 0) >= 0.5
    ]
    departments = {
        name for thing in hurt if isinstance(thing, Service) for name in thing.departments
    }
    own = {thing.used_by_id for thing in hurt if isinstance(thing, ConfigItem)} - {None}
    people = Person.objects.filter(is_active=True).filter(
        Q(department__in=departments) | Q(pk__in=list(own)[:900])
    )
    return {"people": people.count(), "departments": sorted(departments)}


def hurt_now(person: Person) -> dict[str, Any]:
    """What is hurt by the open incidents of the two highest priorities, as a stop would be.

    An incident is no stop; it is what is asked about where the map shows “only what is hurt”.
    """
    seen = policies.visible_to(person).filter(is_open=True, kind="incident", priority__lte=2)
    rows = seen.order_by().values_list("service_id", "ci_id")
    struck = {f"item-{ci}" if ci else f"service-{service}" for service, ci in rows if ci or service}
    if not struck:
        return {"struck": [], "reach": {}}
    found = web().stopped(struck)
    return {"struck": sorted(struck), "reach": dict(found.reach)}


def health(person: Person, now_s: int) -> list[dict[str, Any]]:
    """Each service as it is now: open incidents by priority, overdue, due soon, announced."""
    open_ = Q(is_open=True, kind="incident")
    seen = policies.visible_to(person).filter(open_).exclude(service=None).order_by()
    rows = seen.values("service_id", "priority").annotate(
        count=Count("id"),
        overdue=Count("id", filter=Q(late_from_s__lt=now_s)),
        soon=Count("id", filter=Q(late_from_s__gte=now_s, due_s__lt=now_s + 3600)),
        announced=Count("id", filter=Q(is_announced=True)),
    )
    by_service: dict[int, list[Mapping[str, Any]]] = defaultdict(list)
    for row in rows:
        by_service[row["service_id"]].append(row)
    services = Service.objects.select_related("team", "owner").annotate(
        parts=Count("items", filter=~Q(items__life=Life.RETIRED))
    )
    recent, changes = _recent(person, now_s), touching.coming_by_node(person, now_s)
    return [
        {
            **service_line(service),
            "items": service.parts,
            "priorities": {str(row["priority"]): row["count"] for row in by_service[service.pk]},
            "open": sum(row["count"] for row in by_service[service.pk]),
            "overdue": sum(row["overdue"] for row in by_service[service.pk]),
            "soon": sum(row["soon"] for row in by_service[service.pk]),
            "announced": sum(row["announced"] for row in by_service[service.pk]),
            "recent": recent.get(service.pk, 0),
            "changes": changes.get(node_of(service), 0),
        }
        for service in services
    ]


def _recent(person: Person, now_s: int) -> dict[int, int]:
    """Incidents of the last fortnight by service."""
    seen = policies.visible_to(person).filter(kind="incident", opened_s__gte=now_s - 14 * _DAY)
    rows = seen.exclude(service=None).order_by().values_list("service_id")
    return dict(rows.annotate(count=Count("id")))
