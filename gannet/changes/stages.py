"""The stages of a change: submitted, assessed, authorised, begun, done, looked back on."""

from collections.abc import Mapping
from typing import Any

from gannet.changes import carrying, looking_back, passing, releases, users, verifying
from gannet.changes.assessing import Assessment, assess
from gannet.changes.events import ChangeEvent
from gannet.changes.models import KIND, ChangeFacts, carried, facts_of, touched_by
from gannet.changes.planning import check_seen, keep_risk
from gannet.changes.within import check_said, locked_facts, tell_managers
from gannet.people.acting import Acting
from gannet.people.models import Person, Role
from gannet.rulebook.book import edition
from gannet.tickets.actions import routes
from gannet.tickets.actions.endings import end
from gannet.tickets.actions.frame import RecordWrite, writing
from gannet.tickets.actions.routes import when_approved
from gannet.tickets.actions.tasks import skip_tasks
from gannet.tickets.directory import technical_owner_of
from gannet.tickets.models import TaskState, Ticket
from gannet.web.errors import Conflict, Invalid
from gannet_core import changes as core
from gannet_core import risk
from gannet_core.instants import parse_instant, seconds_of

_MANAGERS = (
    ChangeEvent.ASSESSED,
    ChangeEvent.SENT_BACK,
    ChangeEvent.REFERRED,
    ChangeEvent.LOOKED_BACK,
)
_CARRIES_OUT = (
    ChangeEvent.STARTED,
    ChangeEvent.IMPLEMENTED,
    ChangeEvent.STOPPED,
    ChangeEvent.BACKED_OUT,
    ChangeEvent.GO,
)
# What a change that goes with a release does not do by itself.
_TOGETHER = (
    *_MANAGERS,
    *_CARRIES_OUT,
    ChangeEvent.SUBMITTED,
    ChangeEvent.MOVED_ON,
    "cancelled",
)
CONDITION = "condition of the CAB"
_OVER = (TaskState.DONE, TaskState.SKIPPED)


def submit(number: int, acting: Acting) -> Ticket:
    """Submit a draft: it has all that its type asks for, and is what its type may be.

    A standard one of low risk is authorised with it; so may be what was done already.
    """
    with writing(number, acting, ChangeEvent.SUBMITTED) as write:
        facts = locked_facts(write)
        facts.submitted_s = acting.now_s
        found = _assessed(write, facts)
        passing.leave(write, facts, found)
        lacks = found.lacks(acting.person)
        if lacks:
            raise Invalid(
                " ".join(one.says for one in lacks), fields={one.place: one.says for one in lacks}
            )
        if found.against_type:
            raise Invalid(found.against_type, fields={"type": found.against_type})
        if not facts.is_after_the_fact and facts.starts_s and facts.starts_s <= acting.now_s:
            raise Invalid("It would have begun already.", fields={"span": "Choose a later time."})
        facts.type = found.type.key  # what it is judged by, whatever its risk becomes
        _keep(write, facts, found, "submitted")
        write.record(ChangeEvent.SUBMITTED, values=_values(found))
        carrying.follow(write, ChangeEvent.SUBMITTED)
        tell_managers(write, "change submitted", write.ticket.title)
        if found.type.like == core.STANDARD and not found.type.within("assess"):
            _go_to_authorise(write, facts, found, is_automatic=True)
    return write.ticket


def assess_it(
    number: int, acting: Acting, comment: str = "", seen_version: int | None = None
) -> Ticket:
    """Say that a submitted change is assessed: its approval route begins.

    What somebody has changed of it since it was looked at is not assessed unseen.
    """
    with writing(number, acting, ChangeEvent.ASSESSED) as write:
        facts = locked_facts(write)
        check_seen(write.ticket, facts.edited, seen_version)
        found = _assessed(write, facts)
        if found.against_type:
            raise Conflict(found.against_type)
        passing.leave(write, facts, found)
        _go_to_authorise(write, facts, found, comment=comment)
    return write.ticket


