"""Opening a change and writing its plan; what was authorised and changes is asked again."""

from collections.abc import Iterable, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from django.db import transaction

from gannet.changes import carrying, users
from gannet.changes.assessing import Assessment, assess
from gannet.changes.events import ChangeEvent
from gannet.changes.models import KIND, ChangeFacts, ChangeItem, facts_of
from gannet.estate.models import ConfigItem, Service
from gannet.people.acting import Acting
from gannet.people.models import Person
from gannet.rulebook.book import Book, current
from gannet.tickets import policies
from gannet.tickets.actions.frame import RecordWrite, writing
from gannet.tickets.actions.log import NewTicket, log_ticket
from gannet.tickets.actions.routes import drop_route, reopen_touched
from gannet.tickets.item_groups import members
from gannet.tickets.models import Channel, Link, LinkKind, Ticket
from gannet.tickets.outward import runbooks
from gannet.web.errors import Conflict, Invalid, Stale
from gannet_core.changes import PARTS
from gannet_core.errors import GannetError
from gannet_core.item_types import differing, read_attributes

MOST_ITEMS, MOST_STEPS, MOST_SAYS = 200, 100, 200
_LONGEST_S = 366 * 86_400


@dataclass(frozen=True, kw_only=True)
class NewChange:
    """What is said when a change is opened; nothing but a title has to be."""

    title: str
    why: str = ""
    template: str = ""
    service: Service | None = None
    items: Sequence[ConfigItem] = ()
    category: str = ""
    starts_s: int | None = None
    ends_s: int | None = None
    # The number of a change that it is like, of a problem it ends, of an incident it is for.
    copied: int | None = None
    problem: int | None = None
    incident: int | None = None
    reason: str = ""
    is_after_the_fact: bool = False
    # It carries others through the same stages.
    is_release: bool = False
    # It is to make its items what they are recorded as, where a scan found them otherwise.
    puts_back: bool = False


@transaction.atomic
def open_change(new: NewChange, acting: Acting) -> Ticket:
    """Open a draft, from a template, by copying another, for a problem or an incident."""
    person = acting.person
    assert person is not None
    book = current()
    template = book.change_templates.get(new.template) or {}
    like = _seen(person, new.copied, KIND)
    problem = _seen(person, new.problem, "problem")
    incident = _seen(person, new.incident, "incident")
    source = problem or incident or like
    title = new.title.strip() or str(template.get("title") or "") or (like.title if like else "")
    if not title:
        raise Invalid("Say in a few words what changes.", fields={"title": "This is empty."})
    old = facts_of(like) if like else None
    steps = template.get("steps") or (old.steps if old else ())
    items = list(new.items) or _items_of(template, like, source)
    service = (
        new.service
        or Service.objects.filter(name=template.get("service") or "").first()
        or (source.service if source else None)
        or (items[0].service if items else None)
    )
    born_of = f"{source.kind} {source.pk}" if source else ""
    if new.puts_back and items:
        born_of = f"what a scan found of {items[0].name}"[:200]
    made = ChangeFacts(
        template=new.template if template else (old.template if old else ""),
        born_of=born_of,
        problem=problem,
        why=new.why.strip() or str(template.get("why") or "") or (old.why if old else ""),
        tried=str(template.get("tried") or ""),
        steps=read_steps(_known_runbooks(steps)),
        as_tasks=int(any(one.get("runbook") for one in steps)),
        starts_s=new.starts_s,
        ends_s=new.ends_s,
        reason=new.reason.strip()[:300],
        is_after_the_fact=int(new.is_after_the_fact),
        is_release=int(new.is_release),
    )
    _check_span(made.starts_s, made.ends_s)
    ticket = log_ticket(
        NewTicket(
            kind=KIND,
            requester=person,
            title=title,
            channel=Channel.DESK,
            service=service,
            ci=items[0] if items else None,
            category=new.category or str(template.get("category") or "")
            or (source.category if source else ""),
            is_confidential=bool(source and source.is_confidential),
            given_person=(person, "whoever opened it drafts it") if person.is_on_desk else None,
            facts=lambda ticket: made,
        ),
        acting,
    )  # fmt: skip
    expected = {str(one["attribute"]): one["value"] for one in template.get("expects") or ()}
    known = {one.item_id: one.expected for one in like.change_items.all()} if like else {}
    ChangeItem.objects.bulk_create(
        ChangeItem(
            ticket=ticket,
            item=item,
            expected=_as_recorded(item)
            if new.puts_back
            else expected_of(item, expected) or known.get(item.pk, {}),
        )
        for item in items[:MOST_ITEMS]
    )
    for other in (problem, incident):
        if other is not None:
            Link.objects.create(
                source=ticket, target=other, kind=LinkKind.RELATED,
                made_by=person, made_s=acting.now_s,
            )  # fmt: skip
    keep_risk(ticket, assess(ticket, book, acting.now_s))
    return ticket


