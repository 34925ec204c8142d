"""Lifecycles as values: the stages of each kind of record, and which act leads from which to which.

Source: computation.md, section 0 for incidents, requests and tasks, sections 12 and 20 for
changes and problems. Code, checks and the tables of docs/lifecycles.md read these values;
labels, and further states within a stage, are the rulebook's.
"""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field

from gannet_core.errors import LifecycleError

Moves = Mapping[str, Mapping[str, str]]


@dataclass(frozen=True, slots=True)
class Stage:
    """One stage of a record's life.

    `is_open` says that somebody has something to do; `move` whose turn it is, or nothing
    when that depends on what the record waits on (`waits`).
    """

    name: str
    is_open: bool = True
    move: str = "ours"
    waits: bool = False


@dataclass(frozen=True)
class Lifecycle:
    """The stages of a kind of record, the first of them where it begins, and its legal moves.

    `moves` is act -> stage it may start from -> stage it leads to; `clocks` names the kinds
    of clock that ship for it. A value that contradicts itself is `LifecycleError`.
    """

    kind: str
    stages: tuple[Stage, ...]
    moves: Moves
    clocks: tuple[str, ...] = ()
    _by_name: dict[str, Stage] = field(init=False, repr=False, compare=False, default_factory=dict)

    def __post_init__(self) -> None:
        self._by_name.update({stage.name: stage for stage in self.stages})
        if len(self._by_name) != len(self.stages):
            raise LifecycleError(f"two stages of a {self.kind} have one name")
        known = set(self._by_name)
        for act, pairs in self.moves.items():
            strange = {*pairs, *pairs.values()} - known
            if strange:
                raise LifecycleError(f"{act} leads a {self.kind} from or to {min(strange)}")
        unreached = known - self.reachable()
        if unreached:
            raise LifecycleError(f"a {self.kind} never comes to be {min(unreached)}")
        stuck = [stage.name for stage in self.stages if stage.is_open and not self._ends(stage)]
        if stuck:
            raise LifecycleError(f"a {self.kind} that is {stuck[0]} never ends")

    @property
    def first(self) -> Stage:
        """Where a record begins."""
        return self.stages[0]

    def stage(self, name: str) -> Stage:
        """The stage of that name, or `LifecycleError`."""
        if name not in self._by_name:
            raise LifecycleError(f"a {self.kind} is never {name}")
        return self._by_name[name]

    def is_open(self, name: str) -> bool:
        """Whether somebody has something to do in a stage."""
        return self.stage(name).is_open

    def can(self, name: str, act: str) -> bool:
        """Whether an act is legal in a stage."""
        return name in self.moves.get(act, {})

    def after(self, name: str, act: str) -> str:
        """The stage an act leads to; one that the stage does not allow is `LifecycleError`."""
        if not self.can(name, act):
            raise LifecycleError(f"this is {name}: it cannot be {act} from there")
        return self.moves[act][name]

    def stage_after(self, acts: Iterable[str], start: str = "") -> str:
        """The stage that acts lead to from the first, or from `start`.

        Acts that are not legal change nothing.
        """
        name = start or self.first.name
        for act in acts:
            name = self.moves.get(act, {}).get(name, name)
        return name

    def ending_acts(self) -> frozenset[str]:
        """The acts that lead from an open stage to one in which nothing is left to do."""
        return frozenset(
            act
            for act, pairs in self.moves.items()
            for start, end in pairs.items()
            if self.is_open(start) and not self.is_open(end)
        )

    def reachable(self) -> set[str]:
        """Every stage that some acts lead to from the first."""
        return self._from(self.first.name)

    def _from(self, name: str) -> set[str]:
        found, left = {name}, [name]
        while left:
            here = left.pop()
            for pairs in self.moves.values():
                following = pairs.get(here)
                if following is not None and following not in found:
                    found.add(following)
                    left.append(following)
        return found

    def _ends(self, stage: Stage) -> bool:
        return any(not self._by_name[name].is_open for name in self._from(stage.name))

    def table(self) -> list[list[str]]:
        """The legal moves as rows of text: a heading, then one row for each act.

        An act that leaves a record where it is shows a dot, one that is not legal nothing.
        """
        names = [stage.name for stage in self.stages]
        rows = [["act", *names]]
        for act, pairs in self.moves.items():
            cells = ("·" if pairs.get(name) == name else pairs.get(name, "") for name in names)
            rows.append([str(act), *map(str, cells)])
        return rows


def stays(*names: str) -> dict[str, str]:
    """Moves that leave a record in its stage."""
    return {name: name for name in names}


