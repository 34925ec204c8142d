"""Releases: several changes assessed, authorised and carried out together, phase by phase."""

from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from random import Random
from typing import Any

import pytest

from gannet.audit.log import verify
from gannet.changes import looking_back, planning, releases, stages
from gannet.changes.assessing import assess
from gannet.changes.models import FIRST, ChangeFacts
from gannet.estate.models import ConfigItem, Service
from gannet.messages.models import Notification
from gannet.people.acting import Acting
from gannet.rulebook.book import current
from gannet.tickets import actions
from gannet.tickets.actions import approvals
from gannet.tickets.actions.tasks import change_task, set_task
from gannet.tickets.acts import act_named
from gannet.tickets.models import Approval, ApprovalState, TaskState, Ticket
from gannet.tickets.states import state_name
from gannet.web.errors import Conflict, Invalid, Missing, Refused
from gannet_core.instants import seconds_of
from tests.conftest import NOW
from tests.lengths import up_to

pytestmark = pytest.mark.django_db
JSON = "application/json"
Api = Callable[[str], Any]
Who = Callable[[str], Any]
BEGINS = datetime(2026, 12, 3, 1, 30, tzinfo=UTC)
KEYS = ("booking-site", "gate-server", "mail-server-1")


def change(person: Who, title: str, *keys: str, who: str = "Joss", **more: Any) -> Ticket:
    new = planning.NewChange(
        title=title,
        why="The makers ask for it.",
        items=[ConfigItem.objects.get(key=key) for key in keys],
        service=Service.objects.get(name="Boarding gates"),
        starts_s=seconds_of(BEGINS),
        ends_s=seconds_of(BEGINS + timedelta(minutes=more.pop("minutes", 30))),
        **more,
    )
    joss = Acting(person=person(who), now=NOW)
    ticket = planning.open_change(new, joss)
    steps = [
        {"part": "implement", "says": f"Change {title}", "minutes": 10},
        {"part": "test", "says": f"Try {title}", "minutes": 5},
        {"part": "back out", "says": f"Set {title} back", "minutes": 10},
    ]
    if keys:
        planning.edit(ticket.pk, joss, {"steps": steps})
    return Ticket.objects.get(pk=ticket.pk)


@pytest.fixture
def release(northmere: None, person: Who) -> Callable[..., tuple[Ticket, list[Ticket]]]:
    """A release of Joss's that carries a change for each key, in these phases."""

    def made(*keys: str, phases: tuple[tuple[str, bool], ...] = ()) -> tuple[Ticket, list[Ticket]]:
        joss = Acting(person=person("Joss"), now=NOW)
        whole = change(person, "Winter release", is_release=True, minutes=180)
        planning.edit(
            whole.pk, joss, {"steps": [{"part": "implement", "says": "Tell all", "minutes": 5}]}
        )
        parts = [change(person, key, key) for key in keys or KEYS]
        for one in parts:
            releases.join(whole.pk, joss, one.pk)
        if phases:
            places = {one.pk: phases[index % len(phases)][0] for index, one in enumerate(parts)}
            wanted = [{"name": name, "gate": gate} for name, gate in phases]
            releases.set_phases(whole.pk, joss, wanted, places)
        ChangeFacts.objects.filter(ticket=whole).update(why="Once instead of thrice.")
        Ticket.objects.filter(pk=whole.pk).update(service=parts[0].service_id)
        return Ticket.objects.get(pk=whole.pk), parts

    return made


def state(ticket: Ticket) -> str:
    return state_name(Ticket.objects.get(pk=ticket.pk).state)


def states(tickets: list[Ticket]) -> set[str]:
    return {state(one) for one in tickets}


def facts(ticket: Ticket) -> ChangeFacts:
    return ChangeFacts.objects.get(ticket=ticket)


