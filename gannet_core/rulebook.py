"""The rulebook as one document: its sections, their order, and edits of single entries.

A document maps section names to either a list of entries, each with a `key`, or one
object. `canonical` puts it in the one order in which it is exported, so that two exports
compare line by line. An `Edit` replaces, adds, removes or moves one entry (or one object
section) and knows how to be taken back.
"""

from collections.abc import Mapping, Sequence
from copy import deepcopy
from dataclasses import dataclass
from typing import Any

from gannet_core.errors import DocumentError

Document = Mapping[str, Any]


@dataclass(frozen=True, slots=True)
class Section:
    """One part of the rulebook: how it is called, and whether it is a list of entries."""

    name: str
    label: str
    one: str
    is_list: bool = True
    first_keys: tuple[str, ...] = ("key", "name", "label")


SECTIONS: Sequence[Section] = (
    Section("states", "States", "state"),
    Section("waits", "Waiting reasons", "waiting reason"),
    Section("calendars", "Calendars", "calendar", first_keys=("key", "name", "zone", "weeks")),
    Section("matrix", "Priorities", "matrix", is_list=False),
    Section("questions", "Questions", "question", first_keys=("key", "asks", "sets")),
    Section("categories", "Categories", "category"),
    Section("care_tiers", "Care tiers", "care tier"),
    Section("suppliers", "Suppliers", "supplier"),
    Section("item_types", "Types of item", "type of item", first_keys=("key", "layer")),
    Section("item_groups", "Groups of items", "group of items"),
    Section("clocks", "Kinds of clock", "kind of clock"),
    Section(
        "agreements",
        "Agreements",
        "agreement",
        first_keys=("key", "name", "description", "owner", "kind", "status", "starts", "ends"),
    ),
    Section("rules", "Rules", "rule", first_keys=("key", "name", "description", "when", "if")),
    Section(
        "article_rules",
        "Rules for articles",
        "rule for articles",
        first_keys=("key", "name", "description", "when", "if"),
    ),
    Section("tasks", "Task templates", "task template"),
    Section("routing", "Routing", "routing", is_list=False),
    Section("fields", "Fields", "field", first_keys=("key", "label", "type")),
    Section(
        "computed", "Computed fields", "computed field", first_keys=("key", "label", "expression")
    ),
    Section("forms", "Forms", "form"),
    Section("templates", "Templates", "template"),
    Section("starters", "Starters", "starter"),
    Section("groups", "Catalogue groups", "catalogue group"),
    Section("items", "Catalogue items", "catalogue item", first_keys=("key", "name", "plain")),
    Section("bundles", "Bundles", "bundle", first_keys=("key", "name", "plain")),
    Section("routes", "Approval routes", "approval route", first_keys=("key", "name", "owner")),
    Section("closing", "Conditions for closing", "conditions for closing", is_list=False),
    Section("problems", "Problems", "problems", is_list=False),
    Section("reports", "Reports", "reports", is_list=False),
    Section(
        "windows",
        "Windows and freezes",
        "window",
        first_keys=("key", "name", "kind", "zone", "from", "to", "rrule", "except"),
    ),
    Section("changes", "Changes", "changes", is_list=False),
    Section("change_templates", "Change templates", "change template"),
    Section(
        "major_plans",
        "Plans for major incidents",
        "plan for major incidents",
        first_keys=("key", "name", "if", "team"),
    ),
    Section("messages", "Messages", "message", first_keys=("key", "subject", "body")),
    Section("notifications", "Notifications", "notification", first_keys=("key", "event", "to")),
    Section("quiet", "Quiet hours", "quiet hours", is_list=False),
    Section("hooks", "Webhooks", "webhook", first_keys=("key", "name", "url")),
)
BY_NAME: Mapping[str, Section] = {section.name: section for section in SECTIONS}

