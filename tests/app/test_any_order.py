"""All acts in any order: whatever happens, what must hold of every record holds.

A machine of rules does random acts of random people to random records, lets time pass and
the worker fire what is due, decides and undoes; after each step every record is looked at.
"""

from collections.abc import Callable
from datetime import timedelta
from typing import Any

import pytest
from django.db import connection, transaction
from hypothesis import HealthCheck, Phase, settings
from hypothesis import strategies as st
from hypothesis.stateful import (
    RuleBasedStateMachine,
    initialize,
    invariant,
    rule,
    run_state_machine_as_test,
)

from gannet.audit.log import verify
from gannet.people.models import Person
from gannet.problems import causes, decide, linking, workaround, worth
from gannet.problems.models import facts_of as problem_facts
from gannet.requests.asking import Line, Wish, ask_for
from gannet.requests.models import facts_of
from gannet.rulebook.book import current
from gannet.tickets import actions, acts, mass, routing, search
from gannet.tickets.actions import Acting, approvals
from gannet.tickets.actions.alerts import Signal, take_signal
from gannet.tickets.actions.frame import load_many
from gannet.tickets.actions.redact import redact_text
from gannet.tickets.acts.registry import why_not
from gannet.tickets.models import (
    Approval,
    ApprovalState,
    Link,
    StageState,
    StateCode,
    Task,
    TaskState,
    Ticket,
    Timer,
    TimerState,
)
from gannet.tickets.states import state_name
from gannet.web.errors import Problem
from gannet.worker import worker
from gannet_core.instants import instant_of, seconds_of
from gannet_core.problems import CAUSE_STATES, root_cause
from tests.app.conftest import LAPTOP
from tests.app.test_acts import GIVEN
from tests.conftest import NOW

pytestmark = pytest.mark.django_db
DESK = ("Signe", "Joss", "Marit")
# What these are given may not fit the record, whatever the record offers.
MAY_REFUSE = {
    "merge",
    "undo",
    "time/stop",
    "time/start",
    "resolve",
    "announce",
    "escalate",
    "links",
}
# What a kind that does not ship is given, see tests/visits.py: its acts are done like all.
GIVEN_TO_ALL = {
    **GIVEN,
    "show-in": lambda ticket: {"host": "Marit"},
    "sign-out": lambda ticket: {},
    "doubt-cause": lambda ticket: {"why": "x"},
}
PROBLEM_ACTS = (
    "write down", "deeper", "weigh", "take away", "doubt", "tell", "link", "unlink", "cost", "fix",
    "live with",
)  # fmt: skip
DERIVED = (
    "state", "is_open", "move", "is_unread", "needs_reply", "is_answered", "messages", "wrote_s",
    "replied_s", "held_s",
)  # fmt: skip
WISHES: dict[str, Callable[[], list[Line]]] = {
    "laptop": lambda: [Line(key="laptop", answers=LAPTOP)],
    "headset": lambda: [Line(key="headset", answers={"ship_to": "Orrin Bay"})],
    "basket": lambda: [
        Line(key="headset", answers={"ship_to": "Orrin Bay"}),
        Line(key="remote-access", answers={"outside_country": True}),
    ],
    "password": lambda: [Line(key="password", answers={"account_name": "piotr.dallow"})],
}
picks = st.integers(0, 10_000)


def called(name: str) -> Person:
    return Person.objects.filter(name__startswith=f"{name} ").order_by("pk")[0]


def words_in_index() -> set[tuple[Any, ...]]:
    """Every word of the index, of which ticket, in its title or in what was said, and where."""
    with connection.cursor() as cursor:
        cursor.execute(
            "CREATE VIRTUAL TABLE temp.words USING fts5vocab(main, ticket_words, instance)"
        )
        cursor.execute("SELECT term, doc, col, offset FROM temp.words")
        found = set(cursor.fetchall())
        cursor.execute("DROP TABLE temp.words")
    return found


