"""Checks on a draft of the rulebook: what cannot work, where, why, and what to do.

Each check is a function from the document and the world around it (which teams, people,
services and fields exist) to findings. An `error` keeps an edition from being published;
a `warning` does not.
"""

import re
from collections.abc import Callable, Iterable, Iterator, Mapping
from datetime import date, datetime, time
from typing import Any
from zoneinfo import ZoneInfo

from gannet_core import (
    checks_articles,
    checks_changes,
    checks_computed,
    checks_items,
    checks_majors,
    checks_problems,
    checks_requests,
    conditions,
    lifecycle,
)
from gannet_core.errors import GannetError
from gannet_core.escalation import UNTOUCHED, amount_of, check_step, span_words
from gannet_core.findings import ERROR, WARNING, Finding, World, say
from gannet_core.forms import check_form, wrong_value
from gannet_core.limits import check_limits
from gannet_core.logic import implies, is_impossible
from gannet_core.routing import MODES
from gannet_core.rulebook import Document, name_of
from gannet_core.rules import check_rule
from gannet_core.servicetime import ServiceCalendar
from gannet_core.uses import without_target

# Who can be told or made to follow, besides people by their address and teams by name.
ROLES = (
    "holder",
    "requester",
    "team",
    "team lead",
    "followers",
    "service owner",
    "requester's manager",
    "administrators",
)


def check_document(document: Document, world: World, today: date) -> list[Finding]:
    """Every finding of every check, errors first, in the order of the sections."""
    found = [finding for one in _CHECKS for finding in one(document, world, today)]
    return sorted(found, key=lambda finding: finding.severity != ERROR)


def _calendars(document: Document, world: World, today: date) -> Iterator[Finding]:
    for one in document["calendars"]:
        try:
            compiled = ServiceCalendar.from_json(one)
        except GannetError as error:
            yield say(
                "calendars", one, str(error), "No time can be counted on it.", "Correct that place."
            )
            continue
        start = datetime.combine(today, time(), ZoneInfo(one["zone"]))
        if compiled.next_opening(start) is None and not compiled.is_open(start):
            yield say(
                "calendars",
                one,
                "It never opens again.",
                "A target on it would never be due.",
                "Give it hours from today on, or use another calendar.",
            )


def _matrix(document: Document, world: World, today: date) -> Iterator[Finding]:
    matrix = document["matrix"]
    label = {"key": "", "name": "Priorities"}
    levels = {axis: len(matrix.get(axis) or ()) for axis in ("impact", "urgency")}
    cells = matrix.get("cells") or []
    if len(cells) != levels["impact"] or any(len(row) != levels["urgency"] for row in cells):
        yield say(
            "matrix",
            label,
            "The grid has not one cell for each impact and urgency.",
            "Some tickets would get no priority.",
            "Give every row as many cells as there are urgencies.",
        )
        return
    reach = {axis: set(range(1, count + 1)) for axis, count in levels.items()}
    for question in document["questions"]:
        axis = question.get("sets")
        for choice in question.get("choices") or ():
            if axis in reach and choice.get("level") not in reach[axis]:
                yield say(
                    "questions",
                    question,
                    f"“{choice.get('label')}” sets {axis} {choice.get('level')}.",
                    f"There is no such {axis}.",
                    f"Choose a level from 1 to {levels[axis]}.",
                )
    for row, levels_of_row in enumerate(cells):
        for column, priority in enumerate(levels_of_row):
            if priority is not None:
                continue
            where = f"{matrix['impact'][row]} × {matrix['urgency'][column]}"
            if _can_be_answered(document, row + 1, column + 1):
                yield say(
                    "matrix",
                    label,
                    f"{where} is empty.",
                    "The questions of the forms can lead there, and the ticket could not be "
                    "logged.",
                    "Give the cell a priority, or take the answer away.",
                )


def _can_be_answered(document: Document, impact: int, urgency: int) -> bool:
    reach: dict[str, set[int]] = {"impact": set(), "urgency": set()}
    for question in document["questions"]:
        if question.get("sets") in reach:
            reach[question["sets"]] |= {one["level"] for one in question.get("choices") or ()}
    return impact in reach["impact"] and urgency in reach["urgency"]