def carry(ticket: Ticket, person: Who, to: str) -> None:
    """Carry a release on by the acts that people would do."""
    joss, marit = (Acting(person=person(who), now=NOW) for who in ("Joss", "Marit"))
    stages.submit(ticket.pk, joss)
    if to == "assess":
        return
    stages.assess_it(ticket.pk, marit)
    while to != "authorise" and state(ticket) == "authorise":
        asked = Approval.objects.filter(ticket=ticket, state=ApprovalState.PENDING).first()
        assert asked is not None
        approvals.decide(Acting(person=asked.asked_of, now=NOW), asked.pk, approves=True, reason="")
    if to == "under way":
        stages.start(ticket.pk, Acting(person=person("Joss"), now=BEGINS))


def finish(ticket: Ticket, person: Who, phase: str = "") -> list[str]:
    """Do all tasks that are there, in their order; returns their titles."""
    done = []
    while True:
        rows = ticket.tasks.filter(state=TaskState.OPEN)
        if phase:
            rows = rows.filter(phase=phase)
        task = next((one for one in rows if not one.after.filter(state="open").exists()), None)
        if task is None:
            return done
        who = Acting(person=task.person or person("Joss"), now=BEGINS + timedelta(minutes=20))
        set_task(ticket.pk, who, task.pk, TaskState.DONE)
        done.append(task.title)


def test_the_assessment_of_a_release_is_the_worst_and_the_union_of_theirs(
    release: Callable[..., tuple[Ticket, list[Ticket]]],
) -> None:
    whole, parts = release()
    found = assess(whole, current(), seconds_of(NOW))
    each = [assess(one, current(), seconds_of(NOW)) for one in parts]
    assert found.risk.points >= max(one.risk.points for one in each)
    assert {item.key for item in found.change.items} == set(KEYS)
    reached = {service.pk for service, _, _ in found.affected}
    assert reached == {service.pk for one in each for service, _, _ in one.affected}
    assert len(found.change.steps) == 1 + 3 * len(parts)
    numbers = {str(one.pk) for one in (whole, *parts)}
    for one in (found, *each):
        assert not numbers & {clash.other for clash in one.clashes}, "they go together"


def test_a_release_whose_worst_change_counts_is_shown_with_that_ones_parts(
    northmere: None, person: Who, api: Api
) -> None:
    whole = change(person, "Two", is_release=True, minutes=180)
    planning.edit(
        whole.pk, Acting(person=person("Joss"), now=NOW),
        {"tried": "On the spare", "steps": [{"part": "back out", "says": "x", "minutes": 5}]},
    )  # fmt: skip
    worst: set[int | None] = set()
    for key in ("booking-site", "gate-server", "mail-server-1"):
        part = change(person, key, key)
        said = {"change": part.pk}
        answer = api("Joss").post(f"/api/changes/{whole.pk}/carries", said, content_type=JSON)
        assert answer.status_code == 200, answer.content
        found = answer.json()["change"]["assessment"]
        each = [one["points"] for one in answer.json()["change"]["carries"]]
        assert found["points"] >= max(each)
        worst.add(found["worst"])
        total = sum(one["adds"] for one in found["reached"])
        assert total == pytest.approx(found["consequence"], abs=0.2), "the parts add up"
    carried = {one["id"] for one in answer.json()["change"]["carries"]}
    assert worst - {None}, "one of them is riskier alone than all of them together"
    assert worst - {None} <= carried


def test_one_approval_covers_them_and_they_follow_from_stage_to_stage(
    release: Callable[..., tuple[Ticket, list[Ticket]]], person: Who, api: Api
) -> None:
    whole, parts = release()
    carry(whole, person, "assess")
    assert (state(whole), states(parts)) == ("assess", {"assess"})
    stages.assess_it(whole.pk, Acting(person=person("Marit"), now=NOW))
    assert states(parts) == {"authorise"}
    asked = Approval.objects.filter(state=ApprovalState.PENDING, ticket__in=[whole, *parts])
    assert {one.ticket_id for one in asked} == {whole.pk}
    while state(whole) == "authorise":
        one = asked.all().first()
        assert one is not None
        approvals.decide(Acting(person=one.asked_of, now=NOW), one.pk, approves=True, reason="")
    assert states(parts) == {"planned"}
    stages.start(whole.pk, Acting(person=person("Joss"), now=BEGINS))
    assert states(parts) == {"under way"}
    assert {facts(one).began_s for one in parts} == {seconds_of(BEGINS)}
    ends = BEGINS + timedelta(hours=2)
    finish(whole, person)
    stages.implemented(whole.pk, Acting(person=person("Joss"), now=ends))
    assert states(parts) == {"look back"}
    later = Acting(person=person("Marit"), now=ends + timedelta(days=10))
    looking_back.look_back(whole.pk, later, "with issues", "The gates were slow.")
    assert (state(whole), states(parts)) == ("done", {"done"})
    assert {facts(one).outcome for one in parts} == {"with issues"}
    assert verify()[1] is None


