"""Tasks with an order: which are ready, when each can run, which of them decide the end.

The order is a directed acyclic graph. Times are whole minutes from the beginning of the
plan; the application maps them to dates on a service calendar. Earliest times come from a
forward pass, latest from a backward one (the critical path method of PERT/CPM). What doing
one task yields, such as an asset tag, can be read by those that wait for it.
"""

import re
from collections.abc import Hashable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from gannet_core.conditions import fold
from gannet_core.errors import TaskCycle, TaskError

Name = Hashable


@dataclass(frozen=True, slots=True)
class Task:
    """One task: its length in minutes, what it waits for, whether it is over already."""

    id: Any
    estimate_minutes: int = 0
    after: tuple[Any, ...] = field(default_factory=tuple)
    is_over: bool = False  # done, or skipped because its condition is false


@dataclass(frozen=True, slots=True)
class Plan:
    """When each task can run and must run, in minutes from 0."""

    earliest: Mapping[Any, tuple[int, int]]
    latest: Mapping[Any, tuple[int, int]]
    slack: Mapping[Any, int]
    critical: tuple[Any, ...]
    ready: tuple[Any, ...]
    length: int


def plan(tasks: Sequence[Task]) -> Plan:
    """Earliest and latest start and finish, slack, critical path and what is ready.

    `TaskError`: an id twice, an unknown predecessor, a negative estimate. `TaskCycle`: a
    task that waits for itself, directly or not; it names the path.
    """
    ordered = in_order(tasks)
    earliest: dict[Any, tuple[int, int]] = {}
    for task in ordered:
        start = max((earliest[name][1] for name in task.after), default=0)
        earliest[task.id] = (start, start + task.estimate_minutes)
    length = max((finish for _, finish in earliest.values()), default=0)
    followers: dict[Any, list[Any]] = {task.id: [] for task in ordered}
    for task in ordered:
        for name in task.after:
            followers[name].append(task.id)
    latest: dict[Any, tuple[int, int]] = {}
    for task in reversed(ordered):
        finish = min((latest[name][0] for name in followers[task.id]), default=length)
        latest[task.id] = (finish - task.estimate_minutes, finish)
    slack = {task.id: latest[task.id][0] - earliest[task.id][0] for task in tasks}
    place = {task.id: at for at, task in enumerate(tasks)}
    critical = sorted(
        (task.id for task in tasks if slack[task.id] == 0),
        key=lambda name: (*earliest[name], place[name]),
    )
    return Plan(
        earliest={task.id: earliest[task.id] for task in tasks},
        latest={task.id: latest[task.id] for task in tasks},
        slack=slack,
        critical=tuple(critical),
        ready=tuple(task.id for task in ready(tasks)),
        length=length,
    )


def ready(tasks: Sequence[Task]) -> list[Task]:
    """The tasks that nothing holds up: not over, every predecessor over, in the given order."""
    over = {task.id for task in tasks if task.is_over}
    return [task for task in tasks if not task.is_over and over.issuperset(task.after)]


def in_order(tasks: Sequence[Task]) -> list[Task]:
    """The tasks with every one behind all that it waits for; the checks of `plan`."""
    by_name = _checked(tasks)
    done: set[Any] = set()
    ordered: list[Task] = []
    for root in tasks:
        # Depth first with a stack of its own: a long chain is no deep recursion.
        path: list[tuple[Any, Iterable[Any]]] = [(root.id, iter(root.after))]
        on_path = {root.id: None}
        while path and root.id not in done:
            name, waiting = path[-1]
            following = next((other for other in waiting if other not in done), None)
            if following is None:
                path.pop()
                on_path.pop(name)
                done.add(name)
                ordered.append(by_name[name])
            elif following in on_path:
                names = list(on_path)
                circle = [*names[names.index(following) :], following]
                raise TaskCycle(
                    "These tasks wait for each other: " + " waits for ".join(map(str, circle)) + "."
                )
            else:
                on_path[following] = None
                path.append((following, iter(by_name[following].after)))
    return ordered


def _checked(tasks: Sequence[Task]) -> dict[Any, Task]:
    by_name: dict[Any, Task] = {}
    for task in tasks:
        if task.id in by_name:
            raise TaskError(f"There are two tasks {task.id}.")
        if task.estimate_minutes < 0:
            raise TaskError(f"Task {task.id}: an estimate cannot be negative.")
        by_name[task.id] = task
    for task in tasks:
        for name in task.after:
            if name not in by_name:
                raise TaskError(f"Task {task.id} waits for {name}, which is not there.")
    return by_name


_NAMED = re.compile(r"\{([^{}]{1,60})\}")


def reads(words: str) -> list[str]:
    """The names in braces in the words of an input: "{asset tag}" reads the asset tag."""
    return list(dict.fromkeys(_NAMED.findall(words)))


def filled(words: str, values: Mapping[str, str]) -> tuple[str, list[str]]:
    """The words with every name that has a value replaced by it, and the names without one.

    Names are a closed set and are replaced once: a value that looks like a name is text.
    """
    lacking = [name for name in reads(words) if not values.get(name)]
    return _NAMED.sub(lambda found: values.get(found[1]) or found[0], words), lacking


def wrong_flow(entries: Sequence[Mapping[str, Any]]) -> list[str]:
    """What is wrong with what tasks hand on to each other, in sentences.

    Each entry has a `title`, and may have `after` (titles), `inputs` (name -> words that
    may read names) and `outputs` (names that doing it fills). Two tasks may not give the
    same name, and a task may read what another gives only when it waits for it, directly
    or through others; names that no task gives are answers of the form, and free. The
    order itself is `plan`'s to check.
    """
    found: list[str] = []
    giver: dict[str, str] = {}
    for entry in entries:
        for name in entry.get("outputs") or ():
            if name in giver:
                found.append(f"Both “{giver[name]}” and “{entry['title']}” give “{name}”.")
            giver.setdefault(name, entry["title"])
    after = {entry["title"]: tuple(entry.get("after") or ()) for entry in entries}
    for entry in entries:
        earlier = _before(entry["title"], after)
        words = " ".join(map(str, (entry.get("inputs") or {}).values()))
        found += [
            f"“{entry['title']}” reads “{name}”, but does not wait for “{giver[name]}”, which"
            " gives it."
            for name in reads(words)
            if name in giver and giver[name] not in earlier
        ]
    return found


def _before(title: str, after: Mapping[str, tuple[str, ...]]) -> set[str]:
    """Everything that a task waits for, directly or not; safe on a circle."""
    found: set[str] = set()
    waiting = list(after.get(title, ()))
    while waiting:
        name = waiting.pop()
        if name not in found:
            found.add(name)
            waiting.extend(after.get(name, ()))
    return found


def holds(condition: Mapping[str, Any], outputs: Mapping[str, str]) -> bool | None:
    """Whether what a task is only for has come about: `output` names it, `is` says what it must be.

    Letters and accents count as in every condition; None while nothing has yielded it yet, and
    True where nothing is asked.
    """
    name = str(condition.get("output") or "")
    if not name:
        return True
    said = outputs.get(name) or ""
    return fold(said) == fold(str(condition.get("is") or "")) if said else None