def _agreements(document: Document, world: World, today: date) -> Iterator[Finding]:
    priorities = sorted(
        {cell for row in document["matrix"].get("cells") or [] for cell in row if cell}
    )
    active = [one for one in document["agreements"] if one.get("status", "active") == "active"]
    if not any(_is_default(one, today) for one in active if one["kind"] == "customer"):
        yield Finding(
            ERROR,
            "agreements",
            "",
            "Agreements",
            "No customer agreement is the default.",
            "A ticket that no scope matches would have no SLA.",
            "Let the last active customer agreement apply always, without an end.",
        )
    known = {one["key"] for one in document["calendars"]}
    for one in document["agreements"]:
        yield from _scope(one, world)
        yield from _targets(one, priorities, known, world)
        yield from _steps(document, one, world)
    yield from _hidden(
        "agreements",
        [one for one in active if not one.get("starts") and not one.get("ends")],
        lambda one: one["scope"],
        lambda earlier, later: earlier["kind"] == later["kind"],
        world,
    )


def _is_default(one: Mapping[str, Any], today: date) -> bool:
    has_ended = bool(one.get("ends")) and date.fromisoformat(one["ends"]) < today
    starts_later = bool(one.get("starts")) and date.fromisoformat(one["starts"]) > today
    return one["scope"] == {"all": []} and not has_ended and not starts_later


def _scope(one: Mapping[str, Any], world: World) -> Iterator[Finding]:
    try:
        conditions.check(one.get("scope"), world.fields)
    except GannetError as error:
        yield say("agreements", one, str(error), "Its scope cannot be read.", "Correct the scope.")
        return
    yield from _values(one["scope"], "agreements", one, world)
    if is_impossible(one["scope"], world.fields):
        yield say(
            "agreements",
            one,
            "Its scope can never match.",
            "Its parts contradict each other.",
            "Take one of the contradicting parts out.",
        )


def _targets(
    one: Mapping[str, Any], priorities: Iterable[int], calendars: set[str], world: World
) -> Iterator[Finding]:
    named = {one.get("calendar"), *(row.get("calendar") for row in one["targets"].values())}
    for key in sorted(str(key) for key in named - calendars if key):
        yield say(
            "agreements",
            one,
            f"There is no calendar “{key}”.",
            "Its time cannot be counted.",
            "Choose one of the calendars.",
        )
    if one.get("status") == "retired":
        return
    if not one.get("calendar"):
        yield say(
            "agreements",
            one,
            "It has no calendar.",
            "Its time cannot be counted.",
            "Choose one of the calendars.",
        )
    for priority in priorities:
        if str(priority) not in one["targets"] and one["kind"] == "customer":
            yield say(
                "agreements",
                one,
                f"P{priority} has no targets.",
                "A ticket of that priority would have no target.",
                f"Give P{priority} an answer and a fix target.",
            )
    for priority, row in one["targets"].items():
        for kind, seconds in row.items():
            if kind == "calendar":
                continue
            about = world.clock_kinds.get(kind)
            if about is None or about["of"] != one["kind"]:
                yield say(
                    "agreements",
                    one,
                    f"P{priority} has a target for “{kind}”.",
                    f"That is no clock of a {one['kind']} agreement.",
                    "Choose another clock.",
                )
            elif not isinstance(seconds, int) or seconds <= 0:
                yield say(
                    "agreements",
                    one,
                    f"P{priority} {kind} has the target {seconds!r}.",
                    "A target is a length of service time.",
                    "Give at least a minute.",
                )


def _steps(document: Document, one: Mapping[str, Any], world: World) -> Iterator[Finding]:
    for index, step in enumerate(one.get("steps") or ()):
        name = step.get("name") or step.get("key") or f"step {index + 1}"
        try:
            check_step(step, f"Step {index + 1}", world.fields)
        except (GannetError, KeyError) as error:
            yield say("agreements", one, str(error), "The step cannot run.", "Correct the step.")
            continue
        yield from _actions(document, step["then"], "agreements", one, world)
        if step["clock"] == UNTOUCHED:
            continue
        targets = [row[step["clock"]] for row in one["targets"].values() if step["clock"] in row]
        if not targets:
            yield say(
                "agreements",
                one,
                f"Step “{name}” can never fire.",
                f"No priority of this agreement has a target for {step['clock']}.",
                "Give it a target, or let the step follow another clock.",
            )
        elif all(amount_of(step, target) is None for target in targets):
            yield say(
                "agreements",
                one,
                f"Step “{name}” can never fire.",
                f"It lies further before the due than the longest target, "
                f"{span_words(max(targets))}.",
                "Bring it nearer to the due.",
            )


