"""Stages that a rulebook adds, runbooks in a plan, and what ends with a change that went well."""

from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from typing import Any

import pytest

from gannet.audit.log import verify
from gannet.changes import looking_back, passing, planning, stages
from gannet.messages.models import Notification
from gannet.people.acting import Acting
from gannet.people.models import Person
from gannet.rulebook.book import current
from gannet.tickets.actions.tasks import add_task, set_task
from gannet.tickets.fields import registry
from gannet.tickets.models import Link, LinkKind, TaskState, Ticket
from gannet.trials.checking import findings_of
from gannet.web.errors import Conflict, Invalid
from gannet_core.instants import seconds_of
from tests.app.changing import (
    JSON,
    STEPS,
    THURSDAY,
    Api,
    Who,
    act,
    change_of,
    decide_all,
    facts,
    item,
    state,
)
from tests.app.conftest import fire
from tests.app.test_engine import publish
from tests.conftest import NOW

pytestmark = pytest.mark.django_db


def as_(person: Person, at: datetime = NOW) -> Acting:
    return Acting(person=person, now=at)


def way_of(api: Api, ticket: Ticket) -> tuple[list[str], str]:
    """The names of a change's stages, and the one that it is in."""
    way = change_of(api, ticket)["way"]
    return [one["name"] for one in way], next((one["name"] for one in way if one["is_now"]), "")


@pytest.fixture
def cutover(draft: Callable[..., Ticket], person: Who) -> Ticket:
    """A draft of the demo's type with a review and a rehearsal of its own, tried nowhere."""
    ticket = draft()
    planning.edit(ticket.pk, as_(person("Joss")), {"type": "cutover"})
    return ticket


def test_a_stage_of_the_rulebook_is_passed_before_the_shipped_one_is_left(
    api: Api, cutover: Ticket, person: Who
) -> None:
    joss, marit = person("Joss"), person("Marit")
    assert way_of(api, cutover) == (
        ["draft", "assess", "technical review", "authorise", "planned", "dress rehearsal",
         "under way", "look back", "done"],
        "draft",
    )  # fmt: skip
    stages.submit(cutover.pk, as_(joss))
    with pytest.raises(Conflict, match="goes through “technical review” first"):
        stages.assess_it(cutover.pk, as_(marit))

    passing.move_on(cutover.pk, as_(marit), "Looked at the masts")
    assert (state(cutover), way_of(api, cutover)[1]) == ("assess", "technical review")
    with pytest.raises(Conflict, match="No further stage comes within “assess”"):
        passing.move_on(cutover.pk, as_(marit))
    with pytest.raises(Invalid, match="Say where it was tried before") as refused:
        stages.assess_it(cutover.pk, as_(marit))
    assert set(refused.value.extra["fields"]) == {"tried"}
    assert [one["place"] for one in change_of(api, cutover)["stage_lacks"]] == ["tried"]

    planning.edit(cutover.pk, as_(joss), {"tried": "On the Tern in May"})
    stages.assess_it(cutover.pk, as_(marit))
    decide_all(cutover)
    assert way_of(api, cutover)[1] == "planned"
    with pytest.raises(Conflict, match="goes through “dress rehearsal” first"):
        stages.start(cutover.pk, as_(joss, THURSDAY))
    passing.move_on(cutover.pk, as_(joss))
    stages.start(cutover.pk, as_(joss, THURSDAY))
    assert (state(cutover), facts(cutover).stage) == ("under way", "")
    verify()


def test_sent_back_it_passes_the_stage_once_more(cutover: Ticket, person: Who) -> None:
    joss, marit = person("Joss"), person("Marit")
    stages.submit(cutover.pk, as_(joss))
    passing.move_on(cutover.pk, as_(marit))
    stages.send_back(cutover.pk, as_(marit), "Say where it was tried.")
    assert facts(cutover).stage == facts(cutover).stage_name == ""
    planning.edit(cutover.pk, as_(joss), {"tried": "On the Tern", "type": "cutover"})
    stages.submit(cutover.pk, as_(joss))
    with pytest.raises(Conflict, match="technical review"):
        stages.assess_it(cutover.pk, as_(marit))


