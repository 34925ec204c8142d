"""What is decided about a problem: fix it, or live with it until a date, on which figures."""

from datetime import datetime

from gannet.people.acting import Acting
from gannet.problems.events import ProblemEvent
from gannet.problems.models import ProblemFacts
from gannet.problems.worth import figures_of, pounds
from gannet.rulebook.book import current
from gannet.tickets.actions.frame import writing
from gannet.tickets.actions.waiting import Wait, set_waiting
from gannet.tickets.models import Ticket
from gannet.web.errors import Conflict, Invalid
from gannet_core.instants import seconds_of
from gannet_core.lifecycle import Waiting


def live_with(number: int, acting: Acting, until: datetime, why: str) -> Ticket:
    """Live with it until a date that brings it back; who decided, and on which figures, stay."""
    if not why.strip():
        raise Invalid("Say why it is lived with.", fields={"why": "This is empty."})
    asked = Wait(on=Waiting.DATE, reason=f"Lived with: {why.strip()}", until=until)
    asked.check(acting)
    with writing(number, acting, ProblemEvent.FIX_DECIDED) as write:
        facts = ProblemFacts.objects.select_for_update().get(ticket=number)
        facts.live_until_s, facts.live_why = seconds_of(until), why.strip()[:300]
        facts.live_by = acting.person
        facts.decided = dict(figures_of(write.ticket, current(), acting.now_s))
        facts.save()
        write.ticket.problem_facts = facts
        going_on = pounds(int(facts.decided["cost of going on"]))
        write.record(
            ProblemEvent.FIX_DECIDED,
            values={"what": f"live with it, at {going_on} a month", "figures": facts.decided},
            text=why.strip(),
        )
        set_waiting(write, asked)
    return write.ticket


def decide_to_fix(number: int, acting: Acting) -> Ticket:
    """Decide to fix it, on the figures of now; what was said of living with it is over."""
    with writing(number, acting, ProblemEvent.FIX_DECIDED) as write:
        facts = ProblemFacts.objects.select_for_update().get(ticket=number)
        if facts.fix_pence is None:
            raise Conflict("Say what the fix is and costs first.")
        if facts.decided.get("fix"):
            raise Conflict("That is decided already.")
        facts.live_until_s, facts.live_why, facts.live_by = None, "", None
        facts.decided = {**figures_of(write.ticket, current(), acting.now_s), "fix": True}
        facts.save()
        write.ticket.problem_facts = facts
        write.record(
            ProblemEvent.FIX_DECIDED,
            values={
                "what": f"fix it for {pounds(facts.fix_pence)}",
                "figures": facts.decided,
            },
            text=facts.fix_about,
        )
    return write.ticket
