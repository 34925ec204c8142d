"""The incidents of a major incident: suggested, gathered, answered and resolved together; and
what work elsewhere is held by it."""

from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from django.db import transaction
from django.db.models import Q

from gannet.estate.models import ConfigItem, Service
from gannet.estate.nodes import node_of, web
from gannet.majors import standing
from gannet.majors.events import MajorEvent
from gannet.majors.models import KIND, MajorFacts
from gannet.majors.plans import plans
from gannet.people.acting import Acting
from gannet.people.models import Person, Role
from gannet.problems.linking import shared_words
from gannet.rulebook.book import current
from gannet.tickets import policies
from gannet.tickets.actions.closing import set_resolved
from gannet.tickets.actions.frame import writing
from gannet.tickets.actions.leftovers import left_open
from gannet.tickets.actions.talk import set_replied
from gannet.tickets.events import TicketEvent
from gannet.tickets.models import Link, LinkKind, Ticket
from gannet.tickets.states import state_name
from gannet.web.errors import Conflict, Invalid, Problem
from gannet_core.instants import instant_of
from gannet_core.majors import many_at_once
from gannet_core.suggest import words_of
from gannet_core.tasks import filled

_BECAUSE = LinkKind.CAUSED_BY
MOST_AT_ONCE, MOST_SUGGESTED = 500, 60
# How many reports in how many minutes are many, where no plan says it.
MANY, SOON = 5, 15
_BEFORE_S = 6 * 3600
TELL, RESOLVE, LEAVE = "tell", "resolve", "leave"
WHAT = (TELL, RESOLVE, LEAVE)
PLACEHOLDERS = ("name", "number", "title", "place")


def numbers_of(facts: MajorFacts) -> list[int]:
    """The incidents gathered in a major incident, whoever asks."""
    rows = Link.objects.filter(kind=_BECAUSE, target=facts.ticket_id, source__kind="incident")
    return list(rows.order_by("source_id").values_list("source_id", flat=True))


def gathered(facts: MajorFacts, person: Person) -> list[Ticket]:
    """Those of them that somebody may know of, the newest first."""
    mine = policies.visible_to(person).filter(pk__in=numbers_of(facts))
    return list(mine.select_related("requester", "holder", "team", "ci").order_by("-id"))


@transaction.atomic
def gather(number: int, acting: Acting, numbers: Sequence[int]) -> int:
    """Gather incidents: they wait for the major one. Returns how many were new."""
    wanted = list(dict.fromkeys(numbers))
    if len(wanted) > MOST_AT_ONCE:
        raise Invalid(f"At most {MOST_AT_ONCE} at once.", fields={"incidents": "Choose fewer."})
    with writing(number, acting, TicketEvent.NOTED) as write:
        facts = standing.locked(write)
        seen = policies.visible_to(acting.person) if acting.person else Ticket.objects.all()
        found = {one.pk: one for one in seen.filter(pk__in=wanted, kind="incident")}
        strange = [pk for pk in wanted if pk not in found]
        if strange:
            raise Invalid(
                f"There is no incident {strange[0]}.", fields={"incidents": "Choose another."}
            )
        # What is over holds nothing any more: an incident may be part of another after it.
        elsewhere = Link.objects.filter(kind=_BECAUSE, source__in=wanted, target__kind=KIND).filter(
            Q(target=number) | Q(target__major_facts__stood_down_s=None)
        )
        known = dict(elsewhere.values_list("source_id", "target_id"))
        for pk, one in found.items():
            if known.get(pk, number) != number:
                raise Conflict(f"{pk} is part of major incident {known[pk]} already.")
            if one.is_confidential and not write.ticket.is_confidential:
                raise Conflict(f"{pk} is confidential and the major incident is not.")
        new = [pk for pk in wanted if pk not in known]
        if not new:
            return 0
        Link.objects.bulk_create(
            Link(
                source_id=pk,
                target=write.ticket,
                kind=_BECAUSE,
                made_by=acting.person,
                made_s=acting.now_s,
            )
            for pk in new
        )
        _record(write, "gathered", new)
        write.afterwards(lambda: count(facts))
    for pk in new:
        with writing(pk, acting) as there:
            there.record(
                TicketEvent.LINKED, values={"how": _BECAUSE.value, "other": number, "major": number}
            )
    return len(new)


@transaction.atomic
def let_go(number: int, acting: Acting, numbers: Sequence[int]) -> int:
    """Let incidents go: they were something else. Returns how many there were."""
    with writing(number, acting, TicketEvent.NOTED) as write:
        facts = standing.locked(write)
        links = Link.objects.filter(
            kind=_BECAUSE, target=number, source__in=list(numbers)[:MOST_AT_ONCE]
        )
        if acting.person is not None:
            links = links.filter(source__in=policies.visible_to(acting.person).values("pk"))
        gone = sorted(links.values_list("source_id", flat=True))
        if not gone:
            return 0
        Link.objects.filter(kind=_BECAUSE, target=number, source__in=gone).delete()
        _record(write, "let go", gone)
        write.afterwards(lambda: count(facts))
    for pk in gone:
        with writing(pk, acting) as there:
            there.record(TicketEvent.UNLINKED, values={"how": _BECAUSE.value, "other": number})
    return len(gone)


