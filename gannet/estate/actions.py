"""Configuration items: made and changed by an import, with an event for each."""

from collections.abc import Mapping
from typing import Any

from django.db import transaction

from gannet.audit import log as audit
from gannet.estate.events import EstateEvent
from gannet.estate.models import ConfigItem
from gannet.people.acting import Acting
from gannet_core.conditions import fold

FACTS = ("name", "kind", "place", "service_id", "used_by_id")
_LENGTHS = {"name": 120, "kind": 60, "place": 80}


@transaction.atomic
def put_item(
    acting: Acting, key: str, facts: Mapping[str, Any]
) -> tuple[ConfigItem, dict[str, Any] | None]:
    """Make a configuration item, or change the one with that key; what is not given stays.

    Returns the item and how it was before, which is nothing for a new one.
    """
    item = ConfigItem.objects.filter(key=key).first()
    before = None if item is None else facts_of(item)
    item = item or ConfigItem(key=key)
    _set(item, {name: _cut(name, value) for name, value in facts.items() if name in FACTS})
    _record(acting, item, "changed" if before else "made", before or {})
    return item, before


@transaction.atomic
def put_back(acting: Acting, item: ConfigItem, before: Mapping[str, Any] | None) -> None:
    """Take a change back; an item that was new goes."""
    now = facts_of(item)
    if before is None:
        _record(acting, item, "taken away", now)
        item.delete()
        return
    _set(item, before)
    _record(acting, item, "put back", now)


def facts_of(item: ConfigItem) -> dict[str, Any]:
    """What an import may change of an item, as it is."""
    return {name: getattr(item, name) for name in FACTS}


def _cut(name: str, value: Any) -> Any:
    return value[: _LENGTHS[name]] if name in _LENGTHS else value


def _set(item: ConfigItem, facts: Mapping[str, Any]) -> None:
    for name, value in facts.items():
        setattr(item, name, value)
    item.name_folded = fold(item.name)[: _LENGTHS["name"]]
    item.save()


def _record(acting: Acting, item: ConfigItem, how: str, before: Mapping[str, Any]) -> None:
    after = facts_of(item)
    changes = {
        name: [before.get(name), value]
        for name, value in after.items()
        if before.get(name) != value
    }
    entry = audit.Entry(
        kind=EstateEvent.ITEM_CHANGED,
        at=acting.now,
        actor_id=acting.person_id,
        facts={"item": item.key, "how": how},
        values={"item": item.name, "how": how, "changes": changes},
    )
    audit.append([entry])
