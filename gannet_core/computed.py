"""Computed fields: small expressions that users write over fields.

Grammar, from loosest to tightest::

    comparison  sum [(= | ≠ | < | ≤ | > | ≥) sum]
    sum         product {(+ | −) product}
    product     unary {(× | ÷) unary}
    unary       [−] primary
    primary     number | "text" | yes | no | now | field | (comparison) | function(…)

`-`, `*`, `/`, `<>`, `<=` and `>=` are the same as − × ÷ ≠ ≤ ≥. A field is a word, or a
name in square brackets: `[time waiting]`. Functions: `if empty(a, b)`, and
`days between(a, b)`, `hours between(a, b)`, `service hours between(a, b)` from one instant
to another. Anything with an empty part is empty; so is a division by nothing. Numbers nearer
to each other than half of a millionth are compared as equal, as databases compute with less
than exact ones.

Types are checked when an expression is saved (`check`), so `evaluate` never meets a wrong
one: numbers, text, yes/no and instants; `+` also joins text.
"""

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from fractions import Fraction
from typing import Any, NamedTuple

from gannet_core.errors import ExpressionError
from gannet_core.instants import parse_instant, seconds_of
from gannet_core.servicetime import ServiceCalendar

NUMBER, TEXT, YES_NO, INSTANT = "number", "text", "yes/no", "instant"
SECONDS_PER_HOUR = 3600
SECONDS_PER_DAY = 86_400
MAX_LENGTH = 2000
DECIMALS = 6  # of a number that is compared or shown
SERVICE_HOURS = "service hours between"
_MAX_DEPTH = 40

_TOKEN = re.compile(
    r"""\s*(?:
        (?P<number>\d+(?:\.\d+)?)
      | "(?P<text>[^"]*)"
      | \[(?P<field>[^\]]+)\]
      | (?P<function>(?:if\ empty|days\ between|hours\ between|service\ hours\ between)(?=\s*\())
      | (?P<word>[^\W\d]\w*(?:\.\w+)*)
      | (?P<sign><>|<=|>=|[-+*/×÷−=≠<>≤≥(),])
    )""",
    re.VERBOSE,
)
_SAME = {"-": "−", "*": "×", "/": "÷", "<>": "≠", "<=": "≤", ">=": "≥"}
_COMPARISONS = ("=", "≠", "<", "≤", ">", "≥")
_FIELD_TYPES = {"number": NUMBER, "yes/no": YES_NO, "instant": INSTANT}


class _Token(NamedTuple):
    kind: str
    value: str
    at: int


@dataclass(frozen=True, slots=True)
class Node:
    """One part of a parsed expression: what it is, its type, and its own parts."""

    kind: str
    type: str
    value: Any = None
    parts: tuple["Node", ...] = ()


@dataclass(frozen=True, slots=True)
class Moment:
    """What an expression is read with: now, and the calendar of service hours."""

    now: datetime
    calendar: ServiceCalendar | None = None


def check(text: str, fields: Mapping[str, Mapping[str, Any]]) -> Node:
    """Parse and type an expression; `ExpressionError` says where and what is wrong.

    `fields` maps names to `{"type": …}`. The result's `type` is that of the whole.
    """
    if len(text) > MAX_LENGTH:
        raise ExpressionError(f"an expression has at most {MAX_LENGTH} characters")
    parser = _Parser(_tokens(text), fields)
    node = parser.comparison()
    parser.expect_end()
    return node


# Types of fields that an expression can read; the others have no one value of their own.
READ = ("number", "text", "yes/no", "instant", "choice", "person", "team", "date")


def readable(fields: Mapping[str, Mapping[str, Any]]) -> dict[str, Mapping[str, Any]]:
    """Of some fields, those that an expression can read."""
    return {name: about for name, about in fields.items() if about.get("type") in READ}


def type_of(about: Mapping[str, Any]) -> str:
    """What a field is to an expression: number, text, yes/no or instant."""
    return _FIELD_TYPES.get(str(about.get("type")), TEXT)


