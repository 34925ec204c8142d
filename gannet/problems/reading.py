"""A problem as its page and the list of problems show it."""

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from fractions import Fraction
from typing import Any

from django.db.models import Count, Q

from gannet.audit.models import Event
from gannet.estate.models import ConfigItem, Service
from gannet.estate.nodes import node_of, things, web
from gannet.knowledge.models import Article, ArticleKind, ArticleState
from gannet.people.models import Person
from gannet.problems import workaround, worth
from gannet.problems.events import ProblemEvent
from gannet.problems.linking import incidents_of
from gannet.problems.models import KIND, ProblemFacts, facts_of
from gannet.rulebook.book import Book
from gannet.tickets import policies
from gannet.tickets.events import TicketEvent
from gannet.tickets.models import Link, LinkKind, StateCode, Ticket
from gannet.tickets.states import state_name
from gannet_core.errors import ProblemError
from gannet_core.problems import LinkedIncident, root_cause

_WEEK, _DAY = 7 * 86_400, 86_400
WEEKS, MOST_REACHED, MOST_LISTED = 26, 8, 200
MOST_OPEN, MOST_KNOWN = 200, 100
_MARKS: Mapping[str, str] = {
    TicketEvent.LOGGED: "opened",
    ProblemEvent.CAUSE_FOUND: "known error",
    ProblemEvent.CAUSE_DOUBTED: "cause doubted",
    ProblemEvent.WORKAROUND: "workaround",
    ProblemEvent.FIX_DECIDED: "decided",
    TicketEvent.RESOLVED: "resolved",
    TicketEvent.REOPENED: "reopened",
}


def problem_json(ticket: Ticket, reader: Person, book: Book, now_s: int) -> dict[str, Any]:
    """All that belongs to a problem alone; incidents that its reader may not know of are
    counted in its figures and are not named."""
    facts = facts_of(ticket)
    listed = worth.linked_incidents(ticket.pk, book, now_s)
    seen = _seen(ticket.pk, reader)
    shown = {one["id"] for one in seen}
    found = worth.worth_of(ticket, facts, listed, book, now_s)
    for figure in found["figures"]:
        hidden = [one for one in figure["incidents"] if one["id"] not in shown]
        figure["rest_pence"] += sum(one["pence"] for one in hidden)
        figure["incidents"] = [one for one in figure["incidents"] if one["id"] in shown]
    return {
        "born_of": facts.born_of,
        "causes": facts.causes,
        "root": [cause.id for cause in _root(facts)],
        "branches": [str(one) for one in book.problems.get("branches") or ()],
        "known_s": facts.known_s,
        "no_cause_why": facts.no_cause_why,
        "workaround": facts.workaround,
        "workaround_s": facts.workaround_s,
        "is_for_portal": bool(facts.is_for_portal),
        "words": workaround.words_for(book),
        "used": _used(ticket.pk),
        "incidents": seen,
        "not_shown": len(listed) - len(seen),
        "open_count": sum(one["is_open"] for one in seen),
        "worth": found,
        "live": _live(facts),
        "is_fix_decided": bool(facts.decided.get("fix")),
        "decided": facts.decided,
        "curve": _curve(ticket, facts, listed, now_s),
        "article": _article(ticket),
        "reached": _reached(ticket),
        "came_back": _came_back(ticket, reader, book, now_s),
        "changes": _changes(ticket, reader),
    }


def _root(facts: ProblemFacts) -> list[Any]:
    from gannet.problems.causes import tree_of

    try:
        return root_cause(tree_of(facts))
    except ProblemError:
        return []


def _seen(number: int, reader: Person) -> list[dict[str, Any]]:
    mine = policies.visible_to(reader).filter(pk__in=incidents_of(number).values("pk"))
    rows = mine.select_related("requester", "ci").order_by("-opened_s")
    return [
        {
            "id": one.pk,
            "title": one.title,
            "opened_s": one.opened_s,
            "is_open": bool(one.is_open),
            "state": state_name(one.state),
            "place": one.place,
            "requester": one.requester.name,
            "ci": one.ci.name if one.ci else "",
        }
        for one in rows[:MOST_LISTED]
    ]


