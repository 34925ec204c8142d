"""What is still open with a record that somebody resolves, and what becomes of each.

A person who resolves says of every open task whether it is done or not needed, of every
question asked by hand that it is withdrawn, and of an announcement that it is over. What
ends a record by itself – an alert that has gone, the last of the parts – asks nobody.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from gannet.tickets.actions.frame import RecordWrite
from gannet.tickets.models import ApprovalState, TaskState, Ticket
from gannet.web.errors import Conflict, Invalid

TASK, QUESTION, ANNOUNCEMENT = "task", "approval", "announcement"
DONE, NOT_NEEDED, WITHDRAWN, OVER = "done", "not needed", "withdrawn", "over"
# What can become of each, for the shape of the interface as well.
BECOMES: Mapping[str, tuple[str, ...]] = {
    TASK: (DONE, NOT_NEEDED),
    QUESTION: (WITHDRAWN,),
    ANNOUNCEMENT: (OVER,),
}
KINDS = tuple(BECOMES)
ALL_BECOME = tuple(dict.fromkeys(word for words in BECOMES.values() for word in words))


@dataclass(frozen=True)
class Leftover:
    """One thing that is still open: its kind, its number and its words."""

    kind: str
    id: int
    words: str


@dataclass(frozen=True)
class Settled:
    """What becomes of what is left: by kind and number, or all of it not needed any more."""

    by_thing: Mapping[tuple[str, int], str] = field(default_factory=dict)
    is_all: bool = False

    @classmethod
    def of(cls, rows: Sequence[Mapping[str, Any]]) -> "Settled":
        wrong = [row for row in rows if row["becomes"] not in BECOMES[row["kind"]]]
        if wrong:
            raise Invalid(
                "That cannot become of it.",
                fields={"left": f"{wrong[0]['kind']}: {wrong[0]['becomes']}"},
            )
        return cls({(row["kind"], row["id"]): row["becomes"] for row in rows})

    @property
    def done_tasks(self) -> list[int]:
        found = self.by_thing.items()
        return [number for (kind, number), word in found if (kind, word) == (TASK, DONE)]


NOTHING_SAID = Settled()


def left_open(ticket: Ticket) -> list[Leftover]:
    """The tasks, questions and announcement that its resolution would end."""
    found: list[Leftover] = []
    if ticket.open_tasks:
        tasks = ticket.tasks.filter(state=TaskState.OPEN, outlives=False).order_by("position", "id")
        found += [Leftover(TASK, task.pk, task.title) for task in tasks]
    if ticket.open_approvals:
        asked = ticket.approvals.filter(state=ApprovalState.PENDING, stage__isnull=True)
        rows = asked.select_related("asked_of").order_by("id")
        found += [Leftover(QUESTION, one.pk, f"{one.asked_of.name}: {one.what}") for one in rows]
    if ticket.is_announced:
        found.append(Leftover(ANNOUNCEMENT, ticket.pk, ticket.public_title))
    return found


def undecided(ticket: Ticket) -> str:
    """Why it cannot be resolved: its approvers have not decided; empty when they have."""
    if ticket.approval != "pending":
        return ""
    rows = ticket.approvals.filter(state=ApprovalState.PENDING, stage__isnull=False)
    names = dict.fromkeys(rows.order_by("id").values_list("asked_of__name", flat=True))
    who = " and ".join(names) or "Its approver"
    verb = "has" if len(names) < 2 else "have"
    return (
        f"{who} {verb} not decided yet: it is resolved once it is approved. "
        f"If it is not needed, withdraw it."
    )


def check_decided(ticket: Ticket) -> None:
    """Refuse to resolve what its approvers have not decided."""
    words = undecided(ticket)
    if words:
        raise Conflict(words, code="undecided")


def check_settled(write: RecordWrite, settled: Settled) -> None:
    """Refuse a resolution by a person that leaves anything open unsaid."""
    if write.acting.person is None or settled.is_all:
        return
    unsaid = [one for one in left_open(write.ticket) if (one.kind, one.id) not in settled.by_thing]
    if unsaid:
        words = "; ".join(f"{one.kind} “{one.words}”" for one in unsaid)
        raise Invalid(
            f"Still open with it: {words}. Say what becomes of each.",
            fields={"left": "Say what becomes of each."},
            code="left-open",
        )
