"""Releases: several changes that are assessed, authorised and carried out together.

A release is a change that carries others. Its assessment is the worst and the union of theirs,
one route of approval covers them, and they follow it from stage to stage. Its tasks are the
steps of them all, born phase by phase; a phase may wait for somebody's go.
"""

from collections.abc import Mapping, Sequence
from itertools import pairwise
from typing import Any

from gannet.changes.assessing import Assessment, assess, proposed
from gannet.changes.carrying import be_a_draft
from gannet.changes.events import ChangeEvent
from gannet.changes.models import (
    KIND,
    ChangeFacts,
    StepPlace,
    carried,
    facts_of,
    phase_of,
    phases_of,
    plan_across,
)
from gannet.changes.planning import keep_risk, release_changed
from gannet.people.acting import Acting
from gannet.people.models import Person
from gannet.rulebook.book import Book
from gannet.tickets import policies
from gannet.tickets.actions.frame import RecordWrite, writing
from gannet.tickets.actions.tasks import count_tasks, is_ready, settle_conditions
from gannet.tickets.models import Task, TaskState, Ticket
from gannet.web.errors import Conflict, Invalid, Missing
from gannet_core import changes as core
from gannet_core.errors import TaskError
from gannet_core.tasks import Task as PlannedTask
from gannet_core.tasks import plan as planned

MOST_CARRIED, MOST_PHASES = 60, 12
# The stages in which what a release carries can still be another.
_OPEN_STAGES = ("draft", "assess", "authorise", "planned")


def join(number: int, acting: Acting, joining: int, phase: str = "") -> Ticket:
    """Let a release carry a draft; from then on the draft goes where the release goes."""
    person = acting.person
    assert person is not None
    with writing(number, acting, ChangeEvent.EDITED) as write:
        facts = _release(write)
        if write.state_name != "draft":
            raise Conflict(f"The release is {write.state_name}: what it carries stays as it is.")
        if carried(number).count() >= MOST_CARRIED:
            raise Invalid(f"A release carries at most {MOST_CARRIED} changes.")
        other = policies.visible_to(person).filter(pk=joining, kind=KIND).first()
        theirs = facts_of(other) if other else None
        if other is None or theirs is None or joining == number:
            raise Invalid("There is no such change.", fields={"change": "Choose another."})
        against = why_not(other, theirs)
        if other.is_confidential and not write.ticket.is_confidential:
            # Its title and steps would stand where everybody of the desk reads them.
            against = "It is confidential, and the release is not."
        if against:
            raise Invalid(against, fields={"change": against})
        _check_phase(facts, phase)
        with writing(joining, acting, ChangeEvent.EDITED) as joined:
            fresh = ChangeFacts.objects.select_for_update().get(ticket=joining)
            fresh.release, fresh.phase = write.ticket, phase
            fresh.save()
            joined.ticket.change_facts = fresh
            joined.record(ChangeEvent.JOINED, values={"release": str(number)})
        _risk_again(write)
        write.record(ChangeEvent.CARRIES, values={"change": f"{joining} {other.title}"})
    return write.ticket


def why_not(other: Ticket, facts: ChangeFacts) -> str:
    """Why a release cannot carry a change, in words, or nothing."""
    if facts.is_release:
        return "A release carries no other release."
    if facts.release_id:
        return f"It goes with release {facts.release_id} already."
    return "" if other.is_open and facts.submitted_s is None else "Only drafts join a release."


def leaving(ticket: Ticket, leaver: int, book: Book, now_s: int) -> tuple[Assessment, Assessment]:
    """What a release is now, and what it would be without one of its changes."""
    if not carried(ticket.pk).filter(pk=leaver).exists():
        raise Missing("The release does not carry that change.")
    without = Assessment(proposed(ticket, without=leaver), book, now_s)
    return assess(ticket, book, now_s), without


def leave(number: int, acting: Acting, leaver: int, why: str) -> Ticket:
    """Let a change leave its release and be a draft again; the release is authorised again."""
    if not why.strip():
        raise Invalid("Say why it leaves.", fields={"why": "This is empty."})
    with writing(number, acting, ChangeEvent.EDITED) as write:
        _release(write)
        if write.state_name not in _OPEN_STAGES:
            raise Conflict(f"The release is {write.state_name}: what it carries stays with it.")
        other = carried(number).filter(pk=leaver).first()
        if other is None:
            raise Missing("The release does not carry that change.")
        be_a_draft(leaver, acting, why.strip()[:300])
        write.record(ChangeEvent.CARRIES_NO_MORE, text=why.strip()[:300],
                     values={"change": f"{leaver} {other.title}"})  # fmt: skip
        release_changed(write, {"items", "plan"})
    return write.ticket


