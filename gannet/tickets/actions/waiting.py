"""Waiting on somebody or something, with the reason, and taking it up again."""

from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime

from gannet.audit.models import Audience
from gannet.people.acting import Acting
from gannet.rulebook.book import current
from gannet.tickets import policies
from gannet.tickets.actions import timers
from gannet.tickets.actions.frame import RecordWrite, writing
from gannet.tickets.events import TicketEvent
from gannet.tickets.kinds import kind_of
from gannet.tickets.models import StateCode, Ticket, Timer
from gannet.tickets.seen import STATE
from gannet.web.errors import Invalid, Refused
from gannet_core.instants import seconds_of
from gannet_core.lifecycle import Act, Waiting


@dataclass(frozen=True, kw_only=True)
class Wait:
    """What a ticket waits for, why, and until when."""

    on: Waiting
    reason: str
    until: datetime | None = None
    supplier: str = ""

    def check(self, acting: Acting) -> None:
        """Refuse a wait that says too little or names what is not there."""
        on, until = self.on, self.until
        if not self.reason.strip():
            raise Invalid("Say what you wait for.", fields={"reason": "A wait needs its reason."})
        if on is Waiting.DATE and until is None:
            raise Invalid("Say until when.", fields={"until": "Choose a date and time."})
        if until is not None and until <= acting.now:
            raise Invalid(
                "That moment has passed already.", fields={"until": "Choose a later date or time."}
            )
        if on is Waiting.SUPPLIER and not self.supplier.strip():
            raise Invalid("Say which supplier.", fields={"supplier": "Choose the supplier."})
        known = {entry["name"] for entry in current().suppliers.values()}
        if on is Waiting.SUPPLIER and self.supplier not in known:
            raise Invalid("There is no such supplier.", fields={"supplier": "Choose one."})


def wait(
    ticket_id: int,
    acting: Acting,
    *,
    on: Waiting,
    reason: str,
    until: datetime | None = None,
    supplier: str = "",
    seen_version: int | None = None,
) -> Ticket:
    """Set a ticket waiting; pauses the clocks whose agreement says so."""
    asked = Wait(on=on, reason=reason, until=until, supplier=supplier)
    asked.check(acting)
    with writing(ticket_id, acting, Act.WAITING) as write:
        write.check_seen(seen_version, STATE)
        set_waiting(write, asked)
    return write.ticket


def set_waiting(write: RecordWrite, asked: Wait) -> None:
    """Set one ticket waiting, within an act that has been checked."""
    ticket, acting = write.ticket, write.acting
    refused = policies.may_wait(acting.person, str(asked.on), write.policy, ticket)
    if not refused:
        raise Refused(refused.reason)
    facts = {"on": str(asked.on)}
    until_s = None if asked.until is None else seconds_of(asked.until)
    if asked.supplier:
        facts["supplier"] = asked.supplier
        write.start_supplier_clocks(asked.supplier)
    if until_s is not None:
        facts["until"] = str(until_s)
    reason = asked.reason.strip()
    write.record(TicketEvent.WAITING, facts=facts, text=reason, audience=Audience.EVERYBODY)
    ticket.waiting_on = asked.on
    ticket.waiting_supplier = asked.supplier if asked.on is Waiting.SUPPLIER else ""
    ticket.waiting_reason = reason[:300]
    ticket.waiting_since_s = acting.now_s
    ticket.waiting_until_s = until_s


_still_decided: list[Callable[[RecordWrite], None]] = []


def while_decided(go_on: Callable[[RecordWrite], None]) -> Callable[[RecordWrite], None]:
    """Say what happens to a record taken up again whose decision is still out."""
    if go_on not in _still_decided:
        _still_decided.append(go_on)
    return go_on


def resume(ticket_id: int, acting: Acting, reason: str = "") -> Ticket:
    """Take a waiting ticket up again."""
    with writing(ticket_id, acting, Act.RESUMED) as write:
        set_resumed(write, reason)
    return write.ticket


def set_resumed(write: RecordWrite, reason: str = "") -> None:
    """Take one ticket up again, within an act that has been checked.

    One whose decision is still out goes on waiting for that: it is nobody's to begin.
    """
    write.record(TicketEvent.RESUMED, text=reason.strip(), audience=Audience.EVERYBODY)
    write.end_wait()
    kind_of(write.ticket).resumed(write)
    if write.ticket.approval == "pending" or write.ticket.open_approvals:
        for go_on in _still_decided:
            go_on(write)
    if write.acting.is_automatic and not write.ticket.open_approvals:
        write.tell(write.ticket.holder, "date reached", reason)


def _returns(standing: timers.Standing) -> dict[str, int]:
    ticket = standing.ticket
    if ticket.state != StateCode.WAITING or ticket.waiting_until_s is None:
        return {}
    return {"": ticket.waiting_until_s}


def _date_has_come(timer: Timer, acting: Acting) -> None:
    resume(timer.ticket_id or 0, acting, "The date it waited for has come.")


timers.register(
    timers.TimerKind(key="return", fire=_date_has_come, wanted=_returns, is_for_open=True)
)