def _used(number: int) -> dict[str, int]:
    counted = Counter(one.how for one in workaround.uses_of(number))
    return {
        "all": sum(counted.values()),
        "told": counted[workaround.TOLD],
        "desk": counted[workaround.DESK],
        "portal": counted[workaround.PORTAL],
    }


def _live(facts: ProblemFacts) -> dict[str, Any] | None:
    if facts.live_until_s is None:
        return None
    return {
        "until_s": facts.live_until_s,
        "why": facts.live_why,
        "by": facts.live_by.name if facts.live_by else "",
    }


def _curve(
    ticket: Ticket, facts: ProblemFacts, listed: Iterable[LinkedIncident], now_s: int
) -> dict[str, Any]:
    """Its incidents week by week, what happened when, and the hours lost by each before and
    after the workaround."""
    opened = [one.opened_s for one in listed]
    weeks = [0] * WEEKS
    for at_s in opened:
        back = (now_s - at_s) // _WEEK
        if back < WEEKS:
            weeks[WEEKS - 1 - back] += 1
    since_s = now_s - WEEKS * _WEEK
    events = Event.objects.filter(ticket=ticket, kind__in=list(_MARKS), at_s__gte=since_s)
    marks: list[dict[str, Any]] = [
        {"at_s": at_s, "what": _MARKS[kind]}
        for kind, at_s in events.order_by("id").values_list("kind", "at_s")
    ]
    done = ticket.fixes.filter(ended_s__gte=since_s).values_list("ended_s", flat=True)
    marks += [{"at_s": ended_s, "what": "change"} for ended_s in done if ended_s is not None]
    marks.sort(key=lambda mark: mark["at_s"])
    before, after = _hours(listed, facts.workaround_s)
    return {
        "from_s": since_s,
        "to_s": now_s,
        "weeks": weeks,
        "marks": marks,
        "hours_before": before,
        "hours_after": after,
    }


def _hours(
    listed: Iterable[LinkedIncident], from_s: int | None
) -> tuple[float | None, float | None]:
    """Service hours that an incident took on average before and after a moment."""
    if from_s is None:
        return None, None
    parts: tuple[list[int], list[int]] = ([], [])
    for one in listed:
        parts[one.opened_s >= from_s].append(one.service_s)
    before, after = (
        round(float(Fraction(sum(part), len(part) * 3600)), 1) if part else None for part in parts
    )
    return before, after


def _reached(ticket: Ticket) -> list[dict[str, Any]]:
    """The services that lose something while its item, or its service, is down."""
    hit: Service | ConfigItem | None = ticket.ci or ticket.service
    if hit is None:
        return []
    impact = web().stopped([node_of(hit)])
    services = [node for node in impact.reach if node.startswith("service-")]
    names = things(services)
    ranked = sorted(services, key=lambda node: (-impact.reach[node], node))
    return [
        {"id": node, "name": names[node].name, "share": round(impact.reach[node], 3)}
        for node in ranked[:MOST_REACHED]
        if node in names
    ]


def _changes(ticket: Ticket, reader: Person) -> list[dict[str, Any]]:
    """The changes that were requested to end it, as far as its reader may know of them."""
    facts = list(ticket.fixes.select_related("ticket").order_by("ticket"))
    known = set(
        policies.visible_to(reader)
        .filter(pk__in=[one.ticket_id for one in facts])
        .values_list("pk", flat=True)
    )
    return [
        {
            "id": one.ticket_id,
            "title": one.ticket.title,
            "state": state_name(one.ticket.state),
            "starts_s": one.starts_s,
            "outcome": one.outcome,
        }
        for one in facts
        if one.ticket_id in known
    ]


def _came_back(ticket: Ticket, reader: Person, book: Book, now_s: int) -> dict[str, Any] | None:
    """Incidents of its kind since it was resolved, within the days that the rulebook says."""
    if ticket.state not in (StateCode.RESOLVED, StateCode.CLOSED) or ticket.resolved_s is None:
        return None
    days = int(book.problems.get("back_days") or 30)
    if ticket.ci_id is not None:
        kind = Q(ci=ticket.ci_id)
    elif ticket.service_id is not None and ticket.category:
        kind = Q(service=ticket.service_id, category=ticket.category)
    else:
        return None
    found = policies.visible_to(reader).filter(
        kind,
        kind="incident",
        opened_s__gt=ticket.resolved_s,
        opened_s__lte=min(now_s, ticket.resolved_s + days * _DAY),
    )
    numbers = list(found.order_by("id").values_list("id", flat=True)[:50])
    return {"days": days, "numbers": numbers} if numbers else None


