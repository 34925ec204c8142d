"""Kinds of events: each is declared once, with all that follows from one having happened.

An `EventKind` is the word that stands in the log, and carries what the application needs
to know of it: the sentence it is told in, who reads it, which moment of the rules it is,
whether it ends a record. An app declares its kinds in its `events.py`; nothing else lists
them.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any


@dataclass(frozen=True, kw_only=True)
class Telling:
    """One event as its sentence sees it: who did what, and how its reader names things."""

    who: str
    text: str = ""
    facts: Mapping[str, Any] = field(default_factory=dict)
    values: Mapping[str, Any] = field(default_factory=dict)
    is_automatic: bool = False
    by_desk: bool = False
    requester: str = ""
    when: Callable[[int], str] = str
    team: Callable[[str], str] = str
    person: Callable[[str], str] = str

    @property
    def quote(self) -> str:
        """What was said, for the end of a sentence."""
        return f": “{self.text}”" if self.text else ""

    def value(self, name: str) -> str:
        """A fact or value in words; what is empty is “nothing”."""
        return in_words(self.facts.get(name, self.values.get(name)))

    def listed(self, name: str) -> str:
        """Several values in words."""
        found = self.values.get(name)
        return ", ".join(str(one) for one in found) if isinstance(found, list) else ""


def in_words(value: Any) -> str:
    """A value as a sentence says it."""
    if isinstance(value, list):
        return ", ".join(in_words(one) for one in value) or "nothing"
    return "nothing" if value in (None, "") else str(value)


class EventKind(str):
    """The name of a kind of event, with what follows from it."""

    __slots__ = (
        "answers",
        "column",
        "ends",
        "for_requester",
        "is_apart",
        "is_aside",
        "is_message",
        "is_quiet",
        "moments",
        "moves_hands",
        "says",
        "touches",
    )

    says: Callable[[Telling], str]
    # It is something that was said, and stands as a message in the conversation.
    is_message: bool
    # The machinery's own: no person reads it in a conversation.
    is_quiet: bool
    # The requester may read it, if the event itself is for everybody.
    for_requester: bool
    # The moments of business rules that it is.
    moments: frozenset[str]
    # It ends a record.
    ends: bool
    # Whoever does it has dealt with what the requester had said.
    answers: bool
    # The record goes to somebody else: what its former holder was told of is theirs no more.
    moves_hands: bool
    # It happens beside others' acts: it does not keep the last of them from being undone.
    is_aside: bool
    # It happens by the thousand beside a record, whose own history is read without it.
    is_apart: bool
    # Done by hand, it shows that somebody looks after the record.
    touches: bool
    # A column of the record that repeats its text, and loses it when the text is removed.
    column: str

    def __new__(
        cls,
        key: str,
        says: Callable[[Telling], str],
        *,
        is_message: bool = False,
        is_quiet: bool = False,
        for_requester: bool = False,
        moments: tuple[str, ...] = (),
        ends: bool = False,
        answers: bool = False,
        moves_hands: bool = False,
        is_aside: bool = False,
        touches: bool = True,
        column: str = "",
        is_apart: bool = False,
    ) -> "EventKind":
        made = super().__new__(cls, key)
        made.says = says
        made.is_message, made.is_quiet, made.for_requester = is_message, is_quiet, for_requester
        made.moments, made.ends = frozenset(moments), ends
        made.answers, made.moves_hands = answers or ends, moves_hands
        made.is_aside, made.touches, made.column = is_aside, touches, column
        made.is_apart = is_apart
        if key in _kinds:
            raise ValueError(f"two kinds of events are called {key}")
        _kinds[key] = made
        return made


_kinds: dict[str, EventKind] = {}


def kinds() -> Mapping[str, EventKind]:
    """Every kind of event that an app has declared, by its name."""
    return _kinds


def apart() -> list[str]:
    """The kinds that the history of a record is read without."""
    return [str(kind) for kind in _kinds.values() if kind.is_apart]


def kind_of(name: str) -> EventKind | None:
    """The kind that a row of the log names; one of an app that is gone is known no more."""
    return _kinds.get(name)
