"""Changes as a kind of record."""

from collections.abc import Mapping
from typing import Any

from gannet.changes import (
    carrying,
    looking_back,
    passing,
    planning,
    releases,
    stages,
    users,
)
from gannet.changes.events import ChangeEvent
from gannet.changes.looking_back import OUTCOMES
from gannet.changes.models import KIND, facts_of
from gannet.changes.reading import change_json
from gannet.changes.shapes import (
    AssessChangeShape,
    ChangeShape,
    LookBackShape,
    PhaseGoShape,
    WhenChangeShape,
    WhyChangeShape,
)
from gannet.people.models import Person
from gannet.rulebook.book import current
from gannet.tickets.actions.endings import Ending, EndingPart
from gannet.tickets.actions.frame import RecordWrite
from gannet.tickets.acts import ActInput, Place, RecordAct
from gannet.tickets.field import Field
from gannet.tickets.kinds import RecordKind, Section
from gannet.tickets.models import Ticket
from gannet.tickets.policies import Decision
from gannet.tickets.shapes.tickets import NothingShape
from gannet.tickets.states import state_name
from gannet_core.lifecycles import CHANGE
from gannet_core.risk import RATINGS


def _of_change(name: str) -> Any:
    """A fact as conditions read it: nothing on a record that is no change."""
    return lambda ticket: (getattr(facts_of(ticket), name) or None) if ticket.kind == KIND else None


def _points(ticket: Ticket) -> int | None:
    return facts_of(ticket).points if ticket.kind == KIND else None


def _may(person: Person, act: str, ticket: Ticket) -> Decision | None:
    words = stages.may(person, act, ticket)
    return Decision(False, words) if words else None


def _added_stages() -> list[str]:
    """The names of the stages that the rulebook's types add."""
    types = current().changes.types
    return list(dict.fromkeys(stage.name for one in types for stage in one.stages))


def _perhaps(name: str, label: str) -> ActInput:
    """Something that may be said, and need not."""
    return ActInput(name=name, label=label, type="lines", is_needed=False)


def _drop_release(write: RecordWrite, ending: Ending) -> dict[str, Any] | None:
    """What was announced ends with it, and a release that is not done lets go of its changes."""
    if write.ticket.kind != KIND:
        return None
    kept = users.on_ending(write)
    if facts_of(write.ticket).is_release and ending.kind not in _CARRIED_TO_THE_END:
        kept["carried"] = carrying.let_go(write)
    return kept or None


def _restore_release(write: RecordWrite, kept: Mapping[str, Any], is_undo: bool) -> None:
    users.take_back(write, kept)
    carrying.carry_again(write, kept.get("carried") or {})


_CARRIED_TO_THE_END = (ChangeEvent.LOOKED_BACK, ChangeEvent.BACKED_OUT)
RELEASE_ENDS = EndingPart(name="change", drop=_drop_release, restore=_restore_release)