def _rules(document: Document, world: World, today: date) -> Iterator[Finding]:
    for one in document["rules"]:
        try:
            check_rule(one, world.fields, world.moments)
        except GannetError as error:
            yield say("rules", one, str(error), "The rule cannot run.", "Correct that place.")
            continue
        yield from _values(one["if"], "rules", one, world)
        yield from _actions(document, one["then"], "rules", one, world)
        if is_impossible(one["if"], world.fields):
            yield say(
                "rules",
                one,
                "It can never run.",
                "Its parts contradict each other.",
                "Take one of the contradicting parts out.",
            )
    working = [one for one in document["rules"] if one.get("is_on", True)]
    yield from _hidden(
        "rules",
        working,
        lambda one: one["if"],
        lambda earlier, later: (
            bool(earlier.get("stop")) and set(later["when"]) <= set(earlier["when"])
        ),
        world,
    )


def _hidden(
    section: str,
    listed: list[Mapping[str, Any]],
    condition: Callable[[Mapping[str, Any]], Mapping[str, Any]],
    stands_before: Callable[[Mapping[str, Any], Mapping[str, Any]], bool],
    world: World,
) -> Iterator[Finding]:
    """Entries that an earlier one always comes before with a wider condition."""
    for index, later in enumerate(listed):
        for earlier in listed[:index]:
            try:
                is_hidden = stands_before(earlier, later) and implies(
                    condition(later), condition(earlier), world.fields
                )
            except (GannetError, KeyError, TypeError):
                continue
            if is_hidden:
                yield say(
                    section,
                    later,
                    "It can never apply." if section == "agreements" else "It can never run.",
                    f"“{name_of(section, earlier)}” stands before it and takes everything it "
                    "would match.",
                    f"Move it before “{name_of(section, earlier)}”, or narrow that one.",
                )
                break


def _actions(
    document: Document,
    actions: Iterable[Mapping[str, Any]],
    section: str,
    one: Mapping[str, Any],
    world: World,
) -> Iterator[Finding]:
    named = {
        "message": {entry["key"] for entry in document["messages"]},
        "hook": {entry["key"] for entry in document["hooks"]},
        "team": world.teams,
        "person": world.people,
    }
    tasks = {entry["key"] for entry in document["tasks"]}
    for action in actions:
        for part, known in named.items():
            if part in action and action[part] and action[part] not in known:
                yield say(
                    section,
                    one,
                    f"It names the {part} “{action[part]}”.",
                    f"There is no such {part}, or it is gone.",
                    f"Choose another {part}.",
                )
        for key in action.get("tasks") or ():
            if key not in tasks:
                yield say(
                    section,
                    one,
                    f"It adds the tasks “{key}”.",
                    "There is no such task template.",
                    "Choose another one.",
                )
        for who in action.get("who") or ():
            if who not in ROLES and who not in world.people and who not in world.teams:
                yield say(
                    section,
                    one,
                    f"It tells “{who}”.",
                    "That is neither a role, nor a team, nor the address of anybody here.",
                    "Choose somebody else.",
                )
        if action["do"] == "set":
            leaf = {"field": action["field"], "op": "is", "value": action["value"]}
            yield from _values(leaf, section, one, world)


def _values(
    tree: Mapping[str, Any], section: str, one: Mapping[str, Any], world: World
) -> Iterator[Finding]:
    """Values of closed choices that do not exist: a leaf over them can never match."""
    for leaf in conditions.leaves(tree):
        choices = world.fields.get(leaf["field"], {}).get("choices")
        if not choices or leaf["op"] not in (
            "is",
            "is not",
            "is one of",
            "is none of",
            "changed to",
        ):
            continue
        known = {conditions.fold(str(choice)) for choice in choices}
        value = leaf.get("value")
        for member in value if isinstance(value, list) else [value]:
            if isinstance(member, str) and member and conditions.fold(member) not in known:
                label = world.fields[leaf["field"]].get("label", leaf["field"])
                yield say(
                    section,
                    one,
                    f"It asks for {label} “{member}”.",
                    "There is no such choice, or it is gone.",
                    "Choose one of those there are.",
                )


