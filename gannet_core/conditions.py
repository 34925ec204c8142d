"""Conditions: one language behind lists, rules, scopes, stages, forms and reports.

A tree of `all`, `any`, `not` and leaves `{"field", "op", "value"}`. Three readings:
`evaluate` here, `describe` in `sentences`, and the ORM reading in the application. Text is
compared NFC-normalised and casefolded. Text, numbers and yes/no are three kinds that
never equal each other. A comparison with an empty value is false; `is not` and `is
none of` are the exact opposites of `is` and `is one of` and so true for it.
"""

import re
import sys
import unicodedata
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from functools import cache
from typing import Any

from gannet_core.errors import ConditionError
from gannet_core.instants import parse_instant

Tree = Mapping[str, Any]
Record = Mapping[str, Any]

NEEDS_NO_VALUE = frozenset({"is empty", "is filled", "changed", "is me", "is my team"})
NEEDS_LIST = frozenset({"is one of", "is none of"})
OPERATORS = (
    "is",
    "is not",
    "is one of",
    "is none of",
    "contains",
    "has words",
    "starts with",
    "is empty",
    "is filled",
    "<",
    "<=",
    ">",
    ">=",
    "between",
    "before",
    "after",
    "in the last",
    "in the next",
    "is me",
    "is my team",
    "changed",
    "changed to",
    "changed from",
)


@dataclass(frozen=True, slots=True)
class Context:
    """Whose eyes and what moment a condition is read with."""

    now: datetime | None = None
    me: str | None = None
    my_teams: Sequence[str] = ()


@dataclass(frozen=True, slots=True)
class Trace:
    """One node of an evaluation: what it was, how it came out, what it met."""

    kind: str
    result: bool
    leaf: Tree | None = None
    actual: Any = None
    parts: tuple["Trace", ...] = field(default_factory=tuple)

    def first_failure(self) -> "Trace | None":
        """The first leaf that made the whole false; None when it held."""
        if self.result:
            return None
        if self.kind == "leaf":
            return self
        if self.kind == "all":
            return next((part.first_failure() for part in self.parts if not part.result), None)
        if self.kind == "any" and self.parts:
            return self.parts[0].first_failure()
        return next(self._leaves(), None)

    def _leaves(self) -> Iterator["Trace"]:
        if self.kind == "leaf":
            yield self
        for part in self.parts:
            yield from part._leaves()


MOST_SPAN_SECONDS = 100 * 366 * 86_400
MOST_WORDS = 24
_MOST_MARKS = 30


@cache
def _marks() -> re.Pattern[str]:
    """More combining marks on one letter than UAX #15 (Stream-Safe Text) lets stand."""
    marks = (chr(point) for point in range(sys.maxunicode + 1))
    some = "".join(mark for mark in marks if unicodedata.combining(mark))
    return re.compile(f"([{re.escape(some)}]{{{_MOST_MARKS}}})[{re.escape(some)}]+")


def fold(text: str) -> str:
    """Text as conditions compare it: NFC, casefolded, NFC again; blanks are kept.

    Of the combining marks on one letter the first thirty count: to sort more takes time that
    grows with their square, and no word has them.
    """
    if text.isascii():
        return text.casefold()
    safe = _marks().sub(r"\1", text)
    return unicodedata.normalize("NFC", unicodedata.normalize("NFC", safe).casefold())


_WORD = re.compile(r"[^\W_]+")


def words_of(text: str) -> list[str]:
    """The words of a text as search compares them: folded, without accents, in order."""
    bare = unicodedata.normalize("NFKD", fold(text))
    bare = "".join(sign for sign in bare if not unicodedata.combining(sign))
    return _WORD.findall(fold(bare))


def has_words(text: str, wanted: str) -> bool:
    """Whether each wanted word begins a word of the text; no wanted word at all never does."""
    sought = words_of(wanted)
    if not sought:
        return False
    present = words_of(text)
    return all(any(word.startswith(piece) for word in present) for piece in sought)


def is_empty(value: object) -> bool:
    """Missing, null, empty text and an empty list are empty; 0, no and a blank are not."""
    return value is None or value == "" or (isinstance(value, (list, tuple)) and not value)


def check(tree: object, fields: Mapping[str, Mapping[str, Any]] | None = None) -> None:
    """Refuse a malformed tree with `ConditionError`, naming the place.

    With `fields` (name -> {"type", ...}) unknown fields and values of the wrong type
    are refused too.
    """
    _check(tree, "the condition", fields)


def evaluate(
    tree: Tree,
    record: Record,
    changes: Mapping[str, Sequence[Any]] | None = None,
    context: Context | None = None,
) -> Trace:
    """Evaluate a tree against a record (field -> value).

    `changes` maps fields to [before, after] for the operators of rules. The whole tree
    is checked first, so a malformed leaf is refused wherever it stands.
    """
    check(tree)
    return _evaluate(tree, record, changes or {}, context or Context())