def _seen(person: Person, number: int | None, kind: str) -> Ticket | None:
    """A record that whoever asks may know of; another is refused."""
    if number is None:
        return None
    found = policies.visible_to(person).filter(pk=number, kind=kind).first()
    if found is None:
        raise Invalid(f"There is no {kind} {number}.", fields={kind: "Choose another."})
    return found


def _in_groups(template: Mapping[str, Any]) -> list[ConfigItem]:
    """The items that are in use and in a group which a template names, as they are today."""
    return members(template.get("groups") or (), MOST_ITEMS)


def _as_recorded(item: ConfigItem) -> dict[str, Any]:
    """What is recorded of an item where a scan has found it otherwise."""
    return {
        key: item.attributes[key]
        for key in differing(item.attributes, item.seen)
        if item.attributes.get(key) is not None
    }


def expected_of(item: ConfigItem, expected: Mapping[str, Any]) -> dict[str, Any]:
    """What is expected of an item as its type reads it, so that a scan can be compared."""
    kind = current().item_types.get(item.kind) or {}
    found = dict(expected)
    for key, value in expected.items():
        with suppress(GannetError):  # what its type does not have stays as it was said
            found[key] = read_attributes(kind, {key: value})[key]
    return found


def _items_of(
    template: Mapping[str, Any], like: Ticket | None, source: Ticket | None
) -> list[ConfigItem]:
    if template.get("items") or template.get("groups"):
        keys = template.get("items") or ()
        found = {one.key: one for one in ConfigItem.objects.filter(key__in=keys)}
        listed = [found[key] for key in keys if key in found]
        return list({one.pk: one for one in [*listed, *_in_groups(template)]}.values())
    if like is not None:
        return [one.item for one in like.change_items.select_related("item__service")]
    return [source.ci] if source is not None and source.ci is not None else []


def read_steps(given: Iterable[Mapping[str, Any]]) -> list[dict[str, Any]]:
    """Steps as they are kept, each with an id; what cannot be is `Invalid` and says which."""
    found: list[dict[str, Any]] = []
    rows = list(given)
    if len(rows) > MOST_STEPS:
        raise Invalid(f"At most {MOST_STEPS} steps.", fields={"steps": "That is too many."})
    for number, one in enumerate(rows, 1):
        says = " ".join(str(one.get("says") or "").split())[:MOST_SAYS]
        part, minutes = str(one.get("part") or ""), int(one.get("minutes") or 0)
        if not says:
            raise Invalid(f"Step {number} says nothing.", fields={"steps": f"Step {number}"})
        if part not in PARTS:
            raise Invalid(f"Step {number} is of no part of the plan.", fields={"steps": part[:40]})
        if not 0 <= minutes <= 100_000:
            raise Invalid(f"Step {number}: minutes from 0.", fields={"steps": f"Step {number}"})
        found.append(
            {
                "id": str(one.get("id") or f"s{number}")[:20],
                "part": part,
                "says": says,
                "who": _who(one.get("who"), number),
                "minutes": minutes,
                **_by_itself(one, number),
                **_only_if(one, number),
            }
        )
    taken: set[str] = set()
    for one in found:
        while one["id"] in taken:
            one["id"] = f"{one['id'][:16]}x"
        taken.add(one["id"])
    return found


