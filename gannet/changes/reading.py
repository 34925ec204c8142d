"""A change as its page, the page of changes and the schedule show it."""

from collections.abc import Iterable, Mapping, Sequence, Set
from dataclasses import asdict
from fractions import Fraction
from typing import Any

from django.db.models import Count, Q, QuerySet

from gannet.changes import covering, looking_back, users, verifying
from gannet.changes.assessing import TAKING, Assessment, assess, meeting
from gannet.changes.models import KIND, ChangeFacts, ChangeItem, carried, facts_of, plan_across
from gannet.estate.models import ConfigItem, Service
from gannet.estate.nodes import node_of
from gannet.knowledge.models import Announcement
from gannet.people.models import Person
from gannet.rulebook.book import Book
from gannet.tickets import policies
from gannet.tickets.fields import registry
from gannet.tickets.models import Approval, ApprovalState, Link, LinkKind, TaskState, Ticket
from gannet.tickets.states import state_code, state_name
from gannet_core import changes as core
from gannet_core import risk, schedule
from gannet_core.item_groups import FIELD
from gannet_core.schedule import Clash, Slot, next_meeting
from gannet_core.windows import FREEZE, MAINTENANCE

_DAY = 86_400
MOST_LISTED, MOST_DRAWN, MOST_SINCE, MOST_REACHED = 200, 1000, 40, 30
_EDITABLE = ("draft", "assess", "authorise", "planned")


def change_json(ticket: Ticket, reader: Person, book: Book, now_s: int) -> dict[str, Any]:
    """All that belongs to a change alone."""
    facts = facts_of(ticket)
    found = assess(ticket, book, now_s, facts)
    people = _names(step.who for step in found.change.steps)
    touched = list(ticket.change_items.select_related("item").order_by("id"))
    return {
        "type": facts.type,
        "types": [_type(one) for one in book.changes.types],
        "reason": facts.reason,
        "template": str(found.template.get("name") or ""),
        "born_of": facts.born_of,
        "problem": _may_name(facts.problem_id, reader),
        "why": facts.why,
        "tried": facts.tried,
        "steps": [
            {
                "runbook": "",
                "inputs": {},
                "outputs": [],
                "only_if": {"output": "", "is": ""},
                **one,
                "who": str(one.get("who") or ""),
                "name": people.get(str(one.get("who")), ""),
            }
            for one in facts.steps
        ],
        "items": [
            {
                "item": one.item_id,
                "key": one.item.key,
                "name": one.item.name,
                "kind": one.item.kind,
                "place": one.item.place,
                "expected": one.expected,
                "recorded": {key: one.item.attributes.get(key) for key in one.expected},
                "found": verifying.found_json(one, facts.ended_s),
            }
            for one in touched
        ],
        "starts_s": facts.starts_s,
        "ends_s": facts.ends_s,
        "is_after_the_fact": bool(facts.is_after_the_fact),
        "submitted_s": facts.submitted_s,
        "began_s": facts.began_s,
        "ended_s": facts.ended_s,
        "review_s": facts.review_s,
        **_release_json(ticket, facts, reader, book, now_s),
        "referred": facts.referred,
        "outcome": facts.outcome,
        "learned": facts.learned,
        "added": facts.added,
        "dropped": facts.dropped,
        "weighed": facts.weighed,
        "is_editable": state_name(ticket.state) in _EDITABLE,
        "way": [asdict(one) for one in core.way(found.type, state_name(ticket.state), facts.stage)],
        "stage_lacks": [asdict(one) for one in found.lacks_in(state_name(ticket.state), reader)],
        "ends": looking_back.ending(ticket, facts, book, reader),
        "assessment": assessment_json(found, reader),
        "around": _around(found),
        "held_by": _held_by(ticket, found, reader),
        "since": _since(ticket, facts, found, reader, book),
    }


