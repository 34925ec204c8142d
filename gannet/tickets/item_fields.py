"""Fields of the item that a ticket is about: its attributes, its groups, the services on it."""

import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace
from functools import partial
from typing import Any

from gannet.estate import nodes
from gannet.tickets.field import COMPARED_AS, Field
from gannet.tickets.models import Ticket
from gannet_core import item_groups
from gannet_core.conditions import leaves

_PLAIN_KEY = re.compile(r"[a-z0-9]+([ _-][a-z0-9]+)*", re.IGNORECASE)


def item_fields(types: Iterable[Mapping[str, Any]]) -> Mapping[str, Field]:
    """The attributes of items as fields: “the item's memory”, of whatever types have it.

    An attribute that two types read in different ways is compared as text.
    """
    found: dict[str, Field] = {}
    for kind in types:
        for one in kind.get("attributes") or ():
            key = str(one["key"])
            if not _PLAIN_KEY.fullmatch(key):
                continue
            name, compared = f"ci.{key}", COMPARED_AS.get(one["type"], "text")
            known = found.get(name)
            if known is not None:
                both = {**(known.choices or {}), **dict.fromkeys(one.get("choices") or (), 0)}
                same = known.type == compared
                found[name] = replace(
                    known,
                    type=known.type if same else "text",
                    choices=(both or None) if same else None,
                )
                continue
            unit = f" ({one['unit']})" if one.get("unit") else ""
            found[name] = Field(
                name,
                compared,
                f"item’s {one['label']}{unit}",
                f"ci__attributes_folded__{key}",
                partial(_attribute, key),
                choices=dict.fromkeys(one.get("choices") or (), 0) or None,
                is_nullable=True,
                is_custom=True,
                written=f"ci__attributes__{key}",
            )
    return found


def item_group_field(groups: Sequence[Mapping[str, Any]], fields: Mapping[str, Field]) -> Field:
    """The groups that a ticket's item belongs to, as a field with several values."""
    asked = {
        str(leaf["field"])
        for group in groups
        if group.get("if") is not None
        for leaf in leaves(group["if"])
    }

    def read(ticket: Ticket) -> list[str]:
        if ticket.ci is None:
            return []
        record = {name: fields[name].read(ticket) for name in asked if name in fields}
        return item_groups.groups_of(groups, ticket.ci.key, record)

    names = item_groups.names_of(groups)
    return Field(
        item_groups.FIELD,
        "several choices",
        "item’s group",
        "",
        read,
        choices=dict.fromkeys(names, 0) or None,
        values=lambda: names,
        groups=tuple(groups),
    )


def _attribute(key: str, ticket: Ticket) -> Any:
    return ticket.ci.attributes.get(key) if ticket.ci else None


def _services_on(ticket: Ticket) -> list[str]:
    return [] if ticket.ci_id is None else nodes.services_on(ticket.ci_id)


def services_field() -> Field:
    """The services that stand on a ticket's item, along any path: “what Web booking stands on”."""
    return Field(
        "ci.services",
        "several choices",
        "services that stand on the item",
        "",
        _services_on,
        items_of=nodes.items_under,
        values=nodes.service_names,
    )