CHANGES = RecordKind(
    key=KIND,
    label="change",
    plural="changes",
    mark="C",
    lifecycle=CHANGE,
    codes={
        "draft": 10,
        "assess": 11,
        "authorise": 12,
        "planned": 13,
        "under way": 14,
        "look back": 15,
        "done": 60,
        "refused": 61,
        "backed out": 62,
    },
    is_logged_by_hand=False,
    is_for_requesters=False,
    facts="change_facts",
    fields=(
        Field(
            "risk",
            "choice",
            "risk of the change",
            "change_facts__rating",
            _of_change("rating"),
            is_nullable=True,
            values=lambda: list(RATINGS),
        ),
        Field(
            "points",
            "number",
            "points of risk",
            "change_facts__points",
            _points,
            is_nullable=True,
        ),
        Field(
            "stage",
            "choice",
            "stage of the change",
            "change_facts__stage_name",
            _of_change("stage_name"),
            is_nullable=True,
            values=_added_stages,
        ),
        Field(
            "outcome",
            "choice",
            "outcome of the change",
            "change_facts__outcome",
            _of_change("outcome"),
            is_nullable=True,
            values=lambda: ["done", "with issues", "failed", "backed out"],
        ),
    ),
    acts=(
        RecordAct(
            name="submit-change",
            label="Submit",
            about="Hand it in, to be assessed and authorised.",
            command="Submit {}",
            shape=NothingShape,
            core=ChangeEvent.SUBMITTED,
            place=Place.MAIN,
            does=lambda number, acting, data: stages.submit(number, acting),
            against=lambda ticket, person: passing.held_in(ticket),
            is_worth_greying=lambda ticket, person: False,
        ),
        RecordAct(
            name="move-change-on",
            label="Move on…",
            about="Move it on to the next stage that its type adds.",
            command="Move {} on to its next stage",
            shape=AssessChangeShape,
            core=ChangeEvent.MOVED_ON,
            place=Place.MAIN,
            does=lambda number, acting, data: passing.move_on(
                number, acting, data["comment"], data["version"]
            ),
            asks=(_perhaps("comment", "A word on it"),),
            against=lambda ticket, person: passing.no_stage_after(ticket),
            is_worth_greying=lambda ticket, person: False,
        ),
        RecordAct(
            name="assess-change",
            label="Assessed…",
            about="Say that it is assessed: its approvers are asked.",
            command="Say that {} is assessed",
            shape=AssessChangeShape,
            core=ChangeEvent.ASSESSED,
            place=Place.MAIN,
            does=lambda number, acting, data: stages.assess_it(
                number, acting, data["comment"], data["version"]
            ),
            asks=(
                ActInput(
                    name="comment", label="A word for the approvers", type="lines", is_needed=False
                ),
            ),
            against=lambda ticket, person: passing.held_in(ticket),
            is_worth_greying=lambda ticket, person: state_name(ticket.state) == "assess",
        ),
        RecordAct(
            name="send-change-back",
            label="Send back…",
            about="Let it be a draft again, with what is missing.",
            command="Send {} back",
            shape=WhyChangeShape,
            core=ChangeEvent.SENT_BACK,
            does=lambda number, acting, data: stages.send_back(number, acting, data["why"]),
            asks=(ActInput(name="why", label="What is missing", type="lines"),),
            is_worth_greying=lambda ticket, person: False,
        ),
        RecordAct(
            name="refer-change",
            label="Refer to the CAB…",
            about="Let the change advisory board decide on it, whatever its type and risk.",
            command="Refer {} to the CAB",
            shape=WhyChangeShape,
            core=ChangeEvent.REFERRED,
            does=lambda number, acting, data: stages.refer(number, acting, data["why"]),
            asks=(ActInput(name="why", label="What the CAB is to look at", type="lines"),),
            against=lambda ticket, person: stages.not_referred(ticket),
            is_worth_greying=lambda ticket, person: False,
        ),
        RecordAct(
            name="start-change",
            label="Begin",
            about="Say that it begins now.",
            command="Begin {}",
            shape=WhenChangeShape,
            core=ChangeEvent.STARTED,
            place=Place.MAIN,
            does=lambda number, acting, data: stages.start(number, acting, data["at"]),
            against=lambda ticket, person: passing.held_in(ticket),
            is_worth_greying=lambda ticket, person: False,
        ),
        RecordAct(
            name="implement-change",
            label="Implemented…",
            about="Say that it is done; it is looked back on some days later.",
            command="Say that {} is implemented",
            shape=WhenChangeShape,
            core=ChangeEvent.IMPLEMENTED,
            place=Place.MAIN,
            does=lambda number, acting, data: stages.implemented(
                number, acting, data["at"], data["text"]
            ),
            asks=(_perhaps("text", "What there is to say"),),
            against=lambda ticket, person: passing.held_in(ticket),
            is_worth_greying=lambda ticket, person: False,
        ),
        RecordAct(
            name="open-phase",
            label="Go…",
            about="Say go: the next phase of the release opens, and its tasks are given.",
            command="Say go for the next phase of {}",
            shape=PhaseGoShape,
            core=ChangeEvent.GO,
            place=Place.MAIN,
            does=lambda number, acting, data: releases.go_ahead(number, acting, data["text"]),
            asks=(_perhaps("text", "On what grounds"),),
            against=lambda ticket, person: releases.no_go_yet(ticket),
            is_worth_greying=lambda ticket, person: (
                bool(facts_of(ticket).is_release) and state_name(ticket.state) == "under way"
            ),
        ),
        RecordAct(
            name="stop-change",
            label="Stop and back out…",
            about="Stop it: the steps that back it out become its tasks.",
            command="Stop {} and back it out",
            shape=WhyChangeShape,
            core=ChangeEvent.STOPPED,
            place=Place.BAR,
            does=lambda number, acting, data: stages.stop(number, acting, data["why"]),
            asks=(ActInput(name="why", label="Why it is stopped", type="lines"),),
            against=lambda ticket, person: stages.not_stopped(ticket),
            is_worth_greying=lambda ticket, person: False,
        ),
        RecordAct(
            name="back-change-out",
            label="Backed out…",
            about="Say that it is backed out; that ends it.",
            command="Back {} out",
            shape=WhyChangeShape,
            core=ChangeEvent.BACKED_OUT,
            place=Place.BAR,
            does=lambda number, acting, data: stages.back_out(number, acting, data["why"]),
            asks=(ActInput(name="why", label="Why it is backed out", type="lines"),),
            is_worth_greying=lambda ticket, person: False,
        ),
        RecordAct(
            name="look-back",
            label="Look back…",
            about="Say how it went, once its faults have had the time to show.",
            command="Look back on {}",
            shape=LookBackShape,
            core=ChangeEvent.LOOKED_BACK,
            place=Place.MAIN,
            does=lambda number, acting, data: looking_back.look_back(
                number, acting, data["outcome"], data["learned"]
            ),
            asks=(
                ActInput(
                    name="outcome",
                    label="How it went",
                    type="choice",
                    choices=OUTCOMES,
                ),
                ActInput(name="learned", label="What was learned", type="lines", is_needed=False),
            ),
            against=lambda ticket, person: (
                passing.held_in(ticket) or looking_back.too_early(ticket, person)
            ),
            is_worth_greying=lambda ticket, person: state_name(ticket.state) == "look back",
        ),
    ),
    sections=(Section(key="change", shape=ChangeShape, read=change_json),),
    timers=(looking_back.REVIEWS, users.NOTICES),
    notices={
        "change submitted": "change",
        "change authorised": "change",
        "change sent back": "change",
        "change fell back": "change",
        "change moved on": "change",
        "change review due": "review",
        "change mismatch": "mismatch",
        "change put off": "change",
        "change stopped": "change",
        "release waits": "change",
        "change out of span": "span",
        "change backed out": "change",
        "change looked back": "change",
    },
    moments=("submitted", "authorised", "began", "ended", "looked back"),
    may=_may,
    involved=stages.involved,
    owners=stages.owners,
    touched=planning.facts_changed,
    tasks_done=releases.tasks_done,
    endings=(RELEASE_ENDS,),
    refusal=ChangeEvent.REFUSED,
    case=stages.case,
)