def leads(to: str, *names: str) -> dict[str, str]:
    """Moves from several stages to one."""
    return dict.fromkeys(names, to)


TASK = Lifecycle(
    "task",
    (
        Stage("open"),
        Stage("done", is_open=False, move="nobody's"),
        Stage("skipped", is_open=False, move="nobody's"),
    ),
    {
        "done": leads("done", "open"),
        "skipped": leads("skipped", "open"),
        "reopened": leads("open", "done", "skipped"),
        "changed": stays("open"),
    },
)

_PROBLEM_OPEN = ("new", "looking for the cause", "known error", "waiting")
PROBLEM = Lifecycle(
    "problem",
    (
        Stage("new"),
        Stage("looking for the cause"),
        Stage("known error"),
        Stage("waiting", waits=True, move=""),
        Stage("resolved", is_open=False, move="nobody's"),
        Stage("closed", is_open=False, move="nobody's"),
        Stage("cancelled", is_open=False, move="nobody's"),
    ),
    {
        "taken": {"new": "looking for the cause", **stays(*_PROBLEM_OPEN[1:])},
        "handed over": stays(*_PROBLEM_OPEN),
        "noted": stays(*_PROBLEM_OPEN, "resolved", "closed", "cancelled"),
        "changed": stays(*_PROBLEM_OPEN, "resolved"),
        "cause found": leads("known error", "new", "looking for the cause", "known error"),
        "cause doubted": leads("looking for the cause", "known error"),
        "fix decided": stays(*_PROBLEM_OPEN),
        "waiting": leads("waiting", *_PROBLEM_OPEN),
        "resumed": leads("looking for the cause", "waiting"),
        "resolved": leads("resolved", *_PROBLEM_OPEN),
        "reopened": leads("looking for the cause", "resolved"),
        "closed": leads("closed", "resolved"),
        "cancelled": leads("cancelled", *_PROBLEM_OPEN),
    },
    ("cause", "decision"),
)

_CHANGE_BEFORE = ("draft", "assess", "authorise", "planned")
CHANGE = Lifecycle(
    "change",
    (
        Stage("draft"),
        Stage("assess"),
        Stage("authorise", move="approver's"),
        Stage("planned", move="scheduled"),
        Stage("under way"),
        Stage("look back"),
        Stage("done", is_open=False, move="nobody's"),
        Stage("refused", is_open=False, move="nobody's"),
        Stage("backed out", is_open=False, move="nobody's"),
        Stage("cancelled", is_open=False, move="nobody's"),
    ),
    {
        "taken": stays(*_CHANGE_BEFORE, "under way", "look back"),
        "handed over": stays(*_CHANGE_BEFORE, "under way", "look back"),
        "submitted": leads("assess", "draft"),
        "sent back": leads("draft", "assess", "authorise"),
        "assessed": leads("authorise", "assess"),
        "authorised": leads("planned", "authorise"),
        # What was authorised has changed: those whom it touches are asked again.
        "asked again": leads("authorise", "authorise", "planned"),
        # Its risk has risen above what its type allows.
        "fell back": leads("assess", "authorise", "planned"),
        "refused": leads("refused", "assess", "authorise"),
        "moved": stays("planned"),
        # A change manager wants the change advisory board to decide on it.
        "referred": stays("assess", "authorise"),
        # A stage that the rulebook adds is entered, within the one that ships.
        "moved on": stays("draft", "assess", "planned", "under way", "look back"),
        "started": leads("under way", "planned"),
        # It is a draft of its own again.
        "left release": leads("draft", *_CHANGE_BEFORE),
        "stopped": stays("under way"),
        # Of a release: its next phase opens.
        "go": stays("under way"),
        "implemented": leads("look back", "under way"),
        "backed out": leads("backed out", "under way", "look back"),
        "looked back": leads("done", "look back"),
        "cancelled": leads("cancelled", *_CHANGE_BEFORE),
        "changed": stays(*_CHANGE_BEFORE, "under way", "look back"),
        "noted": stays(
            *_CHANGE_BEFORE, "under way", "look back", "done", "refused", "backed out", "cancelled"
        ),
    },
    ("authorisation", "look back"),
)

MAJOR = Lifecycle(
    "major incident",
    (
        Stage("running"),
        Stage("review"),
        Stage("reviewed", is_open=False, move="nobody's"),
    ),
    {
        "taken": stays("running", "review"),
        "handed over": stays("running", "review"),
        "changed": stays("running", "review", "reviewed"),
        "noted": stays("running", "review", "reviewed"),
        "stood down": leads("review", "running"),
        "declared again": leads("running", "review", "reviewed"),
        "reviewed": leads("reviewed", "review"),
    },
)
