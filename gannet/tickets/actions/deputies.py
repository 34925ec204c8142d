"""Who decides beside somebody, from when until when; told of what waits as their time begins."""

from django.db import transaction

from gannet.audit import log as audit
from gannet.people.acting import Acting
from gannet.people.events import PersonEvent
from gannet.people.models import Deputy, Person
from gannet.tickets.actions import timers
from gannet.tickets.actions.frame import writing
from gannet.tickets.actions.routes import ask_also, was_asked
from gannet.tickets.directory import own_people
from gannet.tickets.models import Approval, ApprovalState
from gannet.web.errors import Invalid, Missing, Refused

_TIMER = "deputy"


@transaction.atomic
def make_deputy(acting: Acting, deputy: Person, from_s: int, to_s: int) -> Deputy:
    """Let somebody decide beside the actor between two instants (epoch seconds)."""
    person = _whose(acting)
    if deputy.pk == person.pk or not deputy.is_active:
        raise Invalid("Choose somebody else.", fields={"deputy": "Choose somebody else."})
    if to_s <= max(from_s, acting.now_s):
        raise Invalid("It ends before it begins.", fields={"to_s": "Choose a later day."})
    made = Deputy.objects.create(person=person, deputy=deputy, from_s=from_s, to_s=to_s)
    timers.set_timer(_TIMER, str(made.pk), from_s)
    _record(acting, {"deputy": deputy.name, "from_s": from_s, "to_s": to_s})
    return made


@transaction.atomic
def end_deputy(acting: Acting, deputy_id: int) -> None:
    """Nobody decides beside the actor by this any more."""
    row = _whose(acting).deputies.select_related("deputy").filter(pk=deputy_id).first()
    if row is None:
        raise Missing("There is no such deputy.")
    _record(acting, {"deputy": row.deputy.name, "ended": True})
    timers.drop_timer(_TIMER, str(row.pk))
    row.delete()


def tell_deputy(deputy_id: int, acting: Acting) -> None:
    """Whose time as a deputy has begun is told of what already waits."""
    row = Deputy.objects.select_related("deputy").filter(pk=deputy_id, told_s=None).first()
    if row is None:
        return
    row.told_s = acting.now_s
    row.save(update_fields=["told_s"])
    if row.to_s <= acting.now_s or not row.deputy.is_active:
        return
    waiting = Approval.objects.filter(
        state=ApprovalState.PENDING, stage__isnull=False, asked_of=row.person_id
    )
    for asked in waiting.select_related("ticket"):
        own = own_people(asked.ticket)
        # What was asked after their time had begun told them as it was asked.
        if row.deputy_id not in own and not was_asked(asked, row.deputy):
            with writing(asked.ticket_id, acting) as write:
                ask_also(write, asked, row.deputy)


timers.register(
    timers.TimerKind(key=_TIMER, fire=lambda timer, acting: tell_deputy(int(timer.subject), acting))
)


def _whose(acting: Acting) -> Person:
    if acting.person is None:
        raise Refused("People choose their own deputies.")
    return acting.person


def _record(acting: Acting, values: dict[str, object]) -> None:
    entry = audit.Entry(
        kind=PersonEvent.PERSON_CHANGED,
        at=acting.now,
        actor_id=acting.person_id,
        values={"person": acting.person.name if acting.person else "", **values},
    )
    audit.append([entry])
