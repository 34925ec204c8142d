"""Checks on what changes are planned by: windows, types, the CAB's meeting, templates."""

from collections.abc import Iterable, Iterator, Mapping
from datetime import date
from typing import Any

from gannet_core.changes import LIKE, WAY, ChangeType, read_settings
from gannet_core.errors import ScheduleError, WindowError
from gannet_core.findings import WARNING, Finding, World, say
from gannet_core.item_groups import names_of
from gannet_core.rulebook import Document
from gannet_core.schedule import meeting_of
from gannet_core.windows import read_window, read_zone

_CHANGES = {"key": "", "name": "Changes"}


def windows(document: Document, world: World, today: date) -> Iterator[Finding]:
    """Each window can be read, and covers what there is."""
    groups = names_of(document.get("item_groups") or ())
    for one in document.get("windows") or ():
        try:
            read_window(one)
        except WindowError as error:
            yield say(
                "windows", one, f"{str(error)[:1].upper()}{str(error)[1:]}.",
                "It would never open.", "Correct that place.",
            )  # fmt: skip
        yield from _gone("windows", one, "service", one.get("services") or (), world.services)
        yield from _gone("windows", one, "group of items", one.get("groups") or (), groups)


def changes(document: Document, world: World, today: date) -> Iterator[Finding]:
    """There is a type of each kind, thresholds rise, the CAB can meet."""
    said = document.get("changes") or {}
    settings = read_settings(said)
    missing = [like for like in LIKE if like not in {one.like for one in settings.types}]
    if missing:
        yield say(
            "changes",
            _CHANGES,
            f"No type of change is like a {missing[0]} one.",
            "What would be of that type is read by the shipped rules, which nobody sees here.",
            "Add one.",
            WARNING,
        )
    for one in settings.types:
        if said.get("types") and one.cab and not settings.cab:
            yield say(
                "changes",
                _CHANGES,
                f"{one.name} changes go to the CAB, which has no meeting.",
                "Nobody would know when it decides.",
                "Say when it meets.",
            )
    yield from _stages(settings.types)
    if list(settings.model.thresholds) != sorted(settings.model.thresholds):
        yield say(
            "changes",
            _CHANGES,
            "The thresholds of risk do not rise.",
            "A rating between two of them could never be reached.",
            "Let high begin above moderate, and critical above high.",
        )
    if settings.cab:
        cab = settings.cab
        try:
            meeting_of(cab["weekday"], cab["time"], read_zone(cab["zone"]), cab["cutoff_minutes"])
        except (WindowError, ScheduleError) as error:
            yield say(
                "changes", _CHANGES, f"The CAB’s meeting: {error}.",
                "Nobody would know when it decides.", "Correct that place.",
            )  # fmt: skip
        if cab.get("board") and cab["board"] not in world.boards:
            yield say(
                "changes", _CHANGES, f"There is no board “{cab['board']}”.",
                "Nobody would be invited.", "Choose a board.",
            )  # fmt: skip


def _stages(types: Iterable[ChangeType]) -> Iterator[Finding]:
    """The stages that a type adds have names of their own."""
    for kind in types:
        names = [name.casefold() for name in (*WAY, *(one.name for one in kind.stages))]
        twice = next((name for name in names if names.count(name) > 1), None)
        keys = [one.key for one in kind.stages]
        if twice is not None or len(set(keys)) < len(keys):
            yield say(
                "changes",
                _CHANGES,
                f"Two stages of {kind.name} changes are called “{twice or keys[0]}”.",
                "Nobody could tell in which of them a change is.",
                "Give each a name of its own.",
            )


def change_templates(document: Document, world: World, today: date) -> Iterator[Finding]:
    """A template names a service there is; a pre-authorised one has a plan and a way back."""
    for one in document.get("change_templates") or ():
        yield from _gone(
            "change_templates", one, "service", [one["service"]] if one.get("service") else (),
            world.services,
        )  # fmt: skip
        groups = names_of(document.get("item_groups") or ())
        yield from _gone("change_templates", one, "group", one.get("groups") or (), groups)
        parts = {step["part"] for step in one.get("steps") or ()}
        if one.get("is_preauthorised") and "back out" not in parts:
            yield say(
                "change_templates",
                one,
                "It is authorised beforehand and says no way back.",
                "Nobody would be asked, and nobody would know how to undo it.",
                "Add a step that backs it out.",
                WARNING,
            )


def _gone(
    section: str, one: Mapping[str, Any], what: str, named: Iterable[str], known: Iterable[str]
) -> Iterator[Finding]:
    for name in named:
        if name not in known:
            yield say(
                section, one, f"There is no {what} “{name}”.",
                "What names it covers nothing by it.", "Choose another.",
            )  # fmt: skip