def leaves(tree: Tree) -> Iterator[Tree]:
    """Every leaf, in reading order."""
    if "all" in tree or "any" in tree:
        for part in tree.get("all", tree.get("any")) or ():
            yield from leaves(part)
    elif "not" in tree:
        yield from leaves(tree["not"])
    else:
        yield tree


def _check(node: object, place: str, fields: Mapping[str, Mapping[str, Any]] | None) -> None:
    if not isinstance(node, Mapping):
        raise ConditionError(f"{place}: must be an object, not {node!r}")
    kinds = [kind for kind in ("all", "any", "not", "field") if kind in node]
    if len(kinds) != 1 or ("op" in node and kinds != ["field"]):
        raise ConditionError(f"{place}: must be exactly one of all, any, not, or a leaf")
    kind = kinds[0]
    if kind == "not":
        _check(node["not"], place, fields)
    elif kind == "field":
        _check_leaf(node, place, fields)
    else:
        parts = node[kind]
        if not isinstance(parts, list):
            raise ConditionError(f"{place}: its parts must be a list")
        for index, part in enumerate(parts):
            _check(part, f"{place}, part {index + 1}", fields)


def _check_leaf(
    leaf: Mapping[str, Any], place: str, fields: Mapping[str, Mapping[str, Any]] | None
) -> None:
    name, op = leaf["field"], leaf.get("op")
    if not isinstance(name, str):
        raise ConditionError(f"{place}: the field must be a name, not {name!r}")
    if op not in OPERATORS:
        raise ConditionError(f"{place} ({name}): {op!r} is not an operator")
    if op not in NEEDS_NO_VALUE and "value" not in leaf:
        raise ConditionError(f"{place} ({name} {op}): the value is missing")
    value = leaf.get("value")
    if op in NEEDS_LIST and not isinstance(value, list):
        raise ConditionError(f"{place} ({name} {op}): the value must be a list")
    if op == "between" and not (isinstance(value, list) and len(value) == 2):
        raise ConditionError(f"{place} ({name} between): the value must be two ends")
    if op in ("in the last", "in the next"):
        if _kind(value) != "number":
            raise ConditionError(f"{place} ({name} {op}): the value must be a number of seconds")
        if isinstance(value, (int, float)) and abs(value) > MOST_SPAN_SECONDS:
            raise ConditionError(f"{place} ({name} {op}): the span is longer than a century")
    if op == "has words" and isinstance(value, str) and len(words_of(value)) > MOST_WORDS:
        raise ConditionError(f"{place} ({name} {op}): at most {MOST_WORDS} words")
    if fields is None:
        return
    if name not in fields:
        raise ConditionError(f"{place}: there is no field “{name}”")
    _check_type(leaf, place, str(fields[name].get("type", "text")))


_TYPE_OPERATORS = {
    "text": {"contains", "starts with"},
    "words": {"has words"},
    "choice": set(),
    "person": {"is me", "contains", "starts with"},
    "team": {"is my team", "contains", "starts with"},
    "number": {"<", "<=", ">", ">=", "between"},
    "yes/no": set(),
    "several choices": {"contains", "starts with"},
    "date": {"<", "<=", ">", ">=", "between"},
    "instant": {"<", "<=", ">", ">=", "between", "before", "after", "in the last", "in the next"},
}
_ANY_TYPE = {
    "is",
    "is not",
    "is one of",
    "is none of",
    "is empty",
    "is filled",
    "changed",
    "changed to",
    "changed from",
}
_TYPE_KINDS = {"number": "number", "yes/no": "yes/no"}


def _check_type(leaf: Mapping[str, Any], place: str, field_type: str) -> None:
    op = leaf["op"]
    if field_type == "words" and op != "has words":
        raise ConditionError(f"{place} ({leaf['field']}): words can only be searched for")
    if op not in _ANY_TYPE and op not in _TYPE_OPERATORS.get(field_type, set()):
        raise ConditionError(
            f"{place} ({leaf['field']}): {op!r} does not go with a field of type {field_type}"
        )
    if op in NEEDS_NO_VALUE or op in ("in the last", "in the next"):
        return
    wanted = _TYPE_KINDS.get(field_type, "text")
    value = leaf["value"]
    for member in value if isinstance(value, list) else [value]:
        if not is_empty(member) and _kind(member) != wanted:
            raise ConditionError(
                f"{place} ({leaf['field']}): {member!r} is not of type {field_type}"
            )
        if field_type == "instant" and not is_empty(member):
            _check_instant(member, place, leaf["field"])


def _check_instant(value: Any, place: str, name: str) -> None:
    try:
        parse_instant(value)
    except ValueError as error:
        raise ConditionError(f"{place} ({name}): {error}") from error


