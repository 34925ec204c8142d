"""The estate's acts: items made and changed, dependencies, drift decided – an event for each."""

from collections.abc import Iterable, Mapping
from typing import Any

from django.db import transaction

from gannet.audit import log as audit
from gannet.audit.kinds import EventKind
from gannet.audit.models import Event
from gannet.estate.events import EstateEvent
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
def put_item(
    acting: Acting, key: str, facts: Mapping[str, Any], why: str = ""
) -> tuple[ConfigItem, dict[str, Any] | None]:
    """Make a configuration item, or change the one with that key; what is not given stays.

    Attributes are merged: one that is given as None goes. Returns the item and how it was
    before, which is nothing for a new one.
    """
    item = ConfigItem.objects.filter(key=key).first()
    before = None if item is None else facts_of(item)
    item = item or ConfigItem(key=key)
    given = {name: _cut(name, value) for name, value in facts.items() if name in FACTS}
    if "attributes" in given:
        given["attributes"] = _merged(item.attributes, given["attributes"])
    _set(item, given)
    _record(acting, item, "changed" if before else "made", before or {}, why)
    return item, before


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


@transaction.atomic
def depend(
    acting: Acting,
    source: Service | ConfigItem,
    target: Service | ConfigItem,
    strength: str,
    group: str = "",
    why: str = "",
) -> tuple[Dependency, dict[str, str] | None]:
    """Say that one thing stands on another, and how strongly; told otherwise, it is replaced.

    Returns the dependency, and how it was before, which is nothing for a new one.
    """
    group = " ".join(group.split())[:80]
    if strength not in Strength.values:
        raise Invalid("Choose how strongly.", fields={"strength": "hard, soft or redundant"})
    if strength == Strength.REDUNDANT and not group:
        raise Invalid(
            "A redundant dependency is one of a group of which one is enough: name it.",
            fields={"group": "Which group?"},
        )
    if node_of(source) == node_of(target):
        raise Invalid("Nothing stands on itself.", fields={"on": "Choose another thing."})
    if strength != Strength.REDUNDANT:
        group = ""
    ends = f"{node_of(source)}>{node_of(target)}"
    old = Dependency.objects.filter(ends=ends).first()
    before = None if old is None else {"strength": str(old.strength), "group": old.group}
    if old is not None and before == {"strength": strength, "group": group}:
        return old, before
    if old is not None:
        old.delete()
    row = Dependency(ends=ends, strength=strength, group=group)
    _attach(row, source, target)
    row.save()
    _record_dependency(acting, row, source, target, "changed" if before else "made", why)
    return row, before


@transaction.atomic
def part(acting: Acting, row: Dependency, why: str = "") -> None:
    """Take a dependency away."""
    source, target = row.item or row.service, row.on_item or row.on_service
    assert source is not None and target is not None
    row.delete()
    _record_dependency(acting, row, source, target, "removed", why)


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
    append_estate_event(
        acting,
        EstateEvent.DRIFT_DECIDED,
        [node_of(item)],
        facts={"item": item.key, "attribute": attribute},
        values={"item": item.name, "how": how},
        text=said,
    )
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


def _in_words(name: str, value: Any) -> Any:
    """A fact as its history tells it: people, teams and services by their names."""
    if value is None or not name.endswith("_id"):
        return value
    model: Any = ConfigItem._meta.get_field(name.removesuffix("_id")).related_model
    return model.objects.filter(pk=value).values_list("name", flat=True).first()


def _merged(old: Mapping[str, Any], given: Mapping[str, Any]) -> dict[str, Any]:
    return {key: value for key, value in {**old, **given}.items() if value is not None}


def _cut(name: str, value: Any) -> Any:
    return value[: _LENGTHS[name]] if name in _LENGTHS else value


def _set(item: ConfigItem, facts: Mapping[str, Any]) -> None:
    for name, value in facts.items():
        setattr(item, name, value)
    item.name_folded = fold(item.name)[: _LENGTHS["name"]]
    item.attributes_folded = folded_attributes(item.attributes)
    settle_drift(item)
    item.save()


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
    after = facts_of(item)
    changes = {
        name.removesuffix("_id").replace("_", " "): [
            _in_words(name, before.get(name)),
            _in_words(name, value),
        ]
        for name, value in after.items()
        if name != "attributes" and before.get(name) != value
    }
    old, new = before.get("attributes") or {}, after["attributes"]
    for key in dict.fromkeys([*old, *new]):
        if old.get(key) != new.get(key):
            changes[f"attribute {key}"] = [old.get(key), new.get(key)]
    append_estate_event(
        acting,
        EstateEvent.ITEM_CHANGED,
        [node_of(item)],
        facts={"item": item.key, "how": how},
        values={"item": item.name, "how": how, "changes": changes},
        text=why.strip(),
    )


def _record_dependency(
    acting: Acting,
    row: Dependency,
    source: Service | ConfigItem,
    target: Service | ConfigItem,
    how: str,
    why: str,
) -> None:
    strength = f"{row.strength}, {row.group}" if row.group else str(row.strength)
    append_estate_event(
        acting,
        EstateEvent.DEPENDENCY_CHANGED,
        [node_of(source), node_of(target)],
        facts={"item": source.key, "on": target.key, "how": how},
        values={"item": source.name, "on": target.name, "strength": strength, "how": how},
        text=why.strip(),
    )


def append_estate_event(
    acting: Acting,
    kind: EventKind,
    nodes: Iterable[str],
    *,
    facts: dict[str, Any],
    values: dict[str, Any],
    text: str = "",
) -> None:
    """Write an event about things of the estate, found in the history of each of them."""
    entry = audit.Entry(
        kind=kind,
        at=acting.now,
        actor_id=acting.person_id,
        is_automatic=acting.person is None,
        facts=facts,
        values=values,
        text=text,
    )
    (event,) = audit.append([entry])
    Trace.objects.bulk_create(
        Trace(node=node, event_id=event.pk, at_s=acting.now_s) for node in nodes
    )


def dependency(source: str, target: str) -> Dependency | None:
    """The dependency between two nodes, if there is one."""
    split(source)
    split(target)
    rows = Dependency.objects.select_related("service", "item", "on_service", "on_item")
    return rows.filter(ends=f"{source}>{target}").first()