def _limits(document: Document, world: World, today: date) -> Iterator[Finding]:
    """Limits that nothing can keep, and defaults that break them."""
    for one in document["fields"]:
        label = {"key": one["key"], "name": one.get("label", "")}
        try:
            check_limits(one)
        except GannetError as error:
            yield say(
                "fields", label, f"{error}.", "Nobody could fill it in.", "Correct the limits."
            )
            continue
        default = one.get("default")
        wrong = None if default in (None, "") else wrong_value(default, one, today=today)
        if wrong:
            yield say(
                "fields",
                label,
                f"What it begins with is not taken: {wrong}",
                "Whoever leaves it as it is cannot send the form.",
                "Correct what it begins with, or the limits.",
            )
        if "choice" in str(one.get("type")) and not one.get("choices"):
            yield say("fields", label, "It has no choices.", "Nobody could answer it.", "Add some.")


def _forms(document: Document, world: World, today: date) -> Iterator[Finding]:
    forms = {one["key"] for one in document["forms"]}
    tasks = {one["key"] for one in document["tasks"]}
    for one in document["forms"]:
        try:
            check_form(one, _form_fields(document, world))
        except GannetError as error:
            yield say("forms", one, str(error), "The form cannot be filled in.", "Correct it.")
    for one in document["templates"]:
        if one.get("form") and one["form"] not in forms:
            yield say(
                "templates",
                one,
                f"There is no form “{one['form']}”.",
                "It could not be opened.",
                "Choose one of the forms.",
            )
        for key in one.get("tasks") or ():
            if key not in tasks:
                yield say(
                    "templates",
                    one,
                    f"There is no task template “{key}”.",
                    "Its tasks could not be added.",
                    "Choose another one.",
                )


def _form_fields(document: Document, world: World) -> Mapping[str, Mapping[str, Any]]:
    questions = {
        one["key"]: {"type": "choice", "label": one["asks"]} for one in document["questions"]
    }
    plain = {"text": {"type": "long text", "label": "What happened"}}
    return {**world.fields, **plain, **questions}


def _routing(document: Document, world: World, today: date) -> Iterator[Finding]:
    routing = document["routing"]
    label = {"key": "", "name": "Routing"}
    named = {entry.get("team") for entry in routing.get("teams") or ()}
    named |= {team for entry in routing.get("chains") or () for team in entry.get("teams") or ()}
    for team in sorted(str(team) for team in named - world.teams):
        yield say(
            "routing",
            label,
            f"It names the team “{team}”.",
            "There is no such team.",
            "Choose another team.",
        )
    for entry in routing.get("chains") or ():
        if entry.get("service") not in world.services:
            yield say(
                "routing",
                label,
                f"It names the service “{entry.get('service')}”.",
                "There is no such service.",
                "Choose another service.",
            )
    for entry in routing.get("teams") or ():
        if entry.get("mode") not in MODES:
            yield say(
                "routing",
                label,
                f"{entry.get('team')} routes “{entry.get('mode')}”.",
                "That is no way of routing.",
                f"Choose {', '.join(MODES)}.",
            )
        if entry.get("exempt"):
            try:
                conditions.check(entry["exempt"], world.fields)
            except GannetError as error:
                yield say(
                    "routing",
                    label,
                    f"{entry.get('team')}: {error}",
                    "Its exemption cannot be read.",
                    "Correct the condition.",
                )
    for one in document["categories"]:
        if one.get("team") and one["team"] not in world.teams:
            yield say(
                "categories",
                one,
                f"It names the team “{one['team']}”.",
                "There is no such team.",
                "Choose another team.",
            )


def _closing(document: Document, world: World, today: date) -> Iterator[Finding]:
    closing = document["closing"]
    label = {"key": "", "name": "Conditions for closing"}
    for entry in closing.get("conditions") or ():
        try:
            conditions.check(entry.get("if"), world.fields)
        except GannetError as error:
            yield say("closing", label, str(error), "The condition cannot be read.", "Correct it.")


