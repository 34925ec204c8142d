"""What a check of the rulebook says: where, what is wrong, why it matters, what to do."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from gannet_core.rulebook import name_of
from gannet_core.rules import WHEN

ERROR, WARNING = "error", "warning"


@dataclass(frozen=True, slots=True)
class World:
    """What exists outside the rulebook and is named in it."""

    fields: Mapping[str, Mapping[str, Any]]
    teams: frozenset[str] = frozenset()
    people: frozenset[str] = frozenset()
    services: frozenset[str] = frozenset()
    boards: frozenset[str] = frozenset()
    clock_kinds: Mapping[str, Mapping[str, Any]] = field(default_factory=dict)
    # At which rules can run.
    moments: Sequence[str] = WHEN
    # What forms can ask beside the rulebook's own fields and questions.
    asked: frozenset[str] = frozenset()
    # What stands for something in a message; empty when that is not known.
    placeholders: frozenset[str] = frozenset()
    # What is named outside the rulebook: section, key, and by whom in words.
    named_outside: Sequence[tuple[str, str, str]] = ()
    # Why a webhook may not be posted to its address; None when it may.
    refused_hook: Callable[[str], str | None] = lambda url: None


@dataclass(frozen=True, slots=True)
class Finding:
    """One thing to fix: where, what is wrong, why it matters, what to do."""

    severity: str
    section: str
    key: str
    name: str
    says: str
    why: str
    do: str


def say(
    section: str, one: Mapping[str, Any], says: str, why: str, do: str, severity: str = ERROR
) -> Finding:
    return Finding(severity, section, str(one.get("key", "")), name_of(section, one), says, why, do)
