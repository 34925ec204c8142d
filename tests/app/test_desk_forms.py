"""What the rulebook gives to the desk: starters, templates, tasks, tags – and one intake for all."""

import json
import random
from collections.abc import Callable
from typing import Any

import pytest

from gannet.audit.models import Event
from gannet.estate.models import Service
from gannet.people.models import Person
from gannet.rulebook import book
from gannet.tickets import actions
from gannet.tickets.actions import Acting, NewTicket, log_ticket
from gannet.tickets.events import TicketEvent
from gannet.tickets.models import Clock, Task, Ticket
from gannet.trials.rehearse import try_out
from gannet.web.kept_writes import update
from gannet_core.instants import format_instant, instant_of
from tests.app.test_engine import leaf, publish, rule
from tests.conftest import NOW

pytestmark = pytest.mark.django_db


@pytest.fixture(autouse=True)
def fresh_books() -> None:
    book.forget()


def ask(client: Any, method: str, path: str, body: Any = None, status: int = 200) -> Any:
    send = getattr(client, method)
    got = send(path, body, "application/json") if body is not None else send(path)
    assert got.status_code == status, got.content
    return got.json()


def test_trying_out_says_what_logging_does(northmere: None) -> None:
    rng = random.Random(7)
    services = [None, *Service.objects.filter(is_confidential=False)]
    people = list(Person.objects.filter(roles=[]).order_by("pk")[:30])
    titles = ["It is broken", "Till jams again", "A phishing mail", "asks for my password"]
    for _ in range(40):
        who, service = rng.choice(people), rng.choice(services)
        title = rng.choice(titles)
        answers = {
            "who": rng.choice(["ships", "team", "me"]),
            "work": rng.choice(["no", "hard", "yes"]),
        }
        given = {
            "requester": who.email, "title": title, "answers": answers,
            "service": service.name if service else None,
        }  # fmt: skip
        tried = try_out(book.current(), given, NOW).result
        new = NewTicket(requester=who, title=title, service=service, answers=answers)
        ticket = log_ticket(new, Acting(person=who, now=NOW))
        dues = dict(Clock.objects.filter(ticket=ticket, holder="").values_list("kind", "due_s"))
        ran = Event.objects.get(ticket=ticket, kind=TicketEvent.LOGGED).values.get("rules", [])
        logged = {
            "priority": f"P{ticket.priority}",
            "agreement": ticket.agreement,
            "team": ticket.team.name,
            "rules": [trace["key"] for trace in ran if trace["matched"]],
            **{f"{kind} by": format_instant(instant_of(due)) for kind, due in dues.items()},
        }
        assert logged == {name: tried[name] for name in logged}, given


def test_starters_are_for_all_a_team_or_oneself_and_there_at_once(
    api: Callable[[str], Any],
) -> None:
    def names(who: str) -> list[str]:
        return [one["name"] for one in ask(api(who), "get", "/api/choices")["starters"]]

    everybody = ["Gate reader does not open", "Till jam at a counter"]
    assert names("Signe") == [*everybody, "Locked out of the laptop"]
    assert names("Joss") == everybody
    assert names("Ines") == []
    own = {"key": "mine", "name": "My own", "values": {"title": "Own"}}
    ask(api("Joss"), "put", "/api/starters", {"starters": [own]})
    assert names("Joss") == [*everybody, "My own"]
    assert "My own" not in names("Signe")
    many = {"starters": [own] * 31}
    ask(api("Joss"), "put", "/api/starters", many, 422)

    def one_more(document: dict[str, Any]) -> None:
        document["starters"].append({"key": "new", "name": "Brand new", "for": "all", "values": {}})

    publish(one_more)
    assert "Brand new" in names("Signe")


def test_a_template_classifies_requires_and_keeps_a_reply_ready(
    api: Callable[[str], Any], person: Callable[[str], Any]
) -> None:
    signe = api("Signe")
    till = Service.objects.get(name="Ticket office tills")
    given = {
        "requester": person("Piotr").pk, "title": "Till jams when it prints",
        "service": till.pk, "template": "till-jam", "values": {},
    }  # fmt: skip
    states = ask(signe, "post", "/api/forms", {"audience": "agent", "template": "till-jam"})
    drawer = next(state for state in states if state["field"] == "drawer")
    assert (drawer["value"], drawer["is_required"]) == ("Main", True)
    given["values"] = {"drawer": None}
    refused = ask(signe, "post", "/api/tickets", given, 422)
    assert set(refused["fields"]) == {"drawer"}
    given["values"] = {"drawer": "Spare"}
    number = ask(signe, "post", "/api/tickets", given, 201)["id"]
    shown = ask(signe, "get", f"/api/tickets/{number}")
    assert (shown["template"], shown["facts"]["category"]) == ("Till jam", "Hardware › Till")
    assert [task["title"][:5] for task in shown["tasks"]] == ["Count", "Clean"]
    (ready,) = shown["follow_ups"]
    ask(signe, "post", f"/api/tickets/{number}/reply", {"text": ready["text"]})
    assert ask(signe, "get", f"/api/tickets/{number}")["follow_ups"] == []


