"""The outlook of teams: computed while somebody looks, of what each may see, and kept to be checked."""

from datetime import timedelta
from typing import Any

import pytest

from gannet.people.models import Absence, Membership, Team
from gannet.reports import looking_ahead, playing
from gannet.reports.models import Forecast, TeamOutlook
from gannet.rulebook.book import current
from gannet.tickets import actions
from gannet.tickets.models import Clock, Ticket
from gannet_core.instants import seconds_of
from tests.conftest import NOW

pytestmark = pytest.mark.django_db
NOW_S, HOUR = seconds_of(NOW), 3600
STOPPED = {"who": "team", "work": "no"}


@pytest.fixture
def gates(northmere: None) -> Team:
    """The team that the boarding gates are of."""
    return Team.objects.get(name="Quayside Support")


@pytest.fixture
def down(log: Any, gates: Team) -> Ticket:
    """An incident of that team whose targets run out within hours."""
    ticket: Ticket = log("Ines", "Boarding gates", title="Gate 3 stands open", **STOPPED)
    Ticket.objects.filter(pk=ticket.pk).update(team=gates)
    return ticket


def shown(api: Any, who: str, team: Team | None = None) -> dict[str, Any]:
    got = api(who).get("/api/outlook", {"team": team.pk} if team else {})
    assert got.status_code == 200, got.json()
    return dict(got.json())


def of_team(found: dict[str, Any], team: Team) -> dict[str, Any]:
    return next(one for one in found["teams"] if one["team"] == team.pk)


def test_it_is_computed_while_somebody_looks(api: Any, down: Ticket, gates: Team) -> None:
    looking_ahead.keep_current(NOW_S)
    assert not TeamOutlook.objects.filter(computed_s__gt=0).exists()  # nobody has looked
    assert shown(api, "Tomas")["is_pending"] is True
    assert looking_ahead.keep_current(NOW_S) > 0
    found = shown(api, "Tomas")
    assert found["is_pending"] is False
    told = of_team(found, gates)
    due = Clock.objects.filter(ticket=down, holder="").order_by("due_s")[0].due_s
    assert [(one["number"], one["due_s"]) for one in told["due"]] == [(down.pk, due)]
    assert told["until_s"] >= NOW_S + 8 * HOUR
    assert told["of_open"] + told["of_coming"] == pytest.approx(told["expected"])
    assert told["why"]["open"] == 1
    assert found["expected"] == pytest.approx(
        sum(one["expected"] or 0 for one in found["teams"]), abs=0.01
    )


def test_it_is_computed_anew_when_it_is_old_and_rests_when_nobody_looks(
    api: Any, down: Ticket, gates: Team
) -> None:
    shown(api, "Tomas")

    def computed(after_s: int) -> int:
        looking_ahead.keep_current(NOW_S + after_s)
        return int(TeamOutlook.objects.get(team=gates).computed_s) - NOW_S

    assert computed(0) == 0
    assert computed(looking_ahead.FRESH_S - 1) == 0
    assert computed(looking_ahead.FRESH_S) == looking_ahead.FRESH_S
    assert computed(looking_ahead.ASKED_FOR_S + 60) == looking_ahead.FRESH_S


def test_only_what_somebody_may_see_is_named(api: Any, down: Ticket, gates: Team) -> None:
    Ticket.objects.filter(pk=down.pk).update(is_confidential=1)
    shown(api, "Tomas")
    looking_ahead.keep_current(NOW_S)
    told = of_team(shown(api, "Tomas"), gates)
    assert (told["due"], told["hidden"]) == ([], 1)
    assert down.title not in str(told)
    assert api("Ines").get("/api/outlook").status_code == 403


def test_a_team_of_others_is_not_told_of(api: Any, gates: Team) -> None:
    own = set(Membership.objects.filter(person__name="Signe Hallam").values_list("team", flat=True))
    assert gates.pk not in own
    for team in (str(gates.pk), "999999"):
        assert api("Signe").get("/api/outlook", {"team": team}).status_code == 404
    assert {one["team"] for one in shown(api, "Signe")["teams"]} <= own
    for nonsense in ("x", "-1", "9" * 40, "1.5"):
        assert api("Tomas").get("/api/outlook", {"team": nonsense}).status_code == 422


def test_nobody_works_nothing_is_told(api: Any, down: Ticket, gates: Team) -> None:
    for member in gates.memberships.all():
        Absence.objects.create(
            person=member.person,
            starts_at=NOW - timedelta(days=1),
            ends_at=NOW + timedelta(days=30),
        )
    shown(api, "Tomas")
    looking_ahead.keep_current(NOW_S)
    told = of_team(shown(api, "Tomas"), gates)
    assert told["is_anybody"] is False
    assert told["expected"] is None
    assert told["due"] == []