def _evaluate(
    node: Tree, record: Record, changes: Mapping[str, Sequence[Any]], context: Context
) -> Trace:
    if "all" in node:
        parts = tuple(_evaluate(part, record, changes, context) for part in node["all"])
        return Trace("all", all(part.result for part in parts), parts=parts)
    if "any" in node:
        parts = tuple(_evaluate(part, record, changes, context) for part in node["any"])
        return Trace("any", any(part.result for part in parts), parts=parts)
    if "not" in node:
        part = _evaluate(node["not"], record, changes, context)
        return Trace("not", not part.result, parts=(part,))
    actual = record.get(node["field"])
    if node["op"].startswith("changed"):
        actual = changes.get(node["field"])
        return Trace("leaf", _has_changed(node, actual), node, actual)
    return Trace("leaf", _holds(node["op"], actual, node.get("value"), context), node, actual)


def _holds(op: str, actual: Any, value: Any, context: Context) -> bool:
    match op:
        case "is not":
            return not _holds("is", actual, value, context)
        case "is none of":
            return not _holds("is one of", actual, value, context)
        case "is empty":
            return is_empty(actual)
        case "is filled":
            return not is_empty(actual)
        case "is me":
            return context.me is not None and _holds("is", actual, context.me, context)
        case "is my team":
            return _holds("is one of", actual, list(context.my_teams), context)
        case "in the last" | "in the next":
            return _is_near(op, actual, float(value), context.now)
    members = actual if isinstance(actual, (list, tuple)) else [actual]
    test = _LEAF_TESTS[op]
    return any(not is_empty(member) and test(member, value) for member in members)


def _same(actual: Any, value: Any) -> bool:
    if is_empty(actual) or is_empty(value) or _kind(actual) != _kind(value):
        return False
    return bool(_comparable(actual) == _comparable(value))


def _ordered(compare: Callable[[Any, Any], bool]) -> Callable[[Any, Any], bool]:
    def test(actual: Any, value: Any) -> bool:
        kind = _kind(actual)
        if is_empty(value) or kind != _kind(value) or kind not in ("text", "number"):
            return False
        return compare(_comparable(actual), _comparable(value))

    return test


def _instant_order(is_before: bool) -> Callable[[Any, Any], bool]:
    def test(actual: Any, value: Any) -> bool:
        if is_empty(value):
            return False
        try:
            left, right = parse_instant(actual), parse_instant(value)
        except ValueError:
            left_text, right_text = str(actual), str(value)
            return left_text < right_text if is_before else left_text > right_text
        return left < right if is_before else left > right

    return test


def _pieces(compare: Callable[[str, str], bool]) -> Callable[[Any, Any], bool]:
    def test(actual: Any, value: Any) -> bool:
        if is_empty(value) or _kind(actual) != "text" or _kind(value) != "text":
            return False
        return compare(fold(actual), fold(value))

    return test


_at_least = _ordered(lambda a, b: a >= b)
_at_most = _ordered(lambda a, b: a <= b)
_LEAF_TESTS: dict[str, Callable[[Any, Any], bool]] = {
    "is": _same,
    "is one of": lambda actual, values: any(_same(actual, value) for value in values),
    "contains": _pieces(lambda text, piece: piece in text),
    "has words": _pieces(has_words),
    "starts with": _pieces(lambda text, piece: text.startswith(piece)),
    "<": _ordered(lambda a, b: a < b),
    "<=": _at_most,
    ">": _ordered(lambda a, b: a > b),
    ">=": _at_least,
    "between": lambda actual, ends: _at_least(actual, ends[0]) and _at_most(actual, ends[1]),
    "before": _instant_order(is_before=True),
    "after": _instant_order(is_before=False),
}


def _is_near(op: str, actual: Any, seconds: float, now: datetime | None) -> bool:
    if is_empty(actual) or now is None:
        return False
    instant = parse_instant(actual)
    span = timedelta(seconds=seconds)
    if op == "in the last":
        return now - span <= instant <= now
    return now <= instant <= now + span


def _has_changed(leaf: Tree, change: Sequence[Any] | None) -> bool:
    if change is None:
        return False
    before, after = change
    if _as_seen(before) == _as_seen(after):
        return False
    if leaf["op"] == "changed":
        return True
    return _holds("is", after if leaf["op"] == "changed to" else before, leaf["value"], Context())


def _as_seen(value: Any) -> Any:
    """A value as conditions see it, so that only a real difference is a change."""
    if is_empty(value):
        return ("empty",)
    if isinstance(value, (list, tuple)):
        return ("list", tuple(_as_seen(member) for member in value))
    return (_kind(value), _comparable(value))


def _kind(value: object) -> str:
    if isinstance(value, bool):
        return "yes/no"
    if isinstance(value, (int, float)):
        return "number"
    return "text" if isinstance(value, str) else "other"


def _comparable(value: Any) -> Any:
    return fold(value) if isinstance(value, str) else value
