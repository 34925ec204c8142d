"""Groups of configuration items: by hand and by condition, kept current by being asked.

A group is an entry of the rulebook: `key`, `name`, perhaps `items` (keys of items, chosen by
hand) and `if` (a condition over fields of the item, whose names begin with “ci.”). An item
belongs to a group that names it or whose condition holds for it.
"""

from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from gannet_core.conditions import Record, evaluate, leaves

FIELD = "ci.group"
OF_ITEM = "ci."


def names_of(groups: Iterable[Mapping[str, Any]]) -> list[str]:
    """What the groups are called, in their order."""
    return [str(group["name"]) for group in groups]


def groups_of(groups: Iterable[Mapping[str, Any]], key: str, record: Record) -> list[str]:
    """The names of the groups to which an item belongs: its key, and its fields as a record."""
    return [
        str(group["name"])
        for group in groups
        if key in (group.get("items") or ())
        or (group.get("if") is not None and evaluate(group["if"], record).result)
    ]


def strange_fields(tree: Mapping[str, Any]) -> list[str]:
    """The fields of a group's condition that are none of the item's own."""
    asked = {str(leaf["field"]) for leaf in leaves(tree)}
    return sorted(name for name in asked if not name.startswith(OF_ITEM) or name == FIELD)


def named_in(tree: Mapping[str, Any]) -> list[str]:
    """The groups that a condition names."""
    found: list[str] = []
    for leaf in leaves(tree):
        if leaf["field"] == FIELD and "value" in leaf:
            value = leaf["value"]
            found += (
                value if isinstance(value, Sequence) and not isinstance(value, str) else [value]
            )
    return [str(one) for one in found]
