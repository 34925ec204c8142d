"""`make bench`: each part prints its figures, its ratio, and whether the goal is met.

Absolute times mean little on a shared machine; a ratio of two things measured in turns in
one run does. `python -m bench [part …]` runs some of them, and, by name only, chaos.
BENCH_TICKETS sets the size of the large database (default 1,000,000), BENCH_SECONDS how long a
full desk is kept busy.
"""

import sys
from collections.abc import Callable, Sequence

from bench import (
    changes,
    chaos,
    first_view,
    full_desk,
    idle,
    impact,
    imports,
    knowledge,
    lists,
    pages,
    policies,
    recount,
    reports,
    rooms,
    schedule,
    servicetime,
    standing_out,
    streams,
    writes,
)

PARTS: dict[str, Callable[[], list[str]]] = {
    "servicetime": servicetime.run,
    "log": writes.run_log,
    "timers": writes.run_timers,
    "policies": policies.run,
    "impact": impact.run,
    "imports": imports.run,
    "patterns": standing_out.run,
    "knowledge": knowledge.run,
    "changes": changes.run,
    "schedule": schedule.run,
    "queue": lists.run,
    "pages": pages.run,
    "recount": recount.run,
    "reports": reports.run,
    "rooms": rooms.run,
    "streams": streams.run,
    "views": first_view.run,
    "worker": idle.run,
    "desk": full_desk.run,
}
# Takes minutes, and kills what it starts: only when it is asked for.
ONLY_ASKED: dict[str, Callable[[], list[str]]] = {"chaos": chaos.run}


def main(chosen: Sequence[str]) -> int:
    known = {**PARTS, **ONLY_ASKED}
    unknown = [name for name in chosen if name not in known]
    if unknown:
        print(f"There is no part {unknown[0]!r}: choose of {', '.join(known)}.", file=sys.stderr)
        return 2
    for name in chosen or PARTS:
        print(f"measuring {name} …", file=sys.stderr, flush=True)
        print("\n".join(known[name]()), flush=True)
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