def _by_itself(one: Mapping[str, Any], number: int) -> dict[str, Any]:
    """The runbook that does a step once it is a task, with its inputs and what it yields."""
    key = str(one.get("runbook") or "")
    outputs = [" ".join(str(name).split())[:60] for name in one.get("outputs") or ()]
    said = {"outputs": list(dict.fromkeys(name for name in outputs if name))} if outputs else {}
    if not key:
        return said
    book = runbooks().get(key)
    if book is None:
        raise Invalid(
            f"Step {number}: there is no runbook “{key[:60]}”.", fields={"steps": "Choose one."}
        )
    given = one.get("inputs") or {}
    inputs = {name: str(given.get(name) or "").strip()[:500] for name in book.inputs}
    return {"runbook": key, "inputs": inputs, **said}


def _only_if(one: Mapping[str, Any], number: int) -> dict[str, Any]:
    """What a step is only for: that an earlier one yielded something."""
    said = one.get("only_if") or {}
    name, value = (" ".join(str(said.get(key) or "").split()) for key in ("output", "is"))
    if not name and not value:
        return {}
    if not name or not value:
        raise Invalid(
            f"Step {number}: say which output, and what it must be.", fields={"steps": "only if"}
        )
    return {"only_if": {"output": name[:60], "is": value[:200]}}


def _known_runbooks(steps: Iterable[Mapping[str, Any]]) -> list[Mapping[str, Any]]:
    """Steps of a template or of an earlier change; one whose runbook is gone is by hand."""
    known = runbooks()
    return [
        one if str(one.get("runbook") or "") in known else {**one, "runbook": ""} for one in steps
    ]


def _who(given: Any, number: int) -> str:
    """Who does a step, by number; a template names them by their address."""
    said = str(given or "")
    if not said:
        return ""
    people = Person.objects.filter(is_active=True)
    found = people.filter(email=said) if "@" in said else people.filter(pk=_whole(said))
    person = found.first()
    if person is None:
        if "@" in said:
            return ""  # who a template names has left
        raise Invalid(f"Step {number} is given to nobody.", fields={"steps": "Choose a person."})
    return str(person.pk)


def _whole(said: str) -> int:
    return int(said) if said.isascii() and said.isdigit() and len(said) < 10 else 0


def _check_span(starts_s: int | None, ends_s: int | None) -> None:
    if starts_s is None or ends_s is None:
        return
    if ends_s <= starts_s:
        raise Invalid("It ends before it begins.", fields={"ends": "Choose a later time."})
    if ends_s - starts_s > _LONGEST_S:
        raise Invalid("That is longer than a year.", fields={"ends": "Choose an earlier time."})


# The facts that can be edited, as they are called, and which of them were authorised.
_EDITABLE = (
    "why", "tried", "reason", "type", "steps", "starts_s", "ends_s", "added", "dropped", "as_tasks",
)  # fmt: skip
_CALLED = {"steps": "plan", "starts_s": "span", "ends_s": "span"}


def edit(
    number: int, acting: Acting, changes: Mapping[str, Any], seen_version: int | None = None
) -> Ticket:
    """Edit a change; what was authorised and changes is asked again, of those it touches."""
    with writing(number, acting, ChangeEvent.EDITED) as write:
        if write.ticket.kind != KIND:
            raise Conflict(f"{number} is no change.")
        if not write.ticket.is_open:
            raise Conflict(f"This is {write.state_name}: nothing of it changes any more.")
        check_seen(write.ticket, changes, seen_version)
        if write.state_name in ("under way", "look back") and set(changes) - {"added", "dropped"}:
            raise Conflict(f"This is {write.state_name}: its plan stays as it was begun.")
        set_plan(write, changes)
        _tell_release(write)
    return write.ticket


def _tell_release(write: RecordWrite) -> None:
    """The plan of what a release carries was edited: the release is weighed, and asked, again."""
    number, acting = facts_of(write.ticket).release_id, write.acting
    if number is None:
        return

    def again() -> None:
        with writing(number, Acting(person=None, now=acting.now)) as release:
            release_changed(release, {"items", "plan", "span"})

    write.afterwards(again)