def test_only_those_who_carry_it_out_and_managers_move_it_on(
    api: Api, cutover: Ticket, person: Who
) -> None:
    stages.submit(cutover.pk, as_(person("Joss")))
    refused = act(api, "Ines", cutover, "move-change-on")
    assert refused.status_code == 403, refused.json()
    done = act(api, "Marit", cutover, "move-change-on", comment="Seen")
    assert done.status_code == 200, done.json()
    told = Notification.objects.filter(person=person("Joss"), event_name="change moved on").last()
    assert told is not None and "technical review" in told.text


def test_lists_can_ask_for_the_stage_and_types_without_stages_have_none(
    api: Api, cutover: Ticket, planned: Callable[..., Ticket], person: Who
) -> None:
    stages.submit(cutover.pk, as_(person("Joss")))
    passing.move_on(cutover.pk, as_(person("Marit")))
    plain = planned("till-server", service="Ticket office tills")
    field = registry(current())["stage"]
    assert field.values is not None
    assert field.values() == ["technical review", "dress rehearsal"]
    assert field.read(Ticket.objects.get(pk=cutover.pk)) == "technical review"
    assert field.read(Ticket.objects.get(pk=plain.pk)) is None
    assert way_of(api, plain)[0] == [
        "draft", "assess", "authorise", "planned", "under way", "look back", "done"
    ]  # fmt: skip
    shown = {one["name"] for one in api("Marit").get(f"/api/tickets/{plain.pk}").json()["acts"]}
    assert "move-change-on" not in shown


def test_a_stage_that_is_gone_from_the_rulebook_holds_nothing_up(
    cutover: Ticket, person: Who
) -> None:
    stages.submit(cutover.pk, as_(person("Joss")))
    passing.move_on(cutover.pk, as_(person("Marit")))

    def without(document: dict[str, Any]) -> None:
        document["changes"]["types"][-1]["stages"] = []

    publish(without)
    stages.assess_it(cutover.pk, as_(person("Marit")))
    assert state(cutover) == "authorise"


def test_a_stage_asks_for_a_field_of_the_rulebooks_own(cutover: Ticket, person: Who) -> None:
    def asks(document: dict[str, Any]) -> None:
        document["fields"].append({"key": "ship_free", "label": "Ship is free", "type": "yes/no"})
        document["changes"]["types"][-1]["stages"][0]["needs"] = ["field.ship_free"]

    publish(asks)
    stages.submit(cutover.pk, as_(person("Joss")))
    passing.move_on(cutover.pk, as_(person("Marit")))
    with pytest.raises(Invalid, match="Fill in Ship is free"):
        stages.assess_it(cutover.pk, as_(person("Marit")))
    Ticket.objects.filter(pk=cutover.pk).update(values={"ship_free": False})
    stages.assess_it(cutover.pk, as_(person("Marit")))  # “no” is an answer
    assert state(cutover) == "authorise"


def test_a_change_manager_may_leave_open_what_the_rulebook_spares_them(
    api: Api, cutover: Ticket, person: Who
) -> None:
    def spares(document: dict[str, Any]) -> None:
        kind = document["changes"]["types"][-1]
        kind.update(needs=[*kind["needs"], "tried"], spares=["tried"])

    publish(spares)
    joss, marit = person("Joss"), person("Marit")

    def lacks_for(name: str) -> list[str]:
        shown = api(name).get(f"/api/tickets/{cutover.pk}").json()["change"]["assessment"]
        return [one["place"] for one in shown["lacks"]]

    assert (lacks_for("Joss"), lacks_for("Marit")) == (["tried"], [])
    with pytest.raises(Invalid) as refused:
        stages.submit(cutover.pk, as_(joss))
    assert set(refused.value.extra["fields"]) == {"tried"}
    stages.submit(cutover.pk, as_(marit))
    assert state(cutover) == "assess"