@pytest.mark.parametrize("act", ["submit-change", "cancel", "refer-change"])
def test_what_goes_with_a_release_does_not_go_by_itself(
    release: Callable[..., tuple[Ticket, list[Ticket]]], api: Api, act: str
) -> None:
    whole, (first, *_) = release()
    assert act_named(act) is not None
    said = {"reason": "x", "why": "x", "version": Ticket.objects.get(pk=first.pk).version}
    answer = api("Marit").post(f"/api/tickets/{first.pk}/{act}", said, content_type=JSON)
    if answer.status_code == 422:  # what the act does not take
        keep = {key: value for key, value in said.items() if key not in answer.json()["fields"]}
        answer = api("Marit").post(f"/api/tickets/{first.pk}/{act}", keep, content_type=JSON)
    assert answer.status_code in (403, 409), answer.content
    assert f"release {whole.pk}" in answer.json()["detail"]
    assert state(first) == "draft"


def test_phases_open_one_after_the_other_and_a_gate_waits_for_a_go(
    release: Callable[..., tuple[Ticket, list[Ticket]]], person: Who
) -> None:
    whole, parts = release(phases=(("Tills", False), ("Gates", False), ("Mail", True)))
    carry(whole, person, "under way")
    born = list(whole.tasks.order_by("position").values_list("title", flat=True))
    first = parts[0].pk
    assert born == ["Tell all", f"{first}: Change {KEYS[0]}", f"{first}: Try {KEYS[0]}"]
    finish(whole, person, "Tills")
    assert facts(whole).opened == ["Tills", "Gates"], "the second opens by itself"
    joss = Acting(person=person("Joss"), now=BEGINS + timedelta(hours=1))
    with pytest.raises(Conflict, match="are open"):
        releases.go_ahead(whole.pk, joss)
    finish(whole, person, "Gates")
    assert facts(whole).opened == ["Tills", "Gates"], "the third waits"
    assert not whole.tasks.filter(phase="Mail").exists()
    with pytest.raises(Refused):
        releases.go_ahead(whole.pk, Acting(person=person("Rosalind"), now=joss.now))
    releases.go_ahead(whole.pk, joss, "All gates opened twice.")
    assert whole.tasks.filter(phase="Mail", state=TaskState.OPEN).count() == 2
    finish(whole, person)
    with pytest.raises(Conflict, match="All its phases are open"):
        releases.go_ahead(whole.pk, joss)
    assert state(whole) == "under way", "somebody says that it is done"


def test_stopping_makes_tasks_of_all_steps_back(
    release: Callable[..., tuple[Ticket, list[Ticket]]], person: Who
) -> None:
    whole, parts = release(*KEYS[:2])
    carry(whole, person, "under way")
    joss = Acting(person=person("Joss"), now=BEGINS + timedelta(minutes=30))
    with pytest.raises(Invalid):
        stages.stop(whole.pk, joss, " ")
    given = whole.tasks.filter(state=TaskState.OPEN)[0]
    change_task(whole.pk, joss, given.pk, {"person": person("Signe").pk})
    about = Notification.objects.filter(about=f"task:{given.pk}", person=person("Signe"))
    assert about.filter(gone_s=None).exists()
    stages.stop(whole.pk, joss, "The gates do not open.")
    assert not about.filter(gone_s=None).exists(), "nobody is asked for what is not to be done"
    left = set(whole.tasks.filter(state=TaskState.OPEN).values_list("title", flat=True))
    assert left == {f"{one.pk}: Set {key} back" for one, key in zip(parts, KEYS, strict=False)}
    with pytest.raises(Conflict):
        stages.stop(whole.pk, joss, "Again")
    finish(whole, person)
    assert state(whole) == "under way"
    stages.back_out(whole.pk, joss, "Set back by 02:20.")
    assert states([whole, *parts]) == {"backed out"}
    assert {facts(one).outcome for one in parts} == {"backed out"}


