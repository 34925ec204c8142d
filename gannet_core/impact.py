"""Impact: what of the estate loses how much when something of it stops (computation, §11).

An edge says that one thing depends on another: wholly (`hard`), partly (`soft`), or as on one
of a named group of which one is enough (`redundant`). How much of a node is lost when others
are hit is its *reach*: the largest product of strengths along any path to a hit node.

A `Web` is built once for a set of edges and asked many times: an answer visits only what it
reaches. Strengths are powers of a half, so the search goes by whole numbers of halvings.
"""

from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

from gannet_core.errors import ImpactError

HARD, SOFT, REDUNDANT = "hard", "soft", "redundant"
STRENGTHS = (HARD, SOFT, REDUNDANT)
# How often a strength halves what goes through it.
_HALVINGS: Mapping[str, int] = {HARD: 0, SOFT: 1, REDUNDANT: 2}


@dataclass(frozen=True, slots=True)
class Edge:
    """`source` depends on `target`; a redundant edge names the group that it is a member of."""

    source: str
    target: str
    strength: str = HARD
    group: str = ""


@dataclass(frozen=True, slots=True)
class Step:
    """One step of a path: `node` loses through `target`, by a share of 1, 0.5 or 0.25."""

    node: str
    target: str
    share: float
    strength: str
    group: str = ""


@dataclass(frozen=True, slots=True)
class LostGroup:
    """A redundant group of `node` of which nothing stands, and what took all its members.

    `causes` is one node when a single one took them all – redundant on paper only.
    """

    node: str
    group: str
    members: tuple[str, ...]
    causes: tuple[str, ...]


@dataclass(frozen=True)
class Impact:
    """What is affected: node → share lost (0 to 1), how it comes to that, groups lost."""

    reach: Mapping[str, float]
    lost_groups: tuple[LostGroup, ...]
    _step: Callable[[str], Step | None]

    def path(self, node: str) -> list[Step]:
        """The strongest way from an affected node down to a hit one; empty for a hit one."""
        steps = []
        while (step := self._step(node)) is not None:
            steps.append(step)
            node = step.target
        return steps