def _held_by(ticket: Ticket, found: Assessment, reader: Person) -> list[dict[str, Any]]:
    """What runs over what it touches or reaches, so that it had better wait; nothing once it is
    done."""
    if not ticket.is_open or state_name(ticket.state) == "look back":
        return []
    nodes = {node_of(item) for item in found.change.items}
    nodes |= {node_of(service) for service, _, _ in found.affected}
    if ticket.ci is not None:
        nodes.add(node_of(ticket.ci))
    if ticket.service is not None:
        nodes.add(node_of(ticket.service))
    return [dict(one) for one in covering.held_by(nodes, reader)]


def _announced(facts: ChangeFacts, now_s: int) -> str:
    """How it is announced on the portal now, by its title; nothing where it is not."""
    rows = Announcement.objects.filter(pk=facts.announced or 0, to_s__gt=now_s)
    return rows.values_list("title", flat=True).first() or ""


def _release_json(
    ticket: Ticket, facts: ChangeFacts, reader: Person, book: Book, now_s: int
) -> dict[str, Any]:
    """What a release carries and how far its phases are; what a change goes with."""
    parts = list(carried(ticket.pk)) if facts.is_release else []
    seen = set(
        policies.visible_to(reader)
        .filter(pk__in=[one.pk for one in parts])
        .values_list("pk", flat=True)
    )
    lines = lines_json([one for one in parts if one.pk in seen], book)
    places = {one.pk: facts_of(one).phase for one in parts}
    names = [str(one["name"]) for one in facts.phases]
    tasks = list(ticket.tasks.filter(phase__in=names).values_list("phase", "state"))
    return {
        "told_s": facts.told_s,
        "announced": _announced(facts, now_s),
        "is_release": bool(facts.is_release),
        "release": _may_name(facts.release_id, reader),
        "as_tasks": bool(facts.as_tasks),
        "stopped": facts.stopped,
        "carries": [{**line, "phase": places[line["id"]]} for line in lines],
        "hidden": len(parts) - len(lines),
        **_linked(ticket, facts, seen),
        "phases": [
            {
                "name": one["name"],
                "gate": bool(one["gate"]),
                "is_open": one["name"] in facts.opened,
                "tasks": sum(phase == one["name"] for phase, _ in tasks),
                "done": sum(
                    phase == one["name"] and state != TaskState.OPEN for phase, state in tasks
                ),
            }
            for one in facts.phases
        ],
    }


def _linked(ticket: Ticket, facts: ChangeFacts, seen: Set[int]) -> dict[str, Any]:
    """The steps of a release that can be linked, and how they are; those its reader may know of."""
    if not facts.is_release:
        return {"plan": [], "links": []}
    steps = [one for one in plan_across(ticket, facts) if one.change in {*seen, ticket.pk}]
    known = {(one.change, one.step) for one in steps}
    return {
        "plan": [one._asdict() for one in steps],
        "links": [
            {
                "step": {"change": change, "step": step},
                "waits_for": {"change": first, "step": before},
            }
            for first, before, change, step in facts.links
            if {(first, before), (change, step)} <= known
        ],
    }