def test_leaving_says_first_what_it_means_and_asks_again(
    release: Callable[..., tuple[Ticket, list[Ticket]]], person: Who, api: Api
) -> None:
    whole, parts = release()
    carry(whole, person, "planned")
    gate = parts[1]
    address = f"/api/changes/{whole.pk}/carries/{gate.pk}"
    told = api("Joss").get(address).json()
    assert told["points"] == facts(whole).points
    assert told["points_without"] <= told["points"]
    assert told["is_asked_again"] is True
    assert api("Joss").post(address, {"why": ""}, content_type=JSON).status_code == 422
    answer = api("Joss").post(address, {"why": "Its maker is late."}, content_type=JSON)
    assert answer.status_code == 200, answer.content
    assert answer.json()["change"]["assessment"]["points"] == told["points_without"]
    assert state(gate) == "draft" and facts(gate).release_id is None
    assert state(whole) in ("authorise", "assess")
    assert states([parts[0], parts[2]]) == {state(whole)}
    assert api("Joss").get(address).status_code == 404


def test_a_release_that_is_cancelled_lets_its_changes_go(
    release: Callable[..., tuple[Ticket, list[Ticket]]], person: Who, api: Api
) -> None:
    whole, parts = release()
    carry(whole, person, "authorise")
    asked = Approval.objects.filter(ticket=whole, state=ApprovalState.PENDING).first()
    assert asked is not None
    approvals.decide(
        Acting(person=asked.asked_of, now=NOW), asked.pk, approves=False, reason="Not in winter."
    )
    assert state(whole) == "refused"
    assert states(parts) == {"draft"}
    assert {facts(one).release_id for one in parts} == {None}
    stages.submit(parts[0].pk, Acting(person=person("Joss"), now=NOW))


def test_an_edit_of_what_it_carries_asks_the_release_again(
    release: Callable[..., tuple[Ticket, list[Ticket]]], person: Who
) -> None:
    whole, parts = release()
    carry(whole, person, "planned")
    joss = Acting(person=person("Joss"), now=NOW)
    other = ConfigItem.objects.get(key="till-service")
    planning.edit(parts[0].pk, joss, {"items": [{"item": other.pk}]})
    assert state(whole) == "authorise"
    assert states(parts) == {"authorise"}


@pytest.mark.parametrize("wrong", ["itself", "another release", "twice", "submitted", "nothing"])
def test_what_a_release_cannot_carry_is_refused_in_words(
    release: Callable[..., tuple[Ticket, list[Ticket]]], person: Who, api: Api, wrong: str
) -> None:
    whole, parts = release(KEYS[0])
    submitted = change(person, "Alone", "gate-server")
    stages.submit(submitted.pk, Acting(person=person("Joss"), now=NOW))
    number = {
        "itself": whole.pk,
        "another release": change(person, "Other", is_release=True).pk,
        "twice": parts[0].pk,
        "submitted": submitted.pk,
        "nothing": 999_999_999,
    }[wrong]
    offered = api("Joss").get(f"/api/changes/{whole.pk}/carries").json()
    assert number not in [one["id"] for one in offered]
    answer = api("Joss").post(
        f"/api/changes/{whole.pk}/carries", {"change": number}, content_type=JSON
    )
    assert answer.status_code == 422
    assert answer.json()["fields"]["change"]
    assert facts(whole).is_release and len(parts) == 1