def names_in(text: str) -> list[str]:
    """The names that stand for fields in an expression, though it be wrong; each once."""
    try:
        tokens = _tokens(text)
    except ExpressionError:
        return []
    words = [
        one.value.strip()
        for one in tokens
        if one.kind == "field" or (one.kind == "word" and one.value not in ("yes", "no", "now"))
    ]
    return list(dict.fromkeys(words))


def parts_of(node: Node) -> Iterator[Node]:
    """The node and every part of it, outer ones first."""
    yield node
    for part in node.parts:
        yield from parts_of(part)


def fields_in(node: Node) -> list[str]:
    """The names of the fields that an expression reads, each once, in their order."""
    return list(dict.fromkeys(str(one.value) for one in parts_of(node) if one.kind == "field"))


def asks_now(node: Node) -> bool:
    """Whether its value changes as time passes."""
    return any(one.kind == "now" for one in parts_of(node))


def asks_service_hours(node: Node) -> bool:
    """Whether it needs a calendar."""
    return any(one.kind == SERVICE_HOURS for one in parts_of(node))


def evaluate(node: Node, record: Mapping[str, Any], moment: Moment) -> Any:
    """The value of a checked expression for a record; None is empty.

    Numbers come back as exact fractions turned to float or int at the end.
    """
    value = _value(node, record, moment)
    if isinstance(value, Fraction):
        return int(value) if value.denominator == 1 else float(value)
    return value


def _tokens(text: str) -> list[_Token]:
    found = []
    at = 0
    while text[at:].strip():
        match = _TOKEN.match(text, at)
        if match is None:
            raise ExpressionError(f"at {at + 1}: “{text[at:].strip()[:10]}” is not understood")
        kind = str(match.lastgroup)
        value = match[kind]
        found.append(_Token(kind, _SAME.get(value, value), match.start(kind) + 1))
        at = match.end()
    return found


class _Parser:
    def __init__(self, tokens: Sequence[_Token], fields: Mapping[str, Mapping[str, Any]]) -> None:
        self._tokens = tokens
        self._fields = fields
        self._next = 0
        self._depth = 0

    def comparison(self) -> Node:
        self._depth += 1
        if self._depth > _MAX_DEPTH:
            raise ExpressionError("this expression is nested too deeply")
        left = self._sum()
        sign = self._take(*_COMPARISONS)
        if sign is not None:
            right = self._sum()
            if left.type != right.type:
                raise ExpressionError(
                    f"at {sign.at}: {left.type} cannot be compared with {right.type}"
                )
            if sign.value not in ("=", "≠") and left.type == YES_NO:
                raise ExpressionError(f"at {sign.at}: yes and no have no order")
            left = Node(sign.value, YES_NO, parts=(left, right))
        self._depth -= 1
        return left

    def _sum(self) -> Node:
        left = self._product()
        while sign := self._take("+", "−"):
            right = self._product()
            joins = sign.value == "+" and left.type == right.type == TEXT
            if not joins:
                self._need(NUMBER, sign, left, right)
            left = Node(sign.value, left.type, parts=(left, right))
        return left

    def _product(self) -> Node:
        left = self._unary()
        while sign := self._take("×", "÷"):
            right = self._unary()
            self._need(NUMBER, sign, left, right)
            left = Node(sign.value, NUMBER, parts=(left, right))
        return left

    def _unary(self) -> Node:
        sign = self._take("−")
        if sign is None:
            return self._primary()
        part = self._primary()
        self._need(NUMBER, sign, part)
        return Node("negative", NUMBER, parts=(part,))

    def _primary(self) -> Node:
        token = self._advance()
        match token.kind:
            case "number":
                return Node("value", NUMBER, Fraction(token.value))
            case "text":
                return Node("value", TEXT, token.value)
            case "function":
                return self._function(token)
            case "field":
                return self._field(token)
            case "word":
                if token.value in ("yes", "no"):
                    return Node("value", YES_NO, token.value == "yes")
                return Node("now", INSTANT) if token.value == "now" else self._field(token)
        if token.value != "(":
            raise ExpressionError(f"at {token.at}: “{token.value}” does not belong here")
        inner = self.comparison()
        self._close(token)
        return inner

    def _field(self, token: _Token) -> Node:
        name = token.value.strip()
        if name not in self._fields:
            raise ExpressionError(f"at {token.at}: there is no field “{name}”")
        return Node("field", type_of(self._fields[name]), name)

    def _function(self, token: _Token) -> Node:
        opening = self._advance()
        first = self.comparison()
        if self._take(",") is None:
            raise ExpressionError(f"at {token.at}: {token.value} takes two parts")
        second = self.comparison()
        self._close(opening)
        if token.value == "if empty":
            if first.type != second.type:
                raise ExpressionError(
                    f"at {token.at}: both parts of “if empty” must be of one type"
                )
            return Node("if empty", first.type, parts=(first, second))
        self._need(INSTANT, token, first, second)
        return Node(token.value, NUMBER, parts=(first, second))

    def _close(self, opening: _Token) -> None:
        if self._take(")") is None:
            raise ExpressionError(f"at {opening.at}: this bracket is never closed")

    def _need(self, wanted: str, token: _Token, *nodes: Node) -> None:
        for node in nodes:
            if node.type != wanted:
                raise ExpressionError(
                    f"at {token.at}: “{token.value}” needs {wanted}, this is {node.type}"
                )

    def _take(self, *values: str) -> _Token | None:
        if self._next < len(self._tokens):
            token = self._tokens[self._next]
            if token.kind == "sign" and token.value in values:
                self._next += 1
                return token
        return None

    def _advance(self) -> _Token:
        if self._next >= len(self._tokens):
            raise ExpressionError("something is missing at the end")
        self._next += 1
        return self._tokens[self._next - 1]

    def expect_end(self) -> None:
        if self._next < len(self._tokens):
            token = self._tokens[self._next]
            raise ExpressionError(f"at {token.at}: “{token.value}” does not belong here")


