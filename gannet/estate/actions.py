"""The estate's acts: items made and changed, dependencies, drift decided – an event for each."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from django.db import transaction

from gannet.audit.models import Event
from gannet.estate.events import EstateEvent
from gannet.estate.history import EstateNews, append_estate_events
from gannet.estate.models import (
    ConfigItem,
    Dependency,
    Life,
    Service,
    Strength,
    Trace,
    folded_attributes,
)
from gannet.estate.nodes import node_of, split
from gannet.people.acting import Acting
from gannet.web.errors import Conflict, Invalid
from gannet_core import item_types
from gannet_core.conditions import fold

FACTS = (
    "name", "kind", "place", "life", "criticality", "supplier", "contract", "service_id",
    "used_by_id", "team_id", "owner_id", "business_owner_id", "attributes",
)  # fmt: skip
_LENGTHS = {"name": 120, "kind": 60, "place": 80, "supplier": 120, "contract": 120}
MOST_EXPLAINED, MOST_LOOKED_BACK = 200, 200


@transaction.atomic
def put_items(
    acting: Acting, wished: Sequence[tuple[str, Mapping[str, Any]]], why: str = ""
) -> list[tuple[ConfigItem, dict[str, Any] | None]]:
    """Make configuration items, or change those with these keys; what is not given stays.

    Each key stands in it once. Attributes are merged: one that is given as None goes. Returns
    the items and how each was before, which is nothing for a new one.
    """
    known = {one.key: one for one in ConfigItem.objects.filter(key__in=[key for key, _ in wished])}
    done: list[tuple[ConfigItem, dict[str, Any] | None]] = []
    for key, facts in wished:
        item = known.get(key)
        before = None if item is None else facts_of(item)
        item = item or ConfigItem(key=key)
        given = {name: _cut(name, value) for name, value in facts.items() if name in FACTS}
        if "attributes" in given:
            given["attributes"] = _merged(item.attributes, given["attributes"])
        _fill(item, given)
        done.append((item, before))
    ConfigItem.objects.bulk_create([item for item, before in done if before is None])
    ConfigItem.objects.bulk_update(
        [item for item, before in done if before is not None], _WRITTEN, batch_size=100
    )
    names = _Names()
    append_estate_events(
        acting,
        [
            _item_event(item, "changed" if before else "made", before or {}, why, names)
            for item, before in done
        ],
    )
    return done


def put_item(
    acting: Acting, key: str, facts: Mapping[str, Any], why: str = ""
) -> tuple[ConfigItem, dict[str, Any] | None]:
    """Make one configuration item, or change the one with that key."""
    return put_items(acting, [(key, facts)], why)[0]


@transaction.atomic
def change_item(acting: Acting, item: ConfigItem, facts: Mapping[str, Any], why: str) -> ConfigItem:
    """Change facts of an item by hand, with why; nothing happens where nothing differs."""
    if not why.strip():
        raise Invalid("Say why it changes.", fields={"why": "This stays in its history."})
    before = facts_of(item)
    given = {name: _cut(name, value) for name, value in facts.items() if name in FACTS}
    if "name" in given and not str(given["name"]).strip():
        raise Invalid("An item needs a name.", fields={"name": "This is empty."})
    if given.get("life", item.life) not in Life.values:
        raise Invalid("Choose where it is in its life.", fields={"life": "Not one of them."})
    if "attributes" in given:
        given["attributes"] = _merged(item.attributes, given["attributes"])
    _set(item, given)
    if facts_of(item) != before:
        _record(acting, item, "changed", before, why)
    return item


@transaction.atomic
def put_back(acting: Acting, item: ConfigItem, before: Mapping[str, Any] | None) -> None:
    """Take a change back; an item that was new goes."""
    now = facts_of(item)
    if before is None:
        _record(acting, item, "removed", now)
        item.delete()
        return
    _set(item, before)
    _record(acting, item, "put back", now)


def facts_of(item: ConfigItem) -> dict[str, Any]:
    """What may be changed of an item, as it is."""
    return {name: getattr(item, name) for name in FACTS}


@dataclass(frozen=True, kw_only=True)
class Wish:
    """That one thing shall stand on another, how strongly, and in which redundant group."""

    source: Service | ConfigItem
    target: Service | ConfigItem
    strength: str
    group: str = ""

    @property
    def ends(self) -> str:
        return f"{node_of(self.source)}>{node_of(self.target)}"


@transaction.atomic
def depend_all(
    acting: Acting, wishes: Sequence[Wish], why: str = ""
) -> list[tuple[Dependency, dict[str, str] | None]]:
    """Say of things that they stand on others; what was told otherwise is replaced.

    Each pair stands in it once. Returns the dependencies, and how each was before, which is
    nothing for a new one.
    """
    meant = [_checked(wish) for wish in wishes]
    olds = {
        one.ends: one for one in Dependency.objects.filter(ends__in=[one.ends for one in meant])
    }
    done: list[tuple[Dependency, dict[str, str] | None]] = []
    made: list[tuple[Wish, Dependency, str]] = []
    for wish in meant:
        old = olds.get(wish.ends)
        before = None if old is None else {"strength": str(old.strength), "group": old.group}
        if old is not None and before == {"strength": wish.strength, "group": wish.group}:
            done.append((old, before))
            continue
        row = Dependency(ends=wish.ends, strength=wish.strength, group=wish.group)
        _attach(row, wish.source, wish.target)
        done.append((row, before))
        made.append((wish, row, "changed" if before else "made"))
    replaced = [olds[row.ends].pk for _, row, how in made if how == "changed"]
    Dependency.objects.filter(pk__in=replaced).delete()
    Dependency.objects.bulk_create([row for _, row, _ in made])
    append_estate_events(
        acting,
        [_dependency_event(row, wish.source, wish.target, how, why) for wish, row, how in made],
    )
    return done


def depend(
    acting: Acting,
    source: Service | ConfigItem,
    target: Service | ConfigItem,
    strength: str,
    group: str = "",
    why: str = "",
) -> tuple[Dependency, dict[str, str] | None]:
    """Say that one thing stands on another, and how strongly; told otherwise, it is replaced."""
    wish = Wish(source=source, target=target, strength=strength, group=group)
    return depend_all(acting, [wish], why)[0]


def _checked(wish: Wish) -> Wish:
    """A dependency as it is kept; what cannot be is refused."""
    group = " ".join(wish.group.split())[:80]
    if wish.strength not in Strength.values:
        raise Invalid("Choose how strongly.", fields={"strength": "hard, soft or redundant"})
    if wish.strength == Strength.REDUNDANT and not group:
        raise Invalid(
            "A redundant dependency is one of a group of which one is enough: name it.",
            fields={"group": "Which group?"},
        )
    if node_of(wish.source) == node_of(wish.target):
        raise Invalid("Nothing stands on itself.", fields={"on": "Choose another thing."})
    return replace(wish, group=group if wish.strength == Strength.REDUNDANT else "")


@transaction.atomic
def part(acting: Acting, row: Dependency, why: str = "") -> None:
    """Take a dependency away."""
    source, target = row.item or row.service, row.on_item or row.on_service
    assert source is not None and target is not None
    row.delete()
    append_estate_events(acting, [_dependency_event(row, source, target, "removed", why)])


@transaction.atomic
def accept_as_recorded(
    acting: Acting, item: ConfigItem, attributes: Iterable[str], why: str = ""
) -> ConfigItem:
    """What a scan has seen of an item counts from now on as what is recorded."""
    wanted = list(attributes)
    _must_differ(item, wanted)
    before = facts_of(item)
    seen = {key: item.seen.get(key) for key in wanted}
    _set(item, {"attributes": {**item.attributes, **seen}})
    _record(acting, item, ACCEPTED, before, why)
    return item


ACCEPTED = "accepted what was seen of"


@transaction.atomic
def take_back_accepted(acting: Acting, item: ConfigItem, attribute: str) -> ConfigItem:
    """What was recorded before what was seen was accepted is recorded again.

    Only the last change of it can be, and only while it was that.
    """
    numbers = Trace.objects.filter(node=node_of(item)).order_by("-event_id")
    named = f"attribute {attribute}"
    for number in numbers.values_list("event_id", flat=True)[:MOST_LOOKED_BACK]:
        event = Event.objects.filter(pk=number, kind=EstateEvent.ITEM_CHANGED).first()
        change = (event.values.get("changes") or {}).get(named) if event else None
        if event is None or change is None:
            continue
        old, new = change
        if event.facts.get("how") != ACCEPTED or item.attributes.get(attribute) != new:
            break
        before = facts_of(item)
        _set(item, {"attributes": _merged(item.attributes, {attribute: old})})
        _record(acting, item, "took back what was seen of", before)
        return item
    raise Conflict(f"The {attribute} was changed again since: there is nothing to take back.")


@transaction.atomic
def explain(acting: Acting, item: ConfigItem, attribute: str, why: str) -> ConfigItem:
    """Say why a difference is right for now; no reason takes the explanation away."""
    _must_differ(item, [attribute])
    said = " ".join(why.split())[:MOST_EXPLAINED]
    kept = {key: words for key, words in item.explained.items() if key != attribute}
    item.explained = {**kept, attribute: said} if said else kept
    settle_drift(item)
    item.save(update_fields=["explained", "drifts"])
    how = f"explained the {attribute}" if said else f"no longer explains the {attribute}"
    told = EstateNews(
        EstateEvent.DRIFT_DECIDED,
        [node_of(item)],
        facts={"item": item.key, "attribute": attribute},
        values={"item": item.name, "how": how},
        text=said,
    )
    append_estate_events(acting, [told])
    return item


def settle_drift(item: ConfigItem) -> list[str]:
    """Count what of an item is otherwise than recorded and not explained; returns which.

    An explanation ends with the difference that it explained.
    """
    apart = item_types.differing(item.attributes, item.seen)
    item.explained = {key: why for key, why in item.explained.items() if key in apart}
    unexplained = [key for key in apart if key not in item.explained]
    item.drifts = len(unexplained)
    return unexplained


def _must_differ(item: ConfigItem, attributes: list[str]) -> None:
    apart = item_types.differing(item.attributes, item.seen)
    gone = [key for key in attributes if key not in apart]
    if gone or not attributes:
        raise Conflict(f"The {', '.join(gone) or 'attribute'} is as it is recorded by now.")


class _Names:
    """A fact as its history tells it: people, teams and services by their names, read once."""

    def __init__(self) -> None:
        self._read: dict[tuple[str, Any], Any] = {}

    def of(self, name: str, value: Any) -> Any:
        if value is None or not name.endswith("_id"):
            return value
        if (name, value) not in self._read:
            model: Any = ConfigItem._meta.get_field(name.removesuffix("_id")).related_model
            found = model.objects.filter(pk=value).values_list("name", flat=True).first()
            self._read[name, value] = found
        return self._read[name, value]


def _merged(old: Mapping[str, Any], given: Mapping[str, Any]) -> dict[str, Any]:
    return {key: value for key, value in {**old, **given}.items() if value is not None}


def _cut(name: str, value: Any) -> Any:
    return value[: _LENGTHS[name]] if name in _LENGTHS else value


def _set(item: ConfigItem, facts: Mapping[str, Any]) -> None:
    _fill(item, facts)
    item.save()


# What changing facts writes: these, and what follows from them.
_WRITTEN = (*FACTS, "name_folded", "attributes_folded", "explained", "drifts")


def _fill(item: ConfigItem, facts: Mapping[str, Any]) -> None:
    for name, value in facts.items():
        setattr(item, name, value)
    item.name_folded = fold(item.name)[: _LENGTHS["name"]]
    item.attributes_folded = folded_attributes(item.attributes)
    settle_drift(item)


def _attach(row: Dependency, source: Service | ConfigItem, target: Service | ConfigItem) -> None:
    if isinstance(source, Service):
        row.service = source
    else:
        row.item = source
    if isinstance(target, Service):
        row.on_service = target
    else:
        row.on_item = target


def _record(
    acting: Acting, item: ConfigItem, how: str, before: Mapping[str, Any], why: str = ""
) -> None:
    append_estate_events(acting, [_item_event(item, how, before, why, _Names())])


def _item_event(
    item: ConfigItem, how: str, before: Mapping[str, Any], why: str, names: _Names
) -> EstateNews:
    after = facts_of(item)
    changes = {
        name.removesuffix("_id").replace("_", " "): [
            names.of(name, before.get(name)),
            names.of(name, value),
        ]
        for name, value in after.items()
        if name != "attributes" and before.get(name) != value
    }
    old, new = before.get("attributes") or {}, after["attributes"]
    for key in dict.fromkeys([*old, *new]):
        if old.get(key) != new.get(key):
            changes[f"attribute {key}"] = [old.get(key), new.get(key)]
    return EstateNews(
        EstateEvent.ITEM_CHANGED,
        [node_of(item)],
        facts={"item": item.key, "how": how},
        values={"item": item.name, "how": how, "changes": changes},
        text=why.strip(),
    )


def _dependency_event(
    row: Dependency, source: Service | ConfigItem, target: Service | ConfigItem, how: str, why: str
) -> EstateNews:
    strength = f"{row.strength}, {row.group}" if row.group else str(row.strength)
    return EstateNews(
        EstateEvent.DEPENDENCY_CHANGED,
        [node_of(source), node_of(target)],
        facts={"item": source.key, "on": target.key, "how": how},
        values={"item": source.name, "on": target.name, "strength": strength, "how": how},
        text=why.strip(),
    )


def dependency(source: str, target: str) -> Dependency | None:
    """The dependency between two nodes, if there is one."""
    split(source)
    split(target)
    rows = Dependency.objects.select_related("service", "item", "on_service", "on_item")
    return rows.filter(ends=f"{source}>{target}").first()
