"""Renaming what is its own key: a category, wherever a rulebook says it."""

from collections.abc import Iterable, Mapping
from typing import Any

from gannet_core.errors import DocumentError
from gannet_core.rulebook import BY_NAME, Document, Edit, entries, entry

# Which section, the old name, and the new one.
Rename = tuple[str, str, str]
# The sections whose entries are called by their key, with the field that holds one.
OWN_NAMES: Mapping[str, str] = {"categories": "category", "groups": "group"}
# What a rulebook names that is no entry of it, and can be called otherwise there.
_NAMED_OUTSIDE: Mapping[str, str] = {"services": "service"}


def renamed(document: Document, section: str, old: str, new: str) -> dict[str, Any]:
    """A copy of the document in which an entry goes by another key wherever it is named.

    Conditions and actions about the field, what forms, templates, starters and items say of
    it, and the entry itself. `DocumentError` when there is none, or the new name is taken.
    """
    if section not in OWN_NAMES:
        raise DocumentError(section, "these have a name beside their key")
    if entry(document, section, old) is None:
        raise DocumentError(section, f"there is no “{old}”")
    if not new.strip() or entry(document, section, new) is not None:
        raise DocumentError(
            section, f"the name “{new}” is taken" if new.strip() else "give it a name"
        )
    changed = {
        name: said_anew(part, section, old, new)
        for name, part in document.items()
        if name != section
    }
    changed[section] = [
        {**one, "key": new} if one["key"] == old else dict(one)
        for one in entries(document, section)
    ]
    return {name: changed[name] for name in document}


def said_anew(value: Any, section: str, old: str, new: str) -> Any:
    """A piece of JSON in which an entry of `section` goes by another key wherever it is named.

    What is said of the field that names one, of several, or in conditions and actions about it –
    also where a report asks it of the article of a record. `section` may also be “services”, which
    are recorded outside of the rulebook.
    """
    field = {**OWN_NAMES, **_NAMED_OUTSIDE}[section]

    def said(one: Any) -> Any:
        if isinstance(one, list):
            return [new if part == old else part for part in one]
        return new if one == old else one

    def walk(one: Any) -> Any:
        if isinstance(one, list):
            return [walk(part) for part in one]
        if not isinstance(one, Mapping):
            return one
        found = {key: walk(part) for key, part in one.items()}
        for key in (field, section):
            if key in found:
                found[key] = said(found[key])
        if str(found.get("field")).rpartition(".")[2] == field and "value" in found:
            found["value"] = said(found["value"])
        return found

    return walk(value)


def taken_back(renames: Iterable[Rename]) -> list[Rename]:
    """The renames that take others back, in the order in which they have to be done."""
    return [(section, new, old) for section, old, new in reversed(list(renames))]


def edits_between(before: Document, after: Document) -> list[Edit]:
    """The edits that make one document of the other, entry by entry, each with its place."""
    found: list[Edit] = []
    for name, section in BY_NAME.items():
        if before.get(name) == after.get(name):
            continue
        if not section.is_list:
            found.append(Edit(name, "", before.get(name), after.get(name)))
            continue
        old = {one["key"]: one for one in entries(before, name)}
        new = {one["key"]: one for one in entries(after, name)}
        order = list(old)  # as it is when the edit is done
        for key in [key for key in old if key not in new]:
            found.append(Edit(name, key, old[key], None, None, order.index(key)))
            order.remove(key)
        for index, (key, one) in enumerate(new.items()):
            at = order.index(key) if key in order else None
            if old.get(key) == one and at == index:
                continue
            found.append(Edit(name, key, old.get(key), one, index, at))
            if at is not None:
                order.remove(key)
            order.insert(index, key)
    return found
