"""The acts of the desk on any record."""

from typing import Any

from gannet.people.acting import Acting
from gannet.people.models import Person, Team
from gannet.rulebook.book import current
from gannet.tickets import actions, policies, routing
from gannet.tickets.actions.closing import check_words, set_resolved
from gannet.tickets.actions.facts import set_facts
from gannet.tickets.actions.follow import set_followed
from gannet.tickets.actions.frame import RecordWrite
from gannet.tickets.actions.holding import check_receiver, give, set_taken
from gannet.tickets.actions.leftovers import Settled, undecided
from gannet.tickets.actions.talk import check_body, set_noted, set_replied
from gannet.tickets.actions.waiting import Wait, set_resumed, set_waiting
from gannet.tickets.acts.registry import OnMany, Params, Place, RecordAct, register
from gannet.tickets.drafting import check_may_be_drafted, draft_of
from gannet.tickets.models import StateCode, Ticket
from gannet.tickets.routing import mode_of
from gannet.tickets.shapes import records as record_shapes
from gannet.tickets.shapes import tickets as shapes
from gannet.tickets.states import state_name
from gannet.web.errors import Invalid
from gannet_core.conditions import fold
from gannet_core.instants import parse_instant
from gannet_core.lifecycle import Act, Waiting

# Why not, beyond permission and state.


def _is_holder(ticket: Ticket, person: Person) -> str:
    is_theirs = ticket.holder_id == person.pk and ticket.state != StateCode.NEW
    return "You hold it already." if is_theirs else ""


def _may_not_wait(ticket: Ticket, person: Person) -> str:
    """Why somebody may set it waiting on nothing that is waited on by hand."""
    refused = ""
    for on in (Waiting.REQUESTER, Waiting.SUPPLIER, Waiting.DATE):
        decision = policies.may_wait(person, str(on), current(), ticket)
        if decision:
            return ""
        refused = refused or decision.reason
    return refused


def _top_of_chain(ticket: Ticket, person: Person) -> str:
    if ticket.service_id is None:
        return ""  # the act asks which it is
    team, says = routing.next_in_chain(current(), ticket)
    return says if team is None else ""


def _up_the_chain(ticket: Ticket, person: Person) -> str:
    """Where *Escalate* would bring it, or why it stays where it is."""
    if not ticket.is_open or not policies.works_on(person, ticket):
        return ""
    if ticket.service_id is None:
        return "Up the support chain of its service, which it asks for."
    team, says = routing.next_in_chain(current(), ticket)
    return f"To {team.name}: {says}" if team is not None else says


def _has_ended(ticket: Ticket, person: Person) -> str:
    state = state_name(ticket.state)
    return "" if ticket.is_open else f"This is {state}: reopen it first."


def _no_outage(ticket: Ticket, person: Person) -> str:
    if not ticket.is_open:
        return "Only open work can be announced."
    if ticket.is_confidential:
        return "This is confidential, so it cannot be announced."
    return ""


def _not_announced(ticket: Ticket, person: Person) -> bool:
    return not ticket.is_announced


def _never(ticket: Ticket, person: Person) -> bool:
    return False


# What is said once of many records, and done to each.


def _check_change(params: Params, acting: Acting) -> None:
    changes = params.get("changes") or {}
    if not changes and not params.get("add_tags") and not params.get("drop_tags"):
        raise Invalid("Choose a field to change.", fields={"changes": "Nothing is chosen."})


def _change(write: RecordWrite, params: Params) -> None:
    changes = dict(params.get("changes") or {})
    if params.get("add_tags") or params.get("drop_tags"):
        dropped = {fold(tag) for tag in params.get("drop_tags") or ()}
        kept = [tag for tag in write.ticket.tags if fold(tag) not in dropped]
        changes["tags"] = [*kept, *(params.get("add_tags") or ())]
    set_facts(write, changes)


def _receiver(params: Params) -> tuple[Team, Person | None]:
    team = Team.objects.filter(pk=params.get("team") or 0, is_board=False).first()
    if team is None:
        raise Invalid("Choose a team.", fields={"team": "Choose one."})
    person = None
    if params.get("person"):
        person = Person.objects.filter(pk=params["person"], is_active=True).first()
        if person is None:
            raise Invalid("There is no such person.", fields={"person": "Choose one."})
    return team, person


def _check_give(params: Params, acting: Acting) -> None:
    check_receiver(*_receiver(params), params.get("comment") or "")


def _give(write: RecordWrite, params: Params) -> None:
    team, person = _receiver(params)
    give(write, team, person, params["comment"])