def test_submitting_says_what_each_of_its_changes_lacks(
    release: Callable[..., tuple[Ticket, list[Ticket]]], person: Who, northmere: None
) -> None:
    whole, parts = release(KEYS[0])
    joss = Acting(person=person("Joss"), now=NOW)
    late = BEGINS + timedelta(days=1)
    planning.edit(
        parts[0].pk, joss,
        {"steps": [], "starts_s": seconds_of(late), "ends_s": seconds_of(late) + 600},
    )  # fmt: skip
    with pytest.raises(Invalid) as refused:
        stages.submit(whole.pk, joss)
    assert f"{parts[0].pk} is planned outside of the release." in refused.value.detail
    assert f"{parts[0].pk}: Write the steps" in refused.value.detail
    empty = change(person, "Empty", is_release=True)
    with pytest.raises(Invalid, match="Name the changes that it carries"):
        stages.submit(empty.pk, joss)


@pytest.mark.parametrize(
    "phases",
    [[{"name": ""}], [{"name": "A"}, {"name": "A "}], [{"name": str(i)} for i in range(13)]],
)
def test_phases_of_nonsense_are_refused(
    release: Callable[..., tuple[Ticket, list[Ticket]]], api: Api, phases: list[dict[str, str]]
) -> None:
    whole, _ = release(KEYS[0])
    answer = api("Joss").put(
        f"/api/changes/{whole.pk}/phases", {"phases": phases}, content_type=JSON
    )
    assert answer.status_code == 422
    assert facts(whole).phases == []


def test_a_confidential_change_joins_no_release_that_all_of_the_desk_reads(
    release: Callable[..., tuple[Ticket, list[Ticket]]], person: Who, api: Api
) -> None:
    whole, _ = release(KEYS[0])
    secret = change(person, "Hidden", KEYS[1])
    Ticket.objects.filter(pk=secret.pk).update(is_confidential=True)
    said = {"change": secret.pk}
    answer = api("Joss").post(f"/api/changes/{whole.pk}/carries", said, content_type=JSON)
    assert answer.status_code == 422
    assert facts(secret).release_id is None


def test_a_confidential_part_is_counted_and_not_named(
    release: Callable[..., tuple[Ticket, list[Ticket]]], api: Api
) -> None:
    whole, parts = release()
    Ticket.objects.filter(pk=parts[0].pk).update(is_confidential=True, title="Hidden thing")
    answer = api("Signe").get(f"/api/tickets/{whole.pk}")
    told = answer.json()["change"]
    assert (len(told["carries"]), told["hidden"]) == (2, 1)
    assert "Hidden thing" not in answer.content.decode()


def test_steps_of_a_plain_change_become_tasks_where_that_is_wanted(
    northmere: None, person: Who
) -> None:
    one = change(person, "Alone", "mail-server-1")
    joss = Acting(person=person("Joss"), now=NOW)
    planning.edit(one.pk, joss, {"as_tasks": True})
    carry(one, person, "under way")
    assert finish(one, person) == ["Change Alone", "Try Alone"]
    assert state(one) == "under way", "doing its tasks does not end a change"


@pytest.mark.parametrize("to", ["draft", "assess", "authorise", "planned"])
def test_a_cancelled_release_that_is_taken_back_carries_them_again(
    release: Callable[..., tuple[Ticket, list[Ticket]]], person: Who, api: Api, to: str
) -> None:
    whole, parts = release(phases=(("Tills", False), ("Gates", True)))
    if to != "draft":
        carry(whole, person, to)
    phases = [facts(one).phase for one in parts]
    answer = api("Joss").post(f"/api/tickets/{whole.pk}/cancel", {"why": "x"}, content_type=JSON)
    assert answer.status_code == 200, answer.content
    assert states(parts) == {"draft"}
    answer = api("Joss").post(f"/api/tickets/{whole.pk}/undo", {}, content_type=JSON)
    assert answer.status_code == 200, answer.content
    assert (state(whole), states(parts)) == (to, {to})
    assert [facts(one).release_id for one in parts] == [whole.pk] * 3
    assert [facts(one).phase for one in parts] == phases
    assert verify()[1] is None