def _go_to_authorise(
    write: RecordWrite,
    facts: ChangeFacts,
    found: Assessment,
    *,
    comment: str = "",
    is_automatic: bool = False,
) -> None:
    ticket, kind = write.ticket, found.type
    if not kind.route and kind.like != core.STANDARD:
        raise Conflict(
            f"{kind.name} changes have no approval route: choose one in the rulebook, Changes."
        )
    # Who decides is asked by the edition that is in force now.
    ticket.edition, ticket.route = write.policy.number, kind.route
    _keep(write, facts, found, "assessed")
    write.record(
        ChangeEvent.ASSESSED,
        values=_values(found),
        text=comment.strip(),
        is_automatic=is_automatic or None,
    )
    carrying.follow(write, ChangeEvent.ASSESSED)
    routes.begin(write)


@when_approved
def _authorised(write: RecordWrite) -> None:
    """Its route has ended well: what was authorised is kept, and it waits for its time."""
    ticket = write.ticket
    if ticket.kind != KIND or write.state_name != "authorise":
        return
    facts = locked_facts(write)
    facts.authorised = {
        "at_s": write.acting.now_s,
        "starts_s": facts.starts_s,
        "ends_s": facts.ends_s,
        "steps": len(facts.steps),
        "items": list(ticket.change_items.values_list("item_id", flat=True)),
        "rating": facts.rating,
    }
    facts.save()
    write.record(ChangeEvent.AUTHORISED, is_automatic=True)
    carrying.follow(write, ChangeEvent.AUTHORISED)
    write.tell(ticket.holder, "change authorised", ticket.title)
    if facts.is_after_the_fact and facts.starts_s is not None and facts.ends_s is not None:
        # It was done before anybody could be asked: its times are what they were.
        facts.began_s, facts.ended_s = facts.starts_s, facts.ends_s
        facts.review_s = looking_back.review_s_of(edition(ticket.edition), facts.ends_s)
        facts.save()
        write.record(ChangeEvent.STARTED, is_automatic=True, values={"loud": ["after the fact"]})
        write.record(ChangeEvent.IMPLEMENTED, is_automatic=True)


def send_back(number: int, acting: Acting, why: str) -> Ticket:
    """Let it be a draft again, with what is missing; whoever was asked need not decide."""
    with writing(number, acting, ChangeEvent.SENT_BACK) as write:
        check_said(why, "why", "Say what is missing.")
        facts = locked_facts(write)
        facts.type, facts.submitted_s = "", None
        facts.stage = facts.stage_name = ""
        facts.save()
        routes.drop_route(write)
        write.record(ChangeEvent.SENT_BACK, text=why.strip())
        carrying.follow(write, ChangeEvent.SENT_BACK)
        write.tell(write.ticket.holder, "change sent back", why.strip())
    return write.ticket


def refer(number: int, acting: Acting, why: str) -> Ticket:
    """Let the change advisory board decide on it, with what it is to look at."""
    with writing(number, acting, ChangeEvent.REFERRED) as write:
        check_said(why, "why", "Say what the CAB is to look at.")
        against = not_referred(write.ticket)
        if against:
            raise Conflict(against)
        facts = locked_facts(write)
        facts.referred = " ".join(why.split())[:300]
        facts.save()
        write.record(ChangeEvent.REFERRED, text=facts.referred)
        if write.state_name == "authorise":
            routes.reopen_touched(write, ["goes to the CAB"])
    return write.ticket


def not_referred(ticket: Ticket) -> str:
    """Why a change cannot be referred to the CAB, in words, or nothing."""
    book = edition(ticket.edition)
    if not book.changes.cab:
        return "The rulebook names no meeting of the CAB."
    found = assess(ticket, book, facts_of(ticket).submitted_s or 0)
    return "The CAB decides on it already." if found.needs_cab else ""


