"""Clashes and slots of one change among a year of planned ones, beside a plain pairwise scan."""

import random

from bench.timing import best, in_turns, verdict
from gannet_core.impact import REDUNDANT, SOFT, Edge, Web
from gannet_core.schedule import REACHED, Absence, Clash, Freeze, Occasion, Planned

PLANNED, WINDOWS, YEAR_S, NODES = 5_000, 200, 365 * 86_400, 2_000


def year(seed: int = 9) -> Occasion:
    """One change, all others of a year, freezes and windows over an estate of some size."""
    rng = random.Random(seed)
    edges, services, nodes = organisation(rng)
    people = [f"p{number}" for number in range(120)]

    def span(hours: int) -> tuple[int, int]:
        start = rng.randrange(YEAR_S // 900) * 900
        return start, start + rng.randrange(1, hours + 1) * 1800

    others = [
        Planned(
            f"c{number}",
            *span(6),
            frozenset(rng.sample(people, 2)),
            frozenset(rng.sample(nodes, rng.randrange(1, 4))),
        )
        for number in range(PLANNED)
    ]
    return Occasion(
        id="own",
        implementers=frozenset(people[:2]),
        items=frozenset(nodes[20:23]),
        others=others,
        web=Web(edges),
        services=services,
        freezes=[Freeze(f"f{n}", (span(96),), None) for n in range(6)],
        windows={nodes[20]: [span(8) for _ in range(WINDOWS)]},
        absences=[Absence(people[0], *span(200)) for _ in range(8)],
    )


def organisation(rng: random.Random) -> tuple[list[Edge], frozenset[str], list[str]]:
    """Services each on an application, two servers of which one is enough, a database and
    devices of their own; servers and databases stand softly on what all share."""
    edges: list[Edge] = []
    shared = [f"switch {number}" for number in range(20)]
    nodes, services = list(shared), []
    for number in range(NODES // 32):
        service, app, base = f"s{number}", f"app {number}", f"database {number}"
        pair = [f"server {number} {side}" for side in "ab"]
        services.append(service)
        edges += [Edge(service, app), Edge(app, base)]
        edges += [Edge(app, one, REDUNDANT, "pair") for one in pair]
        edges += [Edge(one, rng.choice(shared), SOFT) for one in (*pair, base)]
        devices = [f"device {number} {n}" for n in range(26)]
        edges += [Edge(one, app, SOFT) for one in devices]
        nodes += [app, base, *pair, *devices]
    return edges, frozenset(services), nodes


def plain(occasion: Occasion, edges: list[Edge], start: int, end: int) -> list[Clash]:
    """Each other change looked at by itself: what both strike, over the whole estate."""
    web, found = Web(edges), []
    own = web.stopped(occasion.items).reach
    for other in occasion.others:
        if other.start_s >= end or start >= other.end_s:
            continue
        if occasion.implementers & other.implementers:
            found.append(Clash("implementer", other.id))
        both = web.stopped(occasion.items | other.items).reach
        theirs = web.stopped(other.items).reach
        above = {*web.above(other.items), *web.below(other.items), *other.items}
        if above & occasion.items:
            found.append(Clash("ci", other.id))
        if any(
            both.get(name, 0) >= REACHED
            and (
                both[name] > max(own.get(name, 0), theirs.get(name, 0))
                or min(own.get(name, 0), theirs.get(name, 0)) >= REACHED
            )
            for name in occasion.services
        ):
            found.append(Clash("service", other.id))
    return found


def run() -> list[str]:
    occasion = year()
    edges = list(occasion.web.edges)
    start = 40 * 86_400
    end = start + 8 * 3600

    def fresh() -> Occasion:
        return Occasion(
            occasion.id, occasion.implementers, occasion.items, occasion.others, occasion.web,
            occasion.services, occasion.freezes, occasion.windows, None, occasion.absences,
        )  # fmt: skip

    both = lambda: (fresh().clashes(start, end), fresh().slots(start, start + 60 * 86_400, 120))  # noqa: E731
    # What a plain scan does for the clashes of every quarter of an hour that a slot may begin at
    # would take minutes: it is measured over the same two months, once.
    slow, ours = in_turns(
        lambda: plain(occasion, edges, start, start + 60 * 86_400),
        lambda: fresh().slots(start, start + 60 * 86_400, 120),
        rounds=3,
    )
    milliseconds = best(both) * 1000
    return [
        f"one change among {PLANNED:,} planned in a year, {WINDOWS} windows, {NODES:,} items",
        verdict("clashes and slots, milliseconds", milliseconds, "≤ 50", is_met=milliseconds <= 50),
        verdict("plain scan / slots", slow / ours, "≥ 10", is_met=slow / ours >= 10),
    ]
