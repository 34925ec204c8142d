"""Acts that major incidents bring to records."""

from gannet.majors import declaring, gathering, reviewing
from gannet.majors.events import MajorEvent
from gannet.majors.models import KIND, facts_of
from gannet.majors.shapes import DeclareShape, StandDownShape, SuggestMajorShape, WhyMajorShape
from gannet.majors.standing import is_lead, may_declare, running_of
from gannet.people.models import Person
from gannet.tickets.acts.registry import ActInput, Place, RecordAct, register
from gannet.tickets.models import Ticket
from gannet.tickets.shapes.tickets import NothingShape
from gannet.web.shape import now_s
from gannet_core.lifecycle import Act

_INCIDENT, _MAJOR = frozenset({"incident"}), frozenset({KIND})


def _not_suggested(ticket: Ticket, person: Person) -> str:
    if not ticket.is_open:
        return "It has ended: reopen it first."
    if ticket.is_major_suggested:
        return "It is suggested already."
    return "It is part of a major incident already." if running_of(ticket) else ""


def _not_leading(ticket: Ticket, person: Person) -> str:
    if is_lead(facts_of(ticket), person):
        return ""
    return "Whoever leads it does that, or a major incident lead."


register(
    RecordAct(
        name="suggest-major",
        label="Suggest as major…",
        about="Say that it is a major incident: who may declare one hears of it.",
        command="Suggest {} as a major incident",
        shape=SuggestMajorShape,
        core=Act.NOTED,
        kinds=_INCIDENT,
        against=_not_suggested,
        is_worth_greying=lambda ticket, person: False,
        does=lambda n, who, d: gathering.suggest(
            n, who.person, now_s(), d["why"] or "it hits many"
        ),
        asks=(ActInput(name="why", label="What makes it major", type="lines"),),
    ),
    RecordAct(
        name="declare-major",
        label="Declare major incident…",
        about="Declare a major incident from it: the room is there at once.",
        command="Declare a major incident from {}",
        shape=DeclareShape,
        core=Act.NOTED,
        kinds=_INCIDENT,
        against=declaring.not_declared,
        may=lambda ticket, person: "" if may_declare(person) else declaring.NOT_YOURS,
        is_worth_greying=lambda ticket, person: False,
        does=lambda n, who, d: declaring.declare_from(n, who, d),
    ),
    RecordAct(
        name="stand-down",
        label="Stand down…",
        about="Say that it is over: updates end and the review begins.",
        command="Stand {} down",
        shape=StandDownShape,
        core=MajorEvent.STOOD_DOWN,
        place=Place.MAIN,
        kinds=_MAJOR,
        may=_not_leading,
        does=lambda n, who, d: declaring.stand_down(n, who, d["why"], d.get("restored_at")),
        asks=(ActInput(name="why", label="Why it is over", type="lines"),),
    ),
    RecordAct(
        name="declare-again",
        label="Declare again…",
        about="It is back, or was never over: the same room, and updates are due again.",
        command="Declare {} again",
        shape=WhyMajorShape,
        core=MajorEvent.AGAIN,
        kinds=_MAJOR,
        may=lambda ticket, person: "" if may_declare(person) else declaring.NOT_YOURS,
        is_worth_greying=lambda ticket, person: False,
        does=lambda n, who, d: declaring.declare_again(n, who, d["why"]),
        asks=(ActInput(name="why", label="Why it is declared again", type="lines"),),
    ),
    RecordAct(
        name="end-review",
        label="End the review",
        about="The review is written: its actions live on as follow-ups.",
        command="End the review of {}",
        shape=NothingShape,
        core=MajorEvent.REVIEWED,
        place=Place.MAIN,
        kinds=_MAJOR,
        may=_not_leading,
        is_worth_greying=lambda ticket, person: False,
        does=lambda n, who, d: reviewing.end_review(n, who),
    ),
)