def _gives_in_turn(params: Params) -> bool:
    team, person = _receiver(params)
    return person is None and mode_of(current(), team) != "by hand"


def _wait_of(params: Params) -> Wait:
    try:
        on = Waiting(params.get("on") or "")
    except ValueError as error:
        raise Invalid("Say what they wait for.", fields={"on": "Choose one."}) from error
    until = params.get("until")
    try:
        instant = None if not until else parse_instant(until)
    except ValueError as error:
        raise Invalid("Say until when.", fields={"until": str(error)}) from error
    return Wait(
        on=on,
        reason=params.get("reason") or "",
        until=instant,
        supplier=params.get("supplier") or "",
    )


def _follow(write: RecordWrite, params: Params) -> None:
    if write.acting.person is not None:
        set_followed(write, write.acting.person)


def _said(params: Params, acting: Acting) -> None:
    check_body(params.get("text") or "")


# What one record's address takes.


def _hand_over(number: int, acting: Acting, data: Params) -> Any:
    team = Team.objects.filter(pk=data["team"], is_board=False).first()
    if team is None:
        raise Invalid("There is no such team.", fields={"team": "Choose a team."})
    return actions.hand_over(
        number,
        acting,
        team=team,
        person=_person(data["person"]),
        comment=data["comment"],
        seen_version=data["version"],
    )


def _reply(number: int, acting: Acting, data: Params) -> Any:
    is_plain = data["to_requester"] and data["followers"] is None
    readers = None
    if not is_plain or data["people"] or data["outside"]:
        readers = actions.Readers(
            requester=data["to_requester"],
            followers=data["followers"],
            people=data["people"],
            outside=data["outside"],
        )
    return actions.reply(
        number,
        acting,
        data["text"],
        data["attachments"],
        readers=readers,
        seen_event=data["seen_event"],
    )


def _resolve(number: int, acting: Acting, data: Params) -> Any:
    if data["drafts_article"]:
        check_may_be_drafted(Ticket.objects.get(pk=number))
    ticket = actions.resolve(
        number,
        acting,
        data["what"],
        data["version"],
        cause=data["cause"],
        article=data["article"],
        settled=Settled.of(data["left"]),
    )
    if data["drafts_article"]:
        draft_of(ticket, acting)
    return ticket


def _ask(number: int, acting: Acting, data: Params) -> Any:
    of = _person(data["of"])
    if of is None:
        raise Invalid("Choose the approver.", fields={"of": "Choose a person."})
    return actions.ask_approval(
        number,
        acting,
        of=of,
        what=data["what"],
        cost_pence=data["cost_pence"],
        waits=data["waits"],
        seen_version=data["version"],
    )


def _person(key: int | None) -> Person | None:
    if key is None:
        return None
    found = Person.objects.filter(pk=key, is_active=True).first()
    if found is None:
        raise Invalid("There is nobody by that number.", fields={"person": "Choose a person."})
    return found


def _follower(acting: Acting, data: Params) -> Person:
    person = _person(data["person"]) or acting.person
    if person is None:
        raise Invalid("Say who follows.", fields={"person": "Choose a person."})
    return person


