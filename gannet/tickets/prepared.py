"""Ready words and acts: phrases, routines, hints – a person's own, a team's, or everybody's."""

from collections.abc import Mapping, Sequence
from typing import Any

from django.db import transaction
from django.db.models import Q, QuerySet

from gannet.estate.models import Service
from gannet.people.acting import Acting
from gannet.people.models import Person, Role, Team
from gannet.people.roles import team_ids
from gannet.rulebook.book import current, fill
from gannet.tickets import mass
from gannet.tickets.actions.frame import RecordWrite, load_many, writing
from gannet.tickets.acts import acts as known_acts
from gannet.tickets.models import Hint, Phrase, Routine, Ticket
from gannet.tickets.placeholders import values_of
from gannet.web.errors import Invalid, Missing, Problem, Refused
from gannet_core.errors import GannetError

MAX_PHRASE = 8_000
MOST_ACTS = 8


def usable(model: Any, person: Person) -> QuerySet[Any]:
    """The phrases or routines that somebody may use: theirs, their teams', everybody's."""
    everybody = Q(owner=None, team=None)
    rows = model.objects.filter(Q(owner=person) | Q(team__in=team_ids(person)) | everybody)
    found: QuerySet[Any] = rows.select_related("owner", "team")
    return found


def may_change(person: Person, row: Any) -> bool:
    """One's own; a team's members theirs; what is everybody's, administrators and leads."""
    if row.owner_id is not None:
        return bool(row.owner_id == person.pk)
    if row.team_id is not None:
        return row.team_id in team_ids(person) or person.has_role(Role.ADMINISTRATOR)
    return person.has_role(Role.ADMINISTRATOR, Role.TEAM_LEAD)


def keep(model: Any, person: Person, given: Mapping[str, Any], number: int | None = None) -> Any:
    """Keep a phrase or routine, new or again."""
    row = model()
    if number is not None:
        row = _known(model, person, number)
        _check(person, row)
    row.name = " ".join(given["name"].split())[:80]
    if not row.name:
        raise Invalid("Give it a name.", fields={"name": "This is empty."})
    row.owner = person if given["for"] == "mine" else None
    row.team = None
    if given["for"] == "team":
        row.team = Team.objects.filter(pk=given.get("team") or 0).first()
        if row.team is None:
            raise Invalid("Choose a team.", fields={"team": "Choose one."})
    _check(person, row)
    if model is Phrase:
        row.text = given["text"].strip()
        if not row.text:
            raise Invalid("The phrase is empty.", fields={"text": "This is empty."})
        if len(row.text) > MAX_PHRASE:
            raise Invalid("That is too long.", fields={"text": f"At most {MAX_PHRASE} characters."})
    else:
        row.acts = checked_acts(given["acts"])
    row.save()
    return row


def drop(model: Any, person: Person, number: int) -> None:
    row = _known(model, person, number)
    _check(person, row)
    row.delete()


def _known(model: Any, person: Person, number: int) -> Any:
    found = usable(model, person).filter(pk=number).first()
    if found is None:
        raise Missing("There is nothing like that.")
    return found


def _check(person: Person, row: Any) -> None:
    if not may_change(person, row):
        owner = row.team.name if row.team_id else "everybody"
        raise Refused(f"This is {owner}'s: keep one of your own.")


def whose(row: Any) -> str:
    if row.owner_id is not None:
        return "mine"
    return str(row.team.name) if row.team_id is not None else "everybody"


def phrases_for(ticket: Ticket, person: Person, now_s: int) -> list[dict[str, Any]]:
    """The phrases that somebody may use, their placeholders filled in for a ticket."""
    dues = {clock.kind: clock.due_s for clock in ticket.clocks.filter(holder="")}
    values = values_of(ticket, dues, ticket.requester, "", person.name, now_s)
    return [
        {"id": row.pk, "name": row.name, "text": fill(row.text, values), "whose": whose(row)}
        for row in usable(Phrase, person)
    ]


def checked_acts(acts: Sequence[Mapping[str, Any]]) -> list[dict[str, Any]]:
    """The acts of a routine, refused when one could never be done."""
    if not acts:
        raise Invalid("A routine needs an act.", fields={"acts": "Choose one."})
    if len(acts) > MOST_ACTS:
        raise Invalid(f"At most {MOST_ACTS} acts.", fields={"acts": "Too many."})
    for at, act in enumerate(acts):
        known = known_acts().get(act.get("act") or "")
        if known is None or known.on_many is None or not known.on_many.in_routines:
            raise Invalid(f"Act {at + 1} is none.", fields={"acts": "Choose one from the list."})
    return [{"act": act["act"], "params": dict(act.get("params") or {})} for act in acts]