class Walk:
    """Acts on a release in any order, each as somebody may try it; refusals are fine."""

    def __init__(self, rng: Random, person: Who, whole: Ticket, parts: list[Ticket]) -> None:
        self.rng, self.person, self.whole, self.parts = rng, person, whole, parts
        self.at = NOW

    def by(self, who: str) -> Acting:
        return Acting(person=self.person(who), now=self.at)

    def step(self) -> str:
        self.at += timedelta(minutes=self.rng.randrange(1, 50))
        name = self.rng.choice([*_ONWARD * 7, *_BESIDE])
        try:
            getattr(self, name)()
        except (Conflict, Invalid, Refused, Missing):
            return f"{name} refused"
        return name

    def join(self) -> None:
        releases.join(self.whole.pk, self.by("Joss"), self.rng.choice(self.parts).pk)

    def leave(self) -> None:
        releases.leave(self.whole.pk, self.by("Joss"), self.rng.choice(self.parts).pk, "Late")

    def submit(self) -> None:
        stages.submit(self.one().pk, self.by("Joss"))

    def assess(self) -> None:
        stages.assess_it(self.one().pk, self.by("Marit"))

    def one(self) -> Ticket:
        return self.whole if self.rng.random() < 0.8 else self.rng.choice(self.parts)

    def decide(self) -> None:
        asked = Approval.objects.filter(
            ticket__in=[self.whole, *self.parts], state=ApprovalState.PENDING
        ).first()
        if asked is None:
            raise Missing("Nobody is asked.")
        yes = self.rng.random() < 0.95
        acting = Acting(person=asked.asked_of, now=self.at)
        approvals.decide(acting, asked.pk, approves=yes, reason="Said")

    def send_back(self) -> None:
        stages.send_back(self.whole.pk, self.by("Marit"), "More")

    def edit(self) -> None:
        one = self.rng.choice(self.parts)
        planning.edit(one.pk, self.by("Joss"), {"tried": self.rng.choice(["", "Here", "There"])})

    def set_phases(self) -> None:
        names = self.rng.sample(["One", "Two", "Three"], self.rng.randrange(1, 4))
        phases = [{"name": name, "gate": self.rng.random() < 0.3} for name in names]
        places = {one.pk: self.rng.choice(names) for one in self.parts}
        releases.set_phases(self.whole.pk, self.by("Joss"), phases, places)

    def start(self) -> None:
        stages.start(self.whole.pk, self.by("Joss"))

    def do_a_task(self) -> None:
        task = self.whole.tasks.filter(state=TaskState.OPEN).order_by("position").first()
        if task is None:
            raise Missing("Nothing is to be done.")
        set_task(self.whole.pk, self.by("Joss"), task.pk, TaskState.DONE)

    def go(self) -> None:
        releases.go_ahead(self.whole.pk, self.by("Joss"))

    def stop(self) -> None:
        stages.stop(self.whole.pk, self.by("Joss"), "It smells")

    def implement(self) -> None:
        stages.implemented(self.whole.pk, self.by("Joss"))

    def back_out(self) -> None:
        stages.back_out(self.whole.pk, self.by("Joss"), "It burns")

    def check(self) -> None:
        """What holds whatever was done."""
        kept = facts(self.whole)
        for one in self.parts:
            theirs = facts(one)
            if theirs.release_id is None:
                assert not one.stages.exists() or state(one) != "draft"
                continue
            assert state(one) == state(self.whole)
            assert not Approval.objects.filter(ticket=one, state=ApprovalState.PENDING).exists()
            assert (theirs.began_s, theirs.ended_s) == (kept.began_s, kept.ended_s)
            assert theirs.outcome == kept.outcome
        names = [one["name"] for one in kept.phases] or [FIRST]
        assert len(kept.opened) == len(set(kept.opened))
        if state(self.whole) in _BEFORE:
            assert kept.opened == []
            assert not self.whole.tasks.exists()
        elif kept.began_s is not None:
            assert kept.opened == names[: len(kept.opened)], "phases open in their order"