def start(number: int, acting: Acting, at: str = "") -> Ticket:
    """Begin to implement it; outside its span it is said loudly, and noted."""
    with writing(number, acting, ChangeEvent.STARTED) as write:
        facts = locked_facts(write)
        passing.leave(write, facts, _assessed(write, facts))
        began = _instant(at, "at", acting)
        loud = []
        if facts.starts_s is not None and began < facts.starts_s:
            loud.append("before its span")
        if facts.ends_s is not None and began >= facts.ends_s:
            loud.append("after its span")
        if write.ticket.tasks.filter(phase=CONDITION).exclude(state__in=_OVER).exists():
            loud.append("before what the CAB made a condition was done")
        facts.began_s = began
        facts.save()
        write.record(ChangeEvent.STARTED, values={"loud": loud})
        carrying.follow(write, ChangeEvent.STARTED)
        if facts.is_release:
            releases.open_phase(write)
        elif facts.as_tasks:
            releases.born(write, [(write.ticket, facts)], "")
        if loud:
            words = f"{write.ticket.title}: it began {' and '.join(loud)}"
            tell_managers(write, "change out of span", words)
    return write.ticket


def implemented(number: int, acting: Acting, at: str = "", text: str = "") -> Ticket:
    """It is done: when to look back on it is worked out by service days."""
    with writing(number, acting, ChangeEvent.IMPLEMENTED) as write:
        facts = locked_facts(write)
        passing.leave(write, facts, _assessed(write, facts))
        ended = _instant(at, "at", acting)
        if facts.began_s is not None and ended < facts.began_s:
            raise Invalid("It ended before it began.", fields={"at": "Choose a later time."})
        facts.ended_s, facts.review_s = ended, looking_back.review_s_of(write.policy, ended)
        facts.save()
        write.record(ChangeEvent.IMPLEMENTED, text=text.strip())
        carrying.follow(write, ChangeEvent.IMPLEMENTED)
        users.tell_after(write, "It is done.")
        users.end_announcement(facts, acting.now_s)
        verifying.look_at(write)
    return write.ticket


def stop(number: int, acting: Acting, why: str) -> Ticket:
    """Stop a change that is under way: the steps that back it out become its tasks."""
    with writing(number, acting, ChangeEvent.STOPPED) as write:
        check_said(why, "why", "Say why it is stopped.")
        facts = locked_facts(write)
        against = not_stopped(write.ticket)
        if against:
            raise Conflict(against)
        facts.stopped = " ".join(why.split())[:500]
        facts.save()
        skip_tasks(write)
        rows = [(write.ticket, facts), *((one, facts_of(one)) for one in carried(number))]
        releases.born(write, rows, core.BACK_OUT, (core.BACK_OUT,))
        write.record(ChangeEvent.STOPPED, text=facts.stopped)
        tell_managers(write, "change stopped", f"{write.ticket.title}: {facts.stopped}")
    return write.ticket


def not_stopped(ticket: Ticket) -> str:
    """Why a change cannot be stopped so that its steps back are tasks, in words, or nothing."""
    facts = facts_of(ticket)
    if facts.stopped:
        return "It is stopped already: say that it is backed out once it is."
    plans = [facts, *(facts_of(one) for one in carried(ticket.pk))]
    there = any(step.part == core.BACK_OUT for one in plans for step in one.plan())
    return "" if there else "Its plan has no steps that back it out."


def back_out(number: int, acting: Acting, why: str) -> Ticket:
    """Stop it and back it out; that is how it ends."""
    with writing(number, acting, ChangeEvent.BACKED_OUT) as write:
        check_said(why, "why", "Say why it is backed out.")
        facts = locked_facts(write)
        facts.outcome = "backed out"
        facts.ended_s = facts.ended_s or acting.now_s
        facts.save()
        end(write, ChangeEvent.BACKED_OUT, text=why.strip())
        carrying.follow(write, ChangeEvent.BACKED_OUT)
        tell_managers(write, "change backed out", why.strip())
    return write.ticket


