"""The workaround: written, told to those whose incidents wait, offered again, and counted."""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from django.db import IntegrityError, transaction
from django.db.models import Q

from gannet.audit.models import Event
from gannet.people.acting import Acting
from gannet.people.models import Person
from gannet.problems.causes import set_known
from gannet.problems.events import ProblemEvent
from gannet.problems.linking import incidents_of, shared_words, titles_of, words_about
from gannet.problems.models import KIND, ProblemFacts, WorkaroundUse, facts_of
from gannet.rulebook.book import Book
from gannet.tickets import policies
from gannet.tickets.actions.closing import set_resolved
from gannet.tickets.actions.frame import writing
from gannet.tickets.actions.leftovers import left_open
from gannet.tickets.actions.talk import set_replied
from gannet.tickets.events import TicketEvent
from gannet.tickets.models import StateCode, Ticket
from gannet.tickets.states import state_code, state_name
from gannet.web.errors import Conflict, Invalid, Problem
from gannet_core.suggest import words_of
from gannet_core.tasks import filled

TELL, RESOLVE, LEAVE = "tell", "resolve", "leave"
WHAT = (TELL, RESOLVE, LEAVE)
TOLD, DESK, PORTAL = "told", "desk", "portal"
SHIPPED_WORDS = (
    "Dear {name},\n\n“{title}” ({number}) is something that we know. Until it is fixed, "
    "this helps:\n\n{workaround}\n\nWrite back if it does not."
)
_MOST_OFFERED = 5


@dataclass(frozen=True, kw_only=True)
class Telling:
    """What is said of a workaround, and what is done with each incident that waits."""

    workaround: str
    words: str
    is_for_portal: bool = False
    is_known: bool = True
    no_cause_why: str = ""
    decided: Mapping[int, str]


def words_for(book: Book) -> str:
    """The words of the rulebook in which a workaround is told."""
    return str(book.problems.get("words") or SHIPPED_WORDS)


def waiting_for(number: int, person: Person) -> list[Ticket]:
    """The open incidents of a problem that somebody may know of."""
    mine = policies.visible_to(person).filter(
        pk__in=incidents_of(number).filter(is_open=True).values("pk")
    )
    return list(mine.select_related("requester", "holder", "team").order_by("id")[:500])


def preview(ticket: Ticket, person: Person, workaround: str, words: str) -> list[dict[str, Any]]:
    """Each open incident: what would be done with it, why, and what its requester would read."""
    was_told = _told_already(ticket.pk)
    found = []
    for one in waiting_for(ticket.pk, person):
        why_not = _cannot_resolve(one)
        text, unknown = told_words(words, one, workaround)
        does = LEAVE if one.pk in was_told else (TELL if why_not else RESOLVE)
        found.append(
            {
                "id": one.pk,
                "title": one.title,
                "place": one.place,
                "requester": one.requester.name,
                "holder": one.holder.name if one.holder else "",
                "state": state_name(one.state),
                "channel": one.channel,
                "may": [TELL, LEAVE] if why_not else [RESOLVE, TELL, LEAVE],
                "does": does,
                "why": "was told already" if one.pk in was_told else why_not,
                "text": text,
                "unknown": unknown,
            }
        )
    return found


def told_words(words: str, incident: Ticket, workaround: str) -> tuple[str, list[str]]:
    """What the requester of one incident reads, and the placeholders that stand for nothing."""
    text, unknown = filled(
        words,
        {
            "name": incident.requester.first_name,
            "number": str(incident.pk),
            "title": incident.title,
            "place": incident.place or "your place",
            "workaround": workaround.strip(),
        },
    )
    return text, unknown


