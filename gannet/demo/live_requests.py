"""Requests of this week: waiting on somebody, refused, under way – each with people to see."""

from datetime import datetime, timedelta
from typing import Any

from gannet.people.models import Person
from gannet.portal.announcements import write_announcement
from gannet.requests.asking import Line, Wish, ask_for
from gannet.tickets.actions import Acting, approvals, make_deputy, take
from gannet.tickets.models import Approval, ApprovalState, Ticket
from gannet_core.instants import instant_of, seconds_of

_NEWCOMER = {
    "newcomer_name": "Petra Voss",
    "account_name": "petra.voss",
    "ship_to": "Orrin Bay",
    "doors": "Terminal",
    "works_away": True,
}
_PARTS = {"laptop": {"laptop_size": "15 inches"}, "remote-access": {"outside_country": False}}
_DAY = 86_400


def _sunday_at_two(now: datetime) -> int:
    """The end of the coming Saturday's night, at least a day ahead."""
    days = (6 - now.weekday()) % 7 or 7
    sunday = now.replace(hour=2, minute=0, second=0, microsecond=0) + timedelta(days=days)
    return seconds_of(sunday)


def make_news(now: datetime) -> None:
    """What everybody's portal tells besides what is broken."""
    lead, now_s = Person.objects.get(name="Marit Osei"), seconds_of(now)
    told = [
        (
            "Payroll rests on Saturday night",
            "From 22:00 to 02:00 nobody can sign in to *Payroll*. Slips of this month are out.",
            "",
            _sunday_at_two(now),
        ),
        ("Help desk at the Kestrel Point ramp", "Tuesdays and Thursdays, 9 to 11.", "Kestrel Point", now_s + 20 * _DAY),
    ]  # fmt: skip
    for title, text, place, to_s in told:
        span = {"from_s": now_s - _DAY, "to_s": to_s}
        given = {"title": title, "text": text, "place": place, **span}
        write_announcement(Acting(person=lead, now=now - timedelta(days=1)), given)


def make_requests(now: datetime) -> None:
    """What people have asked for lately, by the same acts as from the portal."""
    people = {person.name: person for person in Person.objects.filter(roles__isnull=False)}

    def who(name: str) -> Person:
        return people[name]

    def ask(name: str, key: str, ago: timedelta, answers: Any = None, **more: Any) -> Ticket:
        at = Acting(person=who(name), now=now - ago)
        return ask_for(who(name), Wish(lines=[Line(key=key, answers=answers or {})], **more), at)

    def decide_all(
        ticket: Ticket, at: datetime, *, approves: bool = True, reason: str = ""
    ) -> None:
        while True:
            asked = Approval.objects.filter(ticket=ticket, state=ApprovalState.PENDING).first()
            if asked is None:
                return
            acting = Acting(person=asked.asked_of, now=at)
            approvals.decide(acting, asked.pk, approves=approves, reason=reason)

    def hours(count: int) -> timedelta:
        return timedelta(hours=count)

    now_s = seconds_of(now)
    a_day_ago = Acting(person=who("Tomas Wray"), now=instant_of(now_s - _DAY))
    make_deputy(a_day_ago, who("Marit Osei"), now_s - _DAY, now_s + 14 * _DAY)
    refused = ask("Piotr Dallow", "monitor", hours(70), {"ship_to": "Orrin Bay"})
    decide_all(
        refused, now - hours(50), approves=False, reason="Please share the one at counter 2."
    )
    first_day = (now + timedelta(days=9)).date().isoformat()
    under_way = ask(
        "Lena Okoro",
        "newcomer",
        hours(46),
        {**_NEWCOMER, "first_day": first_day},
        beneficiary=who("Piotr Dallow"),
        chosen=["monitor", "remote-access"],
        part_answers=_PARTS,
        reason="Petra joins the counter at Orrin Bay for the summer plan.",
    )
    decide_all(under_way, now - hours(30))
    for child in under_way.children.filter(request_facts__item="door-card"):
        take(child.pk, Acting(person=who("Bram Okafor"), now=now - hours(5)), force=True)
    ask("Owen Setchell", "headset", hours(20), {"ship_to": "Saltgate office"})
    ask(
        "Maeve Tarrant",
        "counter",
        hours(18),
        {"terminal": "Kestrel Point", "counter": "3"},
        chosen=["handheld"],
        reason="The second ramp opens in spring.",
    )
    ask(
        "Ines Corrado",
        "remote-access",
        hours(7),
        {"outside_country": True},
        reason="The yard at the refit is abroad.",
    )
    ask("Nuno Ferrer", "payroll-access", hours(6), {"reach": "See"}, reason="For the year's end.")
    ask(
        "Piotr Dallow",
        "laptop",
        hours(3),
        {"laptop_size": "13 inches, light", "ship_to": "Orrin Bay"},
    )
    ask(
        "Maeve Tarrant",
        "move-fixed",
        hours(2),
        {"which_thing": "Gate 2, Kestrel Point", "move_to": "The second ramp"},
    )
    ask("Maeve Tarrant", "password", hours(1), {"account_name": "maeve.tarrant"})
