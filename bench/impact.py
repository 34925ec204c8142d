"""Reach of one stop over a large estate, beside a plain enumeration of all paths."""

import random
import statistics

from bench.timing import best, in_turns, verdict
from gannet_core.impact import HARD, REDUNDANT, SOFT, Edge, Web

NODES, EDGES, NEAR = 10_000, 30_000, 400
_SHARES = {HARD: 1.0, SOFT: 0.5, REDUNDANT: 0.25}


def estate(seed: int = 3) -> list[Edge]:
    """So many things, each standing on a few of those made shortly before it."""
    rng = random.Random(seed)
    found = []
    for _ in range(EDGES):
        source = rng.randrange(1, NODES)
        target = rng.randrange(max(0, source - NEAR), source)
        strength = rng.choice([HARD, SOFT, SOFT, REDUNDANT])
        group = f"group {rng.randrange(3)}" if strength == REDUNDANT else ""
        found.append(Edge(f"n{source}", f"n{target}", strength, group))
    return found


def enumerated(carries: dict[str, list[Edge]], hit: str, deep: int) -> dict[str, float]:
    """The largest product over every path up to a depth, one path after the other."""
    reach = {hit: 1.0}
    todo = [(hit, 1.0, 0)]
    while todo:
        node, share, depth = todo.pop()
        if depth == deep:
            continue
        for edge in carries.get(node, ()):
            product = share * _SHARES[edge.strength]
            reach[edge.source] = max(reach.get(edge.source, 0.0), product)
            todo.append((edge.source, product, depth + 1))
    return reach


def run() -> list[str]:
    edges = estate()
    web = Web(edges)
    carries: dict[str, list[Edge]] = {}
    for edge in edges:
        carries.setdefault(edge.target, []).append(edge)
    hit = "n40"
    found = web.stopped([hit])
    # As deep as half of what is affected lies, and no deeper than ends in a minute.
    deep = min(12, round(statistics.median(len(found.path(node)) for node in found.reach)))
    plain, ours = in_turns(
        lambda: enumerated(carries, hit, deep), lambda: web.stopped([hit]), rounds=5
    )
    milliseconds = best(lambda: web.stopped([hit])) * 1000
    return [
        f"reach over {NODES:,} nodes and {EDGES:,} edges: {len(found.reach):,} affected",
        verdict("reach of one item, milliseconds", milliseconds, "≤ 15", is_met=milliseconds <= 15),
        verdict(
            f"all paths up to {deep} deep / reach", plain / ours, "≥ 20", is_met=plain / ours >= 20
        ),
    ]
