"""Problems as a kind of record."""

from typing import Any

from gannet.people.acting import Acting
from gannet.problems.causes import doubt, known_again
from gannet.problems.events import ProblemEvent
from gannet.problems.linking import link, unlink
from gannet.problems.models import KIND, facts_of
from gannet.problems.reading import problem_json
from gannet.problems.shapes import DoubtShape, ProblemShape
from gannet.tickets.acts import ActInput, RecordAct
from gannet.tickets.field import Field
from gannet.tickets.kinds import RecordKind, Section
from gannet.tickets.models import Ticket
from gannet_core.lifecycles import PROBLEM


def _of_problem(name: str) -> Any:
    """A fact as conditions read it: nothing on a record that is no problem."""
    return lambda ticket: getattr(facts_of(ticket), name) if ticket.kind == KIND else None


def _doubt(number: int, acting: Any, data: Any) -> Ticket:
    return doubt(number, acting, data["why"])


class _Incidents:
    """What is caused by a problem is linked by the problem: one incident to one problem."""

    def link(self, number: int, acting: Acting, incident: int) -> None:
        link(number, acting, [incident])

    def unlink(self, number: int, acting: Acting, incident: int) -> None:
        unlink(number, acting, [incident])


PROBLEMS = RecordKind(
    key=KIND,
    label="problem",
    plural="problems",
    mark="P",
    lifecycle=PROBLEM,
    codes={"looking for the cause": 4, "known error": 5},
    is_logged_by_hand=False,
    is_for_requesters=False,
    facts="problem_facts",
    fields=(
        Field(
            "linked incidents",
            "number",
            "linked incidents",
            "problem_facts__incidents",
            _of_problem("incidents"),
            is_nullable=True,
        ),
        Field(
            "workaround",
            "text",
            "workaround",
            "problem_facts__workaround",
            _of_problem("workaround"),
            is_nullable=True,
        ),
        Field(
            "cost of the fix",
            "number",
            "cost of the fix in pence",
            "problem_facts__fix_pence",
            _of_problem("fix_pence"),
            is_nullable=True,
        ),
    ),
    acts=(
        RecordAct(
            name="doubt-cause",
            label="Doubt the cause…",
            about="It is not the cause after all: look for it again.",
            command="Doubt the cause of {}",
            shape=DoubtShape,
            core=ProblemEvent.CAUSE_DOUBTED,
            does=_doubt,
            asks=(ActInput(name="why", label="What speaks against it", type="lines"),),
            has_address=False,
        ),
    ),
    sections=(Section(key="problem", shape=ProblemShape, read=problem_json),),
    notices={"problem linked": "problem"},
    causes=_Incidents(),
    resumed=known_again,
)
