"""What in a rulebook names what: the uses of each entry, with their place in words.

One table says where names of entries stand. The checks refuse a draft in which a name has
nothing behind it; editors show what an entry is used by before it is renamed or removed.
"""

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from gannet_core.changes import FIELD
from gannet_core.computed import names_in
from gannet_core.escalation import UNTOUCHED
from gannet_core.rulebook import Document, name_of

# A field that an expression reads: one of the rulebook's own, or one that ships.
_READ = "read"
# What every rulebook has without saying so.
_EVERY_FORM_ASKS = frozenset({"title", "text", "service", "ci", "place", "category"})


@dataclass(frozen=True, slots=True)
class Use:
    """One entry naming another: `section`, `key` are what is named, `by` who names it."""

    section: str
    key: str
    by_section: str
    by_key: str
    by_name: str
    place: str


Found = Iterator[tuple[str, Any, str]]  # section named, key named, the place in words


def _of_agreement(one: Mapping[str, Any]) -> Found:
    yield "calendars", one.get("calendar"), "its calendar"
    for priority, row in (one.get("targets") or {}).items():
        yield "calendars", row.get("calendar"), f"the calendar of P{priority}"
        for clock in row:
            if clock != "calendar":
                yield "clocks", clock, f"the target of P{priority}"
    for number, step in enumerate(one.get("steps") or (), 1):
        if step.get("clock") != UNTOUCHED:
            yield "clocks", step.get("clock"), f"step {number}"
        yield from _of_actions(step.get("then") or (), f"step {number}, ")


def _of_rule(one: Mapping[str, Any]) -> Found:
    yield from _of_actions(one.get("then") or (), "")


def _of_actions(actions: Iterable[Mapping[str, Any]], before: str) -> Found:
    for number, action in enumerate(actions, 1):
        place = f"{before}action {number}"
        yield "messages", action.get("message"), place
        yield "hooks", action.get("hook"), place
        for key in action.get("tasks") or ():
            yield "tasks", key, place
        if action.get("do") == "set":
            named = {"category": "categories", "care tier": "care_tiers", "status": "states"}
            section = named.get(str(action.get("field")))
            if section:
                yield section, action.get("value"), place


def _of_form(one: Mapping[str, Any]) -> Found:
    for entry in one.get("fields") or ():
        yield "asked", entry.get("field"), "its fields"
    for number, effect in enumerate(one.get("effects") or (), 1):
        for action in effect.get("then") or ():
            yield "asked", action.get("field"), f"effect {number}"
    for key in one.get("categories") or ():
        yield "categories", key, "its categories"


def _of_template(one: Mapping[str, Any]) -> Found:
    yield "forms", one.get("form"), "its form"
    yield "categories", one.get("category"), "its category"
    for key in one.get("prefill") or {}:
        yield "asked", key, "what it fills in"
    for key in one.get("require") or ():
        yield "asked", key, "what it requires"


def _of_starter(one: Mapping[str, Any]) -> Found:
    yield "templates", one.get("template"), "its template"
    values = one.get("values") or {}
    yield "categories", values.get("category"), "what it fills in"


def _of_offer(one: Mapping[str, Any]) -> Found:
    yield "forms", one.get("form"), "its form"
    yield "routes", one.get("route"), "its approval route"
    yield "agreements", one.get("delivery"), "its delivery SLA"
    yield "categories", one.get("category"), "its category"
    yield "groups", one.get("group"), "its group"
    for key in one.get("tasks") or ():
        yield "tasks", key, "its tasks"
    yield "asked", one.get("named_by"), "whom it is for"
    for number, part in enumerate(one.get("parts") or (), 1):
        yield "items", part.get("item"), f"part {number}"


def _of_notification(one: Mapping[str, Any]) -> Found:
    yield "messages", one.get("message"), "its message"


def _of_closing(one: Mapping[str, Any]) -> Found:
    yield "calendars", one.get("calendar"), "its calendar"