@pytest.mark.parametrize(
    ("change", "found"),
    [
        (lambda stages_: stages_[0].update(name="Assess"), "Two stages of Cutover changes"),
        (lambda stages_: stages_[1].update(name="Technical review"), "Two stages of Cutover"),
        (lambda stages_: stages_[1].update(key="technical-review"), "Two stages of Cutover"),
        (lambda stages_: stages_[0].update(needs=["field.nowhere"]), "nowhere"),
    ],
)
def test_the_checks_name_stages_that_cannot_be(
    northmere: None, change: Callable[[Any], None], found: str
) -> None:
    document = publish(lambda document: change(document["changes"]["types"][-1]["stages"])).document
    said = " ".join(one.says for one in findings_of(document, NOW))
    assert found in said


def test_a_step_that_a_runbook_does_runs_by_itself_once_it_is_a_task(
    draft: Callable[..., Ticket], person: Who, api: Api
) -> None:
    joss = person("Joss")
    ticket = draft("till-server", service="Ticket office tills")
    first = {"part": "implement", "says": "Restart the till", "runbook": "restart-till",
             "inputs": {"till": "till 3", "no such input": "x"}, "minutes": 5}  # fmt: skip
    planning.edit(ticket.pk, as_(joss), {"steps": [first, *STEPS[1:]], "as_tasks": True})
    kept = change_of(api, ticket)["steps"][0]
    assert (kept["runbook"], kept["inputs"]) == ("restart-till", {"till": "till 3"})
    with pytest.raises(Invalid, match="Step 1: there is no runbook “nonsense”"):
        planning.edit(ticket.pk, as_(joss), {"steps": [{**first, "runbook": "nonsense"}]})

    stages.submit(ticket.pk, as_(joss))
    stages.assess_it(ticket.pk, as_(person("Marit")))
    decide_all(ticket)
    stages.start(ticket.pk, as_(joss, THURSDAY))
    task = ticket.tasks.get(runbook="restart-till")
    assert (task.state, task.inputs) == (TaskState.OPEN, {"till": "till 3"})
    fire("runbook", seconds_of(THURSDAY) + 60)
    task.refresh_from_db()
    assert task.state == TaskState.DONE
    log = api("Joss").get(f"/api/tickets/{ticket.pk}").json()
    assert "till 3" in str(log)


@pytest.fixture
def asked(
    planned: Callable[..., Ticket], person: Who, log: Any, api: Api
) -> tuple[Ticket, Ticket, Ticket]:
    """A change that a problem asked for and that is done, the problem, its incident that waits."""
    incident = log("Lena", title="The link drops off Skerry Point")
    opened = api("Joss").post(
        "/api/problems/open",
        {"title": "It keeps dropping", "incidents": [incident.pk]},
        content_type=JSON,
    )
    problem = opened.json()["id"]
    ticket = planned(problem=problem, title="End it")
    stages.start(ticket.pk, as_(person("Joss"), THURSDAY))
    stages.implemented(ticket.pk, as_(person("Joss"), THURSDAY + timedelta(minutes=50)))
    return ticket, Ticket.objects.get(pk=problem), Ticket.objects.get(pk=incident.pk)


def back_at(ticket: Ticket) -> datetime:
    return datetime.fromtimestamp(facts(ticket).review_s or 0, UTC)


def test_a_problem_and_its_incidents_are_resolved_by_the_change_that_went_well(
    asked: tuple[Ticket, Ticket, Ticket], person: Who, api: Api
) -> None:
    ticket, problem, incident = asked
    ends = change_of(api, ticket)["ends"]
    assert (ends["id"], ends["why_not"]) == (problem.pk, "")
    assert [(one["id"], one["why_not"]) for one in ends["incidents"]] == [(incident.pk, "")]

    marit = as_(person("Marit"), back_at(ticket))
    looking_back.look_back(ticket.pk, marit, "done", "The new image holds.")
    assert (state(problem), state(incident)) == ("resolved", "resolved")
    shown = api("Signe").get(f"/api/tickets/{incident.pk}").json()
    assert f"Change {ticket.pk}, “End it”, is done." in str(shown)
    assert Ticket.objects.get(pk=incident.pk).cause == f"problem {problem.pk}"
    verify()


