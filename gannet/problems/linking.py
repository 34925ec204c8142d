"""Which incidents belong to a problem: opening one of them, linking, taking off, suggesting."""

from collections import Counter
from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass
from typing import Any

from django.db import transaction
from django.db.models import Q, QuerySet

from gannet.audit.models import Event
from gannet.estate.models import ConfigItem, Service
from gannet.people.acting import Acting
from gannet.people.models import Person
from gannet.problems.events import ProblemEvent
from gannet.problems.models import KIND, ProblemFacts
from gannet.tickets import policies
from gannet.tickets.actions.frame import RecordWrite, writing
from gannet.tickets.actions.log import NewTicket, log_ticket
from gannet.tickets.events import TicketEvent
from gannet.tickets.models import Channel, Link, LinkKind, Ticket
from gannet.web.errors import Conflict, Invalid
from gannet_core.suggest import words_of

_DAY = 86_400
MOST_AT_ONCE, MOST_SUGGESTED, SUGGESTED_DAYS = 500, 60, 180
_BECAUSE = LinkKind.CAUSED_BY


@dataclass(frozen=True, kw_only=True)
class NewProblem:
    """What is said when a problem is opened; the rest follows from its incidents."""

    title: str
    text: str = ""
    service: Service | None = None
    ci: ConfigItem | None = None
    category: str = ""
    incidents: Sequence[int] = ()
    born_of: str = ""
    is_confidential: bool = False


def incidents_of(number: int) -> QuerySet[Ticket]:
    """The incidents linked to a problem, whoever asks."""
    return Ticket.objects.filter(
        kind="incident", links_out__kind=_BECAUSE, links_out__target=number
    )


def titles_of(numbers: Iterable[int]) -> dict[int, list[str]]:
    """The titles of the incidents linked to each of some problems, in one question."""
    found: dict[int, list[str]] = {number: [] for number in numbers}
    rows = Link.objects.filter(kind=_BECAUSE, target__in=list(found), source__kind="incident")
    for number, title in rows.values_list("target_id", "source__title"):
        found[number].append(title)
    return found


def problems_of(numbers: Iterable[int]) -> dict[int, int]:
    """The problem that each of some incidents is linked to."""
    rows = Link.objects.filter(kind=_BECAUSE, source__in=list(numbers), target__kind=KIND)
    return dict(rows.order_by("id").values_list("source_id", "target_id"))


@transaction.atomic
def open_problem(new: NewProblem, acting: Acting) -> Ticket:
    """Open a problem, of incidents or of none yet, and link them to it."""
    assert acting.person is not None
    if not new.title.strip():
        raise Invalid("Say in a few words what it is.", fields={"title": "This is empty."})
    found = _chosen(acting.person, new.incidents)
    taken = problems_of(one.pk for one in found)
    if taken:
        first, problem = next(iter(taken.items()))
        raise Conflict(f"{first} belongs to problem {problem} already: leave it out.")
    ticket = log_ticket(
        NewTicket(
            kind=KIND,
            requester=acting.person,
            title=new.title,
            text=new.text,
            channel=Channel.DESK,
            service=new.service or _commonest([one.service for one in found]),
            ci=new.ci or _commonest([one.ci for one in found]),
            category=new.category or _commonest([one.category for one in found]) or "",
            place=_commonest([one.place for one in found]) or "",
            impact=min((one.impact for one in found), default=None),
            urgency=min((one.urgency for one in found), default=None),
            is_confidential=new.is_confidential or any(one.is_confidential for one in found),
            facts=lambda ticket: ProblemFacts(born_of=new.born_of[:200]),
        ),
        acting,
    )
    if found:
        link(ticket.pk, acting, [one.pk for one in found])
    return ticket


@transaction.atomic
def link(number: int, acting: Acting, numbers: Sequence[int], *, tells: bool = False) -> int:
    """Link incidents to a problem; those that are linked to it already stay so.

    With `tells`, their requesters and assignees hear of it if the rulebook says so, once.
    Returns how many were linked.
    """
    with writing(number, acting, _NOTED) as write:
        _is_problem(write.ticket)
        found = _chosen(acting.person, numbers)
        taken = problems_of(one.pk for one in found)
        for one in found:
            if taken.get(one.pk, number) != number:
                raise Conflict(f"{one.pk} belongs to problem {taken[one.pk]} already.")
            if one.is_confidential and not write.ticket.is_confidential:
                raise Conflict(f"{one.pk} is confidential and the problem is not.")
        new = [one for one in found if one.pk not in taken]
        if not new:
            return 0
        Link.objects.bulk_create(
            Link(
                source=one,
                target=write.ticket,
                kind=_BECAUSE,
                made_by=acting.person,
                made_s=acting.now_s,
            )
            for one in new
        )
        _record(write, "linked", [one.pk for one in new])
        write.afterwards(lambda: count(number))
    title = write.ticket.title
    for one in new:
        with writing(one.pk, acting) as there:
            was_told = tells and _was_linked(one, number)
            there.record(
                TicketEvent.LINKED,
                values={"how": _BECAUSE.value, "other": number, "problem": number},
            )
            if tells and not was_told:
                words = f"It is looked into as problem {number}: {title}"
                there.tell(there.ticket.requester, "problem linked", words)
                there.tell(there.ticket.holder, "problem linked", words)
    return len(new)