def assessment_json(found: Assessment, reader: Person) -> dict[str, Any]:
    """How risky a change is, with all that it is made of."""
    weighed, facts = found.risk, found.change.facts
    adds = {part.name: part.adds for part in weighed.consequence_parts}
    turn_back = (
        None if facts.ends_s is None else core.turn_back_by(found.change.steps, facts.ends_s)
    )
    record = found.record
    seen = set(
        policies.visible_to(reader)
        .filter(pk__in=[ticket.pk for _, _, ticket in found.track])
        .values_list("pk", flat=True)
    )
    names = _node_names(node for _, _, path in found.affected for node in path)
    return {
        "points": weighed.points,
        "rating": weighed.rating,
        "worst": _may_name(found.worst.change.number, reader) if found.worst else None,
        "consequence": risk.percent(weighed.consequence),
        "likelihood": risk.percent(weighed.likelihood),
        "thresholds": list(found.settings.model.thresholds),
        "consequence_parts": [_part(part) for part in weighed.consequence_parts],
        "likelihood_parts": [_part(part) for part in weighed.likelihood_parts],
        "remedies": [
            {
                "factor": one.factor,
                "points": one.risk.points,
                "rating": one.risk.rating,
                "likelihood": risk.percent(one.risk.likelihood),
            }
            for one in found.remedies
        ],
        "reached": [
            {
                "id": service.pk,
                "name": service.name,
                "criticality": one.criticality,
                "share": float(one.reach),
                # Of a release whose worst change counts, the others add nothing to it.
                "adds": risk.percent(adds.get(service.name, Fraction(0))),
                "path": [names.get(node, node) for node in path],
            }
            for service, one, path in found.affected[:MOST_REACHED]
        ],
        "clashes": clashes_json(found.clashes, found, reader),
        "track": {
            "n": record.n,
            "failed": record.failed,
            "with_issues": record.with_issues,
            "rate": record.rate,
            "low": record.low,
            "high": record.high,
            "ratio": record.ratio,
            "incidents": record.incidents,
            "past": [
                {
                    "id": ticket.pk,
                    "title": ticket.title if ticket.pk in seen else "",
                    "score": one.score,
                    "outcome": outing.outcome,
                    "ended_s": facts_of(ticket).ended_s,
                    "incidents": outing.incidents,
                    "is_added": ticket.pk in facts.added,
                }
                for one, outing, ticket in found.track
            ],
        },
        "type": _type(found.type),
        "suggested": _type(found.suggested[0]),
        "suggested_why": found.suggested[1],
        "against_type": found.against_type,
        "lacks": [{"place": one.place, "says": one.says} for one in found.lacks(reader)],
        "needs_cab": found.needs_cab,
        "cab_s": found.cab_s,
        "people": users.of_what_it_reaches(found).count(),
        "minutes": core.planned_minutes(found.change.steps),
        "turn_back_s": turn_back,
    }


def _part(part: risk.Part) -> dict[str, Any]:
    return {"name": part.name, "percent": risk.percent(part.adds), "times": part.times}


def _type(one: core.ChangeType) -> dict[str, str]:
    return {"key": one.key, "name": one.name, "like": one.like}


def clashes_json(
    clashes: Sequence[Clash], found: Assessment, reader: Person
) -> list[dict[str, Any]]:
    """Clashes in words; a change that its reader may not know of is not named."""
    among = (schedule.IMPLEMENTER, schedule.ITEM, schedule.SERVICE)
    numbers = [int(one.other) for one in clashes if one.kind in among]
    seen = policies.visible_to(reader).filter(pk__in=numbers).select_related("change_facts")
    titles = {one.pk: one for one in seen}
    spans = {one.id: (one.start_s, one.end_s) for one in found.occasion.others}
    nodes = _node_names(node for one in clashes for node in (*one.what, one.other) if "-" in node)
    people = _names(
        name for one in clashes if one.kind in (schedule.IMPLEMENTER, schedule.ABSENT)
        for name in (*one.what, one.other)
    )  # fmt: skip
    windows = {one.key: one.name for one in covering.openings(found.book, FREEZE)}
    rows = []
    for one in clashes:
        start, end = spans.get(one.other, (None, None))
        match one.kind:
            case schedule.FREEZE:
                name = windows.get(one.other, one.other)
            case schedule.WINDOW:
                name = nodes.get(one.other, one.other)
            case schedule.CAB:
                name, start = "the CAB", found.cab_s
            case schedule.ABSENT:
                name = people.get(one.other, "somebody")
            case _:
                ticket = titles.get(int(one.other))
                name = ticket.title if ticket else ""
        what = [nodes.get(each) or people.get(each) or each for each in one.what]
        hidden = one.kind in among and not name
        rows.append(
            {
                "kind": one.kind,
                "other": "" if hidden else one.other,
                "name": "a change that you may not read" if hidden else name,
                "what": what,
                "starts_s": start,
                "ends_s": end,
            }
        )
    return rows


def slots_json(slots: Sequence[Slot], found: Assessment, reader: Person) -> list[dict[str, Any]]:
    """Free spans, each with what stood in the way before it, in words."""
    clashes = [Clash(kind, other) for slot in slots for kind, other in slot.after]
    rows = clashes_json(clashes, found, reader)
    words = iter(f"{_STOOD[row['kind']]} {row['name']}".strip() for row in rows)
    return [
        {
            "start_s": slot.start_s,
            "end_s": slot.end_s,
            "after": list(dict.fromkeys(next(words) for _ in slot.after)),
        }
        for slot in slots
    ]


