"""The difference between two rulebooks, in sentences a person would say.

"Sailing-critical: P2 fix 4 h → 3 h." Entries are compared by their keys, so a moved
entry is said to have moved and not to be another.
"""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from gannet_core import article_rules
from gannet_core.errors import ConditionError
from gannet_core.escalation import describe_moment, span_words
from gannet_core.rulebook import BY_NAME, SECTIONS, Document, entries, name_of
from gannet_core.rules import describe_action
from gannet_core.sentences import describe

_CONDITIONS = frozenset({"if", "scope", "exempt"})
_PRIORITIES = frozenset("123456789")
_DAYS = {
    "mon": "Monday",
    "tue": "Tuesday",
    "wed": "Wednesday",
    "thu": "Thursday",
    "fri": "Friday",
    "sat": "Saturday",
    "sun": "Sunday",
}


@dataclass(frozen=True, slots=True)
class Difference:
    """One entry that differs: how (`added`, `removed`, `changed`, `moved`), in sentences."""

    section: str
    key: str
    name: str
    how: str
    sentences: tuple[str, ...]


def compare(
    before: Document,
    after: Document,
    fields: Mapping[str, Mapping[str, Any]] | None = None,
) -> list[Difference]:
    """Every entry in which two documents differ, in the order of the sections."""
    found: list[Difference] = []
    for section in SECTIONS:
        if not section.is_list:
            old, new = before.get(section.name) or {}, after.get(section.name) or {}
            if old != new:
                sentences = tuple(_sentences(old, new, "", fields))
                found.append(Difference(section.name, "", section.label, "changed", sentences))
            continue
        found += _compare_lists(section.name, before, after, fields)
    return found


def _compare_lists(
    section: str,
    before: Document,
    after: Document,
    fields: Mapping[str, Mapping[str, Any]] | None,
) -> Iterator[Difference]:
    old = {one["key"]: one for one in entries(before, section)}
    new = {one["key"]: one for one in entries(after, section)}
    one_word = BY_NAME[section].one
    for key, one in new.items():
        name = name_of(section, one)
        if key not in old:
            yield Difference(section, key, name, "added", (f"{name}: a new {one_word}",))
        elif old[key] != one:
            said = tuple(
                f"{name}: {sentence}" for sentence in _sentences(old[key], one, "", fields)
            )
            yield Difference(section, key, name, "changed", said)
    for key, one in old.items():
        if key not in new:
            name = name_of(section, one)
            yield Difference(section, key, name, "removed", (f"{name}: {one_word} removed",))
    kept_old = [key for key in old if key in new]
    kept_new = [key for key in new if key in old]
    for key in _moved(kept_old, kept_new):
        name = name_of(section, new[key])
        place = kept_new.index(key)
        where = (
            f"moved before {name_of(section, new[kept_new[place + 1]])}"
            if place + 1 < len(kept_new)
            else "moved to the end"
        )
        yield Difference(section, key, name, "moved", (f"{name}: {where}",))


def _moved(old: list[str], new: list[str]) -> list[str]:
    """The fewest entries whose move explains another order (those off a longest common run)."""
    place = {key: index for index, key in enumerate(old)}
    runs: list[list[str]] = []
    for key in new:
        before = [run for run in runs if place[run[-1]] < place[key]]
        runs.append([*_longest(before), key])
    kept = set(_longest(runs))
    return [key for key in new if key not in kept]


def _longest(runs: list[list[str]]) -> list[str]:
    return max(runs, key=lambda run: len(run)) if runs else []


def _sentences(
    old: Any, new: Any, path: str, fields: Mapping[str, Mapping[str, Any]] | None
) -> Iterator[str]:
    if old == new:
        return
    leaf = path.rpartition(" ")[2]
    if leaf in _CONDITIONS:
        yield f"{_label(path)} {_condition(old, fields)} → {_condition(new, fields)}"
    elif isinstance(old, Mapping) and isinstance(new, Mapping) and _is_plain(old, new):
        for key in [*new, *(key for key in old if key not in new)]:
            yield from _sentences(old.get(key), new.get(key), f"{path} {key}".strip(), fields)
    elif isinstance(old, list) and isinstance(new, list):
        yield from _list_sentences(old, new, path, fields)
    else:
        yield f"{_label(path)} {_word(old, path, fields)} → {_word(new, path, fields)}".strip()


