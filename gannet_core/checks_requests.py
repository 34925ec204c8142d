"""Checks on what can be asked for: items, bundles, their tasks, their approval routes.

As in `gannet_core.checks`, each goes from the document and the world to findings.
"""

from collections.abc import Iterator, Mapping
from datetime import date
from typing import Any

from gannet_core import approvals, catalogue, conditions, routing, tasks
from gannet_core.errors import GannetError
from gannet_core.findings import WARNING, Finding, World, say
from gannet_core.rulebook import Document


def offered(document: Document, world: World, today: date) -> Iterator[Finding]:
    """Items and bundles name things that are there, and what they ask for fits."""
    known = {"team": (world.teams, "team"), "service": (world.services, "service")}
    for section in ("items", "bundles"):
        for one in document[section]:
            for part, (names, word) in known.items():
                if one.get(part) and names and one[part] not in names:
                    yield say(
                        section,
                        one,
                        f"There is no {word} “{one[part]}”.",
                        "It could not be fulfilled as it says.",
                        "Choose another one.",
                    )
            try:
                conditions.check(one.get("who") or {"all": []})
            except GannetError as error:
                yield say(section, one, f"{error}", "Nobody could be offered it.", "Correct it.")
    yield from _uncovered(document)
    for one in document["bundles"]:
        for says in catalogue.wrong_parts(one, document["items"]):
            yield say("bundles", one, says, "It could not be requested.", "Correct its parts.")


def _uncovered(document: Document) -> Iterator[Finding]:
    """What a part demands alone it demands in a bundle; where that is asked later, it is said."""
    routes = {one["key"]: one for one in document["routes"]}
    items = {one["key"]: one for one in document["items"]}
    for bundle in document["bundles"]:
        whole = routes.get(bundle.get("route") or "", {"stages": []})
        for part in bundle.get("parts") or ():
            item = items.get(part.get("item"), {})
            own = routes.get(item.get("route") or "")
            if own is None or approvals.covers(whole, own):
                continue
            yield say(
                "bundles",
                bundle,
                f"“{item['name']}” needs “{own['name']}”, which the bundle's route does not cover.",
                "Its approval is sought on its own once the bundle is approved, and comes later.",
                "Add those stages to the bundle's route, or leave it so.",
                severity=WARNING,
            )


def task_templates(document: Document, world: World, today: date) -> Iterator[Finding]:
    """Tasks can begin, find somebody, and read only what is given before them."""
    for one in document["tasks"]:
        try:
            tasks.plan(catalogue.plan_of(one))
        except GannetError as error:
            yield say("tasks", one, f"{error}", "Its tasks could never begin.", "Correct it.")
            continue
        for says in tasks.wrong_flow(one["tasks"]):
            yield say("tasks", one, says, "It could be empty when it is needed.", "Correct it.")
        for entry in one["tasks"]:
            if entry.get("team") and world.teams and entry["team"] not in world.teams:
                yield say(
                    "tasks",
                    one,
                    f"“{entry['title']}” is for the team “{entry['team']}”, which is not there.",
                    "It would stay unassigned.",
                    "Choose another team.",
                )
            elif entry.get("mode") and entry["mode"] != routing.BY_HAND and not entry.get("team"):
                yield say(
                    "tasks",
                    one,
                    f"“{entry['title']}” is assigned {entry['mode']}, but names no team.",
                    "It would stay unassigned.",
                    "Name its team.",
                )
            try:
                conditions.check(entry.get("if") or {"all": []})
            except GannetError as error:
                yield say("tasks", one, f"{error}", "It could not be approved.", "Correct it.")


def routes(document: Document, world: World, today: date) -> Iterator[Finding]:
    """Nothing waits for nobody: the dead-end check."""
    fields = {**world.fields, **catalogue.FACTS}
    for one in document["routes"]:
        for says in approvals.check_route(one):
            yield say(
                "routes",
                one,
                says,
                "A request could wait for nobody, for ever.",
                "Correct it.",
            )
        named = [one.get("owner"), *(stage.get("fallback") for stage in one["stages"])]
        named += [
            entry.get("of")
            for stage in one["stages"]
            for entry in stage.get("approvers") or ()
            if entry["who"] == "person"
        ]
        for person in sorted({name for name in named if name} - set(world.people)):
            if world.people:
                yield say(
                    "routes",
                    one,
                    f"{person} does not work here.",
                    "They could never approve.",
                    "Choose somebody who does.",
                )
        try:
            ends = approvals.ends_of(one, fields)
        except GannetError:
            continue
        for end in ends.ends:
            if end.problem:
                yield say(
                    "routes",
                    one,
                    f"{end.problem}, for example with {_example(end.example)}.",
                    "Such a request would hang.",
                    "Add a fallback.",
                )
        if not ends.is_complete:
            yield say(
                "routes",
                one,
                f"{ends.combinations} combinations are too many: all pairs of answers were tried.",
                "A dead end of three answers could be missed.",
                "Ask for less in its conditions.",
                severity=WARNING,
            )


def _example(facts: Mapping[str, Any]) -> str:
    return ", ".join(f"{name} = {value}" for name, value in facts.items()) or "any answers"