class Web:
    """The dependencies of an estate, ready to be asked what a stop reaches."""

    def __init__(self, edges: Iterable[Edge]) -> None:
        self._names: list[str] = []
        self._numbers: dict[str, int] = {}
        # For each node, who stands on it: (who, halvings, group), a group being -1 for none.
        self._carries: list[list[tuple[int, int, int]]] = []
        self._group_of: list[tuple[int, str]] = []
        self._members: list[list[int]] = []
        groups: dict[tuple[int, str], int] = {}
        self.edges = tuple(dict.fromkeys(edges))  # told twice, it is one
        for edge in self.edges:
            if edge.strength not in _HALVINGS:
                raise ImpactError(f"there is no strength “{edge.strength}”")
            source, target = self._number(edge.source), self._number(edge.target)
            group = -1
            if edge.strength == REDUNDANT:
                if not edge.group:
                    raise ImpactError(f"{edge.source} on {edge.target}: which group?")
                group = groups.setdefault((source, edge.group), len(self._members))
                if group == len(self._members):
                    self._members.append([])
                    self._group_of.append((source, edge.group))
                if target not in self._members[group]:
                    self._members[group].append(target)
            self._carries[target].append((source, _HALVINGS[edge.strength], group))
        self._others = [len(found) - 1 for found in self._members]

    def __contains__(self, node: str) -> bool:
        return node in self._numbers

    def __len__(self) -> int:
        return len(self._names)

    def _number(self, name: str) -> int:
        found = self._numbers.get(name)
        if found is None:
            found = self._numbers[name] = len(self._names)
            self._names.append(name)
            self._carries.append([])
        return found

    def stopped(self, hit: Iterable[str]) -> Impact:
        """What loses something when all of `hit` stop at once.

        A hit node has reach 1; nodes that nothing reaches are left out; a node may be hit
        that stands in no edge.
        """
        wanted = dict.fromkeys(hit)
        struck = [self._numbers[name] for name in wanted if name in self._numbers]
        lost, spent = self._lost(struck)
        halvings, via = self._searched(struck, lost, spent)
        names = self._names
        reach = {name: 1.0 for name in wanted if name not in self._numbers}
        shares = [0.5**count for count in range(max(halvings.values(), default=0) + 1)]
        reach.update((names[node], shares[count]) for node, count in halvings.items())

        def step(name: str) -> Step | None:
            number = self._numbers.get(name)
            if number is None or number not in via:
                return None
            target, cost, group = via[number]
            strength = REDUNDANT if group >= 0 else (SOFT if cost else HARD)
            named = self._group_of[group][1] if group >= 0 else ""
            return Step(name, names[target], 0.5**cost, strength, named)

        found = Impact(reach, (), step)
        return Impact(reach, tuple(self._lost_groups(found, spent)), step)

    @cached_property
    def _stands_on(self) -> dict[str, list[str]]:
        found: dict[str, list[str]] = {}
        for edge in self.edges:
            found.setdefault(edge.source, []).append(edge.target)
        return found

    @cached_property
    def _carried_by(self) -> dict[str, list[str]]:
        found: dict[str, list[str]] = {}
        for edge in self.edges:
            found.setdefault(edge.target, []).append(edge.source)
        return found

    def below(self, nodes: Iterable[str]) -> frozenset[str]:
        """All that these nodes depend on, along any path; themselves only in a circle."""
        return _walked(self._stands_on, nodes)

    def above(self, nodes: Iterable[str]) -> frozenset[str]:
        """All that depends on these nodes, along any path; themselves only in a circle."""
        return _walked(self._carried_by, nodes)

    def half_below(self, nodes: Iterable[str]) -> frozenset[str]:
        """Whatever can take half of one of these nodes or more, by itself or with others.

        Along some path at most one dependency is soft; of a redundant one the others may be
        lost too, so it counts as whole. The nodes themselves are among it.
        """
        return _half(self._stands_on_how, nodes)

    def half_above(self, nodes: Iterable[str]) -> frozenset[str]:
        """Of what one of these nodes can take half or more, by itself or with others."""
        return _half(self._carried_by_how, nodes)

    @cached_property
    def _stands_on_how(self) -> dict[str, list[tuple[str, bool]]]:
        found: dict[str, list[tuple[str, bool]]] = {}
        for edge in self.edges:
            found.setdefault(edge.source, []).append((edge.target, edge.strength == SOFT))
        return found

    @cached_property
    def _carried_by_how(self) -> dict[str, list[tuple[str, bool]]]:
        found: dict[str, list[tuple[str, bool]]] = {}
        for edge in self.edges:
            found.setdefault(edge.target, []).append((edge.source, edge.strength == SOFT))
        return found

    def within(self, nodes: Collection[str]) -> "Web":
        """The web of what these nodes depend on directly: edges from others are left out."""
        by_source = self._edges_by_source
        return Web(edge for node in nodes for edge in by_source.get(node, ()))

    @cached_property
    def _edges_by_source(self) -> dict[str, list[Edge]]:
        found: dict[str, list[Edge]] = {}
        for edge in self.edges:
            found.setdefault(edge.source, []).append(edge)
        return found

    def _lost(self, struck: Sequence[int]) -> tuple[set[int], dict[int, int]]:
        """The smallest set of nodes of which nothing is left, and how many of each group are.

        A node joins when something it stands on wholly has joined, or a whole group of its
        has: never because it is part of a circle that would hold itself up.
        """
        lost = set(struck)
        spent: dict[int, int] = {}
        todo = list(lost)
        while todo:
            for who, halvings, group in self._carries[todo.pop()]:
                if group >= 0:
                    spent[group] = spent.get(group, 0) + 1
                    if spent[group] < len(self._members[group]):
                        continue
                elif halvings:
                    continue
                if who not in lost:
                    lost.add(who)
                    todo.append(who)
        return lost, spent

    def _searched(
        self, struck: Sequence[int], lost: set[int], spent: Mapping[int, int]
    ) -> tuple[dict[int, int], dict[int, tuple[int, int, int]]]:
        """Fewest halvings from each node to a struck one, and the first step of that way."""
        best = dict.fromkeys(struck, 0)
        via: dict[int, tuple[int, int, int]] = {}
        layers: list[list[int]] = [list(best)]
        carries, others = self._carries, self._others
        known, count, nothing = best.get, spent.get, len(self._names) * 2 + 1
        at = 0
        while at < len(layers):
            # What costs nothing is appended to the layer while it is gone through.
            for node in layers[at]:
                if best[node] != at:
                    continue  # a shorter way was found meanwhile
                is_lost = node in lost
                for who, cost, group in carries[node]:
                    before = known(who, nothing)
                    if before <= at:
                        continue
                    if group >= 0 and count(group, 0) - is_lost >= others[group]:
                        cost = 0  # no other member of the group stands
                    reached = at + cost
                    if before <= reached:
                        continue
                    best[who] = reached
                    via[who] = (node, cost, group)
                    while len(layers) <= reached:
                        layers.append([])
                    layers[reached].append(who)
            at += 1
        return best, via

    def _lost_groups(self, found: Impact, spent: Mapping[int, int]) -> Iterable[LostGroup]:
        for group, count in spent.items():
            members = self._members[group]
            if len(members) < 2 or count < len(members):
                continue
            names = tuple(self._names[member] for member in members)
            ways = [[name, *(step.target for step in found.path(name))] for name in names]
            common = next((node for node in ways[0] if all(node in way for way in ways)), None)
            causes = (common,) if common else tuple(dict.fromkeys(way[-1] for way in ways))
            owner, name = self._group_of[group]
            yield LostGroup(self._names[owner], name, names, causes)


def _walked(ways: Mapping[str, Sequence[str]], nodes: Iterable[str]) -> frozenset[str]:
    found: set[str] = set()
    left = list(nodes)
    while left:
        for node in ways.get(left.pop(), ()):
            if node not in found:
                found.add(node)
                left.append(node)
    return frozenset(found)


def _half(ways: Mapping[str, Sequence[tuple[str, bool]]], nodes: Iterable[str]) -> frozenset[str]:
    """What lies along ways with at most one soft step."""
    whole, once = set(nodes), set[str]()
    left = list(whole)
    after: list[str] = []
    while left:
        for node, is_soft in ways.get(left.pop(), ()):
            if is_soft:
                after.append(node)
            elif node not in whole:
                whole.add(node)
                left.append(node)
    for node in after:
        if node not in whole and node not in once:
            once.add(node)
            left.append(node)
    while left:
        for node, is_soft in ways.get(left.pop(), ()):
            if not is_soft and node not in whole and node not in once:
                once.add(node)
                left.append(node)
    return frozenset(whole | once)


def reach(edges: Iterable[Edge], hit: Iterable[str]) -> Mapping[str, float]:
    """Share lost of every node that the stop of `hit` reaches, the hit ones included."""
    return Web(edges).stopped(hit).reach