def tell(number: int, acting: Acting, said: Telling) -> dict[str, Any]:
    """Write the workaround, call it a known error if that is said, and tell whoever waits.

    Each incident is told, resolved or left by itself: one that cannot be is left as it is
    and named with why, and the others go on.
    """
    workaround = said.workaround.strip()
    if not workaround:
        raise Invalid("Say what helps until it is fixed.", fields={"workaround": "This is empty."})
    if strange := set(said.decided.values()) - set(WHAT):
        raise Invalid(f"“{min(strange)}” cannot be done to an incident.")
    wanted = {pk: does for pk, does in said.decided.items() if does != LEAVE}
    with transaction.atomic():
        with writing(number, acting, TicketEvent.CHANGED) as write:
            if write.ticket.kind != KIND:
                raise Invalid("Only a problem has a workaround.")
            if not write.ticket.is_open:
                raise Conflict("This has ended: reopen it first.")
            facts = ProblemFacts.objects.select_for_update().get(ticket=number)
            if facts.workaround != workaround:
                facts.workaround = workaround
                facts.workaround_s = facts.workaround_s or acting.now_s
                write.record(ProblemEvent.WORKAROUND, text=workaround)
            if facts.is_for_portal != int(said.is_for_portal):
                facts.is_for_portal = int(said.is_for_portal)
                write.record(
                    TicketEvent.CHANGED,
                    values={"changes": {"offered on the portal": _yes_no(said.is_for_portal)}},
                )
            if said.is_known and write.ticket.state != state_code("known error"):
                set_known(write, facts, said.no_cause_why)
            facts.save()
            write.ticket.problem_facts = facts
        done, left = _tell_each(number, acting, wanted, said.words, workaround)
        if done:
            with writing(number, acting) as write:
                write.record(
                    ProblemEvent.TOLD,
                    values={
                        "told": len(done),
                        "resolved": sum(one["does"] == RESOLVE for one in done),
                    },
                )
    return {"done": done, "left": left}


def _tell_each(
    number: int, acting: Acting, wanted: Mapping[int, str], words: str, workaround: str
) -> tuple[list[dict[str, Any]], list[dict[str, Any]]]:
    done: list[dict[str, Any]] = []
    left: list[dict[str, Any]] = []
    assert acting.person is not None
    known = {one.pk: one for one in waiting_for(number, acting.person)}
    for pk, does in wanted.items():
        incident = known.get(pk)
        if incident is None:
            left.append({"id": pk, "does": does, "why": "it is not open any more"})
            continue
        text, unknown = told_words(words, incident, workaround)
        if unknown:
            raise Invalid(
                f"{{{unknown[0]}}} stands for nothing here.", fields={"words": "Correct it."}
            )
        act = TicketEvent.RESOLVED if does == RESOLVE else TicketEvent.REPLIED
        try:
            with transaction.atomic(), writing(pk, acting, act) as there:
                there.record(ProblemEvent.WORKAROUND_GIVEN, values={"problem": number})
                if does == RESOLVE:
                    set_resolved(there, text, cause=f"problem {number}")
                else:
                    set_replied(there, text)
            event = next(event.id for event in reversed(there.events) if event.kind == act)
            _count(number, pk, acting, TOLD, event)
            done.append({"id": pk, "does": does, "why": ""})
        except Problem as error:
            left.append({"id": pk, "does": does, "why": str(error)})
    return done, left


def use(number: int, ticket_id: int, acting: Acting) -> None:
    """Count that a workaround was used on an incident, once; linking it is an act of its own."""
    assert acting.person is not None
    problem = policies.visible_to(acting.person).filter(pk=number, kind=KIND).first()
    if problem is None or not facts_of(problem).workaround:
        raise Invalid(f"Problem {number} has no workaround.")
    with writing(ticket_id, acting, TicketEvent.NOTED) as write:
        if write.ticket.is_open and write.lifecycle.can(
            write.state_name, ProblemEvent.WORKAROUND_GIVEN
        ):
            write.record(ProblemEvent.WORKAROUND_GIVEN, values={"problem": number})
    _count(number, ticket_id, acting, DESK, None)


def used_on_portal(number: int, acting: Acting) -> None:
    """Somebody says on the portal that a workaround helped, and reports nothing."""
    assert acting.person is not None
    open_to = known_errors(for_everybody=True).filter(pk=number)
    if not open_to.exists():
        raise Invalid("This is not offered any more.")
    recent = WorkaroundUse.objects.filter(
        problem=number, person=acting.person, how=PORTAL, at_s__gt=acting.now_s - 86_400
    )
    if not recent.exists():
        WorkaroundUse.objects.create(
            problem_id=number, person=acting.person, how=PORTAL, at_s=acting.now_s
        )


def uses_of(number: int) -> list[WorkaroundUse]:
    """Where a workaround was used; what was taken back within its ten seconds is not."""
    return uses_of_many([number])[number]


