"""Looking for the cause: the tree of possible causes, calling it a known error, and back."""

from typing import Any

from gannet.audit.models import Audience
from gannet.people.acting import Acting
from gannet.problems.events import ProblemEvent
from gannet.problems.models import ProblemFacts, facts_of
from gannet.tickets.actions.frame import RecordWrite, writing
from gannet.tickets.actions.holding import set_taken
from gannet.tickets.events import TicketEvent
from gannet.tickets.models import StateCode, Ticket
from gannet.tickets.states import state_code
from gannet.web.errors import Conflict, Invalid, Missing
from gannet_core.errors import ProblemError
from gannet_core.problems import CAUSE_STATES, CONFIRMED, OPEN, RULED_OUT, Cause, root_cause

MOST_CAUSES, MOST_EVIDENCE = 60, 12
_HOW = {OPEN: "opened again", CONFIRMED: "confirmed", RULED_OUT: "ruled out"}


def tree_of(facts: ProblemFacts) -> list[Cause]:
    """The possible causes as the core reads them."""
    return [
        Cause(
            id=one["id"],
            says=one["says"],
            parent=one["parent"],
            state=one["state"],
            evidence=tuple(one["evidence"]),
        )
        for one in facts.causes
    ]


def add_cause(number: int, acting: Acting, says: str, parent: str = "") -> Ticket:
    """Write down what may cause it, beneath the symptom or beneath another possible cause."""
    words = " ".join(says.split())
    if not words:
        raise Invalid("Say what may cause it.", fields={"says": "This is empty."})
    with writing(number, acting, TicketEvent.CHANGED) as write:
        facts = _facts(write)
        if len(facts.causes) >= MOST_CAUSES:
            raise Conflict(f"At most {MOST_CAUSES} possible causes.")
        if parent and all(one["id"] != parent for one in facts.causes):
            raise Conflict("What it would stand under has gone meanwhile.")
        numbers = [int(one["id"][1:]) for one in facts.causes]
        facts.causes = [
            *facts.causes,
            {
                "id": f"c{max(numbers, default=0) + 1}",
                "says": words[:200],
                "parent": parent,
                "state": OPEN,
                "evidence": [],
                **_by(acting),
            },
        ]
        _keep(write, facts)
        _begin(write)
        write.record(ProblemEvent.CAUSE_CHANGED, values={"how": "wrote down", "says": words[:200]})
    return write.ticket


def change_cause(number: int, acting: Acting, key: str, changes: dict[str, Any]) -> Ticket:
    """Change what a possible cause says, its state, or the evidence for or against it."""
    with writing(number, acting, TicketEvent.CHANGED) as write:
        facts = _facts(write)
        one = _cause(facts, key)
        before = one["state"]
        state = changes.get("state", before)
        if state not in CAUSE_STATES:
            raise Invalid("It is open, confirmed or ruled out.", fields={"state": "Choose one."})
        evidence = [
            " ".join(line.split())[:300] for line in changes.get("evidence", one["evidence"])
        ]
        evidence = [line for line in evidence if line][:MOST_EVIDENCE]
        if state != OPEN and state != before and not evidence:
            raise Invalid(
                "Say what speaks for it or against it.",
                fields={"evidence": "Say in a line what speaks for it or against it."},
            )
        says = " ".join(str(changes.get("says", one["says"])).split())
        if not says:
            raise Invalid("Say what may cause it.", fields={"says": "This is empty."})
        new = {**one, "says": says[:200], "state": state, "evidence": evidence}
        if new == one:
            return write.ticket
        facts.causes = [
            {**new, **_by(acting)} if other["id"] == key else other for other in facts.causes
        ]
        _still_known(write, facts)
        _keep(write, facts)
        added = [line for line in evidence if line not in one["evidence"]]
        write.record(
            ProblemEvent.CAUSE_CHANGED,
            values={
                "how": _HOW[state] if state != before else "changed",
                "says": says[:200],
                "evidence": added,
            },
        )
    return write.ticket


def remove_cause(number: int, acting: Acting, key: str) -> Ticket:
    """Take a possible cause away, if nothing stands beneath it."""
    with writing(number, acting, TicketEvent.CHANGED) as write:
        facts = _facts(write)
        one = _cause(facts, key)
        if any(other["parent"] == key for other in facts.causes):
            raise Conflict("Others stand beneath it: take those away first.")
        facts.causes = [other for other in facts.causes if other["id"] != key]
        _still_known(write, facts)
        _keep(write, facts)
        write.record(ProblemEvent.CAUSE_CHANGED, values={"how": "took away", "says": one["says"]})
    return write.ticket


def set_known(write: RecordWrite, facts: ProblemFacts, no_cause_why: str) -> None:
    """Call it a known error: its root cause is confirmed, or it is said why not."""
    try:
        path = root_cause(tree_of(facts))
    except ProblemError as error:
        raise Conflict(str(error)) from error
    why = no_cause_why.strip()
    if not path and not why:
        raise Invalid(
            "No possible cause is confirmed down to its root. Confirm one, or say why not.",
            fields={"no_cause_why": "Say why it is a known error without one."},
        )
    facts.known_s = facts.known_s or write.acting.now_s
    facts.no_cause_why = "" if path else why[:300]
    write.record(
        ProblemEvent.CAUSE_FOUND,
        values={"path": [cause.says for cause in path], "why": why[:300]},
    )


def doubt(number: int, acting: Acting, why: str) -> Ticket:
    """Look for the cause again: what was thought to be it is not."""
    if not why.strip():
        raise Invalid("Say what speaks against it.", fields={"why": "This is empty."})
    with writing(number, acting, ProblemEvent.CAUSE_DOUBTED) as write:
        facts = _facts(write)
        facts.known_s, facts.no_cause_why = None, ""
        _keep(write, facts)
        write.record(ProblemEvent.CAUSE_DOUBTED, text=why.strip(), audience=Audience.DESK)
    return write.ticket


def known_again(write: RecordWrite) -> None:
    """What was a known error before it waited is one still."""
    if facts_of(write.ticket).known_s is not None:
        write.record(
            ProblemEvent.CAUSE_FOUND, is_automatic=True, by_desk=False, values={"again": True}
        )


def _still_known(write: RecordWrite, facts: ProblemFacts) -> None:
    """A known error whose root cause is confirmed no more, and that has no reason to do
    without, is no known error: that is said, not left standing."""
    if facts.known_s is None or facts.no_cause_why or root_cause(tree_of(facts)):
        return
    if write.ticket.state != state_code("known error"):
        return
    facts.known_s = None
    write.record(ProblemEvent.CAUSE_DOUBTED, text="no cause is confirmed any more")


def _begin(write: RecordWrite) -> None:
    """Whoever writes down the first possible cause has begun to look for it."""
    ticket, person = write.ticket, write.acting.person
    if ticket.state == StateCode.NEW and person and ticket.holder_id in (None, person.pk):
        set_taken(write)


def _by(acting: Acting) -> dict[str, Any]:
    return {"who": acting.person.name if acting.person else "", "at_s": acting.now_s}


def _cause(facts: ProblemFacts, key: str) -> dict[str, Any]:
    for one in facts.causes:
        if one["id"] == key:
            return dict(one)
    raise Missing("This possible cause has gone meanwhile.")


def _facts(write: RecordWrite) -> ProblemFacts:
    return ProblemFacts.objects.select_for_update().get(ticket=write.ticket.pk)


def _keep(write: RecordWrite, facts: ProblemFacts) -> None:
    facts.save()
    write.ticket.problem_facts = facts