def test_what_only_the_desk_is_asked_is_not_shown_to_a_requester(api: Callable[[str], Any]) -> None:
    asked = {"audience": "agent", "answers": {"who": "ships"}}
    fields = {one["field"]: one for one in ask(api("Ines"), "post", "/api/forms", asked)}
    assert not fields["cause"]["is_shown"] and fields["sailing"]["is_shown"]
    assert {one["field"]: one for one in ask(api("Signe"), "post", "/api/forms", asked)}["cause"][
        "is_shown"
    ]


def test_tasks_are_ticked_off_by_the_desk_and_only_on_their_own_ticket(
    api: Callable[[str], Any], log: Callable[..., Any]
) -> None:
    ticket = log("Piotr", "Ticket office tills", title="Till jams")
    other = log("Piotr", "Ticket office tills")
    first, second = Task.objects.filter(ticket=ticket)
    done = ask(
        api("Signe"), "post", f"/api/tickets/{ticket.pk}/tasks/{first.pk}", {"state": "done"}
    )
    assert [task["state"] for task in done["tasks"]] == ["done", "open"]
    assert f"“{first.title}”" in done["conversation"][-1]["sentence"]
    path = f"/api/tickets/{other.pk}/tasks/{second.pk}"
    ask(api("Signe"), "post", path, {"state": "done"}, 404)
    path = f"/api/tickets/{ticket.pk}/tasks/{second.pk}"
    ask(api("Piotr"), "post", path, {"state": "done"}, 403)


def test_a_task_that_is_done_is_a_moment_for_rules(
    log: Callable[..., Any], by: Callable[..., Any]
) -> None:
    def announce(document: dict[str, Any]) -> None:
        then = [{"do": "tag", "tags": ["checked"]}]
        document["rules"].append(rule(key="done", when=["task changed"], then=then))

    publish(announce)
    ticket = log("Piotr", "Ticket office tills", title="Till jams")
    # Adding the tasks came with the logging, whose own pass is of another moment.
    assert Ticket.objects.get(pk=ticket.pk).tags == []
    task = Task.objects.filter(ticket=ticket)[0]
    actions.set_task(ticket.pk, by("Signe"), task.pk, "done")
    assert Ticket.objects.get(pk=ticket.pk).tags == ["checked"]


def test_tags_are_kept_once_whatever_their_case(
    api: Callable[[str], Any], log: Callable[..., Any]
) -> None:
    ticket = log("Maeve", "Boarding gates")
    path, signe = f"/api/tickets/{ticket.pk}", api("Signe")
    tags = ["Storm", " storm ", "STRASSE", "Straße", "a|b"]
    shown = ask(signe, "patch", path, {"version": ticket.version, "tags": tags})
    assert shown["tags"] == ["Storm", "STRASSE", "a b"]
    blank = ask(signe, "patch", path, {"version": shown["version"], "tags": ["a", ""]}, 422)
    assert blank["fields"]["tags"] == "This field may not be blank."
    assert ask(signe, "post", f"{path}/undo", {})["tags"] == []


def test_a_rule_may_wait_for_the_requesters_answer(
    log: Callable[..., Any], by: Callable[..., Any], at: Any
) -> None:
    def urgent(document: dict[str, Any]) -> None:
        document["rules"] = [
            rule(
                when=["requester replied"],
                then=[{"do": "set", "field": "urgency", "value": 1}],
                **{"if": leaf("urgency", ">", 1)},
            )
        ]

    publish(urgent)
    ticket = log("Maeve", "Boarding gates", who="team", work="hard")
    actions.note(ticket.pk, by("Signe"), "A note is no answer.")
    assert Ticket.objects.get(pk=ticket.pk).priority == 3
    at.later(minutes=10)
    actions.requester_writes(ticket.pk, by("Maeve"), "Now nothing works.")
    changed = Ticket.objects.get(pk=ticket.pk)
    assert (changed.urgency, changed.priority) == (1, 2), "the matrix is read again"
    fix = Clock.objects.get(ticket=ticket, kind="fix")
    assert (fix.target_seconds, fix.remaining_seconds) == (4 * 3600, 4 * 3600 - 600)


def test_many_rows_are_written_as_one_by_one(log: Callable[..., Any]) -> None:
    tickets = [log("Maeve", "Boarding gates") for _ in range(3)]
    for index, ticket in enumerate(tickets):
        ticket.next_step, ticket.next_step_s, ticket.due_s = f"step {index} 'quoted'", index, None
    update(tickets, ["next_step", "next_step_s", "due_s"])
    rows = Ticket.objects.order_by("pk").values_list("next_step", "next_step_s", "due_s")
    assert list(rows) == [(f"step {index} 'quoted'", index, None) for index in range(3)]
    update([], ["next_step"])


def test_a_long_report_is_taken_whole(api: Any) -> None:
    maeve = api("Maeve")
    words = "The gate at ramp B beeps twice and stays shut. " * 300
    body = {"title": words[:10_000], "answers": {"who": "team", "work": "no"}}
    made = maeve.post("/api/portal/report", json.dumps(body), "application/json")
    assert made.status_code == 201, made.content
    number = made.json()["id"] if "id" in made.json() else made.json()["number"]
    said = maeve.get(f"/api/portal/tickets/{number}").json()
    assert len(said["title"]) <= 200 and said["conversation"][0]["text"].startswith("The gate")
    body["title"] += "x" * 10
    assert maeve.post("/api/portal/report", json.dumps(body), "application/json").status_code in (
        400,
        422,
    )
