"""Taking back one's last act within ten seconds, by an event of its own.

Nothing is removed: an *undone* event names the act, the history is then read without
it, and everything derived follows. Mail waits those seconds before it leaves.
"""

from collections.abc import Callable
from typing import Any

from django.conf import settings

from gannet.audit.kinds import EventKind, kind_of, kinds
from gannet.audit.models import Event
from gannet.estate.models import ConfigItem, Service
from gannet.people.acting import Acting
from gannet.people.models import Person, Team
from gannet.tickets.actions.endings import bring_back
from gannet.tickets.actions.frame import RecordWrite, writing
from gannet.tickets.actions.links import unmerge
from gannet.tickets.actions.tasks import set_task_back
from gannet.tickets.events import TicketEvent
from gannet.tickets.history import happenings
from gannet.tickets.models import Ticket
from gannet.tickets.setting import set_custom, set_tags
from gannet.tickets.telling import messenger
from gannet.web.errors import Conflict
from gannet_core import lifecycle

Restore = Callable[[RecordWrite, Event], None]
_restores: dict[str, Restore] = {}


def _nothing(write: RecordWrite, event: Event) -> None:
    """All that follows from it is derived."""


def register(kind: EventKind, restore: Restore = _nothing) -> None:
    """Let an event be taken back; `restore` puts back what it set and nothing derives."""
    _restores[kind] = restore


def can_be_undone(kind: str) -> bool:
    return kind in _restores


def is_aside(name: str) -> bool:
    """Whether an event happens beside people's acts, and keeps none of them from being undone."""
    kind = kind_of(name)
    return kind is not None and kind.is_aside


def aside() -> list[EventKind]:
    """Every kind of event that is aside."""
    return [kind for kind in kinds().values() if kind.is_aside]


def undo(ticket_id: int, acting: Acting) -> Ticket:
    """Take back one's own last act on a ticket; `Conflict` says why that is too late."""
    with writing(ticket_id, acting) as write:
        take_back(write, settings.MAIL_DELAY_SECONDS)
    return write.ticket


def take_back(write: RecordWrite, grace_s: int) -> None:
    """Take the actor's last act on one ticket back, when nothing happened since."""
    acting = write.acting
    last = (
        Event.objects.filter(ticket_id=write.ticket.pk)
        .exclude(kind__in=aside())
        .order_by("-id")
        .first()
    )
    if last is None or not can_be_undone(last.kind) or last.actor_id != acting.person_id:
        raise Conflict("Something else has happened since, so this cannot be taken back.")
    # The grace covers the way of the click; the mail itself waits for the same span.
    if acting.now_s - last.at_s > grace_s:
        raise Conflict(
            "Ten seconds have passed: what was sent has been sent."
            if grace_s <= settings.MAIL_DELAY_SECONDS
            else "It is too long ago to be taken back."
        )
    if messenger().was_sent(last.id):
        raise Conflict("Its mail has gone out already, so this cannot be taken back.")
    for event in _one_move(last):
        _restores[event.kind](write, event)
        write.record(TicketEvent.UNDONE, facts={"event": event.id}, values={"act": str(event.kind)})
        # What was done with it, such as ending its announcement, is told of no more either.
        with_it = Event.objects.filter(ticket_id=write.ticket.pk, id__gte=event.id, at_s=event.at_s)
        for number in with_it.values_list("id", flat=True):
            messenger().withdraw(number)
    waits = lifecycle.stage_of(happenings(write._all_rows()), write.lifecycle).waits
    if waits and not write.ticket.waiting_on:
        # What was taken back had ended a wait: it waits again.
        _wait_again(write, last)
    if last.kind in _MOVES_PROMISES:
        write.retarget()


# Taken back, these have the agreement and its targets read again.
_MOVES_PROMISES = (TicketEvent.CHANGED, TicketEvent.HANDED_OVER, TicketEvent.TAKEN)