def problems_json(reader: Person, book: Book, now_s: int) -> dict[str, Any]:
    """The problems that are open, and the known errors, for the page of problems."""
    seen = policies.visible_to(reader).filter(kind=KIND)
    rows = seen.filter(is_open=True).select_related(
        "problem_facts", "holder", "team", "service", "ci"
    )
    listed = list(rows.order_by("rank_s", "id")[:MOST_OPEN])
    linked = worth.linked_to_many([one.pk for one in listed], book, now_s)
    known = list(workaround.known_errors().filter(pk__in=seen.values("pk"))[:MOST_KNOWN])
    uses = workaround.uses_of_many([one.pk for one in known])
    open_counts = _open_counts(known)
    return {
        "open": [_line(one, linked[one.pk], book, now_s) for one in listed],
        "known": [_known_line(one, len(uses[one.pk]), open_counts.get(one.pk, 0)) for one in known],
        "ended": seen.filter(is_open=False).count(),
        "now_s": now_s,
    }


def _open_counts(problems: Sequence[Ticket]) -> dict[int, int]:
    """How many incidents of each problem are open."""
    links = Link.objects.filter(
        kind=LinkKind.CAUSED_BY,
        target__in=[one.pk for one in problems],
        source__kind="incident",
        source__is_open=True,
    )
    return dict(links.values_list("target_id").annotate(count=Count("id")).order_by())


def _article(ticket: Ticket) -> int | None:
    """The article that follows it as a known error."""
    rows = Article.objects.filter(source=ticket, kind=ArticleKind.KNOWN_ERROR)
    return rows.exclude(state=ArticleState.RETIRED).values_list("pk", flat=True).first()


# Reopened, it is looked for again, whatever was known.
_KNOWN = ("known error", "waiting")


def _line(
    ticket: Ticket, listed: Sequence[LinkedIncident], book: Book, now_s: int
) -> dict[str, Any]:
    facts = facts_of(ticket)
    found = worth.worth_of(ticket, facts, listed, book, now_s)
    so_far, going_on = found["figures"]
    weeks = [0] * 13
    for one in listed:
        back = (now_s - one.opened_s) // _WEEK
        if back < len(weeks):
            weeks[len(weeks) - 1 - back] += 1
    return {
        "id": ticket.pk,
        "title": ticket.title,
        "state": state_name(ticket.state),
        "holder": ticket.holder.name if ticket.holder else "",
        "team": ticket.team.name,
        "service": ticket.service.name if ticket.service else "",
        "ci": ticket.ci.name if ticket.ci else "",
        "priority": ticket.priority,
        "incidents": len(listed),
        "weeks": weeks,
        "lost_hours": so_far["lost_hours"],
        "so_far_pence": so_far["pence"],
        "going_on_pence": going_on["pence"],
        "fix_pence": facts.fix_pence,
        "pays_back_months": found["pays_back_months"],
        "never_pays": found["never_pays"],
        "due_s": ticket.due_s,
        "due_kind": ticket.due_kind,
        "late_from_s": ticket.late_from_s,
        "until_s": ticket.waiting_until_s,
        "opened_s": ticket.opened_s,
        "is_known": facts.known_s is not None and state_name(ticket.state) in _KNOWN,
        "is_fix_decided": bool(facts.decided.get("fix")),
        "has_workaround": facts.workaround != "",
    }


def _known_line(ticket: Ticket, used: int, open_count: int) -> dict[str, Any]:
    facts = facts_of(ticket)
    return {
        "id": ticket.pk,
        "title": ticket.title,
        "workaround": facts.workaround,
        "service": ticket.service.name if ticket.service else "",
        "used": used,
        "incidents": facts.incidents,
        "open_count": open_count,
        "is_open": bool(ticket.is_open),
        "is_for_portal": bool(facts.is_for_portal),
    }
