"""Tasks with an order: which are ready, when each can run, which of them decide the end.

The order is a directed acyclic graph. Times are whole minutes from the beginning of the
plan; the application maps them to dates on a service calendar. Earliest times come from a
forward pass, latest from a backward one (the critical path method of PERT/CPM).
"""

from collections.abc import Hashable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

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
