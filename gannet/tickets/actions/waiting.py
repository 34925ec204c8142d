"""Waiting on somebody or something, with the reason, and taking it up again."""

from datetime import datetime

from gannet.audit.models import Audience, Kind
from gannet.rulebook.book import current
from gannet.tickets import policies
from gannet.tickets.actions.frame import Acting, working
from gannet.tickets.actions.talk import end_wait
from gannet.tickets.models import Ticket
from gannet.web.errors import Invalid, Refused
from gannet_core.instants import seconds_of
from gannet_core.lifecycle import Act, Waiting


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
    if not reason.strip():
        raise Invalid("Say what you wait for.", fields={"reason": "A wait needs its reason."})
    if on is Waiting.DATE and until is None:
        raise Invalid("Say until when.", fields={"until": "Choose a date and time."})
    if until is not None and until <= acting.now:
        raise Invalid(
            "That moment has passed already.", fields={"until": "Choose a later date or time."}
        )
    if on is Waiting.SUPPLIER and not supplier.strip():
        raise Invalid("Say which supplier.", fields={"supplier": "Choose the supplier."})
    known = {entry["name"] for entry in current().suppliers.values()}
    if on is Waiting.SUPPLIER and supplier not in known:
        raise Invalid("There is no such supplier.", fields={"supplier": "Choose one."})
    with working(ticket_id, acting, Act.WAITING, seen_version) as work:
        ticket = work.ticket
        refused = policies.may_wait(acting.person, str(on), work.policy)
        if not refused:
            raise Refused(refused.reason)
        facts = {"on": str(on)}
        if supplier:
            facts["supplier"] = supplier
        if until:
            facts["until"] = str(seconds_of(until))
        if supplier:
            work.start_supplier_clocks(supplier)
        work.record(Kind.WAITING, facts=facts, text=reason.strip(), audience=Audience.EVERYBODY)
        ticket.waiting_on = on
        ticket.waiting_supplier = supplier if on is Waiting.SUPPLIER else ""
        ticket.waiting_reason = reason.strip()[:300]
        ticket.waiting_since_s = acting.now_s
        ticket.waiting_until_s = None if until is None else seconds_of(until)
    return work.ticket


def resume(ticket_id: int, acting: Acting, reason: str = "") -> Ticket:
    """Take a waiting ticket up again."""
    with working(ticket_id, acting, Act.RESUMED) as work:
        holder = work.ticket.holder
        work.record(Kind.RESUMED, text=reason.strip(), audience=Audience.EVERYBODY)
        end_wait(work)
        if acting.is_automatic:
            work.tell(holder, "date reached", reason)
    return work.ticket