def _of_changes(one: Mapping[str, Any]) -> Found:
    yield "calendars", one.get("review_calendar"), "the calendar by which they are looked back on"
    for kind in one.get("types") or ():
        yield "routes", kind.get("route"), f"the type {kind.get('name', '')}"
        yield from _needed(_asked(kind), f"what the type {kind.get('name', '')} needs")
        for stage in kind.get("stages") or ():
            yield from _needed(_asked(stage), f"the stage {stage.get('name', '')}")


def _asked(kind: Mapping[str, Any]) -> list[str]:
    """What a type or a stage of changes needs, and what it spares change managers."""
    return [*(kind.get("needs") or ()), *(kind.get("spares") or ())]


def _needed(needs: Iterable[str] | None, place: str) -> Found:
    for need in needs or ():
        if need.startswith(FIELD):
            yield "asked", need.removeprefix(FIELD), place


def _of_computed(one: Mapping[str, Any]) -> Found:
    yield "calendars", one.get("calendar"), "its calendar"
    for name in names_in(str(one.get("expression", ""))):
        yield _READ, name, "its expression"


def _of_change_template(one: Mapping[str, Any]) -> Found:
    yield "categories", one.get("category"), "its category"


def _of_major_plan(one: Mapping[str, Any]) -> Found:
    for key in one.get("tasks") or ():
        yield "tasks", key, "its first tasks"


_NAMES: Mapping[str, Callable[[Mapping[str, Any]], Found]] = {
    "agreements": _of_agreement,
    "rules": _of_rule,
    "article_rules": _of_rule,
    "forms": _of_form,
    "templates": _of_template,
    "starters": _of_starter,
    "items": _of_offer,
    "bundles": _of_offer,
    "notifications": _of_notification,
    "closing": _of_closing,
    "changes": _of_changes,
    "change_templates": _of_change_template,
    "major_plans": _of_major_plan,
    "computed": _of_computed,
}


def uses_of(document: Document) -> list[Use]:
    """Every name of an entry in another, in the order of the sections.

    What a form asks is named `asked`: a field or a question, whichever is called so.
    """
    found: list[Use] = []
    for section, names in _NAMES.items():
        entries = document.get(section) or ()
        entries = [entries] if isinstance(entries, Mapping) else entries
        for one in entries:
            found += [
                Use(named, str(key), section, str(one.get("key", "")), name_of(section, one), place)
                for named, key, place in names(one)
                if key not in (None, "")
            ]
    return found


def used_by(document: Document) -> dict[str, dict[str, list[Use]]]:
    """The uses of each entry: section -> key -> uses, each use of one place once."""
    found: dict[str, dict[str, list[Use]]] = {}
    questions = {one["key"] for one in document.get("questions") or ()}
    fields = {one["key"] for one in document.get("fields") or ()}
    for use in uses_of(document):
        section = use.section
        if section == "asked":
            section = "questions" if use.key in questions else "fields"
        if section == _READ:
            if use.key not in fields:
                continue
            section = "fields"
        uses = found.setdefault(section, {}).setdefault(use.key, [])
        if use not in uses:
            uses.append(use)
    return found


def without_target(
    document: Document, clocks: Iterable[str], facts: Iterable[str]
) -> Sequence[Use]:
    """The uses that name what is not there.

    `clocks` are the kinds of clock that ship, `facts` what forms can ask beside fields and
    questions of the rulebook.
    """
    known: dict[str, set[str]] = {}
    for section in document:
        entries = document[section]
        if isinstance(entries, Sequence) and not isinstance(entries, str):
            known[section] = {str(one["key"]) for one in entries}
    known["clocks"] = known.get("clocks", set()) | set(clocks)
    known["asked"] = (
        known.get("fields", set()) | known.get("questions", set()) | set(facts) | _EVERY_FORM_ASKS
    )
    # A group of the catalogue needs no entry: the list of them gives an order.
    # What an expression reads may ship; whether it is there is said where it is read.
    uses = [use for use in uses_of(document) if use.section not in ("groups", _READ)]
    return [use for use in uses if use.key not in known.get(use.section, set())]
