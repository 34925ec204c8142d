"""Boards, of which the first decides; deputies told when their time begins; who hears of it."""

from collections.abc import Callable
from typing import Any

import pytest

from gannet.messages.models import Notification, Outgoing
from gannet.people.models import Membership, Team
from gannet.tickets import actions
from gannet.tickets.actions import approvals
from gannet.tickets.actions.routes import replace_leavers
from gannet.tickets.models import Approval, ApprovalState, StateCode, Ticket
from gannet.web.errors import Conflict, Invalid, Missing
from gannet_core.instants import instant_of, seconds_of
from tests.app.conftest import LAPTOP, approve_all, fire
from tests.conftest import NOW

pytestmark = pytest.mark.django_db
By = Callable[[str | None], Any]
NOW_S = seconds_of(NOW)


def pending(ticket: Ticket) -> list[Approval]:
    return list(ticket.approvals.filter(state=ApprovalState.PENDING).select_related("asked_of"))


def acting(person: Any) -> actions.Acting:
    return actions.Acting(person=person, now=NOW)


@pytest.fixture
def board(northmere: None) -> Team:
    return Team.objects.get(is_board=True)


@pytest.fixture
def passed_on(want: Any, board: Team) -> Ticket:
    ticket: Ticket = want("Piotr", "laptop", LAPTOP)
    (asked,) = pending(ticket)
    approvals.pass_on(acting(asked.asked_of), asked.pk, to=board, reason="Too dear for me.")
    return ticket


def test_the_first_of_a_board_decides_for_all_of_it(passed_on: Ticket, board: Team) -> None:
    asked = pending(passed_on)
    members = set(board.memberships.values_list("person__name", flat=True))
    assert len(asked) == len(members) > 1
    assert {one.asked_of.name for one in asked} == members
    assert all(board.name in one.because for one in asked)
    stage = asked[0].stage
    assert stage is not None
    approvals.decide(acting(asked[0].asked_of), asked[0].pk, approves=True, reason="")
    stage.refresh_from_db()
    assert stage.state == "approved"
    over = passed_on.approvals.filter(pk__in=[one.pk for one in asked[1:]])
    assert {one.state for one in over} == {ApprovalState.NOT_NEEDED}
    with pytest.raises(Conflict):
        approvals.decide(acting(asked[1].asked_of), asked[1].pk, approves=False, reason="No.")
    gone = Notification.objects.filter(about=f"approval:{asked[1].pk}", gone_s=None)
    assert not gone.exists()


def test_one_of_a_board_may_refuse_and_one_may_pass_it_on_alone(
    want: Any, passed_on: Ticket, person: Any
) -> None:
    first, second, *_ = pending(passed_on)
    approvals.pass_on(acting(first.asked_of), first.pk, to=person("Nuno"), reason="")
    (new,) = [one for one in pending(passed_on) if one.asked_of == person("Nuno")]
    assert new.seat == first.seat, "they sit in the board's seat now"
    approvals.decide(acting(second.asked_of), second.pk, approves=False, reason="Not this year.")
    passed_on.refresh_from_db()
    assert passed_on.approval == "refused" and passed_on.state == StateCode.CANCELLED
    assert pending(passed_on) == []


def test_whoever_replaces_a_leaver_of_a_board_sits_in_its_seat(passed_on: Ticket) -> None:
    left = next(one for one in pending(passed_on) if one.asked_of.manager is not None)
    left.asked_of.is_active = False
    left.asked_of.save()
    assert replace_leavers(NOW_S) == 1
    waiting = pending(passed_on)
    assert left not in waiting and {one.seat for one in waiting} == {left.seat}