def _messages(document: Document, world: World, today: date) -> Iterator[Finding]:
    own = {f"answer {field.get('label', '')}" for field in document.get("fields") or ()}
    for one in document["messages"]:
        said = f"{one.get('subject', '')} {one.get('body', '')}"
        unknown = sorted(set(_PLACEHOLDER.findall(said)) - world.placeholders - own)
        if unknown and world.placeholders:
            yield say(
                "messages",
                one,
                f"{_named(unknown)} {'stands' if len(unknown) == 1 else 'stand'} for nothing.",
                "People would read the braces.",
                "Choose from the list of placeholders.",
            )
    for one in document["hooks"]:
        refused = world.refused_hook(str(one.get("url", "")))
        if refused:
            yield say(
                "hooks",
                one,
                f"It posts to “{one.get('url')}”.",
                refused,
                "Choose another address, or have the host added to the settings.",
            )


def _waits(document: Document, world: World, today: date) -> Iterator[Finding]:
    reasons = {str(reason) for reason in lifecycle.Waiting}
    seen = {one.get("on") for one in document["waits"]}
    for one in document["waits"]:
        if one.get("on") not in reasons:
            yield say(
                "waits",
                one,
                f"It waits on “{one.get('on')}”.",
                "It would not be clear whose turn it is.",
                f"Choose {', '.join(sorted(reasons))}.",
            )
    if not seen & {"requester"}:
        yield Finding(
            WARNING,
            "waits",
            "",
            "Waiting reasons",
            "None waits on the requester.",
            "The desk could not stop a clock while it waits for an answer.",
            "Add one that does.",
        )
    stages = {
        stage.name
        for kind in lifecycle.LIFECYCLES.values()
        if kind.kind != "task"
        for stage in kind.stages
    }
    for one in document["states"]:
        if one.get("stage") not in stages:
            yield say(
                "states",
                one,
                f"Its stage is “{one.get('stage')}”.",
                "Nothing follows from that.",
                f"Choose {', '.join(sorted(stages))}.",
            )


_WORDS = {
    "calendars": "calendar",
    "clocks": "kind of clock",
    "messages": "message",
    "hooks": "webhook",
    "tasks": "task template",
    "categories": "category",
    "care_tiers": "care tier",
    "states": "status",
    "forms": "form",
    "asked": "field or question",
    "routes": "approval route",
    "agreements": "agreement",
    "items": "catalogue item",
    "templates": "template",
    "item_types": "type of item",
    "item_groups": "group of items",
}


def _uses(document: Document, world: World, today: date) -> Iterator[Finding]:
    """Whatever is named is there, wherever it is named."""
    for use in without_target(document, world.clock_kinds, world.asked):
        one = {"key": use.by_key, "name": use.by_name}
        yield say(
            use.by_section,
            one,
            f"There is no {_WORDS[use.section]} “{use.key}”; it stands in {use.place}.",
            "It cannot work as it says.",
            "Choose another one there, or bring it back.",
        )
    for section, key, by in world.named_outside:
        if key not in {one["key"] for one in document.get(section) or ()}:
            yield say(
                section,
                {"key": key, "name": key},
                f"The {_WORDS[section]} “{key}” is gone, but still needed by {by}.",
                "What they have could not be worked out.",
                "Bring it back, or give them another one first.",
            )
    needed = {str(lifecycle.Waiting.APPROVAL)} if document["routes"] else set()
    for reason in sorted(needed - {one.get("on") for one in document["waits"]}):
        yield Finding(
            ERROR,
            "waits",
            "",
            "Waiting reasons",
            f"None waits on an {reason}.",
            "Requests wait for their approvers, and could not.",
            "Add one that does.",
        )


_PLACEHOLDER = re.compile(r"\{([a-z_]+|answer [^{}\n]+)\}")


def _named(names: list[str]) -> str:
    return " and ".join("{" + name + "}" for name in names)


_CHECKS = (
    _uses,
    _calendars,
    _matrix,
    _agreements,
    _rules,
    _limits,
    _forms,
    _routing,
    _closing,
    _messages,
    _waits,
    checks_requests.offered,
    checks_requests.task_templates,
    checks_requests.routes,
    checks_problems.problems,
    checks_items.item_groups,
    checks_articles.article_rules,
    checks_computed.computed_fields,
    checks_changes.windows,
    checks_changes.changes,
    checks_changes.change_templates,
    checks_majors.major_plans,
)