def _value(node: Node, record: Mapping[str, Any], moment: Moment) -> Any:
    match node.kind:
        case "value":
            return node.value
        case "now":
            return moment.now
        case "field":
            return _read(node, record.get(node.value))
        case "if empty":
            first = _value(node.parts[0], record, moment)
            return _value(node.parts[1], record, moment) if first is None else first
    values = [_value(part, record, moment) for part in node.parts]
    if any(value is None for value in values):
        return None
    return _apply(node.kind, values, moment)


def _apply(kind: str, values: Sequence[Any], moment: Moment) -> Any:
    if kind == "negative":
        return -values[0]
    left, right = values
    if kind in _COMPARISONS and isinstance(left, Fraction):
        left, right = round(left - right, DECIMALS), Fraction(0)
    match kind:
        case "+":
            return left + right
        case "−":
            return left - right
        case "×":
            return left * right
        case "÷":
            return None if right == 0 else left / right
        case "=":
            return left == right
        case "≠":
            return left != right
        case "<":
            return left < right
        case "≤":
            return left <= right
        case ">":
            return left > right
        case "≥":
            return left >= right
    return _between(kind, left, right, moment)


def _between(kind: str, start: datetime, end: datetime, moment: Moment) -> Fraction | None:
    seconds = seconds_of(end) - seconds_of(start)
    if kind == "days between":
        return Fraction(seconds, SECONDS_PER_DAY)
    if kind == "hours between":
        return Fraction(seconds, SECONDS_PER_HOUR)
    if moment.calendar is None:
        return None
    low, high = sorted((seconds_of(start), seconds_of(end)))
    open_seconds = moment.calendar.elapsed_s(low, high)
    return Fraction(open_seconds if seconds >= 0 else -open_seconds, SECONDS_PER_HOUR)


def _read(node: Node, value: Any) -> Any:
    if value is None or value == "" or value == []:
        return None
    if node.type == NUMBER:
        return Fraction(str(value))
    if node.type == INSTANT:
        return value if isinstance(value, datetime) else parse_instant(value)
    if node.type == YES_NO:
        return bool(value)
    return ", ".join(map(str, value)) if isinstance(value, list) else str(value)
