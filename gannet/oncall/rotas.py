"""Rotas as they are kept: read for the core, set by those who lead the team, shown with gaps."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime, time
from typing import Any
from zoneinfo import ZoneInfo

from django.db import transaction

from gannet.audit import log as audit
from gannet.oncall.events import OnCallEvent
from gannet.oncall.models import DutyRota, StandIn
from gannet.people.acting import Acting
from gannet.people.models import Absence, Membership, Person, Team
from gannet.people.roles import edits_rulebook
from gannet.web.errors import Invalid, Missing, Refused
from gannet_core import oncall
from gannet_core.errors import WindowError
from gannet_core.instants import instant_of, seconds_of
from gannet_core.windows import read_zone

_DAY = 86_400
WEEKS_SHOWN, MOST_PEOPLE, LONGEST_STAND_IN = 8, 40, 60 * _DAY


@dataclass(frozen=True)
class Duty:
    """A team's rota, ready to be asked, with who stands in and who is away."""

    rota: oncall.Rota
    instead: Sequence[oncall.Span]
    away: Sequence[oncall.Span]
    next_minutes: int

    def order(self, at_s: int) -> list[int]:
        """Who is paged at an instant, the first first."""
        return [int(one) for one in oncall.order(self.rota, self.instead, self.away, at_s)]

    def turns(self, start_s: int, end_s: int) -> list[oncall.Turn]:
        return oncall.turns(self.rota, self.instead, self.away, start_s, end_s)


def duty_of(team: Team, now_s: int, until_s: int | None = None) -> Duty | None:
    """The rota of a team from now on; None where it has none. Who has left is in no rota."""
    row = DutyRota.objects.filter(team=team).first()
    if row is None:
        return None
    here = set(
        Person.objects.filter(
            pk__in=row.people, is_active=True, memberships__team=team
        ).values_list("pk", flat=True)
    )
    spans = [
        oncall.Span(str(one.person_id), one.start_s, one.end_s)
        for one in row.stand_ins.filter(end_s__gt=now_s, person__is_active=True)
    ]
    people = {*here, *(int(one.person) for one in spans)}
    until = instant_of(until_s if until_s is not None else now_s + _DAY)
    absences = Absence.objects.filter(
        person__in=people, ends_at__gt=instant_of(now_s), starts_at__lt=until
    )
    away = [
        oncall.Span(str(one.person_id), seconds_of(one.starts_at), seconds_of(one.ends_at))
        for one in absences
    ]
    rota = oncall.Rota(
        tuple(str(one) for one in row.people if one in here),
        ZoneInfo(row.zone),
        row.starts,
        time.fromisoformat(row.at),
        row.weeks,
    )
    return Duty(rota, spans, away, row.next_minutes)


@transaction.atomic
def set_rota(acting: Acting, team: Team, given: Mapping[str, Any]) -> DutyRota:
    """Make the rota of a team what is said; its leads and administrators may."""
    _check_leads(acting.person, team)
    people = list(dict.fromkeys(given["people"]))
    members = set(
        Membership.objects.filter(team=team, person__in=people, person__is_active=True).values_list(
            "person_id", flat=True
        )
    )
    if not people or not set(people) <= members:
        raise Invalid(
            f"Choose people of {team.name}.", fields={"people": "Everybody is of the team."}
        )
    try:
        read_zone(given["zone"])
    except WindowError as error:
        raise Invalid("There is no such time zone.", fields={"zone": "Choose one."}) from error
    starts: date = given["starts"]
    said = {**given, "people": people, "starts": starts}
    row, _ = DutyRota.objects.update_or_create(team=team, defaults=said)
    _keep(acting, team, {"people": _names(people), "from": f"{starts} {row.at}"})
    return row


@transaction.atomic
def drop_rota(acting: Acting, team: Team) -> None:
    """Let a team have no rota any more."""
    _check_leads(acting.person, team)
    gone, _ = DutyRota.objects.filter(team=team).delete()
    if not gone:
        raise Missing(f"{team.name} has no rota.")
    _keep(acting, team, {"people": []})