def set_phases(
    number: int, acting: Acting, phases: Sequence[Mapping[str, Any]], places: Mapping[int, str]
) -> Ticket:
    """Say in which phases a release is carried out, and which change belongs to which."""
    with writing(number, acting, ChangeEvent.EDITED) as write:
        facts = _release(write)
        if write.state_name not in _OPEN_STAGES:
            raise Conflict(f"The release is {write.state_name}: its phases stay as they are.")
        names = [" ".join(str(one["name"]).split())[:40] for one in phases]
        if not all(names) or len(set(names)) < len(names):
            raise Invalid("Each phase has a name of its own.", fields={"phases": "Name each."})
        if len(names) > MOST_PHASES:
            raise Invalid(f"At most {MOST_PHASES} phases.", fields={"phases": "Too many."})
        facts.phases = [
            {"name": name, "gate": bool(one.get("gate"))}
            for name, one in zip(names, phases, strict=True)
        ]
        for one in carried(number):
            wanted = places.get(one.pk, facts_of(one).phase)
            kept = wanted if wanted in names else ""
            ChangeFacts.objects.filter(ticket=one.pk).update(phase=kept)
        facts.save()
        write.record(ChangeEvent.PHASES, values={"phases": names})
    return write.ticket


def open_phase(write: RecordWrite) -> str:
    """Open the next phase of a release: its tasks are born; returns its name, or nothing."""
    facts = ChangeFacts.objects.select_for_update().get(ticket=write.ticket)
    write.ticket.change_facts = facts
    waiting = next_phase(facts)
    if waiting is None:
        return ""
    names = [one["name"] for one in phases_of(facts)]
    is_first = waiting["name"] == names[0]
    rows = [one for one in carried(write.ticket.pk) if phase_of(one, names) == waiting["name"]]
    if is_first:
        rows.insert(0, write.ticket)
    made = born(write, [(one, facts_of(one)) for one in rows], waiting["name"])
    facts.opened = [*facts.opened, waiting["name"]]
    facts.save()
    write.record(ChangeEvent.PHASE_OPENED, is_automatic=True, values={"phase": waiting["name"]})
    if not made:
        return waiting["name"] if _must_wait(facts) else open_phase(write) or waiting["name"]
    return str(waiting["name"])


def set_links(number: int, acting: Acting, links: Sequence[Mapping[str, Any]]) -> Ticket:
    """Say which steps of a release wait for which, across all its changes.

    Those of one change follow each other anyway. A step waits for none of a later phase, and
    never for itself, along any way.
    """
    with writing(number, acting, ChangeEvent.EDITED) as write:
        facts = _release(write)
        if write.state_name not in _OPEN_STAGES:
            raise Conflict(f"The release is {write.state_name}: its plan stays as it is.")
        wanted = list(
            dict.fromkeys((*_place(one["waits_for"]), *_place(one["step"])) for one in links)
        )
        _check_links(
            plan_across(write.ticket, facts), wanted, [one["name"] for one in phases_of(facts)]
        )
        facts.links = [list(one) for one in wanted]
        facts.save(update_fields=["links"])
        write.record(ChangeEvent.LINKED, values={"count": len(wanted)})
    return write.ticket


def _place(one: Mapping[str, Any]) -> tuple[int, str]:
    return int(one["change"]), str(one["step"])


def _check_links(
    steps: Sequence[StepPlace], links: Sequence[tuple[int, str, int, str]], phases: Sequence[str]
) -> None:
    known = {(one.change, one.step): one for one in steps}
    after: dict[tuple[int, str], list[tuple[int, str]]] = {place: [] for place in known}
    for earlier, later in pairwise(steps):
        if earlier.change == later.change:
            after[later.change, later.step].append((earlier.change, earlier.step))
    for first, before, change, step in links:
        for place in ((first, before), (change, step)):
            if place not in known:
                raise Invalid("A step is gone meanwhile.", fields={"links": f"Of {place[0]}."})
        waits, on = known[change, step], known[first, before]
        if phases.index(on.phase) > phases.index(waits.phase):
            raise Invalid(
                f"“{waits.says}” would wait for “{on.says}”, whose phase comes later.",
                fields={"links": "That is later."},
            )
        after[change, step].append((first, before))
    try:
        planned([PlannedTask(place, 0, tuple(waits)) for place, waits in after.items()])
    except TaskError as error:
        raise Invalid(
            "These steps would wait for each other.", fields={"links": "They form a circle."}
        ) from error