@pytest.mark.parametrize(
    ("outcome", "what", "why"),
    [
        ("failed", "nothing", "only when its change is done"),
        ("with issues", "nothing", "only when its change is done"),
        ("done", "caused", "One incident was caused by its change"),
        ("done", "other", "Another change for it is open"),
        ("done", "task", "“Count the drops” is open"),
        ("done", "never", "leaves it to a person"),
    ],
)
def test_a_problem_stays_open_where_the_rule_says_so_and_its_holder_reads_why(
    asked: tuple[Ticket, Ticket, Ticket],
    person: Who,
    log: Any,
    draft: Callable[..., Ticket],
    outcome: str,
    what: str,
    why: str,
) -> None:
    ticket, problem, incident = asked
    if what == "caused":
        other = log("Lena", title="No gates since Thursday")
        Link.objects.create(source=other, target=ticket, kind=LinkKind.CAUSED_BY, made_s=0)
    elif what == "other":
        draft("till-server", problem=problem.pk, service="Ticket office tills")
    elif what == "task":
        add_task(problem.pk, as_(person("Joss")), {"title": "Count the drops"})
    elif what == "never":
        publish(lambda document: document["changes"].update(ends_problem={"outcomes": []}))
    Ticket.objects.filter(pk=problem.pk).update(holder=person("Signe"))
    looking_back.look_back(ticket.pk, as_(person("Marit"), back_at(ticket)), outcome, "So it was.")
    assert Ticket.objects.get(pk=problem.pk).is_open
    assert Ticket.objects.get(pk=incident.pk).is_open
    told = Notification.objects.filter(person=person("Signe"), event_name="change looked back")
    assert any(why in one.text for one in told), [one.text for one in told]


def test_what_its_reader_may_not_know_of_is_not_said_to_end(
    asked: tuple[Ticket, Ticket, Ticket], api: Api
) -> None:
    ticket, problem, incident = asked
    Ticket.objects.filter(pk=incident.pk).update(is_confidential=1)
    assert change_of(api, ticket, "Bram")["ends"]["incidents"] == []
    Ticket.objects.filter(pk=problem.pk).update(is_confidential=1)
    assert change_of(api, ticket, "Bram")["ends"] is None


def test_it_is_not_looked_back_on_over_an_open_task(
    asked: tuple[Ticket, Ticket, Ticket], person: Who
) -> None:
    ticket, _, _ = asked
    marit = as_(person("Marit"), back_at(ticket))
    add_task(ticket.pk, as_(person("Joss")), {"title": "Write the spare’s number down"})
    with pytest.raises(Conflict, match="Write the spare’s number down"):
        looking_back.look_back(ticket.pk, marit, "done")
    set_task(ticket.pk, marit, ticket.tasks.get().pk, "done")
    looking_back.look_back(ticket.pk, marit, "done")
    assert state(ticket) == "done"


def test_a_template_takes_its_runbooks_to_the_changes_made_of_it(person: Who, api: Api) -> None:
    def with_runbook(document: dict[str, Any]) -> None:
        document["change_templates"].append(
            {
                "key": "till-again", "name": "Restart a till", "minutes": 30,
                "items": ["till-server"],
                "steps": [
                    {"part": "implement", "says": "Restart it", "minutes": 5,
                     "runbook": "restart-till", "inputs": {"till": "till 9"}},
                    {"part": "back out", "says": "Pull the plug", "minutes": 5,
                     "runbook": "not-here-any-more"},
                ],
            }
        )  # fmt: skip

    assert item("till-server")
    publish(with_runbook)
    new = planning.NewChange(
        title="Restart till 9", template="till-again", starts_s=None, ends_s=None
    )
    ticket = planning.open_change(new, as_(person("Joss")))
    steps = change_of(api, ticket)["steps"]
    assert [one["runbook"] for one in steps] == ["restart-till", ""]
    assert facts(ticket).as_tasks == 1
