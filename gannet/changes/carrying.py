"""What a release carries goes where it goes: through the same stages, within the same acts."""

from collections.abc import Mapping

from gannet.audit.kinds import EventKind
from gannet.changes.events import ChangeEvent
from gannet.changes.models import ChangeFacts, carried, facts_of
from gannet.people.acting import Acting
from gannet.tickets.actions.endings import end
from gannet.tickets.actions.frame import RecordWrite, writing
from gannet.tickets.states import state_name

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


# What a draft goes through until it stands where its release stands.
_WAY = (
    ("assess", ChangeEvent.SUBMITTED),
    ("authorise", ChangeEvent.ASSESSED),
    ("planned", ChangeEvent.AUTHORISED),
)


def let_go(write: RecordWrite) -> dict[str, str]:
    """A release has ended without being done: what it carried are drafts again, each its own.

    Returns what it carried, each with its phase.
    """
    number, acting = write.ticket.pk, Acting(person=None, now=write.acting.now)
    parts = {str(one.pk): facts_of(one).phase for one in carried(number)}

    def go() -> None:
        for one in list(carried(number)):
            be_a_draft(one.pk, acting, f"release {number} ended")

    write.afterwards(go)
    return parts


def carry_again(write: RecordWrite, parts: Mapping[str, str]) -> None:
    """A release is open again: what it carried and is still a draft of its own goes with it."""
    release, acting = write.ticket, Acting(person=None, now=write.acting.now)
    submitted_s = facts_of(release).submitted_s

    def go() -> None:
        names = [name for name, _ in _WAY]
        reached = state_name(release.state)
        steps = names.index(reached) + 1 if reached in names else 0
        for number, phase in parts.items():
            with writing(int(number), acting) as theirs:
                facts = ChangeFacts.objects.select_for_update().get(ticket=theirs.ticket)
                if theirs.state_name != "draft" or facts.release_id is not None:
                    continue
                facts.release, facts.phase = release, phase
                facts.submitted_s = submitted_s if steps else None
                facts.save()
                theirs.ticket.change_facts = facts
                for _, kind in _WAY[:steps]:
                    said = f"with release {release.pk}"
                    theirs.record(kind, text=said, is_automatic=True, by_desk=False)

    write.afterwards(go)


def be_a_draft(number: int, acting: Acting, why: str) -> None:
    """Let a change leave its release and be a draft of its own again."""
    with writing(number, acting) as theirs:
        facts = ChangeFacts.objects.select_for_update().get(ticket=number)
        facts.release, facts.phase, facts.submitted_s = None, "", None
        facts.save()
        theirs.ticket.change_facts = facts
        theirs.record(ChangeEvent.LEFT_RELEASE, text=why, is_automatic=True, by_desk=False)