_STOOD: Mapping[str, str] = {
    schedule.IMPLEMENTER: "same people:",
    schedule.ITEM: "same item:",
    schedule.SERVICE: "same service:",
    schedule.FREEZE: "freeze:",
    schedule.WINDOW: "outside the windows of",
    schedule.CAB: "before",
    schedule.ABSENT: "away:",
}


def _around(found: Assessment) -> list[dict[str, Any]]:
    """Windows of its items and freezes over it, within three days of its time."""
    facts = found.change.facts
    if facts.starts_s is None or facts.ends_s is None:
        return []
    start, end = facts.starts_s - 3 * _DAY, facts.ends_s + 3 * _DAY
    items = found.change.items
    spans = covering.windows_of(found.book, items, start, end)
    rows = {
        (a, b, "", MAINTENANCE) for one in spans.values() for a, b in one if b > start and a < end
    }
    names = {one.key: one.name for one in covering.openings(found.book, FREEZE)}
    covered = {node_of(item) for item in items} | found.occasion.reached
    for freeze in covering.freezes_over(found.book, items, start, end):
        if freeze.covers is None or freeze.covers & covered:
            rows |= {(a, b, names[freeze.id], FREEZE) for a, b in freeze.spans}
    return [
        {"start_s": a, "end_s": b, "name": name, "kind": kind} for a, b, name, kind in sorted(rows)
    ]


def _since(
    ticket: Ticket, facts: ChangeFacts, found: Assessment, reader: Person, book: Book
) -> list[dict[str, Any]]:
    """Incidents on what it reached since it was done, and those linked as caused by it."""
    if facts.ended_s is None:
        return []
    linked = Q(links_out__kind=LinkKind.CAUSED_BY, links_out__target=ticket.pk)
    near = Q(pk__in=[])
    items = [item.pk for item in found.change.items]
    half = [service.pk for service, one, _ in found.affected if one.reach * 2 >= 1]
    until = facts.ended_s + book.changes.incident_days * _DAY
    if items or half:
        near = (Q(ci__in=items) | Q(service__in=half)) & Q(
            opened_s__gte=facts.began_s or facts.ended_s, opened_s__lt=until
        )
    seen = policies.visible_to(reader).filter(near | linked, kind="incident").distinct()
    rows = list(seen.order_by("opened_s").values_list("id", "title", "opened_s")[:MOST_SINCE])
    caused = set(
        Link.objects.filter(kind=LinkKind.CAUSED_BY, target=ticket.pk).values_list(
            "source_id", flat=True
        )
    )
    return [
        {"id": pk, "title": title, "opened_s": at_s, "is_linked": pk in caused}
        for pk, title, at_s in rows
    ]


def changes_json(reader: Person, book: Book, now_s: int) -> dict[str, Any]:
    """What is coming, what the CAB decides, what is under way and to be looked back on."""
    seen = visible_changes(reader)
    by_state: dict[str, list[Ticket]] = {}
    for ticket in seen.filter(is_open=True).order_by("change_facts__starts_s", "pk")[:2000]:
        by_state.setdefault(state_name(ticket.state), []).append(ticket)
    undecided = [*by_state.get("assess", []), *by_state.get("authorise", [])]
    cab_s, cutoff_s, agenda = None, None, []
    settings = book.changes
    if settings.cab:
        cab_s = next_meeting(meeting(settings), now_s - int(settings.cab["cutoff_minutes"]) * 60)
        cutoff_s = cab_s - int(settings.cab["cutoff_minutes"]) * 60
        agenda = [one for one in undecided if goes_to_cab(one, settings)]
        agenda.sort(key=lambda one: (-(facts_of(one).points or 0), one.pk))
    reviews = sorted(
        by_state.get("look back", []), key=lambda one: (facts_of(one).review_s or 0, one.pk)
    )
    coming = [*undecided, *by_state.get("planned", [])]
    coming.sort(key=lambda one: (facts_of(one).starts_s or 0, one.pk))
    groups = {
        "drafts": by_state.get("draft", []),
        "coming": coming,
        "cab": agenda,
        "under_way": by_state.get("under way", []),
        "reviews": reviews,
    }
    lines = {
        line["id"]: line
        for line in lines_json(
            {one.pk: one for rows in groups.values() for one in rows}.values(), book
        )
    }
    return {
        **{name: [lines[one.pk] for one in rows[:MOST_LISTED]] for name, rows in groups.items()},
        "cab_s": cab_s,
        "cab_cutoff_s": cutoff_s,
        "ended": seen.filter(is_open=False).count(),
        "now_s": now_s,
    }