class Desk(RuleBasedStateMachine):
    """A desk on which anything may happen."""

    def __init__(self) -> None:
        super().__init__()
        self.now = NOW
        self.block = transaction.atomic()
        self.block.__enter__()

    def teardown(self) -> None:
        try:
            assert verify()[1] is None, "the chain of events holds"
            indexed = words_in_index()
            search.rebuild()
            assert indexed == words_in_index(), "the index of words is that of what was said"
            self.what_is_derived_equals_a_recomputation()
        finally:
            transaction.set_rollback(True)
            self.block.__exit__(None, None, None)

    def by(self, name: str) -> Acting:
        return Acting(person=called(name), now=self.now)

    def one(self, pick: int) -> Ticket:
        rows = Ticket.objects.order_by("pk")
        return rows[pick % rows.count()]

    @initialize(wish=st.sampled_from(sorted(WISHES)))
    def begin(self, wish: str) -> None:
        actions.log_ticket(
            actions.NewTicket(requester=called("Maeve"), title="The gates are shut"),
            self.by("Maeve"),
        )
        actions.log_ticket(
            actions.NewTicket(kind="visit", requester=called("Maeve"), title="Brackwater Glass"),
            self.by("Signe"),
        )
        ask_for(called("Piotr"), Wish(lines=WISHES[wish]()), self.by("Piotr"))

    @rule(wish=st.sampled_from(sorted(WISHES)))
    def ask(self, wish: str) -> None:
        ask_for(called("Piotr"), Wish(lines=WISHES[wish]()), self.by("Piotr"))

    @rule(pick=picks, name=st.sampled_from(sorted(GIVEN_TO_ALL)), who=st.sampled_from(DESK))
    def act(self, pick: int, name: str, who: str) -> None:
        ticket, person = self.one(pick), called(who)
        entry = acts.act_named(name)
        if why_not(entry, ticket, person) is not None:
            return
        given = GIVEN_TO_ALL[name](ticket)
        shape = entry.shape(data=given)
        shape.is_valid(raise_exception=True)
        self.try_to(
            lambda: entry.does(ticket.pk, self.by(who), shape.validated_data),
            may_refuse=name in MAY_REFUSE,
        )

    @rule(picked=st.lists(picks, max_size=3), who=st.sampled_from(DESK))
    def open_a_problem(self, picked: list[int], who: str) -> None:
        faults = list(dict.fromkeys(self.one(pick).pk for pick in picked))
        new = linking.NewProblem(title="What is behind it", incidents=faults)
        # What is no incident, or belongs to another problem, is refused.
        self.try_to(lambda: linking.open_problem(new, self.by(who)), may_refuse=bool(faults))

    @rule(pick=picks, which=picks, who=st.sampled_from(DESK), what=st.sampled_from(PROBLEM_ACTS))
    def work_on_a_problem(self, pick: int, which: int, who: str, what: str) -> None:
        problems = Ticket.objects.filter(kind="problem").order_by("pk")
        if not problems.exists():
            return
        ticket, acting = problems[pick % problems.count()], self.by(who)
        found = problem_facts(ticket).causes
        key = found[which % len(found)]["id"] if found else "c1"
        weighed = {"state": CAUSE_STATES[which % 3], "evidence": ["so it is"]}
        said = workaround.Telling(
            workaround="Wipe it.", words="{name}: {workaround}", no_cause_why="It helps.",
            decided={
                one.pk: workaround.WHAT[(which + n) % 3]
                for n, one in enumerate(linking.incidents_of(ticket.pk))
            },
        )  # fmt: skip
        does: dict[str, Callable[[], Any]] = {
            "write down": lambda: causes.add_cause(ticket.pk, acting, f"cause {which}"),
            "deeper": lambda: causes.add_cause(ticket.pk, acting, f"cause {which}", key),
            "weigh": lambda: causes.change_cause(ticket.pk, acting, key, weighed),
            "take away": lambda: causes.remove_cause(ticket.pk, acting, key),
            "doubt": lambda: causes.doubt(ticket.pk, acting, "It went on."),
            "tell": lambda: workaround.tell(ticket.pk, acting, said),
            "link": lambda: linking.link(ticket.pk, acting, [self.one(which).pk], tells=True),
            "unlink": lambda: linking.unlink(ticket.pk, acting, [self.one(which).pk]),
            "cost": lambda: worth.cost_fix(ticket.pk, acting, "New ones", 100_00),
            "fix": lambda: decide.decide_to_fix(ticket.pk, acting),
            "live with": lambda: decide.live_with(
                ticket.pk, acting, self.now + timedelta(days=which % 90 + 1), "It is rare"
            ),
        }
        self.try_to(does[what], may_refuse=True)

    @rule(pick=picks, which=picks)
    def redact(self, pick: int, which: int) -> None:
        ticket = self.one(pick)
        said = list(ticket.events.exclude(text="").filter(redacted_by=None))
        if said:
            event = said[which % len(said)]
            self.try_to(
                lambda: redact_text(ticket.pk, self.by("Anneke"), event.pk, "a password"),
                may_refuse=True,
            )

    def try_to(self, do: Callable[[], Any], *, may_refuse: bool) -> None:
        try:
            with transaction.atomic():
                do()
        except Problem:
            if not may_refuse:
                raise

    @rule(picked=st.lists(picks, min_size=1, max_size=4), who=st.sampled_from(DESK),
          act=st.sampled_from(["take", "resume", "resolve", "note", "reply", "wait"]))  # fmt: skip
    def act_on_many(self, picked: list[int], who: str, act: str) -> None:
        numbers = list(dict.fromkeys(self.one(pick).pk for pick in picked))
        given = {"text": "x", "what": "Done as asked.", "on": "requester", "reason": "which?"}
        out = mass.do(called(who), numbers, act, given, self.now)
        refused = [row["id"] for row in out["refused"]]
        assert not set(out["done"]) & set(refused)

    @rule(pick=picks)
    def requester_writes(self, pick: int) -> None:
        ticket = self.one(pick)
        acting = Acting(person=ticket.requester, now=self.now)
        self.try_to(
            lambda: actions.requester_writes(ticket.pk, acting, "And this too."),
            may_refuse=not ticket.is_open,
        )

    @rule(pick=picks, approves=st.booleans())
    def decide(self, pick: int, approves: bool) -> None:
        asked = Approval.objects.filter(state=ApprovalState.PENDING).order_by("pk")
        if asked.exists():
            one = asked[pick % asked.count()]
            acting = Acting(person=one.asked_of, now=self.now)
            approvals.decide(acting, one.pk, approves=approves, reason="so")

    @rule(pick=picks, state=st.sampled_from(["done", "skipped", "open"]), who=st.sampled_from(DESK))
    def set_task(self, pick: int, state: str, who: str) -> None:
        tasks = Task.objects.order_by("pk")
        if tasks.exists():
            task = tasks[pick % tasks.count()]
            outputs = dict.fromkeys(task.outputs, "NF-1")
            self.try_to(
                lambda: actions.set_task(
                    task.ticket_id, self.by(who), task.pk, state, outputs=outputs
                ),
                may_refuse=True,
            )

    @rule(pick=picks, fires=st.booleans())
    def monitoring(self, pick: int, fires: bool) -> None:
        signal = Signal(key=f"gate {pick % 3}", title=f"gate {pick % 3}", is_firing=fires)
        take_signal(signal, self.by("Signe"))

    @rule(minutes=st.sampled_from([1, 30, 600, 6_000, 60_000]))
    def time_passes(self, minutes: int) -> None:
        self.now += timedelta(minutes=minutes)
        fired = 0
        while count := worker.fire_due(seconds_of(self.now)):
            fired += count
            assert fired < 2_000, "timers that arm each other for ever"
        stuck = Timer.objects.filter(state=TimerState.ARMED, attempts__gt=0)
        assert not stuck.exists(), list(stuck.values("kind", "problem", "ticket_id"))

    @invariant()
    def every_record_is_in_order(self) -> None:
        for ticket in Ticket.objects.select_related("team"):
            where = f"{ticket.kind} {ticket.pk}, {state_name(ticket.state)}"
            armed = set(ticket.timers.filter(state=TimerState.ARMED).values_list("kind", flat=True))
            # A follow-up outlives its record, and holds nothing up.
            tasks = ticket.tasks.filter(state=TaskState.OPEN, outlives=False).count()
            pages = ticket.page_calls.filter(ended_s=None).count()
            assert pages == ticket.timers.filter(state=TimerState.ARMED, kind="page").count(), where
            questions = ticket.approvals.filter(state=ApprovalState.PENDING).count()
            assert (ticket.open_tasks, ticket.open_approvals) == (tasks, questions), where
            if not ticket.is_open:
                assert (tasks, questions, pages) == (0, 0, 0), where
                open_stages = (StageState.PENDING, StageState.TO_COME)
                assert not ticket.stages.filter(state__in=open_stages).exists(), where
                assert not ticket.is_announced and not ticket.waiting_on, where
                assert ticket.approval != "pending", where
                is_resolved = ticket.state == StateCode.RESOLVED
                assert armed == ({"close"} if is_resolved else set()), (where, armed)
            elif ticket.holder_id is None and routing.finds_people(current(), ticket, ticket.team):
                assert "route" in armed, where
            waits = ticket.state == StateCode.WAITING
            assert waits == bool(ticket.waiting_on), where
            if ticket.is_open and ticket.approval == "pending":
                assert ticket.stages.filter(state=StageState.PENDING).exists(), where
            if facts_of(ticket).parts and ticket.children.exists():
                some_open = ticket.children.filter(is_open=True).exists()
                assert ticket.is_open == (some_open or ticket.open_tasks > 0), where

    @invariant()
    def every_problem_is_in_order(self) -> None:
        belongs = Link.objects.filter(kind="caused by").values_list("source_id", flat=True)
        assert len(belongs) == len(set(belongs)), "one incident belongs to one problem"
        for ticket in Ticket.objects.filter(kind="problem"):
            facts, state = problem_facts(ticket), state_name(ticket.state)
            assert facts.incidents == linking.incidents_of(ticket.pk).count(), ticket.pk
            if state == "known error":
                is_found = bool(root_cause(causes.tree_of(facts)))
                assert facts.known_s is not None and (is_found or facts.no_cause_why), ticket.pk
            if state == "looking for the cause" and ticket.reopenings == 0:
                assert facts.known_s is None, ticket.pk
            used = [one.ticket_id for one in workaround.uses_of(ticket.pk) if one.ticket_id]
            assert len(used) == len(set(used))

    def what_is_derived_equals_a_recomputation(self) -> None:
        numbers = list(Ticket.objects.values_list("pk", flat=True))
        acting = Acting(person=None, now=instant_of(seconds_of(self.now)))
        for write in load_many(numbers, acting, lock=False):
            before = {name: getattr(write.ticket, name) for name in DERIVED}
            write._derive()
            after = {name: getattr(write.ticket, name) for name in DERIVED}
            assert before == after, write.ticket


def test_whatever_happens_every_record_is_in_order(northmere: None) -> None:
    run_state_machine_as_test(
        Desk,
        settings=settings(
            max_examples=10,
            phases=(Phase.explicit, Phase.reuse, Phase.generate),
            stateful_step_count=20,
            deadline=None,
            suppress_health_check=list(HealthCheck),
        ),
    )
