"""What a release carries goes where it goes: through the same stages, within the same acts."""

from collections.abc import Mapping

from gannet.audit.kinds import EventKind
from gannet.changes.events import ChangeEvent
from gannet.changes.models import ChangeFacts, carried, facts_of
from gannet.people.acting import Acting
from gannet.tickets.actions.endings import end
from gannet.tickets.actions.frame import RecordWrite, writing

_ENDS = (ChangeEvent.BACKED_OUT, ChangeEvent.LOOKED_BACK)
# What the changes of a release take over from it, by event.
_TAKEN: Mapping[str, tuple[str, ...]] = {
    ChangeEvent.SUBMITTED: ("submitted_s",),
    ChangeEvent.STARTED: ("began_s",),
    ChangeEvent.IMPLEMENTED: ("ended_s", "review_s"),
    ChangeEvent.BACKED_OUT: ("ended_s", "outcome"),
    ChangeEvent.LOOKED_BACK: ("outcome",),
}


def follow(write: RecordWrite, kind: EventKind, text: str = "") -> None:
    """What a release carries follows it, within its act: the same event, done by Gannet."""
    ticket = write.ticket
    facts = facts_of(ticket)
    if not facts.is_release:
        return
    number, taken = ticket.pk, {name: getattr(facts, name) for name in _TAKEN.get(kind, ())}
    acting = Acting(person=None, now=write.acting.now)

    def go() -> None:
        for one in list(carried(number).filter(is_open=True)):
            with writing(one.pk, acting) as theirs:
                if taken:
                    ChangeFacts.objects.filter(ticket=one.pk).update(**taken)
                    theirs.ticket.change_facts = ChangeFacts.objects.get(ticket=one.pk)
                said = f"with release {number}" + (f": {text}" if text else "")
                if kind in _ENDS:
                    values = {"outcome": taken.get("outcome", "")}
                    end(theirs, kind, text=said, values=values, is_automatic=True)
                else:
                    theirs.record(kind, text=said, is_automatic=True, by_desk=False)

    write.afterwards(go)


def let_go(write: RecordWrite) -> None:
    """A release has ended without being done: what it carried are drafts again, each its own."""
    number, acting = write.ticket.pk, Acting(person=None, now=write.acting.now)

    def go() -> None:
        for one in list(carried(number)):
            be_a_draft(one.pk, acting, f"release {number} ended")

    write.afterwards(go)


def be_a_draft(number: int, acting: Acting, why: str) -> None:
    """Let a change leave its release and be a draft of its own again."""
    with writing(number, acting) as theirs:
        facts = ChangeFacts.objects.select_for_update().get(ticket=number)
        facts.release, facts.phase, facts.submitted_s = None, "", None
        facts.save()
        theirs.ticket.change_facts = facts
        theirs.record(ChangeEvent.LEFT_RELEASE, text=why, is_automatic=True, by_desk=False)