def _is_plain(old: Mapping[str, Any], new: Mapping[str, Any]) -> bool:
    return "do" not in old and "do" not in new


def _list_sentences(
    old: list[Any], new: list[Any], path: str, fields: Mapping[str, Mapping[str, Any]] | None
) -> Iterator[str]:
    label = _label(path)
    identity = _identity(old, new)
    if identity:
        before = {one[identity]: one for one in old}
        after = {one[identity]: one for one in new}
        for key, one in after.items():
            if key not in before:
                yield f"{label}: added {_word(one, path, fields)}"
            else:
                yield from _sentences(before[key], one, f"{path} {key}", fields)
        for key, one in before.items():
            if key not in after:
                yield f"{label}: removed {_word(one, path, fields)}"
        if list(before) != list(after) and set(before) == set(after):
            yield f"{label}: in another order"
        return
    gone = [one for one in old if one not in new]
    come = [one for one in new if one not in old]
    words = [f"without {_word(one, path, fields)}" for one in gone]
    words += [f"with {_word(one, path, fields)}" for one in come]
    yield f"{label}: {', '.join(words) or 'in another order'}"


def _identity(old: list[Any], new: list[Any]) -> str | None:
    """The key by which the members of two lists are told apart, if they have one."""
    members = [*old, *new]
    if not members or not all(isinstance(one, Mapping) for one in members):
        return None
    for name in ("key", "date", "from", "field", "team", "person", "service"):
        for listed in (old, new):
            values = [one.get(name) for one in listed]
            if None in values or len({str(value) for value in values}) != len(values):
                break
        else:
            return name
    return None


def _label(path: str) -> str:
    words = [word for word in path.split(" ") if word not in ("targets", "hours")]
    said = [f"P{word}" if word in _PRIORITIES else _DAYS.get(word, word) for word in words]
    return " ".join(said).replace("_seconds", "").replace("_", " ")


def _condition(tree: Any, fields: Mapping[str, Mapping[str, Any]] | None) -> str:
    if not tree:
        return "nothing"
    try:
        return f"“{describe(tree, fields)}”"
    except ConditionError:
        return "something that cannot be read"


def _word(value: Any, path: str, fields: Mapping[str, Mapping[str, Any]] | None) -> str:
    if value is None or value == "" or value == []:
        return "nothing"
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, int) and _is_span(path):
        return span_words(value)
    if isinstance(value, Mapping):
        return _thing(value, fields)
    if isinstance(value, list):
        if value and all(isinstance(one, list) and len(one) == 2 for one in value):
            return ", ".join(f"{one[0]}–{one[1]}" for one in value)
        return ", ".join(_word(one, path, fields) for one in value)
    return str(value)


def _is_span(path: str) -> bool:
    words = path.split(" ")
    return words[-1].endswith("_seconds") or "targets" in words or "moment" in words


def _thing(value: Mapping[str, Any], fields: Mapping[str, Mapping[str, Any]] | None) -> str:
    if "do" in value:
        try:
            own = value["do"] in article_rules.ACTIONS and "message" not in value
            return article_rules.describe_action(value) if own else describe_action(value)
        except (KeyError, TypeError):
            return str(value["do"])
    if "moment" in value:
        return f"“{value.get('name') or describe_moment(value)}”"
    if "field" in value and "op" in value:
        return _condition(value, fields)
    for key in ("name", "label", "title", "key", "field", "date", "from"):
        if value.get(key):
            return str(value[key])
    return "; ".join(f"{key} {_word(one, key, fields)}" for key, one in value.items())
