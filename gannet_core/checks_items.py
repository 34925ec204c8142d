"""Checks on groups of items: that each can be read, and that what names one names one there is."""

from collections.abc import Iterator, Mapping
from datetime import date
from typing import Any

from gannet_core import conditions
from gannet_core.errors import GannetError
from gannet_core.findings import Finding, World, say
from gannet_core.item_groups import FIELD, named_in, names_of, strange_fields
from gannet_core.rulebook import Document

_CONDITIONS = (("agreements", "scope"), ("rules", "if"), ("routes", "if"))


def item_groups(document: Document, world: World, today: date) -> Iterator[Finding]:
    """Each group's condition asks for the item's own fields; names are there, and once."""
    groups = document.get("item_groups") or ()
    names = names_of(groups)
    for one in groups:
        if names.count(str(one["name"])) > 1:
            yield say(
                "item_groups",
                one,
                f"There are two groups called “{one['name']}”.",
                "A condition that names it would mean either.",
                "Give one of them another name.",
            )
        tree = one.get("if")
        if tree is None:
            continue
        try:
            conditions.check(tree, world.fields)
            strange = strange_fields(tree)
        except GannetError as error:
            yield say("item_groups", one, str(error), "It cannot be read.", "Correct it.")
            continue
        if strange:
            label = world.fields.get(strange[0], {}).get("label", strange[0])
            yield say(
                "item_groups",
                one,
                f"It asks for {label}.",
                "That is no field of an item, so nothing would belong to it by it.",
                "Ask for the item’s own fields only.",
            )
    for section, one, tree in _asked(document):
        try:
            gone = [name for name in named_in(tree) if name not in names]
        except (GannetError, KeyError, TypeError, AttributeError):
            continue  # whoever reads it says what is wrong with it
        if gone:
            yield say(
                section,
                one,
                f"There is no group of items “{gone[0]}”.",
                f"What asks for {FIELD.replace('ci.', 'the ')} could never hold.",
                "Choose another group, or bring it back.",
            )


def _asked(document: Document) -> Iterator[tuple[str, Mapping[str, Any], Mapping[str, Any]]]:
    for section, part in _CONDITIONS:
        for one in document.get(section) or ():
            if isinstance(one.get(part), Mapping):
                yield section, one, one[part]