def test_a_board_whose_members_all_ask_themselves_cannot_decide(
    want: Any, board: Team, person: Any
) -> None:
    ticket = want("Piotr", "laptop", LAPTOP)
    (asked,) = pending(ticket)
    board.memberships.all().delete()
    with pytest.raises(Invalid, match="Nobody of"):
        approvals.pass_on(acting(asked.asked_of), asked.pk, to=board)
    Membership.objects.create(team=board, person=person("Piotr"))
    with pytest.raises(Invalid, match="Nobody of"):
        approvals.pass_on(acting(asked.asked_of), asked.pk, to=board)
    desk = Team.objects.get(key="harbour-desk")
    with pytest.raises(Invalid, match="is no board"):
        approvals.pass_on(acting(asked.asked_of), asked.pk, to=desk)
    assert pending(ticket) == [asked], "nothing has changed"


def test_a_board_is_no_team_to_hand_tickets_to(api: Any, want: Any, board: Team) -> None:
    ticket = want("Piotr", "headset", {"ship_to": "Orrin Bay"})
    signe = api("Signe")
    assert board.pk not in [team["id"] for team in signe.get("/api/teams").json()]
    said = signe.post(
        f"/api/tickets/{ticket.pk}/hand-over",
        {"team": board.pk, "comment": "yours"},
        content_type="application/json",
    )
    assert said.status_code == 422
    assert [one["name"] for one in api("Piotr").get("/api/boards").json()] == [board.name]


def test_a_deputy_is_told_of_what_waits_once_their_time_begins(want: Any, person: Any) -> None:
    ticket = want("Piotr", "laptop", LAPTOP)
    (asked,) = pending(ticket)
    deputy = person("Nuno")
    begins = NOW_S + 3600
    row = actions.make_deputy(acting(asked.asked_of), deputy, begins, begins + 86_400)
    told = Outgoing.objects.filter(person=deputy, event_name="approval asked", ticket=ticket)
    assert fire("deputy", NOW_S) == 0 and not told.exists()
    with pytest.raises(Missing):
        approvals.decide(acting(deputy), asked.pk, approves=True, reason="")
    assert fire("deputy", begins) == 1 and told.count() == 1
    assert fire("deputy", begins + 1) == 0, "told once"
    row.refresh_from_db()
    assert row.told_s == begins
    later = actions.Acting(person=deputy, now=instant_of(begins))
    approvals.decide(later, asked.pk, approves=True, reason="")
    asked.refresh_from_db()
    assert asked.decided_by == deputy


def test_a_deputy_who_was_asked_at_once_is_not_told_again(want: Any, person: Any) -> None:
    """The worker may come late to the beginning of their time: it then tells the rest only."""
    before = want("Piotr", "laptop", LAPTOP)
    (asked,) = pending(before)
    deputy = person("Nuno")
    actions.make_deputy(acting(asked.asked_of), deputy, NOW_S - 60, NOW_S + 86_400)
    after = want("Piotr", "laptop", LAPTOP)
    told = Outgoing.objects.filter(person=deputy, event_name="approval asked")
    assert [mail.ticket_id for mail in told] == [after.pk]
    assert fire("deputy", NOW_S + 5) == 1
    assert sorted(mail.ticket_id for mail in told.all()) == [before.pk, after.pk]


def test_a_deputy_is_not_told_of_their_own_request(want: Any, person: Any) -> None:
    ticket = want("Piotr", "laptop", LAPTOP)
    (asked,) = pending(ticket)
    actions.make_deputy(acting(asked.asked_of), person("Piotr"), NOW_S, NOW_S + 9)
    fire("deputy", NOW_S)
    assert not Outgoing.objects.filter(person=person("Piotr"), event_name="approval asked").exists()


def test_who_asked_and_for_whom_hear_that_it_goes_ahead(want: Any, person: Any) -> None:
    ticket = want("Maeve", "laptop", LAPTOP, of="Piotr")
    names = {one.asked_of.name for one in pending(ticket)}
    approve_all(ticket)
    mails = Outgoing.objects.filter(event_name="request approved", ticket=ticket)
    assert {mail.person for mail in mails} == {person("Maeve"), person("Piotr")}
    assert all(name in mails[0].body for name in names)
    free = want("Piotr", "printer-toner", {"ship_to": "Orrin Bay"})
    assert free.approval == "automatic"
    assert not Outgoing.objects.filter(event_name="request approved", ticket=free).exists()