def check_seen(ticket: Ticket, changes: Mapping[str, Any], seen_version: int | None) -> None:
    """Refuse to overwrite what somebody else has written since; what they wrote goes along."""
    if seen_version is None:
        return
    kept = facts_of(ticket)
    crossed = {
        name: by for name, (at, by) in kept.edited.items() if name in changes and at > seen_version
    }
    if not crossed:
        return
    people = Person.objects.in_bulk([by for by in crossed.values() if by is not None])
    said = "; ".join(
        f"{people[by].name if by in people else 'Gannet'} changed the {_called(name)}"
        for name, by in crossed.items()
    )
    raise Stale(f"{said}, since you opened it.", version=ticket.version, changed=sorted(crossed))


def set_plan(write: RecordWrite, changes: Mapping[str, Any]) -> None:
    """Edit one change within an act that has been checked."""
    ticket = write.ticket
    facts = ChangeFacts.objects.select_for_update().get(ticket=ticket)
    before = assess(ticket, write.policy, write.acting.now_s)
    said: dict[str, list[str]] = {}
    touched: set[str] = set()
    span = (facts.starts_s, facts.ends_s)
    for name in _EDITABLE:
        if name not in changes:
            continue
        value = changes[name]
        if name == "steps":
            value = read_steps(value)
        if (
            name == "type"
            and value
            and value not in {one.key for one in write.policy.changes.types}
        ):
            raise Invalid("There is no such type.", fields={"type": "Choose one."})
        if name == "reason":
            value = str(value).strip()[:300]
        if name == "as_tasks":
            value = int(bool(value))
        if getattr(facts, name) == value:
            continue
        said[_called(name)] = [_told(name, getattr(facts, name)), _told(name, value)]
        setattr(facts, name, value)
        touched.add(_CALLED.get(name, name))
    _check_span(facts.starts_s, facts.ends_s)
    users.move_announcement(facts, span)
    if "items" in changes and _set_items(ticket, changes["items"]):
        said["items"] = [
            ", ".join(one.name for one in before.change.items),
            ", ".join(one.item.name for one in ticket.change_items.select_related("item")),
        ]
        touched.add("items")
        first = ticket.change_items.select_related("item").first()
        ticket.ci = first.item if first else None
    if not said:
        return
    mark = [ticket.version + 1, write.acting.person_id]
    facts.edited = {**facts.edited, **dict.fromkeys(set(changes) & {*_EDITABLE, "items"}, mark)}
    facts.save()
    ticket.change_facts = facts
    after = assess(ticket, write.policy, write.acting.now_s)
    keep_risk(ticket, after)
    write.record(ChangeEvent.EDITED, values={"changes": said})
    if before.risk.rating != after.risk.rating:
        touched |= {"risk", "points"}
    if before.circumstances.in_freeze != after.circumstances.in_freeze:
        touched.add("in a freeze")
    _ask_again(write, after, touched)


def _ask_again(write: RecordWrite, after: Assessment, touched: set[str]) -> None:
    """What an authorised change needs when what was authorised is another."""
    ticket = write.ticket
    if write.state_name not in ("authorise", "planned"):
        return
    if after.against_type:
        drop_route(write)
        write.record(ChangeEvent.FELL_BACK, is_automatic=True, text=after.against_type)
        carrying.follow(write, ChangeEvent.FELL_BACK)
        write.tell(ticket.holder, "change fell back", after.against_type)
        return
    touched -= {"added", "dropped", "why", "reason", "as_tasks"}
    if not touched or not ticket.route:
        return
    was_planned = write.state_name == "planned"
    if was_planned:
        # Its stages are opened again within the stage in which that is done.
        write.record(ChangeEvent.ASKED_AGAIN, is_automatic=True, values={"stages": sorted(touched)})
        carrying.follow(write, ChangeEvent.ASKED_AGAIN)
    if not reopen_touched(write, sorted(touched)) and was_planned:
        write.record(ChangeEvent.AUTHORISED, is_automatic=True)
        carrying.follow(write, ChangeEvent.AUTHORISED)


