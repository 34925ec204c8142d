"""The tasks of a task template as rows: in order, with conditions, phases and what they read."""

from collections.abc import Mapping
from typing import Any

from gannet.people.models import Team
from gannet.tickets.actions.frame import RecordWrite
from gannet.tickets.events import TicketEvent
from gannet.tickets.models import Task
from gannet_core.conditions import evaluate
from gannet_core.routing import BY_HAND


def add_from_template(
    write: RecordWrite, template: Mapping[str, Any], record: Mapping[str, Any], by: str
) -> None:
    """Add the tasks of a template whose conditions hold over `record`, once the ticket is
    saved; the counts and the event are of this act."""
    entries = [
        one for one in template["tasks"] if evaluate(one.get("if") or {"all": []}, record).result
    ]
    if not entries:
        return
    left_out = {one["title"] for one in template["tasks"]} - {one["title"] for one in entries}
    teams = {team.name: team for team in Team.objects.all()}
    first, ticket = write.ticket.all_tasks, write.ticket
    rows = {
        str(one["title"]): _row(one, teams, first + index, write.acting.now_s)
        for index, one in enumerate(entries)
    }
    before = {str(one["title"]): _known(one, template, left_out) for one in entries}

    def save() -> None:
        for row in rows.values():
            row.ticket = ticket
        Task.objects.bulk_create(rows.values())
        for title, after in before.items():
            rows[title].after.set([rows[name] for name in after])

    ticket.all_tasks += len(rows)
    ticket.open_tasks += len(rows)
    ticket.cost_pence += sum(row.cost_pence for row in rows.values())
    write.record(
        TicketEvent.TASKS_ADDED,
        is_automatic=True,
        by_desk=False,
        values={"template": template["name"], "titles": list(rows), "by": by},
    )
    write.afterwards(save)


def _row(one: Mapping[str, Any], teams: Mapping[str, Team], position: int, now_s: int) -> Task:
    mode = str(one.get("mode") or "")
    is_routed = mode not in ("", BY_HAND) and one.get("team", "") in teams
    return Task(
        title=str(one["title"])[:200],
        team=teams.get(one.get("team", "")),
        phase=str(one.get("phase") or "")[:40],
        estimate_minutes=int(one.get("estimate_minutes") or 0),
        cost_pence=int(one.get("cost_pence") or 0),
        runbook=str(one.get("runbook") or ""),
        inputs=dict(one.get("inputs") or {}),
        outputs=dict.fromkeys(one.get("outputs") or (), ""),
        mode=mode if is_routed else "",
        route_again_s=now_s if is_routed else None,
        position=position,
        made_s=now_s,
    )


def _known(entry: Mapping[str, Any], template: Mapping[str, Any], left_out: set[str]) -> set[str]:
    """What a task waits for; a task that is left out passes on what it waited for."""
    entries = {one["title"]: one for one in template["tasks"]}
    found: set[str] = set()
    waiting = list(entry.get("after") or ())
    while waiting:
        name = waiting.pop()
        if name in left_out:
            waiting.extend(entries[name].get("after") or ())
        else:
            found.add(name)
    return found