register(
    RecordAct(
        name="take", label="Take it", command="Take {}", key="a", place=Place.BAR,
        about="Take a ticket; 409 says who took it first.",
        shape=shapes.TakeShape, core=Act.TAKEN, is_undoable=True, against=_is_holder,
        does=lambda n, who, d: actions.take(n, who, d["seen_holder"], force=d["force"]),
        on_many=OnMany(label="Take", button="Take", does=lambda write, params: set_taken(write)),
    ),
    RecordAct(
        name="reply", label="Reply", command="Reply on {}", key="r", place=Place.PANEL,
        about="Answer the requester and others; meets the target. 409 shows what crossed it.",
        shape=record_shapes.ReplyShape, core=Act.REPLIED, is_undoable=True, does=_reply,
        on_many=OnMany(
            label="Reply to the requesters", button="Reply…", check=_said,
            does=lambda write, params: set_replied(write, params["text"]),
        ),
    ),
    RecordAct(
        name="note", label="Note", command="Note on {}", key="n", place=Place.PANEL,
        about="Leave a note that only the desk reads.",
        shape=shapes.TextShape, core=Act.NOTED, is_undoable=True,
        does=lambda n, who, d: actions.note(n, who, d["text"], d["attachments"]),
        on_many=OnMany(
            label="Leave a note for the desk", button="Note…", check=_said,
            does=lambda write, params: set_noted(write, params["text"]),
        ),
    ),
    RecordAct(
        name="change", label="Change fields", place=Place.PANEL, has_address=False,
        about="Change facts in place.", shape=shapes.ChangeShape, core=Act.CHANGED,
        is_undoable=True,
        does=lambda n, who, d: actions.change_facts(n, who, d, None),
        on_many=OnMany(label="Change fields", button="Change…", check=_check_change, does=_change),
    ),
    RecordAct(
        name="wait", label="Wait…", command="Wait with {}", key="w", place=Place.BAR,
        about="Wait on the requester, a supplier or a date, with the reason.",
        shape=shapes.WaitShape, core=Act.WAITING, is_undoable=True, may=_may_not_wait,
        does=lambda n, who, d: actions.wait(
            n, who, on=Waiting(d["on"]), reason=d["reason"], until=d["until"],
            supplier=d["supplier"], seen_version=d["version"],
        ),
        on_many=OnMany(
            label="Wait", button="Wait…",
            check=lambda params, acting: _wait_of(params).check(acting),
            does=lambda write, params: set_waiting(write, _wait_of(params)),
        ),
    ),
    RecordAct(
        name="resume", label="Resume", command="Resume {}", place=Place.BAR,
        about="Take a waiting ticket up again.",
        shape=shapes.ReasonShape, core=Act.RESUMED, is_undoable=True, is_worth_greying=_never,
        does=lambda n, who, d: actions.resume(n, who, d["why"]),
        on_many=OnMany(
            label="Resume", button="Resume",
            does=lambda write, params: set_resumed(write, params.get("why") or ""),
        ),
    ),
    RecordAct(
        name="hand-over", label="Hand over…", command="Hand {} over", key="h", place=Place.BAR,
        about="Give it to another team or person, with the reason.",
        shape=shapes.HandOverShape, core=Act.HANDED_OVER, is_undoable=True, does=_hand_over,
        on_many=OnMany(
            label="Hand over", button="Hand over…", check=_check_give, does=_give,
            one_by_one=_gives_in_turn,
        ),
    ),
    RecordAct(
        name="escalate", label="Escalate…", command="Escalate {}", key="e", place=Place.BAR,
        about="Hand it up the support chain of its service.",
        shape=record_shapes.EscalateShape, core=Act.HANDED_OVER, is_undoable=True,
        against=_top_of_chain, hint=_up_the_chain,
        does=lambda n, who, d: actions.escalate(
            n, who, d["comment"], d["version"], service=d["service"]
        ),
    ),
    RecordAct(
        name="reopen", label="Reopen…", command="Reopen {}", place=Place.MAIN,
        about="It is not solved after all.",
        shape=shapes.ReasonShape, core=Act.REOPENED, is_worth_greying=_never,
        does=lambda n, who, d: actions.reopen(n, who, d["why"]),
    ),
    RecordAct(
        name="resolve", label="Resolve…", command="Resolve {}", key="z", place=Place.MAIN,
        about="Resolve with what was done, the cause, and the article that helped.",
        shape=record_shapes.ResolvingShape, core=Act.RESOLVED, is_undoable=True, does=_resolve,
        against=lambda ticket, person: undecided(ticket),
        is_worth_greying=lambda ticket, person: bool(ticket.is_open),
        on_many=OnMany(
            label="Resolve", button="Resolve…",
            check=lambda params, acting: check_words(params.get("what") or ""),
            does=lambda write, params: set_resolved(
                write, params["what"], cause=params.get("cause") or "",
                settled=Settled(is_all=bool(params.get("settles"))),
            ),
        ),
    ),
    RecordAct(
        name="priority", label="Set priority by hand…", command="Set the priority of {}", key="p",
        about="Set the priority by hand, with the reason.",
        shape=shapes.PriorityShape, core=Act.CHANGED, is_undoable=True,
        does=lambda n, who, d: actions.set_priority(
            n, who, d["priority"], d["reason"], d["version"]
        ),
    ),
    RecordAct(
        name="approvals", label="Ask for an approval…", command="Ask for an approval on {}",
        about="Ask somebody to approve something.",
        shape=record_shapes.AskApprovalShape, core=Act.CHANGED, against=_has_ended, does=_ask,
    ),
    RecordAct(
        name="links", label="Link to another…", command="Link {} to another",
        about="Say how it relates to another record.",
        shape=record_shapes.LinkInShape, core=Act.NOTED,
        does=lambda n, who, d: actions.link(n, who, d["kind"], d["other"]),
    ),
    RecordAct(
        name="merge", label="Merge into another…", command="Merge {} into another",
        about="Merge this duplicate into another ticket, which goes on for both.",
        shape=record_shapes.MergeShape, core=Act.CANCELLED, is_undoable=True,
        does=lambda n, who, d: actions.merge(n, who, d["into"]),
    ),
    RecordAct(
        name="outward", label="Send to development, help remotely, run a runbook…",
        command="Run a runbook on {}",
        about="Pass it to development, start remote help, or run a runbook.",
        shape=record_shapes.PassOutShape, core=Act.NOTED, against=_has_ended,
        does=lambda n, who, d: actions.pass_out(n, who, d["kind"], d["inputs"], d["title"]),
    ),
    RecordAct(
        name="announce", label="Announce as known outage…", command="Announce {} as an outage",
        about="Show it on everybody's portal as a known outage.",
        shape=shapes.AnnounceShape, core=Act.NOTED, against=_no_outage,
        does=lambda n, who, d: actions.announce(
            n, who, public_title=d["public_title"], next_news=d["next_news"]
        ),
    ),
    RecordAct(
        name="end-announcement", label="End the announcement",
        command="End the announcement of {}",
        about="Take the announcement off the portal.",
        shape=shapes.NothingShape, core=Act.NOTED, is_moot=_not_announced,
        does=lambda n, who, d: actions.end_announcement(n, who),
    ),
    RecordAct(
        name="follow", label="Follow", place=Place.PANEL,
        about="Follow, or let somebody follow.", shape=shapes.FollowShape,
        does=lambda n, who, d: actions.follow(n, who, _follower(who, d)),
        on_many=OnMany(label="Follow", button="Follow", does=_follow, in_routines=False),
    ),
    RecordAct(
        name="unfollow", label="Stop following", place=Place.PANEL,
        about="Stop following.", shape=shapes.FollowShape,
        does=lambda n, who, d: actions.unfollow(n, who, _follower(who, d)),
    ),
    RecordAct(
        name="time", label="Log time", place=Place.PANEL,
        about="Write minutes down, with what they were for.",
        shape=record_shapes.LogTimeShape, core=Act.NOTED,
        does=lambda n, who, d: actions.log_time(n, who, d["minutes"], d["what"]),
    ),
    RecordAct(
        name="time/start", label="Start the time", place=Place.PANEL,
        about="Start measuring one's time on it.", shape=shapes.NothingShape, core=Act.NOTED,
        does=lambda n, who, d: actions.start_timer(n, who),
    ),
    RecordAct(
        name="time/stop", label="Stop the time", place=Place.PANEL,
        about="Stop measuring; what was measured is written down.",
        shape=record_shapes.StopTimeShape, core=Act.NOTED,
        does=lambda n, who, d: actions.stop_timer(n, who, d["what"], d["minutes"]),
    ),
    RecordAct(
        name="tasks", label="Add a task", place=Place.PANEL,
        about="Add a task by hand.",
        shape=record_shapes.TaskInShape, core=Act.CHANGED, against=_has_ended,
        does=lambda n, who, d: actions.add_task(n, who, d),
    ),
    RecordAct(
        name="follow-ups", label="Add a follow-up", place=Place.PANEL,
        about="Add a task that is to be done whether the record has ended or not.",
        shape=record_shapes.FollowUpTaskShape, core=Act.NOTED,
        does=lambda n, who, d: actions.add_task(n, who, {**d, "outlives": True}),
    ),
    RecordAct(
        name="cancel", label="Withdraw…", command="Withdraw {}",
        about="It is not needed.", shape=shapes.ReasonShape, core=Act.CANCELLED, is_undoable=True,
        does=lambda n, who, d: actions.cancel(n, who, d["why"]),
    ),
    RecordAct(
        name="not-for-us", label="Reject as not ours…", command="Reject {} as not ours",
        about="It is not ours: it ends, nobody is told, and the sender is remembered.",
        shape=record_shapes.UnwantedShape, core=Act.CANCELLED, is_undoable=True,
        does=lambda n, who, d: actions.set_unwanted(n, who, remembers=d["remembers"]),
    ),
    RecordAct(
        name="undo", label="Undo", key="u", place=Place.PANEL,
        about="Take back one's own last act within ten seconds.", shape=shapes.NothingShape,
        does=lambda n, who, d: actions.undo(n, who),
    ),
)  # fmt: skip