@pytest.mark.parametrize(
    ("away", "expected"),
    [
        ([], [(0, 100)]),
        ([(20, 30)], [(0, 20), (30, 100)]),
        ([(0, 50), (40, 60)], [(60, 100)]),
        ([(-10, 200)], []),
        ([(100, 120), (-5, 0)], [(0, 100)]),
        ([(10, 20), (80, 130)], [(0, 10), (20, 80)]),
    ],
)
def test_who_is_away_does_not_work(away: Any, expected: Any) -> None:
    assert playing.without([(0, 100)], away) == expected


@pytest.mark.parametrize(
    ("people", "expected"),
    [
        ([], None),
        ([[(0, 4 * HOUR), (10 * HOUR, 20 * HOUR)]], 14 * HOUR),
        # Two at once are one hour of the team's, not two.
        ([[(0, 4 * HOUR)], [(HOUR, 5 * HOUR), (6 * HOUR, 20 * HOUR)]], 9 * HOUR),
        ([[(0, HOUR)]], HOUR),
    ],
)
def test_eight_hours_are_those_in_which_anybody_works(people: Any, expected: Any) -> None:
    assert playing.horizon_end(people, 0) == expected


def test_the_past_is_told_as_it_was(down: Ticket, gates: Team, by: Any, at: Any) -> None:
    """What an instant of the past is told by is what it was told by when it was now."""
    other = Ticket.objects.get(pk=down.pk)
    assert playing.open_then(gates, NOW_S) == playing.open_now(gates)
    at.later(minutes=20)
    actions.reply(other.pk, by("Bram"), "I am on my way.")
    later_s = seconds_of(at.now)
    now = playing.open_now(gates)
    assert now[0].answer is None
    assert now[0].fix is not None
    then = playing.open_then(gates, later_s)
    assert [(one.number, one.answer) for one in then] == [(down.pk, None)]
    assert then[0].fix is not None
    assert then[0].fix.due_s == now[0].fix.due_s
    # Before the answer it ran, and before the ticket there was nothing.
    assert playing.open_then(gates, NOW_S)[0].answer is not None
    assert playing.open_then(gates, NOW_S - 1) == []


def test_what_was_said_is_held_to_what_became_of_it(
    api: Any, down: Ticket, gates: Team, log: Any
) -> None:
    hidden = log("Lena", "Crew roster", title="Somebody reads my mail", **STOPPED)
    Ticket.objects.filter(pk=hidden.pk).update(is_confidential=1, team=gates)
    row, _ = TeamOutlook.objects.get_or_create(team=gates, defaults={"asked_s": 0})
    assert looking_ahead.foretell(current(), row, [NOW_S], NOW_S) == 2
    # Told once, whoever asks again.
    assert looking_ahead.foretell(current(), row, [NOW_S], NOW_S) == 0
    assert api("Tomas").get("/api/outlook/came-true").json()["steps"] == []
    until_s = Forecast.objects.get(ticket=down).until_s
    Clock.objects.filter(ticket=down, kind="answer", holder="").update(missed_s=NOW_S + HOUR)
    Clock.objects.filter(ticket=hidden).update(missed_s=until_s + 1)
    looking_ahead.keep_current(until_s - 1)
    assert Forecast.objects.filter(was_late=None, at_s=NOW_S).count() == 2
    looking_ahead.keep_current(until_s)
    said = dict(Forecast.objects.filter(at_s=NOW_S).values_list("ticket", "was_late"))
    assert said == {down.pk: True, hidden.pk: False}
    steps = api("Tomas").get("/api/outlook/came-true").json()["steps"]
    behind = [one for step in steps for one in step["behind"] if one["at_s"] == NOW_S]
    assert [(one["number"], one["was_late"]) for one in behind] == [(down.pk, True)]
    assert sum(step["count"] for step in steps) == len([o for s in steps for o in s["behind"]])


def test_it_is_written_down_twice_a_day_and_no_more(down: Ticket, gates: Team) -> None:
    looking_ahead.keep_current(NOW_S)
    assert not Forecast.objects.exists()  # it was opened after one in the afternoon
    Clock.objects.filter(ticket=down, holder="").update(target_seconds=30 * HOUR)
    for hours in range(1, 30):
        looking_ahead.keep_current(NOW_S + hours * HOUR)
    told = Forecast.objects.filter(ticket=down).order_by("at_s").values_list("at_s", flat=True)
    at_nine = NOW.replace(hour=9, minute=0) + timedelta(days=1)
    assert list(told) == [seconds_of(at_nine), seconds_of(at_nine) + 4 * HOUR]
