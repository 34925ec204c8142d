"""Carrying out what rules and escalation steps want done, in the transaction of the act.

The core says what; here it is done, recorded with the rule or step that wanted it, and
told to whom it concerns.
"""

from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import Any

from django.db.models import Q, QuerySet

from gannet.people.models import Membership, Person, Role, Team
from gannet.tickets import intake, routing
from gannet.tickets.actions.endings import end
from gannet.tickets.actions.frame import RecordWrite, let_rules_act
from gannet.tickets.actions.from_template import add_from_template
from gannet.tickets.actions.relations import tell_related
from gannet.tickets.events import TicketEvent
from gannet.tickets.fields import record_of
from gannet.tickets.kinds import kind_of
from gannet.tickets.models import Follower, StateCode
from gannet.tickets.setting import RETARGETS, set_tags
from gannet.tickets.telling import messenger
from gannet.web.kept import Givens, KeptQueries
from gannet_core import rules
from gannet_core.lifecycle import Act


@let_rules_act
def run_rules(write: RecordWrite, before: Mapping[str, Any] | None) -> bool:
    """One pass of the rules for the act being done; says whether it changed anything."""
    if before is None:
        return False
    events = _moments(write, before)
    tell_related(write, events)
    if not events or not set(events) & write.policy.listens:
        return False
    after = record_of(write.ticket, write.policy)
    changes = {
        name: [before.get(name), value]
        for name, value in after.items()
        if before.get(name) != value
    }
    run = intake.run_rules(
        write.policy, write.ticket, events, changes, write.acting.now_s, record=after
    )
    if run.traces:
        # The act's own event keeps what the rules said of it.
        write.entries[0].values["rules"] = [trace.as_json() for trace in run.traces]
    if not run.fired:
        return False
    apply_run(write, run)
    return True


def _moments(write: RecordWrite, before: Mapping[str, Any]) -> tuple[str, ...]:
    found = {moment for entry in write.entries for moment in entry.kind.moments}
    if before["state"] != write.state_name:
        found.add("state changed")
    return tuple(sorted(found))


def apply_run(write: RecordWrite, run: rules.RuleRun) -> None:
    """Apply the effects of a pass together: what is set first, then everything else."""
    done = intake.apply_sets(write.ticket, run, write.policy)
    names = {trace.key: trace.name for trace in run.traces}
    if done:
        record_sets(write, done, sorted({names[run.sets[n].rule] for n in done if n in run.sets}))
    _assign(write, run)
    for effect in run.effects:
        carry_out(write, effect.do, effect.parts, f"the rule “{names[effect.rule]}”")


def record_sets(write: RecordWrite, done: Sequence[str], by: Sequence[str]) -> None:
    """Record fields that were set by themselves, and let the promise follow."""
    shown = record_of(write.ticket, write.policy)
    write.record(
        TicketEvent.RULE_ACTED,
        is_automatic=True,
        by_desk=False,
        values={"by": list(by), "set": {name: shown.get(name) for name in done}},
    )
    if set(done) & RETARGETS and not write.is_new:
        write.retarget()
        if "priority" in done:
            write.tell(write.ticket.holder, "priority changed", ", ".join(by))


def _assign(write: RecordWrite, run: rules.RuleRun) -> None:
    team, person = intake.assigned_team(run), intake.assigned_person(run)
    if team is None and person is None:
        return
    names = {trace.key: trace.name for trace in run.traces}
    by = names[(run.sets.get("team") or run.sets["holder"]).rule]
    reassign(write, team, person, f"the rule “{by}”")