def _link(ticket: Ticket, facts: ChangeFacts) -> None:
    """Let tasks wait for others as their steps do, now that they are there."""
    tasks = {task.born_of: task for task in ticket.tasks.exclude(born_of="")}
    for first, before, change, step in facts.links:
        waits, on = tasks.get(f"{change}:{step}"), tasks.get(f"{first}:{before}")
        if waits is not None and on is not None:
            waits.after.add(on)


def born(
    write: RecordWrite,
    rows: Sequence[tuple[Ticket, ChangeFacts]],
    phase: str,
    parts: Sequence[str] = (core.IMPLEMENT, core.TEST),
) -> int:
    """Make tasks of the steps of some changes, those of each one after the other."""
    ticket, fresh = write.ticket, list[Task]()
    for one, facts in rows:
        before: Task | None = None
        for step, kept in zip(facts.plan(), facts.steps, strict=True):
            if step.part not in parts:
                continue
            says = step.says if one.pk == ticket.pk else f"{one.pk}: {step.says}"
            task = Task.objects.create(
                ticket=ticket,
                title=says[:200],
                person=Person.objects.filter(pk=int(step.who or one.holder_id or 0)).first(),
                team=one.team,
                position=ticket.all_tasks + len(fresh),
                estimate_minutes=step.minutes,
                phase=phase,
                runbook=str(kept.get("runbook") or ""),
                inputs=dict(kept.get("inputs") or {}),
                outputs=dict.fromkeys(kept.get("outputs") or (), ""),
                only_if=dict(kept.get("only_if") or {}),
                born_of=f"{one.pk}:{step.id}",
                made_s=write.acting.now_s,
            )
            if before is not None:
                task.after.add(before)
            before = task
            fresh.append(task)
    _link(ticket, facts_of(ticket))
    settle_conditions(write)
    for task in fresh:
        task.refresh_from_db(fields=["state"])
        is_open = task.state == TaskState.OPEN
        if is_open and task.person is not None and not task.runbook and is_ready(task):
            write.tell(task.person, "task given", task.title)
    count_tasks(ticket)
    return sum(task.state == TaskState.OPEN for task in fresh)


def next_phase(facts: ChangeFacts) -> Mapping[str, Any] | None:
    """The first phase of a release that has not been opened."""
    return next((one for one in phases_of(facts) if one["name"] not in facts.opened), None)


def _must_wait(facts: ChangeFacts) -> bool:
    """Whether the next phase waits for somebody's go."""
    waiting = next_phase(facts)
    return waiting is None or bool(waiting["gate"])


def tasks_done(write: RecordWrite) -> None:
    """The tasks of a phase are done: the next opens, or waits for a go, which is told."""
    facts = facts_of(write.ticket)
    if not facts.is_release or write.state_name != "under way" or facts.stopped:
        return
    waiting = next_phase(facts)
    if waiting is None:
        return
    if waiting["gate"]:
        words = f"“{waiting['name']}” waits for a go: all before it is done."
        write.tell(write.ticket.holder, "release waits", words)
        return
    open_phase(write)


def go_ahead(number: int, acting: Acting, why: str = "") -> Ticket:
    """Say go: the next phase of a release opens."""
    with writing(number, acting, ChangeEvent.GO) as write:
        against = no_go_yet(write.ticket)
        if against:
            raise Conflict(against)
        waiting = next_phase(facts_of(write.ticket))
        assert waiting is not None
        write.record(ChangeEvent.GO, text=why.strip(), values={"phase": waiting["name"]})
        open_phase(write)
    return write.ticket


def no_go_yet(ticket: Ticket) -> str:
    """Why the next phase of a release cannot open, in words, or nothing."""
    facts = facts_of(ticket)
    if not facts.is_release:
        return "Only a release has phases."
    if next_phase(facts) is None:
        return "All its phases are open."
    left = ticket.tasks.filter(state=TaskState.OPEN, outlives=False).count()
    return f"{left} tasks of the phase before are open." if left else ""


def _check_phase(facts: ChangeFacts, phase: str) -> None:
    if phase and phase not in [one["name"] for one in facts.phases]:
        raise Invalid("There is no such phase.", fields={"phase": "Choose one."})


def _release(write: RecordWrite) -> ChangeFacts:
    facts = ChangeFacts.objects.select_for_update().get(ticket=write.ticket)
    if not facts.is_release:
        raise Conflict(f"{write.ticket.pk} is no release.")
    write.ticket.change_facts = facts
    return facts


def _risk_again(write: RecordWrite) -> None:
    keep_risk(write.ticket, assess(write.ticket, write.policy, write.acting.now_s))
