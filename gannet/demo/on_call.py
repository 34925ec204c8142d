"""Who is on call in the demo: three teams with a rota, one who stands in, one gap, one page."""

from datetime import UTC, datetime, timedelta

from gannet.oncall import paging, rotas
from gannet.people.acting import Acting
from gannet.people.models import Absence, Membership, Person, Team
from gannet.tickets.models import Ticket

_ZONE, _WEEK = "Europe/London", timedelta(weeks=1)
_TEAMS = ("Networks", "Ship Systems", "Platforms")
_MOST = 4


def make_rotas(now: datetime) -> None:
    """Weeks from Thursday to Thursday at 09:00; whoever leads a team has its first."""
    thursday = now - timedelta(days=(now.weekday() - 3) % 7)
    for name in _TEAMS:
        team = Team.objects.get(name=name)
        people = _people(team)
        acting = Acting(person=people[0], now=now)
        if not rotas.may_lead(people[0], team):
            acting = Acting(person=Person.objects.get(name="Anneke Dray"), now=now)
        given = {
            "people": [one.pk for one in people],
            "zone": _ZONE,
            "starts": (thursday - len(people) * _WEEK).date(),
            "at": "09:00",
            "weeks": 1,
            "next_minutes": 10,
        }
        rotas.set_rota(acting, team, given)
    networks = Team.objects.get(name="Networks")
    people = _people(networks)
    acting = Acting(person=Person.objects.get(name="Anneke Dray"), now=now)
    weekend = (thursday + timedelta(days=9)).replace(hour=18, minute=0, tzinfo=UTC)
    rotas.stand_in(acting, networks, people[-1], weekend, weekend + timedelta(days=2))
    # The week after next nobody thought of the other's holiday.
    away = (thursday + 2 * _WEEK).replace(hour=0, minute=0, tzinfo=UTC)
    Absence.objects.create(
        person=people[2 % len(people)], starts_at=away, ends_at=away + timedelta(days=5),
        note="holiday",
    )  # fmt: skip
    _page(now - timedelta(minutes=8))


def _page(at: datetime) -> None:
    """Whoever is on call is paged about the link, and answers six minutes later."""
    ticket = Ticket.objects.get(title="Ship-to-shore link drops near Farrow Sound", is_open=True)
    signe = Person.objects.get(name="Signe Hallam")
    why = "Manifests of the morning sailing do not leave the ship"
    paging.page(ticket.pk, Acting(person=signe, now=at), why)
    who = ticket.page_calls.get().pages.get().person
    paging.answer(ticket.pk, Acting(person=who, now=at + timedelta(minutes=6)))


def _people(team: Team) -> list[Person]:
    rows = Membership.objects.filter(team=team, person__is_active=True).select_related("person")
    return [one.person for one in rows.order_by("-is_lead", "person_id")[:_MOST]]
