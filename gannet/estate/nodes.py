"""The estate as a web of nodes: services and items by one kind of name, and what a stop reaches."""

from collections.abc import Iterable, Mapping
from typing import Any

from django.db.models import Count, Max

from gannet.estate.models import ConfigItem, Dependency, Service
from gannet.web.errors import Invalid
from gannet.web.given import whole_number
from gannet_core.impact import Edge, Web

_SERVICE, _ITEM = "service", "item"
_read: dict[str, Any] = {}


def node_of(thing: Service | ConfigItem) -> str:
    """The name of a service or item as a node: `service-3`, `item-45`."""
    return f"{_SERVICE if isinstance(thing, Service) else _ITEM}-{thing.pk}"


def split(node: str) -> tuple[str, int]:
    """Whether a node is a service or an item, and its number; nonsense is refused."""
    what, _, said = node.partition("-")
    number = whole_number(said)
    if what not in (_SERVICE, _ITEM) or number is None:
        raise Invalid("There is no such thing.", fields={"node": f"Not a node: {node[:40]}"})
    return what, number


def things(nodes: Iterable[str]) -> Mapping[str, Service | ConfigItem]:
    """The services and items of some nodes; one that is not there is refused."""
    wanted = {node: split(node) for node in nodes}
    found: dict[str, Service | ConfigItem] = {}
    for what, model in ((_SERVICE, Service), (_ITEM, ConfigItem)):
        numbers = [number for kind, number in wanted.values() if kind == what]
        for thing in model.objects.filter(pk__in=numbers):
            found[node_of(thing)] = thing
    for node in wanted:
        if node not in found:
            raise Invalid("There is no such thing.", fields={"node": f"Nothing is {node}."})
    return found


def ends_of(row: Dependency) -> tuple[str, str]:
    """Both ends of a dependency as nodes: what stands, and on what."""
    source = f"{_ITEM}-{row.item_id}" if row.item_id else f"{_SERVICE}-{row.service_id}"
    target = f"{_ITEM}-{row.on_item_id}" if row.on_item_id else f"{_SERVICE}-{row.on_service_id}"
    return source, target


def edges() -> list[Edge]:
    """All dependencies, as the core takes them."""
    columns = ("service_id", "item_id", "on_service_id", "on_item_id", "strength", "group")
    found = []
    rows = Dependency.objects.order_by("id").values_list(*columns)
    for service, item, on_service, on_item, strength, group in rows.iterator(chunk_size=5000):
        source = f"{_ITEM}-{item}" if item else f"{_SERVICE}-{service}"
        target = f"{_ITEM}-{on_item}" if on_item else f"{_SERVICE}-{on_service}"
        found.append(Edge(source, target, strength, group))
    return found


def web() -> Web:
    """The web of all dependencies, read again when one was made or taken away.

    A dependency is never changed in place: that makes its number and count say it all.
    """
    now = version()
    if _read.get("version") != now:
        _read.clear()
        _read.update(version=now, web=Web(edges()))
    found: Web = _read["web"]
    return found


def version() -> tuple[str, str]:
    """What tells one state of all dependencies from another."""
    state = Dependency.objects.aggregate(count=Count("id"), last=Max("id"))
    return str(state["count"]), str(state["last"])


def service_names() -> list[str]:
    """What services are called, in the order of names."""
    return list(Service.objects.order_by("name").values_list("name", flat=True))


def services_on(item: int) -> list[str]:
    """The names of the services that stand on an item, along any path, in the order of names."""
    above = web().above([f"{_ITEM}-{item}"])
    numbers = [number for what, number in map(split, above) if what == _SERVICE]
    found = Service.objects.filter(pk__in=numbers).order_by("name")
    return list(found.values_list("name", flat=True)) if numbers else []


def items_under(services: Iterable[str]) -> frozenset[int]:
    """The numbers of the items that services of these names stand on, along any path."""
    named = Service.objects.filter(name__in=list(services)).values_list("pk", flat=True)
    below = web().below([f"{_SERVICE}-{pk}" for pk in named])
    return frozenset(number for what, number in map(split, below) if what == _ITEM)