def may(person: Person, act: str, ticket: Ticket) -> str:
    """Why somebody may not do an act on a change, beyond what holds for every record."""
    release = facts_of(ticket).release_id
    if release and act in _TOGETHER:
        return f"It goes with release {release}."
    manages = person.has_role(Role.CHANGE_MANAGER)
    if act in _MANAGERS:
        return "" if manages else "Only a change manager does that."
    if act in _CARRIES_OUT or act == ChangeEvent.MOVED_ON:
        does_it = person.pk in involved(ticket) or person.pk == ticket.holder_id
        return "" if manages or does_it else "Only who carries it out, or a change manager."
    return ""


def involved(ticket: Ticket) -> frozenset[int]:
    """Who carries a change out: nobody authorises what they do themselves."""
    if ticket.kind != KIND:
        return frozenset()
    plans = [facts_of(ticket), *(facts_of(one) for one in carried(ticket.pk))]
    named = {int(step.who) for one in plans for step in one.plan() if step.who}
    return frozenset(named or ({ticket.holder_id} if ticket.holder_id else ()))


def owners(ticket: Ticket, who: str) -> list[int] | None:
    """The technical owners of the items it touches, the owners of the services it reaches."""
    if ticket.kind != KIND:
        return None
    if who == "technical owner":
        touched = touched_by(ticket).select_related("item__service")
        found_owners = (technical_owner_of(one.item, ticket.service) for one in touched)
        return list(dict.fromkeys(one for one in found_owners if one is not None))
    if who == "service owner":
        found = assess(ticket, edition(ticket.edition), 0).affected
        half = [service.owner_id for service, one, _ in found if one.reach * 2 >= 1]
        return list(dict.fromkeys(owner for owner in half if owner is not None))
    return None


def case(ticket: Ticket) -> Mapping[str, Any]:
    """What routes may ask of a change, as it stands: moved into a freeze, it is in one."""
    facts = facts_of(ticket)
    if ticket.kind != KIND or facts.starts_s is None:
        return {
            "risk": None,
            "points": 0,
            "change type": None,
            "in a freeze": False,
            "goes to the CAB": bool(facts.referred),
        }
    found = assess(ticket, edition(ticket.edition), facts.starts_s)
    return {
        "risk": facts.rating or None,
        "points": facts.points or 0,
        "change type": found.settings.type_of(facts.type).name,
        "in a freeze": found.circumstances.in_freeze,
        "goes to the CAB": found.needs_cab,
    }


def _assessed(write: RecordWrite, facts: ChangeFacts) -> Assessment:
    return assess(write.ticket, write.policy, write.acting.now_s, facts)


def _keep(write: RecordWrite, facts: ChangeFacts, found: Assessment, stage: str) -> None:
    """Keep the risk with the decision, as it was then."""
    facts.weighed = [
        *facts.weighed,
        {
            "stage": stage,
            "at_s": write.acting.now_s,
            "type": found.type.name,
            "in_freeze": found.circumstances.in_freeze,
            "points": found.risk.points,
            "rating": found.risk.rating,
            "consequence": risk.percent(found.risk.consequence),
            "likelihood": risk.percent(found.risk.likelihood),
            "parts": [
                {"name": part.name, "percent": risk.percent(part.adds), "times": part.times}
                for part in found.risk.likelihood_parts
            ],
        },
    ][-40:]
    facts.save()
    keep_risk(write.ticket, found)
    write.ticket.change_facts = facts
    facts.points, facts.rating = found.risk.points, found.risk.rating


def _values(found: Assessment) -> dict[str, Any]:
    return {
        "points": found.risk.points,
        "rating": found.risk.rating,
        "type": found.type.name,
        "clashes": [f"{clash.kind} {clash.other}" for clash in found.clashes][:20],
    }


def _instant(said: str, name: str, acting: Acting) -> int:
    """When it was: as said, or now; a moment that has not come is refused."""
    if not said:
        return acting.now_s
    try:
        at = seconds_of(parse_instant(said))
    except ValueError as error:
        raise Invalid("Say when.", fields={name: "Choose a date and time."}) from error
    if at > acting.now_s:
        raise Invalid("That moment has not come.", fields={name: "Choose an earlier time."})
    return at
