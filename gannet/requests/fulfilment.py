"""Fulfilling a request that may go ahead: its tasks, its parts, and when it is all there."""

from collections.abc import Mapping
from contextlib import suppress
from typing import Any

from gannet.audit.models import Audience
from gannet.people.acting import Acting
from gannet.requests.asking import open_part
from gannet.requests.models import facts_of
from gannet.rulebook.book import edition
from gannet.tickets.actions import endings
from gannet.tickets.actions.closing import cancel, set_resolved
from gannet.tickets.actions.endings import Ending, end
from gannet.tickets.actions.frame import RecordWrite, writing
from gannet.tickets.actions.from_template import add_from_template
from gannet.tickets.actions.routes import when_approved
from gannet.tickets.directory import case_of
from gannet.tickets.events import TicketEvent
from gannet.tickets.models import Follower, StateCode, Ticket
from gannet.tickets.states import state_name
from gannet.tickets.telling import messenger
from gannet.web.errors import Invalid


@when_approved
def fulfil(write: RecordWrite) -> None:
    """Add the item's tasks whose conditions hold, and open the parts of a bundle."""
    ticket = write.ticket
    if ticket.all_tasks or ticket.children.exists():
        return  # it had begun before its answers changed
    book = edition(ticket.edition)
    facts = facts_of(ticket)
    if facts.parts:
        write.afterwards(lambda: _open_parts(ticket, write.acting))
    item = book.items.get(facts.item)
    if item is None:
        return
    record = case_of(ticket, book).record
    for key in item.get("tasks") or ():
        template = book.task_templates.get(key)
        if template is not None:
            add_from_template(write, template, record, f"the item “{item['name']}”")


def _open_parts(parent: Ticket, acting: Acting) -> None:
    # The parts were asked for by who asked for the whole, not by who approved it last.
    asking = Acting(person=parent.requester, now=acting.now)
    for key, answers in facts_of(parent).parts.items():
        open_part(parent, key, answers, asking)
    follow_parts(parent)


def part_over(child: Ticket, acting: Acting) -> None:
    """A part has arrived or was dropped: with none left open the whole is there."""
    parent = child.parent
    if parent is None or not parent.is_open or not facts_of(parent).parts:
        return
    with writing(parent.pk, Acting(person=None, now=acting.now)) as write:
        left = write.ticket.children.filter(is_open=True).count()
        write.record(
            TicketEvent.CHILD_ENDED,
            by_desk=False,
            is_automatic=True,
            audience=Audience.EVERYBODY,
            values={
                "title": child.title,
                "state": state_name(child.state),
                "by": f"{left} still to come" if left else "all are delivered",
            },
        )
        how = "is delivered" if child.state != StateCode.CANCELLED else "is not delivered"
        rest = f"{left} still to come" if left else "it was the last"
        write.tell(write.ticket.holder, "part ended", f"{child.title} {how}; {rest}.")
        if left or write.ticket.open_tasks:
            return
        done = write.ticket.children.filter(state__in=(StateCode.RESOLVED, StateCode.CLOSED))
        if not done.exists():
            words = "None of its parts goes ahead."
            end(write, TicketEvent.CANCELLED, text=words, is_automatic=True)
            write.tell(write.ticket.requester, "cancelled", words)
            return
        with suppress(Invalid):  # what is lacking is asked for when somebody resolves it
            set_resolved(write, "Everything that was requested is delivered.")


def _tell_whole(write: RecordWrite, ending: Ending) -> dict[str, Any] | None:
    """A part of a bundle has ended: the whole hears of it, in the same transaction."""
    if write.ticket.parent_id is None or ending.kind == TicketEvent.CLOSED:
        return None
    write.afterwards(lambda: part_over(write.ticket, write.acting))
    return {"parent": write.ticket.parent_id}


def _bring_whole_back(write: RecordWrite, kept: Mapping[str, Any], is_undo: bool) -> None:
    """A part is open again: so is the whole that had ended with it."""
    part, acting = write.ticket, Acting(person=None, now=write.acting.now)

    def bring() -> None:
        with writing(kept["parent"], acting) as whole:
            if not facts_of(whole.ticket).parts or whole.ticket.state != StateCode.RESOLVED:
                return
            ended = endings.last_ending(whole.ticket)
            words = f"{part.title} is not delivered after all."
            whole.record(
                TicketEvent.REOPENED, text=words, audience=Audience.EVERYBODY, is_automatic=True
            )
            if ended is not None:
                endings.bring_back(whole, ended, is_undo=is_undo)
                if is_undo:
                    messenger().withdraw(ended.id)
            whole.tell(whole.ticket.holder, "reopened", words)

    write.afterwards(bring)


def _drop_parts(write: RecordWrite, ending: Ending) -> dict[str, Any] | None:
    """A whole that is not wanted any more takes its parts with it."""
    ticket, acting = write.ticket, write.acting
    if not facts_of(ticket).parts or ending.kind != TicketEvent.CANCELLED:
        return None
    said = ending.text or "it is not wanted"
    why = f"Request {ticket.pk} was cancelled: {said}"

    def drop() -> None:
        for child in ticket.children.filter(is_open=True).order_by("id"):
            cancel(child.pk, acting, why)

    write.afterwards(drop)
    return None


PARTS = endings.EndingPart(name="parts", drop=_drop_parts)
WHOLE = endings.EndingPart(name="whole", drop=_tell_whole, restore=_bring_whole_back)


def follow_parts(ticket: Ticket) -> None:
    """Whoever holds a whole follows its parts, being its requester's one contact."""
    if ticket.holder is None or not facts_of(ticket).parts:
        return
    for child in ticket.children.filter(is_open=True):
        Follower.objects.get_or_create(ticket=child, person=ticket.holder)


def not_there_yet(ticket: Ticket) -> str:
    """Nothing is closed over unfinished parts silently: which of them are still to come."""
    if not facts_of(ticket).parts:
        return ""
    left = ticket.children.filter(is_open=True).select_related("request_facts").order_by("id")
    names = [f"{facts_of(child).item_name} ({child.pk})" for child in left]
    if not names:
        return ""
    return f"Still to come: {', '.join(names)}. It resolves by itself with the last of them."