_BEFORE = ("draft", "assess", "authorise", "planned")
_ONWARD = ("submit", "assess", "decide", "start", "do_a_task", "go", "implement")
_BESIDE = ("join", "leave", "send_back", "edit", "set_phases", "stop", "back_out")


@pytest.mark.parametrize("seed", [5, 7, 2, 6][: up_to(2, 4)])
def test_acts_in_any_order_keep_a_release_and_what_it_carries_together(
    release: Callable[..., tuple[Ticket, list[Ticket]]], person: Who, seed: int
) -> None:
    whole, parts = release()
    walk = Walk(Random(seed), person, whole, parts)
    done = []
    for _ in range(90):
        done.append(walk.step())
        walk.check()
        if not Ticket.objects.get(pk=whole.pk).is_open:
            break
    acts = {one for one in done if "refused" not in one}
    assert {"submit", "assess"} <= acts or "back_out" in acts, done
    assert verify()[1] is None


def planned_steps(ticket: Ticket, person: Who, *steps: dict[str, Any]) -> None:
    plan = [{"part": "implement", "minutes": 5, **one} for one in steps]
    plan.append({"id": "back", "part": "back out", "says": "Set it back", "minutes": 5})
    planning.edit(ticket.pk, Acting(person=person("Joss"), now=NOW), {"steps": plan})


def link(first: tuple[int, str], then: tuple[int, str]) -> dict[str, Any]:
    waits_for, step = ({"change": one[0], "step": one[1]} for one in (first, then))
    return {"waits_for": waits_for, "step": step}


def test_steps_of_one_change_wait_for_those_of_another_where_that_is_said(
    release: Any, person: Who, api: Api
) -> None:
    whole, (site, gate, _) = release()
    planned_steps(
        site, person, {"id": "a", "says": "Stop the site"}, {"id": "b", "says": "Start the site"}
    )
    planned_steps(gate, person, {"id": "c", "says": "Load the gates"})
    body = {"links": [link((site.pk, "a"), (gate.pk, "c")), link((gate.pk, "c"), (site.pk, "b"))]}
    here = f"/api/changes/{whole.pk}/links"
    assert api("Maeve").put(here, body, JSON).status_code == 403
    said = api("Joss").put(here, body, JSON)
    assert said.status_code == 200, said.content
    assert said.json()["change"]["links"] == body["links"]
    assert {one["says"] for one in said.json()["change"]["plan"]} >= {
        "Stop the site",
        "Load the gates",
        "Tell all",
    }
    # Later in the same change it follows anyway: waiting for it as well closes a circle.
    for wrong in (
        [*body["links"], link((site.pk, "b"), (gate.pk, "c"))],
        [link((site.pk, "b"), (site.pk, "a"))],
        [link((site.pk, "gone"), (gate.pk, "c"))],
    ):
        refused = api("Joss").put(here, {"links": wrong}, JSON)
        assert refused.status_code == 422 and "links" in refused.json()["fields"], wrong
    assert facts(whole).links == [[site.pk, "a", gate.pk, "c"], [gate.pk, "c", site.pk, "b"]]
    carry(whole, person, "under way")
    done = [title.split(": ")[-1] for title in finish(whole, person)]
    assert done.index("Stop the site") < done.index("Load the gates") < done.index("Start the site")
    with pytest.raises(Conflict, match="stays as it is"):
        releases.set_links(whole.pk, Acting(person=person("Joss"), now=BEGINS), [])
    assert verify()[1] is None