def count(facts: MajorFacts) -> None:
    """Keep how many incidents a major one has, for lists."""
    MajorFacts.objects.filter(pk=facts.pk).update(gathered=len(numbers_of(facts)))


def suggested(facts: MajorFacts, person: Person) -> list[dict[str, Any]]:
    """Open incidents that are likely the same, the likeliest first, each with why."""
    ticket = facts.ticket
    known = numbers_of(facts)
    rows = policies.visible_to(person).filter(
        kind="incident", is_open=True, opened_s__gt=facts.reported_s - _BEFORE_S
    )
    if not ticket.is_confidential:
        rows = rows.filter(is_confidential=0)
    rows = rows.exclude(pk__in=known).exclude(links_out__target__kind=KIND)
    titles = [ticket.title, *Ticket.objects.filter(pk__in=known).values_list("title", flat=True)]
    words = {word for title in titles for word in words_of(title) if not word.isdigit()}
    reached = {node for node in reach(facts) if node.startswith("service-")}
    found: list[dict[str, Any]] = []
    for one in rows.select_related("requester", "service").order_by("-opened_s")[:400]:
        shared = shared_words(words, one.title)
        is_item = one.ci_id is not None and one.ci_id == ticket.ci_id
        is_service = one.service is not None and node_of(one.service) in reached
        if not is_item and not (is_service and shared) and len(shared) < 2:
            continue
        why = ["the same item"] * is_item + ["a service it reaches"] * is_service
        found.append(
            {
                "id": one.pk,
                "title": one.title,
                "requester": one.requester.name,
                "place": one.place,
                "opened_s": one.opened_s,
                "why": " · ".join([*why, ", ".join(shared[:4])] if shared else why),
                "rank": 3 * is_item + is_service + len(shared),
            }
        )
    found.sort(key=lambda one: (-one["rank"], -one["opened_s"]))
    return found[:MOST_SUGGESTED]


# --- together ---


def preview(
    facts: MajorFacts, person: Person, words: str, does: str = TELL
) -> list[dict[str, Any]]:
    """Each open incident: what would be done with it and why not, and what would be read."""
    found = []
    for one in gathered(facts, person):
        if not one.is_open:
            continue
        why_not = _cannot_resolve(one)
        text, unknown = told_words(words, one)
        found.append(
            {
                "id": one.pk,
                "title": one.title,
                "requester": one.requester.name,
                "place": one.place,
                "state": state_name(one.state),
                "may": [TELL, LEAVE] if why_not else [RESOLVE, TELL, LEAVE],
                "does": TELL if does == RESOLVE and why_not else does,
                "why": why_not,
                "text": text,
                "unknown": unknown,
            }
        )
    return found


def told_words(words: str, incident: Ticket) -> tuple[str, list[str]]:
    """What the requester of one incident reads, and placeholders that stand for nothing."""
    return filled(
        words,
        {
            "name": incident.requester.first_name,
            "number": str(incident.pk),
            "title": incident.title,
            "place": incident.place or "your place",
        },
    )


def answer(number: int, acting: Acting, words: str, decided: Mapping[int, str]) -> dict[str, Any]:
    """Answer or resolve incidents with one text, each by itself; one that cannot be is named."""
    if not words.strip():
        raise Invalid("Say what they are told.", fields={"words": "This is empty."})
    if strange := set(decided.values()) - set(WHAT):
        raise Invalid(f"“{min(strange)}” cannot be done to an incident.")
    assert acting.person is not None
    with transaction.atomic():
        facts = MajorFacts.objects.select_related("ticket").get(ticket=number)
        if facts.is_drill:
            raise Conflict("This is a drill: nobody outside it is told.")
        known = {one.pk: one for one in gathered(facts, acting.person) if one.is_open}
        done: list[dict[str, Any]] = []
        left: list[dict[str, Any]] = []
        for pk, does in decided.items():
            if does == LEAVE:
                continue
            one = known.get(pk)
            if one is None:
                left.append({"id": pk, "does": does, "why": "it is not open any more"})
                continue
            text, unknown = told_words(words, one)
            if unknown:
                raise Invalid(
                    f"{{{unknown[0]}}} stands for nothing here.", fields={"words": "Correct it."}
                )
            act = TicketEvent.RESOLVED if does == RESOLVE else TicketEvent.REPLIED
            try:
                with transaction.atomic(), writing(pk, acting, act) as there:
                    if does == RESOLVE:
                        set_resolved(there, text, cause=f"major incident {number}")
                    else:
                        set_replied(there, text)
                done.append({"id": pk, "does": does, "why": ""})
            except Problem as error:
                left.append({"id": pk, "does": does, "why": str(error)})
        if done:
            with writing(number, acting) as write:
                resolved = sum(one["does"] == RESOLVE for one in done)
                write.record(MajorEvent.ANSWERED, values={"told": len(done), "resolved": resolved})
    return {"done": done, "left": left}


