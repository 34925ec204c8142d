"""An experiment: a kind of record that ships with nothing, declared here and nowhere else.

A visit is somebody who comes by: signed in at the gate, shown to their host, seen off.
"""

from typing import Any

from rest_framework import serializers

from gannet.audit.kinds import EventKind
from gannet.people.acting import Acting
from gannet.people.models import Person
from gannet.tickets.actions.endings import end
from gannet.tickets.actions.frame import writing
from gannet.tickets.acts import ActInput, Place, RecordAct
from gannet.tickets.declaring import declare
from gannet.tickets.field import Field
from gannet.tickets.kinds import Panel, RecordKind
from gannet.tickets.models import Ticket
from gannet.tickets.policies import Decision
from gannet.web.errors import Invalid
from gannet.web.shape import Shape
from gannet_core.lifecycles import Lifecycle, Stage, leads, stays


class VisitEvent:
    SHOWN_IN = EventKind(
        "shown in", lambda told: f"{told.who} showed them to {told.value('host')}",
        moments=("shown in",),
    )  # fmt: skip
    SEEN_OFF = EventKind("seen off", lambda told: f"{told.who} saw them off", ends=True)


VISIT = Lifecycle(
    "visit",
    (Stage("expected"), Stage("in the house"), Stage("left", is_open=False, move="nobody's")),
    {
        "taken": stays("expected", "in the house"),
        "noted": stays("expected", "in the house", "left"),
        "shown in": leads("in the house", "expected"),
        "seen off": leads("left", "expected", "in the house"),
    },
)


class ShowInShape(Shape):
    host = serializers.CharField(max_length=80)


def show_in(number: int, acting: Acting, data: Any) -> Ticket:
    if not data["host"].strip():
        raise Invalid("Say to whom.", fields={"host": "This is empty."})
    with writing(number, acting, VisitEvent.SHOWN_IN) as write:  # type: ignore[arg-type]
        write.ticket.values = {**write.ticket.values, "host": data["host"].strip()}
        write.record(VisitEvent.SHOWN_IN, values={"host": data["host"].strip()})
    return write.ticket


def sign_out(number: int, acting: Acting, data: Any) -> Ticket:
    with writing(number, acting, VisitEvent.SEEN_OFF) as write:  # type: ignore[arg-type]
        end(write, VisitEvent.SEEN_OFF)
    return write.ticket


def only_by_those_who_are_there(person: Person, act: str, ticket: Ticket) -> Decision | None:
    if act == VisitEvent.SHOWN_IN and person.place != ticket.place:
        return Decision(False, f"Only people at {ticket.place} can do that.")
    return None


VISITS = RecordKind(
    key="visit",
    label="visit",
    plural="visits",
    mark="V",
    lifecycle=VISIT,
    codes={"expected": 20, "in the house": 21, "left": 70},
    fields=(
        Field("host", "text", "host", "values__host", lambda t: t.values.get("host"), is_nullable=True),
    ),
    acts=(
        RecordAct(
            name="show-in", label="Show in", about="They are with their host.", key="s",
            command="Show {} in", shape=ShowInShape, core=VisitEvent.SHOWN_IN, place=Place.BAR,
            does=show_in, asks=(ActInput(name="host", label="Their host"),), has_address=False,
        ),
        RecordAct(
            name="sign-out", label="Sign out", about="They have left.", shape=Shape,
            core=VisitEvent.SEEN_OFF, place=Place.MAIN, does=sign_out, has_address=False,
        ),
    ),
    panels=(
        Panel(key="visit", label="Visit", rows=lambda t: [("Host", t.values.get("host") or "nobody yet")]),
    ),
    moments=("shown in",),
    may=only_by_those_who_are_there,
)  # fmt: skip

declare(VISITS)
