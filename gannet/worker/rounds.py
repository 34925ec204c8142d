"""What the worker does round after round; each part apart, so that none keeps another waiting."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import partial

from gannet.majors import gathering
from gannet.messages import delivery, hooks, inbound, notices, outbox
from gannet.messages.models import Notification
from gannet.people.models import Person, Role
from gannet.reports import delivering, freezing, looking_ahead, stretches
from gannet.services import scans
from gannet.tickets.actions.outward import look_outside
from gannet.tickets.actions.routes import replace_leavers
from gannet.tickets.models import Timer, TimerState
from gannet.upkeep import telling
from gannet.web.isolation import Trouble, attempt, troubles
from gannet.worker import renamed

TELL_AFTER_TIMES = 3


@dataclass(frozen=True)
class Round:
    """One part of a round: its name, as administrators read it, and what it does by now."""

    name: str
    does: Callable[[int], int]


# The modules are named here, not their functions: a test, or a site, may stand in for one.
ROUNDS: Sequence[Round] = (
    Round("reading mail", lambda now_s: inbound.read_waiting(now_s)),
    Round("replacing who left", lambda now_s: replace_leavers(now_s)),
    Round("looking for many reports of one thing", lambda now_s: gathering.suggest_many(now_s)),
    Round("looking at other systems", lambda now_s: look_outside(now_s)),
    Round("gathering digests", lambda now_s: delivery.gather_digests(now_s)),
    Round("reading where time went", lambda now_s: stretches.keep_current(now_s)),
    Round("sending reports", lambda now_s: delivering.send_due(now_s)),
    Round("freezing reports", lambda now_s: freezing.freeze_due(now_s)),
    Round("telling owners of articles", lambda now_s: telling.tell_owners(now_s)),
    Round("looking ahead", lambda now_s: looking_ahead.keep_current(now_s)),
    Round("following new names", lambda now_s: renamed.follow(now_s)),
    Round("sending mail", lambda now_s: outbox.send_due(now_s)),
    Round("webhooks", lambda now_s: hooks.send_due(now_s)),
    Round("reading scans", lambda now_s: scans.read_folder(now_s)),
)


def do_rounds(now_s: int, rounds: Sequence[Round] = ROUNDS) -> int:
    """Every part once; how much was done. One that fails rests, the others go on."""
    return sum(attempt(one.name, None, partial(one.does, now_s), now_s) for one in rounds)


def tell_of_trouble(now_s: int, names: Sequence[str]) -> None:
    """Tell administrators what keeps failing, and take it back when it is well again."""
    for name in names:
        found = [one for one in troubles(name) if one.times >= TELL_AFTER_TIMES]
        _tell(now_s, name, found)
    stuck = Timer.objects.filter(state=TimerState.ARMED, attempts__gte=TELL_AFTER_TIMES)
    rows = stuck.order_by("-attempts").values_list("attempts", "problem", "at_s")[:50]
    _tell(now_s, "timers", [Trouble(*row) for row in rows])


def _tell(now_s: int, name: str, found: Sequence[Trouble]) -> None:
    about = f"trouble:{name}"
    if not found:
        notices.gone(now_s, about=about)
        return
    known = set(
        Notification.objects.filter(about=about, gone_s=None).values_list("person_id", flat=True)
    )
    worst = found[0]
    title = f"The worker cannot go on with {name}: {worst.words}"
    more = f" and {len(found) - 1} more" if len(found) > 1 else ""
    text = f"Tried {worst.times} times{more}. It is tried again by itself; everything else goes on."
    for person in Person.objects.filter(is_active=True).exclude(pk__in=known):
        if person.has_role(Role.ADMINISTRATOR):
            notices.notify(person, "worker trouble", about, title, now_s, text=text)
