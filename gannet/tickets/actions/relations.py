"""What is done to a record is news to its parent and to those it is linked to.

Their rules hear of it when it happens: “a child record changes”, “a linked record changes”.
Nothing is written to a record none of whose rules answers; and what a rule does so is no
news to further records, so that two which are linked cannot go on about each other.
"""

from collections.abc import Collection, Iterator, Mapping
from typing import Any

from django.db.models import Q

from gannet.audit.kinds import EventKind
from gannet.people.acting import Acting
from gannet.tickets import intake
from gannet.tickets.actions.frame import RecordWrite, writing
from gannet.tickets.events import UPDATED, TicketEvent
from gannet.tickets.fields import record_of
from gannet.tickets.models import Link

CHILD, LINKED = "child changed", "linked changed"
_KINDS: Mapping[str, EventKind] = {
    CHILD: TicketEvent.CHILD_CHANGED,
    LINKED: TicketEvent.LINKED_CHANGED,
}
# The moments of an act that are news to others; an escalation or a task is its own affair.
_NEWS = frozenset({*UPDATED, "state changed", "requester replied"})


def tell_related(write: RecordWrite, moments: Collection[str]) -> None:
    """Once the act is written, let the rules of its parent and of linked records hear of it."""
    wanted = write.policy.listens & set(_KINDS)
    if not wanted or write.acting.is_echo or not _NEWS & set(moments):
        return
    write.afterwards(lambda: _tell(write, wanted))


def _tell(write: RecordWrite, wanted: Collection[str]) -> None:
    acting = Acting(person=None, now=write.acting.now, is_echo=True)
    said = {"other": write.ticket.pk, "title": write.ticket.title, "state": write.state_name}
    for number, moment in _related(write, wanted):
        with writing(number, acting) as there:
            if _is_heard(there, moment):
                there.record(_KINDS[moment], by_desk=False, values=said)


def _related(write: RecordWrite, wanted: Collection[str]) -> Iterator[tuple[int, str]]:
    ticket = write.ticket
    if CHILD in wanted and ticket.parent_id is not None:
        yield ticket.parent_id, CHILD
    if LINKED in wanted:
        links = Link.objects.filter(Q(source=ticket) | Q(target=ticket))
        ends = {one for pair in links.values_list("source_id", "target_id") for one in pair}
        for number in sorted(ends - {ticket.pk}):
            yield number, LINKED


def _is_heard(there: RecordWrite, moment: str) -> bool:
    """Whether a rule of the other record answers; an ended record is left as it is."""
    if not there.ticket.is_open:
        return False
    record: Mapping[str, Any] = record_of(there.ticket, there.policy)
    run = intake.run_rules(
        there.policy, there.ticket, (moment,), {}, there.acting.now_s, record=record
    )
    return bool(run.fired)
