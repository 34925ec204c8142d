"""Major incidents as a kind of record."""

from typing import Any

from gannet.majors import updates
from gannet.majors.gathering import gather, let_go
from gannet.majors.models import KIND, facts_of
from gannet.majors.reading import head_json
from gannet.majors.shapes import MajorHeadShape
from gannet.majors.standing import people_of
from gannet.people.acting import Acting
from gannet.people.models import Person
from gannet.tickets.field import Field
from gannet.tickets.kinds import RecordKind, Section
from gannet.tickets.models import Ticket
from gannet.tickets.policies import YES, Decision, may_know
from gannet_core.lifecycles import MAJOR


def _of_major(name: str) -> Any:
    """A fact as conditions read it: nothing on a record that is no major incident."""
    return lambda ticket: getattr(facts_of(ticket), name) if ticket.kind == KIND else None


def _may(person: Person, act: str, ticket: Ticket) -> Decision | None:
    """Whoever of the desk was let into a closed circle works in it like its own team."""
    if ticket.is_confidential and person.is_on_desk and may_know(person, ticket.pk):
        return YES
    return None


def _hears(ticket: Ticket, person: Person | None) -> bool:
    """Of a drill only who is in it hears, whatever rules and steps say; no other system does."""
    facts = getattr(ticket, "own_facts", None) or facts_of(ticket)
    if not facts.is_drill:
        return True
    if person is None:
        return False
    if facts.pk is None or ticket._state.adding:
        return person.pk == ticket.requester_id
    return person.pk == ticket.requester_id or person in people_of(facts)


class _Incidents:
    """What is caused by a major incident is gathered by it: one incident in one of them."""

    def link(self, number: int, acting: Acting, incident: int) -> None:
        gather(number, acting, [incident])

    def unlink(self, number: int, acting: Acting, incident: int) -> None:
        let_go(number, acting, [incident])


MAJORS = RecordKind(
    key=KIND,
    label="major incident",
    plural="major incidents",
    mark="M",
    lifecycle=MAJOR,
    codes={"running": 40, "review": 41, "reviewed": 90},
    is_logged_by_hand=False,
    is_for_requesters=False,
    facts="major_facts",
    fields=(
        Field(
            "call sign",
            "text",
            "call sign",
            "major_facts__call_sign",
            _of_major("call_sign"),
            is_nullable=True,
        ),
        Field(
            "gathered incidents",
            "number",
            "gathered incidents",
            "major_facts__gathered",
            _of_major("gathered"),
            is_nullable=True,
        ),
        Field(
            "people affected",
            "number",
            "people affected",
            "major_facts__affected",
            _of_major("affected"),
            is_nullable=True,
        ),
        Field(
            "drill",
            "yes/no",
            "drill",
            "major_facts__is_drill",
            lambda ticket: bool(facts_of(ticket).is_drill) if ticket.kind == KIND else None,
            is_nullable=True,
        ),
    ),
    sections=(Section(key="major", shape=MajorHeadShape, read=head_json),),
    timers=(updates.TIMER,),
    notices={
        "major declared": "major",
        "major stood down": "major",
        "update due": "update",
        "update late": "update",
        "asked in": "room",
    },
    moments=("declared", "stood down", "update sent", "update late", "reviewed"),
    may=_may,
    hears=_hears,
    causes=_Incidents(),
    news=updates.news_of,
)
