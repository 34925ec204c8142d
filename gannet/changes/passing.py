"""The stages that a rulebook adds to a type of change: passed one by one, within the shipped ones.

The lifecycle knows the shipped stages alone. Within one of them a type may have further ones,
each with what has to be there before it is left; the shipped one is left from the last of them.
"""

from gannet.changes.assessing import Assessment, assess
from gannet.changes.events import ChangeEvent
from gannet.changes.models import ChangeFacts, facts_of
from gannet.changes.planning import check_seen
from gannet.people.acting import Acting
from gannet.people.models import Person
from gannet.rulebook.book import current
from gannet.tickets.actions.frame import RecordWrite, writing
from gannet.tickets.models import Ticket
from gannet.tickets.states import state_name
from gannet.web.errors import Conflict, Invalid
from gannet_core import changes as core


def move_on(
    number: int, acting: Acting, comment: str = "", seen_version: int | None = None
) -> Ticket:
    """Move a change on to the next stage that its type adds within the one it is in."""
    with writing(number, acting, ChangeEvent.MOVED_ON) as write:
        facts = ChangeFacts.objects.select_for_update().get(ticket=write.ticket)
        write.ticket.change_facts = facts
        check_seen(write.ticket, facts.edited, seen_version)
        found = assess(write.ticket, write.policy, acting.now_s, facts)
        state = write.state_name
        after = core.following(found.type, state, facts.stage)
        if after is None:
            raise Conflict(f"No further stage comes within “{state}”.")
        _needs(found, state, acting.person)
        facts.stage, facts.stage_name = after.key, after.name
        facts.save(update_fields=["stage", "stage_name"])
        write.record(
            ChangeEvent.MOVED_ON, text=comment.strip()[:5000], values={"stage": after.name}
        )
        write.tell(write.ticket.holder, "change moved on", f"{write.ticket.title}: {after.name}")
    return write.ticket


def leave(write: RecordWrite, facts: ChangeFacts, found: Assessment) -> None:
    """Let a change leave the shipped stage it is in; it has passed all that is added there."""
    state = write.state_name
    after = core.following(found.type, state, facts.stage)
    if after is not None:
        raise Conflict(held_in(write.ticket))
    _needs(found, state, write.acting.person)
    facts.stage = facts.stage_name = ""


def no_stage_after(ticket: Ticket) -> str:
    """Why a change cannot be moved on within its stage, in words, or nothing."""
    after = next_name(ticket)
    return "" if after else "Its type adds no stage that comes next."


def held_in(ticket: Ticket) -> str:
    """Why a change does not leave its shipped stage yet, in words, or nothing."""
    after = next_name(ticket)
    return f"It goes through “{after}” first: move it on." if after else ""


def next_name(ticket: Ticket) -> str:
    """The name of the added stage that comes next, or nothing."""
    found = _kind(ticket)
    after = core.following(found, state_name(ticket.state), facts_of(ticket).stage)
    return after.name if after else ""


def _needs(found: Assessment, state: str, person: Person | None) -> None:
    lacks = found.lacks_in(state, person)
    if lacks:
        raise Invalid(
            " ".join(one.says for one in lacks), fields={one.place: one.says for one in lacks}
        )


def _kind(ticket: Ticket) -> core.ChangeType:
    """The type of a change; it is weighed only where nobody has chosen one yet."""
    book = current()
    chosen = facts_of(ticket).type
    if chosen or not any(one.stages for one in book.changes.types):
        return book.changes.type_of(chosen)
    return assess(ticket, book, facts_of(ticket).submitted_s or ticket.opened_s).type