def goes_to_cab(ticket: Ticket, settings: core.Settings) -> bool:
    facts = facts_of(ticket)
    last = facts.weighed[-1] if facts.weighed else {}
    kind = next((one for one in settings.types if one.name == last.get("type")), None)
    return bool(facts.referred) or (kind is not None and core.needs_cab(kind, facts.rating))


def schedule_json(
    reader: Person, book: Book, from_s: int, to_s: int, now_s: int, *, is_open: bool = False
) -> dict[str, Any]:
    """What is drawn between two instants: every change that takes time in it.

    An open one is for others to read: as if there were no confidential change.
    """
    takes = Q(change_facts__starts_s__lt=to_s, change_facts__ends_s__gt=from_s)
    if is_open:
        takes &= Q(is_confidential=0)
    rows = list(
        visible_changes(reader)
        .filter(takes)
        .exclude(state__in=[state_code("refused"), state_code("cancelled")])
        .order_by("change_facts__starts_s", "pk")[:MOST_DRAWN]
    )
    windows = [
        {"start_s": a, "end_s": b, "name": one.name, "kind": kind}
        for kind in (MAINTENANCE, FREEZE)
        for one in covering.openings(book, kind)
        for a, b in one.window.spans(from_s, to_s)
    ]
    return {
        "from_s": from_s,
        "to_s": to_s,
        "now_s": now_s,
        "zone": str(reader.zone or "Europe/London"),
        "changes": _drawn(rows, reader, book),
        "windows": windows,
        "clashing": sorted(_clashing(rows)),
    }


def _drawn(rows: Sequence[Ticket], reader: Person, book: Book) -> list[dict[str, Any]]:
    """Changes as the schedule draws them: with their steps, and the groups of what they touch."""
    groups: dict[int, set[str]] = {}
    if book.item_groups:
        touched = ChangeItem.objects.filter(ticket__in=[one.pk for one in rows])
        pairs = list(touched.values_list("ticket", "item"))
        read = registry(book)[FIELD].read
        named = {item for _, item in pairs}
        items = ConfigItem.objects.select_related("service").filter(pk__in=named)
        known = {item.pk: read(Ticket(ci=item)) for item in items}
        for number, item in pairs:
            groups.setdefault(number, set()).update(known[item])
    by_number = {one.pk: one for one in rows}
    return [
        {
            **line,
            "groups": sorted(groups.get(line["id"], ())),
            "steps": [
                {"says": step.says, "part": step.part, "minutes": step.minutes}
                for step in facts_of(by_number[line["id"]]).plan()
                if step.part != core.BACK_OUT and step.minutes > 0
            ],
            "can_move": reader.is_on_desk
            and line["state"] in _EDITABLE
            and not facts_of(by_number[line["id"]]).is_after_the_fact,
            "version": by_number[line["id"]].version,
        }
        for line in lines_json(rows, book)
    ]