@transaction.atomic
def stand_in(
    acting: Acting, team: Team, person: Person | None, starts: datetime, ends: datetime
) -> StandIn:
    """Let somebody take whoever's turn it is; people enter themselves, leads anybody."""
    row = DutyRota.objects.select_for_update().filter(team=team).first()
    if row is None:
        raise Missing(f"{team.name} has no rota.")
    if person is None or not team.memberships.filter(person=person).exists():
        raise Invalid("Choose somebody of the team.", fields={"person": "Choose another."})
    if acting.person != person:
        _check_leads(acting.person, team)
    start_s, end_s = seconds_of(starts), seconds_of(ends)
    if end_s <= start_s:
        raise Invalid("It ends after it starts.", fields={"ends_at": "Choose a later end."})
    if end_s <= acting.now_s:
        raise Invalid("That is over already.", fields={"ends_at": "Choose a later end."})
    if end_s - start_s > LONGEST_STAND_IN:
        raise Invalid("At most 60 days.", fields={"ends_at": "Change the rota instead."})
    made = StandIn.objects.create(
        rota=row, person=person, start_s=start_s, end_s=end_s,
        made_by=acting.person, made_s=acting.now_s,
    )  # fmt: skip
    _keep(acting, team, {"stands in": person.name, "span": [str(starts), str(ends)]})
    return made


@transaction.atomic
def drop_stand_in(acting: Acting, team: Team, number: int) -> None:
    row = StandIn.objects.filter(pk=number, rota__team=team).select_related("person").first()
    if row is None:
        raise Missing("Nobody stands in like that.")
    if acting.person != row.person:
        _check_leads(acting.person, team)
    _keep(acting, team, {"stands in no more": row.person.name})
    row.delete()


def may_lead(person: Person | None, team: Team) -> bool:
    """Whether somebody sets a team's rota: its leads do, and administrators."""
    if person is None:
        return False
    return edits_rulebook(person) or team.memberships.filter(person=person, is_lead=True).exists()


def rota_json(team: Team, reader: Person, now_s: int) -> dict[str, Any]:
    """A team's rota as its page shows it: who is on call now, the weeks to come, its gaps."""
    end_s = now_s + WEEKS_SHOWN * 7 * _DAY
    row = DutyRota.objects.filter(team=team).first()
    duty = duty_of(team, now_s, end_s)
    turns = duty.turns(now_s, end_s) if duty else []
    stand_ins = list(row.stand_ins.filter(end_s__gt=now_s)) if row else []
    wanted = {one.person_id for one in stand_ins} | set(row.people if row else [])
    wanted |= {int(one) for turn in turns for one in (turn.person, turn.whose) if one}
    names = dict(Person.objects.filter(pk__in=wanted).values_list("pk", "name"))
    return {
        "team": team.pk,
        "name": team.name,
        "rota": {
            "people": [{"id": one, "name": names[one]} for one in row.people if one in names],
            "zone": row.zone,
            "starts": row.starts.isoformat(),
            "at": row.at,
            "weeks": row.weeks,
            "next_minutes": row.next_minutes,
        }
        if row
        else None,
        "turns": [
            {
                "from_s": one.start_s,
                "to_s": one.end_s,
                "person": names[int(one.person)] if one.person else "",
                "why": one.why,
                "whose": names[int(one.whose)] if one.whose else "",
            }
            for one in turns
        ],
        "stand_ins": [
            {
                "id": one.pk,
                "name": names[one.person_id],
                "from_s": one.start_s,
                "to_s": one.end_s,
                "is_mine": one.person_id == reader.pk,
            }
            for one in stand_ins
        ],
        "is_mine": team.memberships.filter(person=reader).exists(),
        "is_mine_to_lead": may_lead(reader, team),
    }


def _check_leads(person: Person | None, team: Team) -> None:
    if not may_lead(person, team):
        raise Refused(f"Only the leads of {team.name} and administrators do that.")


def _names(people: Sequence[int]) -> list[str]:
    names = dict(Person.objects.filter(pk__in=people).values_list("pk", "name"))
    return [names[one] for one in people]


def _keep(acting: Acting, team: Team, values: Mapping[str, Any]) -> None:
    entry = audit.Entry(
        kind=OnCallEvent.ROTA_CHANGED,
        at=acting.now,
        actor_id=acting.person_id,
        facts={"team": team.pk},
        values={"team": team.name, **values},
    )
    audit.append([entry])