def reassign(write: RecordWrite, team: Team | None, person: Person | None, by: str) -> None:
    """Give an open record to a team, to a person, or to a person of a team, saying by what.

    A person who is not of the team it is with brings it to a team of their own; of a team
    alone the person is found as routing finds them.
    """
    from gannet.tickets.actions.holding import to_team

    if (team is None and person is None) or not write.ticket.is_open:
        return
    chosen, sentence, why = person, "", list[dict[str, Any]]()
    if team is None:
        team = write.ticket.team
    if person is not None and not Membership.objects.filter(team=team, person=person).exists():
        own = person.memberships.select_related("team").order_by("pk").first()
        if own is None:
            return
        team = own.team
    if person is None:
        found = routing.choose_person(write.policy, write.ticket, team, write.acting.now_s)
        chosen, sentence, why = found.person, found.sentence, found.why
        write.look_again_s = found.retry_at_s
    if team.pk == write.ticket.team_id and (chosen is None or chosen.pk == write.ticket.holder_id):
        return
    to_team(write, team, chosen, by, why=why, sentence=sentence, automatic=True)


CarryOut = Callable[[RecordWrite, Mapping[str, Any], str], None]
_carries_out: dict[str, CarryOut] = {}


def carries_out(do: str) -> Callable[[CarryOut], CarryOut]:
    """Register what an action of a rule or step does that is no field of the ticket.

    It is given the act being done, the parts of the action, and by which rule or step.
    """

    def register(carry: CarryOut) -> CarryOut:
        _carries_out[do] = carry
        return carry

    return register


def carry_out(write: RecordWrite, do: str, parts: Mapping[str, Any], by: str) -> None:
    """Do one effect that is not a field of the ticket; one of an app that is gone is left."""
    carry = _carries_out.get(do)
    if carry is not None:
        carry(write, parts, by)


@carries_out("notify")
def _notify(write: RecordWrite, parts: Mapping[str, Any], by: str) -> None:
    """Tell people what a rule or step wants them to know: of a team, those who are there."""
    _say_why(write, by)
    for person in recipients(write, parts["who"], only_there=True):
        write.tell(person, "rule", str(parts.get("why") or by), message=parts["message"])


@carries_out("note")
def _note(write: RecordWrite, parts: Mapping[str, Any], by: str) -> None:
    text = f"{parts['text']}\n\n({by})"
    write.record(TicketEvent.NOTED, text=text, is_automatic=True, by_desk=True)


@carries_out("tag")
def _tag(write: RecordWrite, parts: Mapping[str, Any], by: str) -> None:
    set_tags(write.ticket, [*write.ticket.tags, *parts["tags"]])
    record_sets(write, ["tags"], [by])


@carries_out("tasks")
def _tasks(write: RecordWrite, parts: Mapping[str, Any], by: str) -> None:
    for key in parts["tasks"]:
        add_tasks(write, key, by)


@carries_out("webhook")
def _post(write: RecordWrite, parts: Mapping[str, Any], by: str) -> None:
    hook = write.policy.hooks.get(parts["hook"])
    if hook is not None and kind_of(write.ticket).hears(write.ticket, None):
        _say_why(write, by)
        write.afterwards(lambda: messenger().post(hook, write.ticket, by, write.acting.now_s))


@carries_out("close")
def _close(write: RecordWrite, parts: Mapping[str, Any], by: str) -> None:
    close_with(write, parts["message"], by)


def recipients(write: RecordWrite, who: Iterable[str], *, only_there: bool = False) -> list[Person]:
    """The people behind roles, team names and addresses, each once, nobody who is gone.

    `only_there`: of a team those who are on shift, its leads first; where nobody of it is
    there, its leads, else all of them.
    """
    found: dict[int, Person] = {}
    for name in who:
        people = _people(write, name)
        if only_there and (name in ("holder", "team") or "@" not in name):
            people = _there(write, name, people)
        for person in people:
            if person is not None and person.is_active:
                found[person.pk] = person
    return list(found.values())