# Objects whose keys have an order of their own: days, not alphabet.
_KEY_ORDER = {
    key: index
    for index, key in enumerate(
        "key name label asks description owner kind status starts ends when if scope calendar "
        "zone valid_from valid_to weeks exceptions from to date hours mon tue wed thu fri sat sun "
        "clock moment then do field op value".split()
    )
}


@dataclass(frozen=True, slots=True)
class Edit:
    """One change of a draft: what an entry was and what it becomes (None: not there).

    `position` is where a list entry goes (None: where it is, or last). For a section that
    is one object, `key` is empty.
    """

    section: str
    key: str
    before: Any
    after: Any
    position: int | None = None
    from_position: int | None = None

    def reversed(self) -> "Edit":
        """The edit that takes this one back."""
        return Edit(
            self.section, self.key, self.after, self.before, self.from_position, self.position
        )


def empty() -> dict[str, Any]:
    """A document with every section and nothing in it."""
    return {section.name: [] if section.is_list else {} for section in SECTIONS}


def canonical(document: Document) -> dict[str, Any]:
    """The document with sections and keys in the one order of exports; unknown ones refused."""
    strange = sorted(set(document) - set(BY_NAME))
    if strange:
        raise DocumentError(strange[0], "there is no such section in a rulebook")
    return {
        section.name: _ordered(document[section.name])
        for section in SECTIONS
        if section.name in document
    }


def entries(document: Document, section: str) -> list[dict[str, Any]]:
    """The entries of a list section; an unknown section is `DocumentError`."""
    if section not in BY_NAME or not BY_NAME[section].is_list:
        raise DocumentError(section, "there is no such list in a rulebook")
    return list(document.get(section) or [])


def entry(document: Document, section: str, key: str) -> Any:
    """One entry, or the whole of an object section; None when it is not there."""
    if section not in BY_NAME:
        raise DocumentError(section, "there is no such section in a rulebook")
    if not BY_NAME[section].is_list:
        return document.get(section)
    return next((one for one in entries(document, section) if one.get("key") == key), None)


def position_of(document: Document, section: str, key: str) -> int | None:
    """Where an entry stands in its list."""
    if not BY_NAME[section].is_list:
        return None
    keys = [one.get("key") for one in entries(document, section)]
    return keys.index(key) if key in keys else None


def apply(document: Document, edit: Edit) -> dict[str, Any]:
    """A copy of the document with one edit done. Does not look at `before`."""
    changed = deepcopy(dict(document))
    if edit.section not in BY_NAME:
        raise DocumentError(edit.section, "there is no such section in a rulebook")
    if not BY_NAME[edit.section].is_list:
        if not isinstance(edit.after, Mapping):
            raise DocumentError(edit.section, "must be an object")
        changed[edit.section] = deepcopy(dict(edit.after))
        return changed
    listed = [one for one in changed.get(edit.section) or [] if one.get("key") != edit.key]
    if edit.after is not None:
        if not isinstance(edit.after, Mapping) or edit.after.get("key") != edit.key:
            raise DocumentError(f"{edit.section}.{edit.key}", f"its key must be {edit.key!r}")
        at = edit.position
        if at is None:
            at = position_of(document, edit.section, edit.key)
        listed.insert(len(listed) if at is None else at, deepcopy(dict(edit.after)))
    changed[edit.section] = listed
    return changed


def name_of(section: str, one: Mapping[str, Any]) -> str:
    """What an entry is called in sentences."""
    if section == "notifications":
        return f"{one.get('event')} to {one.get('to')}"
    for key in ("name", "label", "asks", "key"):
        if one.get(key):
            return str(one[key])
    return BY_NAME[section].one


def _ordered(value: Any) -> Any:
    if isinstance(value, Mapping):
        keys = sorted(value, key=lambda key: (_KEY_ORDER.get(key, 999), str(key)))
        return {key: _ordered(value[key]) for key in keys}
    if isinstance(value, (list, tuple)):
        return [_ordered(member) for member in value]
    return value