@transaction.atomic
def unlink(number: int, acting: Acting, numbers: Sequence[int]) -> int:
    """Take incidents off a problem; returns how many there were."""
    with writing(number, acting, _NOTED) as write:
        _is_problem(write.ticket)
        links = Link.objects.filter(
            kind=_BECAUSE, target=number, source__in=list(numbers)[:MOST_AT_ONCE]
        )
        if acting.person is not None:
            # What somebody may not know of, they do not take off by guessing its number.
            links = links.filter(source__in=policies.visible_to(acting.person).values("pk"))
        gone = sorted(links.values_list("source_id", flat=True))
        if not gone:
            return 0
        Link.objects.filter(kind=_BECAUSE, target=number, source__in=gone).delete()
        _record(write, "took off", gone)
        write.afterwards(lambda: count(number))
    for one in gone:
        with writing(one, acting) as there:
            there.record(TicketEvent.UNLINKED, values={"how": _BECAUSE.value, "other": number})
    return len(gone)


def suggested(ticket: Ticket, person: Person, now_s: int) -> list[dict[str, Any]]:
    """Incidents that may belong to a problem, the likeliest first, each with why.

    By the same item, by words that its title or its linked incidents have, on the same
    service; nothing that belongs to a problem already.
    """
    if ticket.ci_id is None and ticket.service_id is None:
        return []
    like = Q(pk__in=[])
    if ticket.ci_id is not None:
        like |= Q(ci=ticket.ci_id)
    if ticket.service_id is not None:
        like |= Q(service=ticket.service_id)
    seen = policies.visible_to(person).filter(
        like, kind="incident", opened_s__gt=now_s - SUGGESTED_DAYS * _DAY
    )
    if not ticket.is_confidential:
        seen = seen.filter(is_confidential=0)
    rows = seen.exclude(links_out__kind=_BECAUSE).order_by("-opened_s")
    listed = list(rows.values_list("id", "title", "opened_s", "is_open", "ci_id", "place")[:400])
    known = words_about(ticket)
    found: list[dict[str, Any]] = []
    for number, title, opened_s, is_open, ci_id, place in listed:
        shared = shared_words(known, title)
        is_same_item = ci_id is not None and ci_id == ticket.ci_id
        if not is_same_item and len(shared) < 2:
            continue
        why = ["the same item"] * is_same_item + ([", ".join(shared[:4])] if shared else [])
        found.append(
            {
                "id": number,
                "title": title,
                "opened_s": opened_s,
                "is_open": bool(is_open),
                "place": place,
                "why": " · ".join(why),
                "rank": 2 * is_same_item + len(shared),
            }
        )
    found.sort(key=lambda one: (-one["rank"], -one["opened_s"]))
    return found[:MOST_SUGGESTED]


def count(number: int) -> None:
    """Keep how many incidents a problem has beside it, for lists."""
    ProblemFacts.objects.filter(ticket=number).update(incidents=incidents_of(number).count())


_STEM = 5


def shared_words(known: set[str], text: str) -> list[str]:
    """The words of a text that are among some known ones, as far as their beginnings go."""
    stems = {word[:_STEM] for word in known}
    return sorted({word for word in words_of(text) if word[:_STEM] in stems})


def words_about(ticket: Ticket, titles: Sequence[str] | None = None) -> set[str]:
    """The words of a problem: its title's, and those that its incidents share."""
    if titles is None:
        titles = list(incidents_of(ticket.pk).values_list("title", flat=True)[:200])
    shared = Counter(word for title in titles for word in set(words_of(title)))
    often = {word for word, times in shared.items() if times * 3 >= len(titles)}
    return {word for word in {*words_of(ticket.title), *often} if not word.isdigit()}


def _chosen(person: Person | None, numbers: Sequence[int]) -> list[Ticket]:
    wanted = list(dict.fromkeys(numbers))
    if len(wanted) > MOST_AT_ONCE:
        raise Invalid(f"At most {MOST_AT_ONCE} at once.", fields={"incidents": "Choose fewer."})
    seen = Ticket.objects.all() if person is None else policies.visible_to(person)
    found = {
        one.pk: one
        for one in seen.filter(pk__in=wanted, kind="incident").select_related("service", "ci")
    }
    for number in wanted:
        if number not in found:
            raise Invalid(
                f"There is no incident {number}.", fields={"incidents": "Choose another."}
            )
    return [found[number] for number in wanted]


def _was_linked(incident: Ticket, number: int) -> bool:
    """Whether an incident was linked to a problem before, so that its people know of it."""
    links = Event.objects.filter(ticket=incident, kind=TicketEvent.LINKED)
    return any(said.get("problem") == number for said in links.values_list("values", flat=True))


def _commonest(values: Iterable[Any]) -> Any:
    counted = Counter(value for value in values if value)
    return counted.most_common(1)[0][0] if counted else None


def _is_problem(ticket: Ticket) -> None:
    if ticket.kind != KIND:
        raise Invalid(f"{ticket.kind.capitalize()} {ticket.pk} is no problem.")


def _record(write: RecordWrite, how: str, numbers: Collection[int]) -> None:
    write.record(
        ProblemEvent.INCIDENTS,
        values={
            "how": how,
            "count": len(numbers),
            "numbers": [*map(str, list(numbers)[:12]), *(["…"] if len(numbers) > 12 else [])],
        },
    )


_NOTED = TicketEvent.NOTED
