"""What lies outside: a development tracker, remote help, runbooks.

Shipped are simulators that behave like the real things: they take what they are given,
go through their states with time, and answer. A real one is another class with the same
three methods, named in the settings.
"""

import hashlib
import secrets
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, Protocol

from django.conf import settings
from django.utils.module_loading import import_string


@dataclass(frozen=True)
class Reply:
    """What another system says: the state it is in, what it did, whether it is over."""

    state: str
    log: list[str] = field(default_factory=list)
    is_over: bool = False
    # What it yielded, by name, for what comes after it.
    outputs: Mapping[str, str] = field(default_factory=dict)


class System(Protocol):
    """Another system, as a ticket deals with it."""

    def start(self, title: str, inputs: Mapping[str, str]) -> tuple[str, Reply]: ...

    def look(self, key: str, inputs: Mapping[str, str], age_s: int) -> Reply: ...


@dataclass(frozen=True)
class Runbook:
    """An automatic procedure with its few inputs and its steps."""

    key: str
    name: str
    about: str
    inputs: Mapping[str, str]
    steps: tuple[str, ...]
    outputs: Mapping[str, str] = field(default_factory=dict)


def runbooks() -> Mapping[str, Runbook]:
    """The runbooks that can be run here, by key: those that the settings name."""
    found: Mapping[str, Runbook] = import_string(settings.RUNBOOKS) if settings.RUNBOOKS else {}
    return found


class DevelopmentSimulator:
    """A development tracker: noted, then looked into, then in a build, then shipped."""

    _STATES = ((0, "noted"), (40, "looked into"), (150, "fix in a build"), (420, "shipped"))

    def start(self, title: str, inputs: Mapping[str, str]) -> tuple[str, Reply]:
        digest = hashlib.sha256(f"{title}{secrets.token_hex(4)}".encode()).hexdigest()
        key = f"wharf/{int(digest[:5], 16)}"
        return key, Reply("noted", [f"Sent to development as {key}"])

    def look(self, key: str, inputs: Mapping[str, str], age_s: int) -> Reply:
        state = [name for after, name in self._STATES if age_s >= after][-1]
        return Reply(state, is_over=state == "shipped")


class RemoteHelpSimulator:
    """Remote help: a code that the person types, a session, its end."""

    def start(self, title: str, inputs: Mapping[str, str]) -> tuple[str, Reply]:
        code = f"{secrets.randbelow(900_000) + 100_000}-{secrets.token_hex(2)}"
        return code, Reply("waiting for the other side", [f"Session code {code.split('-')[0]}"])

    def look(self, key: str, inputs: Mapping[str, str], age_s: int) -> Reply:
        if inputs.get("ended"):
            return Reply("ended", is_over=True)
        if age_s >= 3600:
            return Reply("ended by itself after an hour", is_over=True)
        return Reply("connected" if age_s >= 15 else "waiting for the other side")


class RunbookSimulator:
    """Runbooks that do their steps at once and say what each did."""

    def start(self, title: str, inputs: Mapping[str, str]) -> tuple[str, Reply]:
        book = runbooks()[inputs["runbook"]]
        named = {name: inputs.get(name, "") for name in book.inputs}
        if any("fail" in value.casefold() for value in named.values()):
            first = book.steps[0].format(**named)
            return secrets.token_hex(6), Reply("failed", [f"{first}: not found"], is_over=True)
        steps = [step.format(**named) for step in book.steps]
        outputs = {name: words.format(**named) for name, words in book.outputs.items()}
        return secrets.token_hex(6), Reply("done", steps, is_over=True, outputs=outputs)

    def look(self, key: str, inputs: Mapping[str, str], age_s: int) -> Reply:
        return Reply("done", is_over=True)


SYSTEMS: Mapping[str, type[Any]] = {
    "development": DevelopmentSimulator,
    "remote help": RemoteHelpSimulator,
    "runbook": RunbookSimulator,
}


def system(kind: str) -> System:
    """The system behind a kind of outward link, as the settings name it."""
    from django.conf import settings
    from django.utils.module_loading import import_string

    named = getattr(settings, "OUTWARD_SYSTEMS", {}).get(kind)
    found: System = import_string(named)() if named else SYSTEMS[kind]()
    return found