def facts_changed(write: RecordWrite, changed: Sequence[str]) -> None:
    """Facts that every record has were changed: the risk follows, and so does who is asked."""
    ticket = write.ticket
    kept = facts_of(ticket).rating
    after = assess(ticket, write.policy, write.acting.now_s)
    keep_risk(ticket, after)
    touched = set(changed)
    if kept and kept != after.risk.rating:
        touched |= {"risk", "points"}
    _ask_again(write, after, touched)


def release_changed(write: RecordWrite, touched: set[str]) -> None:
    """What a release carries is another: its risk follows, and those it touches are asked again."""
    kept = facts_of(write.ticket).rating
    after = assess(write.ticket, write.policy, write.acting.now_s)
    keep_risk(write.ticket, after)
    if kept and kept != after.risk.rating:
        touched = touched | {"risk", "points"}
    _ask_again(write, after, touched)


def _set_items(ticket: Ticket, given: Sequence[Mapping[str, Any]]) -> bool:
    """Let a change touch these items; whether that is another answer than before."""
    if len(given) > MOST_ITEMS:
        raise Invalid(f"At most {MOST_ITEMS} items.", fields={"items": "That is too many."})
    before = {one.item_id: one.expected for one in ticket.change_items.all()}
    wanted = {int(one["item"]): dict(one.get("expected") or {}) for one in given}
    there = ConfigItem.objects.in_bulk(wanted)
    if set(wanted) - set(there):
        raise Invalid("There is no such item.", fields={"items": "Choose another."})
    wanted = {pk: expected_of(there[pk], expected) for pk, expected in wanted.items()}
    if before == wanted and list(before) == list(wanted):
        return False
    ticket.change_items.all().delete()
    ChangeItem.objects.bulk_create(
        ChangeItem(ticket=ticket, item_id=pk, expected=expected) for pk, expected in wanted.items()
    )
    return True


def keep_risk(ticket: Ticket, found: Assessment) -> None:
    """Keep how risky a change is beside it, for lists."""
    ChangeFacts.objects.filter(ticket=ticket).update(
        points=found.risk.points, rating=found.risk.rating
    )
    facts = facts_of(ticket)
    facts.points, facts.rating = found.risk.points, found.risk.rating


def _called(name: str) -> str:
    return {
        "starts_s": "begin",
        "ends_s": "end",
        "steps": "plan",
        "tried": "tried before",
        "as_tasks": "steps as tasks",
    }.get(name, name)


def _told(name: str, value: Any) -> str:
    """A fact of a plan as its history tells it."""
    if name == "as_tasks":
        return "yes" if value else "no"
    if value in (None, "", []):
        return "nothing"
    if name in ("starts_s", "ends_s"):
        return datetime.fromtimestamp(int(value), UTC).strftime("%Y-%m-%d %H:%M UTC")
    if name == "steps":
        return f"{len(value)} steps"
    if name in ("added", "dropped"):
        return ", ".join(map(str, value))
    return str(value)[:200]


def typed(ticket: Ticket, book: Book, now_s: int, changes: Mapping[str, Any]) -> Assessment:
    """The assessment of a change as somebody types it: nothing is saved."""
    kept = facts_of(ticket)
    facts = ChangeFacts(
        **{
            field.attname: getattr(kept, field.attname)
            for field in ChangeFacts._meta.concrete_fields
        }
    )
    for name in _EDITABLE:
        if name in changes:
            value = changes[name]
            setattr(facts, name, read_steps(value) if name == "steps" else value)
    found = assess(ticket, book, now_s, facts)
    if "items" in changes:
        numbers = [int(one["item"]) for one in changes["items"][:MOST_ITEMS]]
        known = ConfigItem.objects.select_related("service").in_bulk(numbers)
        items = tuple(known[pk] for pk in numbers if pk in known)
        change = found.change
        found = Assessment(type(change)(**{**change.__dict__, "items": items}), book, now_s)
    return found