def _clashing(rows: Sequence[Ticket]) -> set[int]:
    """Which of the changes that are to come share an item or a person at one time."""
    live = [one for one in rows if state_name(one.state) in TAKING]
    items: dict[int, set[int]] = {one.pk: set() for one in live}
    for ticket, item in ChangeItem.objects.filter(ticket__in=list(items)).values_list(
        "ticket_id", "item_id"
    ):
        items[ticket].add(item)
    found: set[int] = set()
    for index, one in enumerate(live):
        facts = facts_of(one)
        for other in live[index + 1 :]:
            theirs = facts_of(other)
            if (theirs.starts_s or 0) >= (facts.ends_s or 0):
                break  # they are in the order of their beginning
            if items[one.pk] & items[other.pk] or _people(one) & _people(other):
                found |= {one.pk, other.pk}
    return found


def _people(ticket: Ticket) -> set[str]:
    named = {step.who for step in facts_of(ticket).plan() if step.who}
    return named or ({str(ticket.holder_id)} if ticket.holder_id else set())


def visible_changes(reader: Person) -> QuerySet[Ticket]:
    seen = policies.visible_to(reader).filter(kind=KIND)
    return seen.select_related("change_facts", "holder", "team", "service")


def lines_json(tickets: Iterable[Ticket], book: Book) -> list[dict[str, Any]]:
    """Changes as lists and the schedule draw them, read with few questions."""
    rows = list(tickets)
    numbers = [one.pk for one in rows]
    items = dict(
        ChangeItem.objects.filter(ticket__in=numbers)
        .values_list("ticket_id")
        .annotate(Count("id"))
        .order_by()
    )
    asked: dict[int, list[str]] = {}
    pending = Approval.objects.filter(ticket__in=numbers, state=ApprovalState.PENDING)
    for ticket, name in pending.order_by("id").values_list("ticket_id", "asked_of__name"):
        asked.setdefault(ticket, []).append(name)
    caused = dict(
        Link.objects.filter(kind=LinkKind.CAUSED_BY, target__in=numbers, source__kind="incident")
        .values_list("target_id")
        .annotate(Count("id"))
        .order_by()
    )
    kinds = {one.name: one.like for one in book.changes.types}
    return [
        _line(one, kinds, items.get(one.pk, 0), asked.get(one.pk, []), caused.get(one.pk, 0))
        for one in rows
    ]


def _line(
    ticket: Ticket, kinds: Mapping[str, str], items: int, asked: Sequence[str], caused: int
) -> dict[str, Any]:
    facts = facts_of(ticket)
    last = str(facts.weighed[-1].get("type") or "") if facts.weighed else ""
    return {
        "id": ticket.pk,
        "title": ticket.title,
        "state": state_name(ticket.state),
        "is_open": bool(ticket.is_open),
        "type": last,
        "like": kinds.get(last, ""),
        "points": facts.points,
        "rating": facts.rating,
        "starts_s": facts.starts_s,
        "ends_s": facts.ends_s,
        "began_s": facts.began_s,
        "ended_s": facts.ended_s,
        "review_s": facts.review_s,
        "outcome": facts.outcome,
        "holder": ticket.holder.name if ticket.holder else "",
        "team": ticket.team.name,
        "service": ticket.service.name if ticket.service else "",
        "place": ticket.place,
        "items": items,
        "waits_on": ", ".join(dict.fromkeys(asked)),
        "incidents": caused,
    }


def _names(people: Iterable[str]) -> dict[str, str]:
    wanted = [int(one) for one in people if one.isdigit()]
    rows = Person.objects.filter(pk__in=wanted).values_list("pk", "name")
    return {str(pk): name for pk, name in rows}


def _node_names(nodes: Iterable[str]) -> dict[str, str]:
    """What nodes are called; what is none, or gone, is left out."""
    parts = {node: node.partition("-") for node in set(nodes)}
    numbers = {
        what: [int(rest) for kind, _, rest in parts.values() if kind == what and rest.isdigit()]
        for what in ("service", "item")
    }
    found = {
        f"service-{pk}": name
        for pk, name in Service.objects.filter(pk__in=numbers["service"]).values_list("pk", "name")
    }
    items = ConfigItem.objects.filter(pk__in=numbers["item"]).values_list("pk", "name")
    return {**found, **{f"item-{pk}": name for pk, name in items}}


def _may_name(number: int | None, reader: Person) -> int | None:
    if number is None or not policies.may_know(reader, number):
        return None
    return number