def routine_of(person: Person, number: int) -> Routine:
    found: Routine = _known(Routine, person, number)
    return found


def preview_routine(ticket: Ticket, person: Person, routine: Routine, acting: Acting) -> Any:
    """What a routine would do to a ticket, act by act; nothing is changed."""
    with transaction.atomic():
        (write,) = load_many([ticket.pk], acting, lock=False)
        before = mass.shown(write.ticket)
        steps = []
        for act in routine.acts:
            why = _try(write, act)
            steps.append({"label": label_of(act), "refused": why})
            if why:
                break
        write._derive()
        changes = mass.difference(before, mass.shown(write.ticket))
        transaction.set_rollback(True)
    works = not any(step["refused"] for step in steps)
    return {"steps": steps, "changes": changes, "works": works}


def run_routine(ticket_id: int, acting: Acting, routine: Routine) -> Ticket:
    """Do all acts of a routine in one go: all of them, or none."""
    with writing(ticket_id, acting) as write:
        for act in routine.acts:
            why = _try(write, act)
            if why:
                raise Invalid(f"{label_of(act)}: {why}")
    return write.ticket


def _try(write: RecordWrite, act: Mapping[str, Any]) -> str:
    found, many = mass.act_on_many(act["act"])
    params = _filled(act["params"], write)
    try:
        many.check(params, write.acting)
    except (Problem, GannetError) as error:
        return str(error)
    return mass.refusal(write, found, params)


def _filled(params: Mapping[str, Any], write: RecordWrite) -> dict[str, Any]:
    """The parameters with the placeholders of their texts filled in."""
    ticket, person = write.ticket, write.acting.person
    dues = {clock.kind: clock.due_s for clock in write.clocks if not clock.holder}
    actor = person.name if person else "Gannet"
    values = values_of(ticket, dues, ticket.requester, "", actor, write.acting.now_s)
    return {
        name: fill(value, values) if isinstance(value, str) else value
        for name, value in params.items()
    }


def label_of(act: Mapping[str, Any]) -> str:
    """An act of a routine in words."""
    params = act["params"]
    label = mass.act_on_many(act["act"])[1].label
    said = next(
        (params[name] for name in ("text", "what", "reason", "comment") if params.get(name)), ""
    )
    if said:
        return f"{label}: “{said[:80]}”"
    more = [f"{name} to {value}" for name, value in (params.get("changes") or {}).items()]
    more += [f"tag {tag}" for tag in params.get("add_tags") or ()]
    return f"{label}: {', '.join(more)}" if more else label


def keep_hint(acting: Acting, given: Mapping[str, Any], number: int | None = None) -> Hint:
    """Keep advice for agents on a category or a service."""
    person = acting.person
    if person is None or not person.is_on_desk:
        raise Refused("Only the desk keeps hints.")
    row = Hint() if number is None else Hint.objects.filter(pk=number).first()
    if row is None:
        raise Missing("There is no such hint.")
    row.text = given["text"].strip()[:2_000]
    row.category = given.get("category") or ""
    row.service = Service.objects.filter(pk=given.get("service") or 0).first()
    if not row.text:
        raise Invalid("The hint is empty.", fields={"text": "This is empty."})
    if row.category and row.category not in current().categories:
        raise Invalid("There is no such category.", fields={"category": "Choose one."})
    if not row.category and row.service is None:
        raise Invalid("Choose what it is about.", fields={"service": "A service or category."})
    row.kept_by, row.kept_at = person, acting.now
    row.save()
    return row


MOST_QUESTIONS = 8


def keep_questions(person: Person, service_id: int, asked: Sequence[Mapping[str, str]]) -> Service:
    """What is asked after closing a ticket of the service, beside how it was.

    A question keeps its key through a change of its words, so that answers stay with it.
    """
    if not person.has_role(Role.ADMINISTRATOR, Role.TEAM_LEAD):
        raise Refused("Only team leads and administrators change what is asked.")
    service = Service.objects.filter(pk=service_id).first()
    if service is None:
        raise Missing("There is no such service.")
    if len(asked) > MOST_QUESTIONS:
        raise Invalid(f"At most {MOST_QUESTIONS} questions: people answer short ones.")
    kept: list[dict[str, str]] = []
    known = {str(one["key"]) for one in service.survey}
    for number, question in enumerate(asked):
        label = " ".join(question["label"].split())
        if not label:
            raise Invalid("A question is empty.", fields={f"questions.{number}": "This is empty."})
        key = question.get("key", "")
        taken = {one["key"] for one in kept}
        if key not in known or key in taken:
            free = (f"q{at}" for at in range(1, 1_000))
            key = next(name for name in free if name not in taken | known)
        kept.append({"key": key, "label": label[:200]})
    service.survey = kept
    service.save(update_fields=["survey"])
    return service