def _cannot_resolve(one: Ticket) -> str:
    left = left_open(one)
    return f"“{left[0].words}” is open" if left else ""


# --- suggested by many reports, and what is held ---


def suggest_many(now_s: int) -> int:
    """Suggest a major incident where many reports of one thing came in a short time."""
    said: Mapping[str, Any] = next(
        (one["suggested"] for one in plans(current()) if one.get("suggested")), {}
    )
    count, within_s = int(said.get("count") or MANY), int(said.get("minutes") or SOON) * 60
    rows = Ticket.objects.filter(
        kind="incident", is_open=True, opened_s__gt=now_s - within_s, is_confidential=0
    ).exclude(links_out__target__kind=KIND)
    columns = ("pk", "opened_s", "is_major_suggested", "ci_id", "service_id", "category")
    listed: list[dict[str, Any]] = list(rows.values(*columns))
    reports = [(one["opened_s"], about) for one in listed for about in _about(one)]
    found = many_at_once(reports, count, within_s)
    reached = _reached_now() if found else set()
    done = 0
    for about in found:
        alike = [one for one in listed if about in _about(one)]
        if any(one["is_major_suggested"] for one in alike):
            continue
        # What a running one reaches belongs to it: it is gathered, not suggested anew.
        if any({f"item-{one['ci_id']}", f"service-{one['service_id']}"} & reached for one in alike):
            continue
        first = min(one["pk"] for one in alike)
        suggest(first, None, now_s, f"{len(alike)} reports of one thing")
        done += 1
    return done


def _reached_now() -> set[str]:
    running = MajorFacts.objects.filter(stood_down_s=None, is_drill=0).select_related("ticket")
    return {node for facts in running for node in reach(facts)}


def _about(one: Mapping[str, Any]) -> list[str]:
    """What a report is about: an item, else a service and a category."""
    if one["ci_id"] is not None:
        return [f"item {one['ci_id']}"]
    if one["service_id"] is not None and one["category"]:
        return [f"service {one['service_id']} {one['category']}"]
    return []


def suggest(number: int, person: Person | None, now_s: int, why: str) -> Ticket:
    """Suggest an incident as a major one; who may declare hears of it."""
    acting = Acting(person=person, now=instant_of(now_s))
    with writing(number, acting, TicketEvent.NOTED) as write:
        if write.ticket.kind != "incident" or not write.ticket.is_open:
            raise Conflict("Only an open incident can be suggested.")
        if write.ticket.is_major_suggested:
            raise Conflict("It is suggested already.")
        if standing.running_of(write.ticket) is not None:
            raise Conflict("It is part of a major incident already.")
        words = why.strip()
        write.ticket.is_major_suggested = 1
        by = f"{person.name}: {words}" if person else words
        write.record(TicketEvent.MAJOR_SUGGESTED, text=by)
        for lead in Person.objects.filter(is_active=True).exclude(roles=[]):
            if lead.has_role(Role.MAJOR_LEAD):
                write.tell(lead, "major suggested", by)
    return write.ticket


def struck(facts: MajorFacts) -> list[Service | ConfigItem]:
    """The items and services that the major incident and its incidents are about."""
    rows = Ticket.objects.filter(Q(pk=facts.ticket_id) | Q(pk__in=numbers_of(facts)))
    rows = rows.select_related("ci", "service")
    found: dict[str, Service | ConfigItem] = {}
    for one in rows:
        thing = one.ci or one.service
        if thing is not None:
            found[node_of(thing)] = thing
    return list(found.values())


def reach(facts: MajorFacts) -> dict[str, float]:
    """What is lost while all of them are down: node → share, themselves with 1."""
    nodes = [node_of(one) for one in struck(facts)]
    if not nodes:
        return {}
    return {**web().stopped(nodes).reach, **dict.fromkeys(nodes, 1.0)}


def holding(nodes: Iterable[str], reader: Person) -> list[dict[str, Any]]:
    """The running major incidents whose reach has one of some nodes: work there is held.

    Of one that its reader may not know of only that there is one is said.
    """
    wanted = set(nodes)
    if not wanted:
        return []
    running = MajorFacts.objects.filter(stood_down_s=None, is_drill=0).select_related("ticket")
    seen = set(policies.visible_to(reader).filter(kind=KIND).values_list("pk", flat=True))
    found = []
    for facts in running:
        if wanted & set(reach(facts)):
            is_known = facts.ticket_id in seen
            found.append(
                {
                    "id": facts.ticket_id if is_known else None,
                    "call_sign": facts.call_sign if is_known else "",
                    "title": facts.ticket.title if is_known else "",
                }
            )
    return found


def _record(write: Any, how: str, numbers: Sequence[int]) -> None:
    listed = [*map(str, numbers[:12]), *(["…"] if len(numbers) > 12 else [])]
    write.record(MajorEvent.GATHERED, values={"how": how, "count": len(numbers), "numbers": listed})
