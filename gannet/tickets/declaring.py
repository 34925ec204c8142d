"""Declaring a kind of record: everything it brings goes to where the frame reads it."""

from dataclasses import replace

from gannet.audit.kinds import kind_of as event_kind
from gannet.tickets import acts, fields, kinds
from gannet.tickets.actions import endings, timers
from gannet.tickets.kinds import RecordKind


def declare(kind: RecordKind) -> None:
    """Let there be a kind of record, from when Django starts; told twice, it is one still.

    Acts that name no kinds are this kind's alone. What ends it by its lifecycle has to be
    known as an ending by its events too, or the frame would not end it: else `ValueError`.
    """
    for act in kind.lifecycle.ending_acts():
        event = event_kind(act)
        if event is None or not event.ends:
            raise ValueError(f"{act} ends a {kind.key}, but is no event that ends a record")
    kinds.know(kind)
    fields.register(*kind.fields)
    acts.register(
        *(act if act.kinds else replace(act, kinds=frozenset({kind.key})) for act in kind.acts)
    )
    for part in kind.endings:
        endings.register(part)
    for timer in kind.timers:
        timers.register(timer)