def _people(write: RecordWrite, name: str) -> Iterable[Person | None]:
    ticket = write.ticket
    match name:
        case "holder":
            return [ticket.holder] if ticket.holder else _members(ticket.team)
        case "requester":
            return [ticket.requester]
        case "requester's manager":
            return [ticket.requester.manager]
        case "team":
            return _members(ticket.team)
        case "team lead":
            leads = _members(ticket.team, only_leads=True)
            return leads or _members(ticket.team)
        case "followers":
            return Person.objects.filter(following__ticket=ticket) if ticket.pk else []
        case "service owner":
            return [ticket.service.owner if ticket.service else None]
        case "administrators":
            everybody = Person.objects.filter(is_active=True)
            return [person for person in everybody if person.has_role(Role.ADMINISTRATOR)]
    if "@" in name:
        return Person.objects.filter(email=name.casefold())
    return Person.objects.filter(memberships__team__name=name).distinct()


def _there(
    write: RecordWrite, name: str, people: Iterable[Person | None]
) -> Iterable[Person | None]:
    """Of a team's people those who are on shift now, its leads first."""
    ticket = write.ticket
    if name == "team" or (name == "holder" and ticket.holder is None):
        team: Team | None = ticket.team
    else:
        team = Team.objects.filter(name=name).first()
    if team is None:
        return people
    leads = {person.pk for person in _members(team, only_leads=True)}
    members = sorted(_members(team), key=lambda person: person.pk not in leads)
    now_s = write.acting.now_s
    on_shift = [person for person in members if routing.is_there(write.policy, person, now_s)]
    return on_shift or [person for person in members if person.pk in leads] or members


def _members(team: Team, *, only_leads: bool = False) -> list[Person]:
    rows = _kept.objects("members", _memberships, {"team": team.pk})
    return [one.person for one in rows if one.is_lead or not only_leads]


_kept = KeptQueries()


def _memberships(givens: Givens) -> QuerySet[Any]:
    return Membership.objects.filter(team=givens["team"]).select_related("person")


def _say_why(write: RecordWrite, by: str) -> None:
    """Messages hang on an event: one automatic entry says which rule or step did it."""
    if not any(
        entry.kind in (TicketEvent.RULE_ACTED, TicketEvent.ESCALATED) for entry in write.entries
    ):
        write.record(
            TicketEvent.RULE_ACTED, is_automatic=True, by_desk=False, values={"by": [by], "set": {}}
        )


@carries_out("follow")
def _follow(write: RecordWrite, parts: Mapping[str, Any], by: str) -> None:
    people = recipients(write, parts["who"])

    def follow() -> None:
        for person in people:
            Follower.objects.get_or_create(ticket=write.ticket, person=person)

    if people:
        write.record(
            TicketEvent.FOLLOWED,
            is_automatic=True,
            by_desk=False,
            values={"people": [person.name for person in people]},
        )
        write.afterwards(follow)


@carries_out("suggest major")
def _suggest_major(write: RecordWrite, parts: Mapping[str, Any], by: str) -> None:
    if write.ticket.is_major_suggested:
        return
    write.ticket.is_major_suggested = 1
    write.record(TicketEvent.MAJOR_SUGGESTED, is_automatic=True, by_desk=False, text=by)
    leads = Person.objects.filter(is_active=True).exclude(Q(roles=[]))
    for person in leads:
        if person.has_role(Role.MAJOR_LEAD):
            write.tell(person, "major suggested", by)


def add_tasks(write: RecordWrite, key: str, by: str) -> None:
    """Add the tasks of a task template to the ticket."""
    template = write.policy.task_templates.get(key)
    if template is not None:
        add_from_template(write, template, record_of(write.ticket, write.policy), by)


def close_with(write: RecordWrite, message: str, by: str) -> None:
    """Close stale work: resolve it with the message's words, then close it."""
    ticket = write.ticket
    text = f"{by}."
    if write.lifecycle.can(write.state_name, Act.RESOLVED):
        end(write, TicketEvent.RESOLVED, text=text, is_automatic=True)
        write.tell(ticket.requester, "rule", text, message=message)
    if ticket.state == StateCode.RESOLVED:
        end(write, TicketEvent.CLOSED, is_automatic=True)
