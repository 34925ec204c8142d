"""A target that runs out is on record at the instant at which it does."""

from gannet.people.acting import Acting
from gannet.rulebook.book import edition
from gannet.tickets import promises
from gannet.tickets.actions import timers
from gannet.tickets.actions.frame import writing
from gannet.tickets.events import TicketEvent
from gannet.tickets.models import ClockStateCode, Timer

_LIVE = (ClockStateCode.RUNNING, ClockStateCode.LATE)


def miss_target(ticket_id: int, acting: Acting, subject: str) -> None:
    """Record that a target ran out, if its clock did go past it."""
    kind, _, holder = subject.partition("/")
    with writing(ticket_id, acting) as write:
        # Recomputed by the frame; only the row's word at this instant is read here.
        clock = next((c for c in write.clocks if c.kind == kind and c.holder == holder), None)
        if clock is None or clock.state not in _LIVE:
            return
        label = str(write.book.clock_kinds[kind]["label"])
        said = {"clock": kind, "holder": holder, "label": label, "due_s": clock.due_s}
        write.record(TicketEvent.TARGET_MISSED, facts=said, is_automatic=True)
        if not holder:  # the customer's targets; a team's own are in its reports
            write.tell(write.ticket.holder, "late", label)


def _ends(standing: timers.Standing) -> dict[str, int]:
    found = {}
    for clock in standing.clocks:
        if clock.state == ClockStateCode.RUNNING:
            late_from = promises.late_from(clock, edition(clock.edition))
            if late_from is not None:
                # A clock is late only once it has gone past its target.
                found[f"{clock.kind}/{clock.holder}"] = late_from + 1
        elif clock.state == ClockStateCode.LATE:
            # It has run out, and somebody acted before that was put on record.
            subject = f"{clock.kind}/{clock.holder}"
            armed_s = standing.armed.get(("late", subject))
            if armed_s is not None:
                found[subject] = armed_s
    return found


def _fire(timer: Timer, acting: Acting) -> None:
    miss_target(timer.ticket_id or 0, acting, timer.subject)


timers.register(timers.TimerKind(key="late", fire=_fire, wanted=_ends))