def uses_of_many(numbers: Sequence[int]) -> dict[int, list[WorkaroundUse]]:
    """Where the workarounds of some problems were used, in two questions."""
    found = list(WorkaroundUse.objects.filter(problem__in=numbers).order_by("at_s", "id"))
    told = WorkaroundUse.objects.filter(problem__in=numbers, event__isnull=False).values("ticket")
    undone = {
        facts.get("event")
        for facts in Event.objects.filter(ticket__in=told, kind=TicketEvent.UNDONE).values_list(
            "facts", flat=True
        )
    }
    used: dict[int, list[WorkaroundUse]] = {number: [] for number in numbers}
    for one in found:
        if one.event is None or one.event not in undone:
            used[one.problem_id].append(one)
    return used


def known_errors(*, for_everybody: bool = False) -> Any:
    """The known errors that have a workaround, the newest first."""
    found = Ticket.objects.filter(kind=KIND, problem_facts__known_s__isnull=False).exclude(
        problem_facts__workaround=""
    )
    found = found.exclude(state__in=(StateCode.CLOSED, StateCode.CANCELLED))
    if for_everybody:
        found = found.filter(problem_facts__is_for_portal=1, is_confidential=0, is_open=True)
    return found.select_related("problem_facts", "service", "ci").order_by("-id")


def offered(
    person: Person,
    *,
    service: int | None,
    ci: int | None,
    words: str,
    for_everybody: bool = False,
) -> list[dict[str, Any]]:
    """Workarounds of the same item or service, those whose words it has first; where neither is
    known, those whose words it has. Everybody is offered only what its words or item fit."""
    found = known_errors(for_everybody=for_everybody)
    if not for_everybody:
        found = found.filter(pk__in=policies.visible_to(person).values("pk"), is_open=True)
    near = Q(pk__in=[])
    if service is not None:
        near |= Q(service=service)
    if ci is not None:
        near |= Q(ci=ci)
    if service is None and ci is None and words_of(words):
        near = Q()
    ranked = []
    listed = list(found.filter(near)[:200])
    titles = titles_of(one.pk for one in listed)
    for one in listed:
        own = words_of(one.service.name) if one.service else []
        spoken = [
            word
            for word in shared_words(words_about(one, titles[one.pk]), words)
            if not shared_words(set(own), word)
        ]
        is_item = ci is not None and one.ci_id == ci
        is_service = service is not None and one.service_id == service
        # Words of the service's name say nothing of which of its faults it is.
        is_near = is_item or len(spoken) >= (1 if is_service else 2)
        if not is_near and (for_everybody or not is_service):
            continue
        why = "the same item" if is_item else (", ".join(spoken[:4]) or "the same service")
        ranked.append((3 * is_item + 2 * is_near + is_service + len(spoken), one, why, is_near))
    ranked.sort(key=lambda row: (-row[0], -row[1].pk))
    shown = ranked[:_MOST_OFFERED]
    uses = uses_of_many([one.pk for _, one, _, _ in shown])
    return [
        {
            "id": one.pk,
            "title": one.title,
            "workaround": one.problem_facts.workaround,
            "service": one.service.name if one.service else "",
            "used": len(uses[one.pk]),
            "why": why,
            "is_near": is_near,
        }
        for _, one, why, is_near in shown
    ]


def _cannot_resolve(incident: Ticket) -> str:
    """Why an incident cannot be resolved with others, or nothing."""
    if incident.open_approvals:
        return "a decision on it is out: it is told only"
    left: Sequence[Any] = left_open(incident)
    if left:
        return f"{left[0].words} is still open: it is told only"
    return ""


def _told_already(number: int) -> Collection[int]:
    return {one.ticket_id for one in uses_of(number) if one.ticket_id and one.how == TOLD}


def _count(number: int, ticket_id: int, acting: Acting, how: str, event: int | None) -> None:
    try:
        with transaction.atomic():
            WorkaroundUse.objects.create(
                problem_id=number,
                ticket_id=ticket_id,
                person=acting.person,
                how=how,
                event=event,
                at_s=acting.now_s,
            )
    except IntegrityError:
        WorkaroundUse.objects.filter(problem=number, ticket=ticket_id).update(
            event=event, at_s=acting.now_s
        )


def _yes_no(is_so: bool) -> list[str]:
    return ["no", "yes"] if is_so else ["yes", "no"]
