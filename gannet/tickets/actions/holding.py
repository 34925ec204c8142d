"""Who holds a ticket: take it, hand it over, try routing again."""

from typing import Any

from gannet.audit.models import Audience
from gannet.people.acting import Acting
from gannet.people.models import Person, Team
from gannet.people.roles import team_ids
from gannet.tickets import routing
from gannet.tickets.actions import timers
from gannet.tickets.actions.frame import RecordWrite, writing
from gannet.tickets.events import TicketEvent
from gannet.tickets.kinds import kind_of
from gannet.tickets.models import Follower, StateCode, Ticket
from gannet.web.errors import Conflict, Invalid
from gannet_core.lifecycle import Act


def take(
    ticket_id: int, acting: Acting, seen_holder: int | None = None, *, force: bool = False
) -> Ticket:
    """Take a ticket. When somebody else took it first, `Conflict` says who.

    `seen_holder` is who the taker believes holds it; `force` takes it over on purpose.
    """
    with writing(ticket_id, acting, Act.TAKEN) as write:
        ticket = write.ticket
        me = acting.person.pk if acting.person else None
        if ticket.holder_id not in (seen_holder, None, me) and not force:
            holder = ticket.holder
            raise Conflict(
                f"{holder.name if holder else 'Somebody'} has just taken this.",
                holder=holder.name if holder else None,
            )
        set_taken(write)
    return write.ticket


def set_taken(write: RecordWrite) -> None:
    """Make the actor the holder of one ticket, within an act that has been checked."""
    ticket, person = write.ticket, write.acting.person
    if person is None:
        raise Invalid("Only a person can take a ticket.")
    if ticket.holder_id == person.pk and ticket.state != StateCode.NEW:
        return
    former = ticket.holder
    ticket.holder = person
    if ticket.team_id not in team_ids(person):
        _move_to_own_team(write, person)
    write.record(
        TicketEvent.TAKEN,
        facts={"person": str(person.pk), "from_person": _text(former.pk if former else None)},
        audience=Audience.EVERYBODY,
    )
    write.tell(former, "taken over")
    write.afterwards(lambda: kind_of(ticket).held(ticket))


def _move_to_own_team(write: RecordWrite, person: Person) -> None:
    """Taking another team's ticket brings it to the taker's team, or the clocks would lie."""
    membership = person.memberships.select_related("team").order_by("pk").first()
    if membership is None:
        raise Conflict("You are in no team, so you cannot hold tickets.")
    to_team(write, membership.team, person, comment="taken over")


def hand_over(
    ticket_id: int,
    acting: Acting,
    *,
    team: Team,
    person: Person | None,
    comment: str,
    seen_version: int | None = None,
) -> Ticket:
    """Give a ticket to another team or person, with the reason, which reaches them."""
    check_receiver(team, person, comment)
    with writing(ticket_id, acting, Act.HANDED_OVER) as write:
        write.check_seen(seen_version, "team", "holder")
        give(write, team, person, comment)
    return write.ticket


def give(write: RecordWrite, team: Team, person: Person | None, comment: str) -> None:
    """Hand one ticket over, within an act that has been checked."""
    ticket, acting = write.ticket, write.acting
    if ticket.team_id == team.pk and ticket.holder_id == (person.pk if person else None):
        who = person.name if person else team.name
        raise Invalid(f"{who} has it already.", fields={"team": "Choose somebody else."})
    if person is None:
        found = routing.choose_person(write.policy, ticket, team, acting.now_s)
        write.look_again_s = found.retry_at_s
        to_team(write, team, found.person, comment.strip(), why=found.why, sentence=found.sentence)
        chosen = found.person
        if chosen is not None and found.sentence:
            write.afterwards(lambda: routing.mark_turn(team, chosen.pk, write.events[0].id))
    else:
        to_team(write, team, person, comment.strip())
    giver = acting.person
    if giver is not None:
        write.afterwards(lambda: Follower.objects.get_or_create(ticket=ticket, person=giver))


def check_receiver(team: Team, person: Person | None, comment: str) -> None:
    """Refuse a hand-over without its reason, or to somebody outside the team."""
    if not comment.strip():
        raise Invalid(
            "Say why you hand it over: the new holder reads it first.",
            fields={"comment": "A hand-over needs its reason."},
        )
    if person is not None and not team.memberships.filter(person=person).exists():
        raise Invalid(
            f"{person.name} is not in {team.name}.",
            fields={"person": f"Choose somebody of {team.name}, or nobody."},
        )


def to_team(
    write: RecordWrite,
    team: Team,
    person: Person | None,
    comment: str,
    why: list[dict[str, Any]] | None = None,
    sentence: str = "",
    *,
    automatic: bool | None = None,
) -> None:
    """Move a ticket to a team and person: recorded, its team clocks started, they told."""
    ticket = write.ticket
    before_team, before_person = ticket.team.key, ticket.holder_id
    ticket.team = team
    ticket.holder = person
    ticket.hand_overs += 1
    ticket.handed_why = comment[:300]
    write.record(
        TicketEvent.HANDED_OVER,
        facts={
            "team": team.key,
            "from_team": before_team,
            "person": _text(person.pk if person else None),
            "from_person": _text(before_person),
        },
        values={"why_person": why or [], "person": sentence},
        text=comment,
        is_automatic=automatic,
    )
    write.start_team_clocks()
    write.afterwards(lambda: kind_of(ticket).held(ticket))
    if person is not None:
        write.tell(person, "handed over", comment)
    else:
        for membership in team.memberships.select_related("person"):
            write.tell(membership.person, "handed over", comment)


def route_again(ticket_id: int, acting: Acting) -> Ticket:
    """Try again to find a person in the holding team, when somebody has come on shift."""
    with writing(ticket_id, acting) as write:
        ticket = write.ticket
        if ticket.holder_id is not None or not ticket.is_open:
            return ticket
        found = routing.choose_person(write.policy, ticket, ticket.team, acting.now_s)
        if found.person is None:
            write.look_again_s = found.retry_at_s
            write.rearm()  # nothing has happened to it, but somebody is looked for again
            return ticket
        to_team(
            write, ticket.team, found.person, found.sentence, why=found.why, sentence=found.sentence
        )
        ticket.hand_overs -= 1  # finding the first holder is not a hand-over
        person_id = found.person.pk
        write.afterwards(lambda: routing.mark_turn(ticket.team, person_id, write.events[0].id))
    return write.ticket


LOOK_AGAIN_SECONDS = 3_600


def _looks(standing: timers.Standing) -> dict[str, int]:
    """Whom nobody holds though its team shares work out: somebody is looked for again.

    What an earlier act had said stands, whatever happens to the ticket meanwhile; without
    a shift that is known to begin it is looked at again in an hour.
    """
    ticket = standing.ticket
    if not ticket.is_open or ticket.holder_id is not None:
        return {}
    if standing.look_again_s is not None:
        return {"": standing.look_again_s}
    if not routing.finds_people(standing.book, ticket, ticket.team):
        return {}
    armed_s = standing.armed.get(("route", ""))
    return {"": armed_s if armed_s is not None else standing.now_s + LOOK_AGAIN_SECONDS}


timers.register(
    timers.TimerKind(
        key="route",
        fire=lambda timer, acting: route_again(timer.ticket_id or 0, acting),
        wanted=_looks,
        is_for_open=True,
    )
)


def _text(number: int | None) -> str | None:
    return None if number is None else str(number)
