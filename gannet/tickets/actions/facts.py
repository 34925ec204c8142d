"""Changing the facts of a ticket in place, and its priority."""

from collections.abc import Mapping
from typing import Any

from gannet.estate.models import ConfigItem, Service
from gannet.people.acting import Acting
from gannet.people.models import Person
from gannet.rulebook.book import current
from gannet.tickets.actions.frame import RecordWrite, writing
from gannet.tickets.actions.routes import reopen_touched
from gannet.tickets.events import TicketEvent
from gannet.tickets.files import attach
from gannet.tickets.kinds import kind_of
from gannet.tickets.known import files_in
from gannet.tickets.models import Ticket
from gannet.tickets.setting import RETARGETS, follow_matrix, set_field, set_level, set_tags
from gannet.web.errors import Invalid
from gannet_core.lifecycle import Act

# Facts that can be changed in place, with the model behind those that are references.
_REFERENCES: Mapping[str, Any] = {"service": Service, "ci": ConfigItem, "requester": Person}
_PLAIN = {"title": 200, "category": 80, "place": 80}
_LEVELS = ("impact", "urgency")
# A change of these makes the promise be read again.
_RETARGETS = RETARGETS | {"requester"}


def change_facts(
    ticket_id: int, acting: Acting, changes: Mapping[str, Any], seen_version: int | None
) -> Ticket:
    """Change facts; what follows from them (priority, agreement, clocks) follows."""
    with writing(ticket_id, acting, Act.CHANGED) as write:
        write.check_seen(seen_version, *changes)
        set_facts(write, changes)
    return write.ticket


def set_facts(write: RecordWrite, changes: Mapping[str, Any]) -> None:
    """Change facts of one ticket, within an act that has been checked."""
    done: dict[str, list[Any]] = {}
    keys: dict[str, list[Any]] = {}
    for name, value in changes.items():
        before, key = _shown(write.ticket, name), _key(write.ticket, name)
        was_assumed = name in _LEVELS and bool(getattr(write.ticket, f"is_{name}_assumed"))
        _set(write, name, value)
        after = _shown(write.ticket, name)
        # What was only assumed and is confirmed has changed, though it reads the same.
        if was_assumed or key != _key(write.ticket, name):
            level = write.policy.matrix[name][before - 1] if was_assumed else before
            done[name] = [f"{level} (assumed)" if was_assumed else before, after]
            keys[name] = [key, _key(write.ticket, name)]
    if not done:
        return
    _follow_matrix(write, done)
    write.record(TicketEvent.CHANGED, values={"changes": done, "keys": keys})
    files = files_in(changes, write.policy.fields)
    write.afterwards(lambda: attach(write.ticket, files, write.events[-1].id, write.acting))
    _ask_again(write, sorted(done))
    if set(done) & (_RETARGETS | set(write.policy.fields)):
        write.retarget()


def _ask_again(write: RecordWrite, changed: list[str]) -> None:
    """Facts of a request changed by the desk: stages that they touch are asked again."""
    touched = kind_of(write.ticket).touched
    if write.ticket.is_open and touched is not None:
        touched(write, changed)
    elif write.ticket.is_open and write.ticket.route:
        reopen_touched(write, changed)


def set_priority(
    ticket_id: int, acting: Acting, priority: int, reason: str, seen_version: int | None = None
) -> Ticket:
    """Set the priority by hand, with the reason; the matrix's own answer stays on record."""
    if not reason.strip():
        raise Invalid(
            "Say why the priority is another than the matrix gives.",
            fields={"reason": "A priority set by hand needs its reason."},
        )
    if priority not in current().priorities:
        raise Invalid("There is no such priority.", fields={"priority": "Choose one."})
    with writing(ticket_id, acting, Act.CHANGED) as write:
        write.check_seen(seen_version, "priority")
        ticket = write.ticket
        if ticket.priority == priority:
            raise Invalid(f"It is P{priority} already.", fields={"priority": "Choose another."})
        before = f"P{ticket.priority}"
        ticket.priority, ticket.priority_reason = priority, reason.strip()[:300]
        write.record(
            TicketEvent.CHANGED,
            values={"changes": {"priority": [before, f"P{priority}"]}, "by_hand": True},
            text=reason.strip(),
        )
        write.retarget()
        write.tell(ticket.holder, "priority changed", reason.strip())
    return write.ticket


def _set(write: RecordWrite, name: str, value: Any) -> None:
    ticket = write.ticket
    if name in _PLAIN:
        text = " ".join(str(value or "").split())
        if name == "title" and not text:
            raise Invalid("A ticket needs a title.", fields={"title": "This is empty."})
        if len(text) > _PLAIN[name]:
            raise Invalid("That is too long.", fields={name: f"At most {_PLAIN[name]} characters."})
        if name == "category" and text and text not in write.policy.categories:
            raise Invalid("There is no such category.", fields={"category": "Choose one."})
        setattr(ticket, name, text)
    elif name in _LEVELS:
        set_level(ticket, name, _level(write, name, value))
    elif name in _REFERENCES:
        _set_reference(ticket, name, value)
    elif name == "tags":
        set_tags(ticket, value if isinstance(value, list) else [])
    elif name == "status" or name in write.policy.fields:
        set_field(ticket, name, value, write.policy)
    else:
        raise Invalid(f"{name} cannot be changed here.", fields={name: "Not a fact."})


def _level(write: RecordWrite, name: str, value: Any) -> int:
    levels = write.policy.matrix[name]
    if not isinstance(value, int) or not 1 <= value <= len(levels):
        raise Invalid(f"Choose one of {', '.join(levels)}.", fields={name: "Not a level."})
    return value


def _set_reference(ticket: Ticket, name: str, value: Any) -> None:
    model = _REFERENCES[name]
    if value is None:
        if name == "requester":
            raise Invalid("Somebody must have asked.", fields={"requester": "Choose a person."})
        setattr(ticket, name, None)
        return
    found = model.objects.filter(pk=value).first() if isinstance(value, int) else None
    if found is None:
        raise Invalid(f"There is no such {name}.", fields={name: "Choose one from the list."})
    setattr(ticket, name, found)
    if name == "service" and isinstance(found, Service):
        if found.category:
            ticket.category = found.category
        if ticket.ci and ticket.ci.service_id != found.pk:
            ticket.ci = None


def _follow_matrix(write: RecordWrite, done: dict[str, list[Any]]) -> None:
    """A change of impact or urgency re-reads the matrix and ends a priority set by hand."""
    if not set(done) & set(_LEVELS):
        return
    ticket = write.ticket
    before = f"P{ticket.priority}"
    if follow_matrix(ticket, write.policy):
        done["priority"] = [before, f"P{ticket.priority}"]


def _key(ticket: Ticket, name: str) -> Any:
    if name in ticket.values or not hasattr(ticket, name):
        return ticket.values.get(name)
    return getattr(ticket, f"{name}_id" if name in _REFERENCES else name, None)


def _shown(ticket: Ticket, name: str) -> Any:
    if name in _REFERENCES:
        thing = getattr(ticket, name)
        return None if thing is None else thing.name
    return _key(ticket, name)