def test_a_step_waits_for_none_of_a_later_phase_and_one_that_is_gone_links_nothing(
    release: Any, person: Who
) -> None:
    whole, (site, gate, _) = release(phases=(("Servers", False), ("Gates", True)))
    planned_steps(site, person, {"id": "a", "says": "Stop the site"})
    planned_steps(gate, person, {"id": "c", "says": "Load the gates"})
    joss = Acting(person=person("Joss"), now=NOW)
    with pytest.raises(Invalid, match="whose phase comes later"):
        releases.set_links(whole.pk, joss, [link((gate.pk, "c"), (site.pk, "a"))])
    releases.set_links(whole.pk, joss, [link((site.pk, "a"), (gate.pk, "c"))])
    planned_steps(site, person, {"id": "z", "says": "Leave the site"})
    carry(whole, person, "under way")
    assert "Leave the site" in [title.split(": ")[-1] for title in finish(whole, person)]
    gates = whole.tasks.filter(phase="Gates")
    assert not gates.exists(), "born when their phase opens"
    releases.go_ahead(whole.pk, Acting(person=person("Joss"), now=BEGINS))
    assert not gates.get(title__contains="Load the gates").after.exists()


@pytest.mark.parametrize(
    ("yielded", "needed"),
    [("Yes", True), ("yes", True), ("no", False)],
)
def test_a_step_with_a_condition_is_done_only_where_an_earlier_one_yielded_it(
    release: Any, person: Who, yielded: str, needed: bool
) -> None:
    whole, (site, gate, _) = release(phases=(("Servers", False), ("Gates", False)))
    planned_steps(
        site, person,
        {"id": "a", "says": "Look", "outputs": ["old tables"]},
        {"id": "b", "says": "Convert", "only_if": {"output": "old tables", "is": "yes"}},
    )  # fmt: skip
    planned_steps(
        gate, person,
        {"id": "c", "says": "Reload", "only_if": {"output": "old tables", "is": "yes"}},
        {"id": "d", "says": "Never", "only_if": {"output": "no such output", "is": "x"}},
        {"id": "e", "says": "Always"},
    )  # fmt: skip
    carry(whole, person, "under way")
    joss = Acting(person=person("Joss"), now=BEGINS)

    def named(words: str) -> Any:
        return whole.tasks.get(title__endswith=words)

    look = named(": Look")
    assert named(": Convert").state == "open", "nothing is known yet"
    set_task(whole.pk, joss, look.pk, TaskState.DONE, outputs={"old tables": yielded})
    assert named(": Convert").state == ("open" if needed else "skipped")
    finish(whole, person)
    assert named(": Reload").state == ("done" if needed else "skipped")
    assert (named(": Never").state, named(": Always").state) == ("skipped", "done")
    said = [one.values.get("state", "") for one in whole.events.filter(kind="task changed")]
    assert ("not needed: old tables is not yes" in said) is not needed


def test_what_a_condition_skipped_is_open_again_when_the_setting_is_taken_back(
    release: Any, person: Who
) -> None:
    whole, (site, *_) = release()
    planned_steps(
        site, person,
        {"id": "a", "says": "Look", "outputs": ["old tables"]},
        {"id": "b", "says": "Convert", "only_if": {"output": "old tables", "is": "yes"}},
    )  # fmt: skip
    carry(whole, person, "under way")
    joss = Acting(person=person("Joss"), now=BEGINS)
    look = whole.tasks.get(title__endswith=": Look")
    set_task(whole.pk, joss, look.pk, TaskState.DONE, outputs={"old tables": "no"})
    convert = whole.tasks.get(title__endswith=": Convert")
    assert convert.state == TaskState.SKIPPED
    actions.undo(whole.pk, Acting(person=person("Joss"), now=BEGINS + timedelta(seconds=5)))
    convert.refresh_from_db()
    assert convert.state == TaskState.OPEN


@pytest.mark.parametrize("only_if", [{"output": "x"}, {"is": "x"}, {"output": " ", "is": "x"}])
def test_half_a_condition_is_refused(release: Any, person: Who, only_if: dict[str, str]) -> None:
    _, (site, *_) = release()
    with pytest.raises(Invalid, match="which output"):
        planned_steps(site, person, {"id": "a", "says": "Look", "only_if": only_if})