def _one_move(last: Event) -> list[Event]:
    """The act and what was done with it: taking another team's ticket moves it first."""
    first = _BEGINS.get(last.kind)
    is_by_hand = last.kind == TicketEvent.RESOLVED and not last.is_automatic
    if first is None or is_by_hand:
        return [last]
    moved = (
        Event.objects.filter(
            ticket_id=last.ticket_id or 0,
            id__lt=last.id,
            kind=first,
            actor_id=last.actor_id,
            at_s=last.at_s,
        )
        .order_by("-id")
        .first()
    )
    return [last] if moved is None else [last, moved]


# What a move began with, by the event that it ended with.
_BEGINS: dict[str, EventKind] = {
    TicketEvent.TAKEN: TicketEvent.HANDED_OVER,
    TicketEvent.SET_UNWANTED: TicketEvent.CANCELLED,
    # The last task done may have resolved it.
    TicketEvent.RESOLVED: TicketEvent.TASK_DONE,
}


def _give_back(write: RecordWrite, event: Event) -> None:
    ticket, facts = write.ticket, event.facts
    ticket.holder = _person(facts.get("from_person"))
    if facts.get("from_team"):
        ticket.team = Team.objects.get(key=facts["from_team"])
        ticket.hand_overs = max(0, ticket.hand_overs - 1)


def _stop_waiting(write: RecordWrite, event: Event) -> None:
    write.end_wait()


def _not_ended(write: RecordWrite, event: Event) -> None:
    bring_back(write, event, is_undo=True)
    if "person" in event.facts:
        write.ticket.holder = _person(event.facts["from_person"])


def _change_back(write: RecordWrite, event: Event) -> None:
    changes = event.values.get("changes", {})
    for name, (before, _after) in {**changes, **event.values.get("keys", {})}.items():
        _set_back(write, name, before)
    if event.values.get("by_hand"):
        write.ticket.priority_reason = ""


def _not_cancelled(write: RecordWrite, event: Event) -> None:
    if write.ticket.children.exists():
        raise Conflict("Its parts have ended with it: request it again.")
    bring_back(write, event, is_undo=True)
    if "merged_into" in event.facts:
        unmerge(write, event)


def _wanted_after_all(write: RecordWrite, event: Event) -> None:
    write.ticket.is_spam = 0
    if event.values.get("sender"):
        messenger().let_in(event.values["sender"], event.at_s)


def _task_as_it_was(write: RecordWrite, event: Event) -> None:
    set_task_back(write, event.facts["task"], event.facts["before"])


register(TicketEvent.CANCELLED, _not_cancelled)
register(TicketEvent.SET_UNWANTED, _wanted_after_all)
register(TicketEvent.TASK_DONE, _task_as_it_was)
register(TicketEvent.TAKEN, _give_back)
register(TicketEvent.HANDED_OVER, _give_back)
register(TicketEvent.WAITING, _stop_waiting)
register(TicketEvent.RESOLVED, _not_ended)
register(TicketEvent.CHANGED, _change_back)
register(TicketEvent.REPLIED)
register(TicketEvent.NOTED)
register(TicketEvent.RESUMED)


def _wait_again(write: RecordWrite, event: Event) -> None:
    wait = (
        Event.objects.filter(ticket=write.ticket, kind=TicketEvent.WAITING, id__lt=event.id)
        .order_by("-id")
        .first()
    )
    if wait is None:
        return
    ticket = write.ticket
    ticket.waiting_on, ticket.waiting_reason = wait.facts["on"], wait.text[:300]
    ticket.waiting_supplier = wait.facts.get("supplier", "")
    ticket.waiting_since_s = wait.at_s
    until = wait.facts.get("until")
    ticket.waiting_until_s = int(until) if until else None


def _set_back(write: RecordWrite, name: str, before: Any) -> None:
    ticket = write.ticket
    models: dict[str, Any] = {"service": Service, "ci": ConfigItem, "requester": Person}
    if name == "priority":
        ticket.priority = int(before[1:])
    elif name in models:
        setattr(ticket, name, models[name].objects.filter(pk=before).first())
    elif hasattr(ticket, name) and name != "tags":
        setattr(ticket, name, before)
    elif name == "tags":
        set_tags(ticket, before or [])
    else:
        set_custom(ticket, name, before, write.policy)


def _person(key: str | None) -> Person | None:
    return None if key is None else Person.objects.filter(pk=int(key)).first()
