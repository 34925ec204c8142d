"""Twelve problems at Northmere, in every state, with what was found out about each."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from gannet.estate.models import Service
from gannet.people.acting import Acting
from gannet.people.models import Person
from gannet.problems import causes, decide, linking, workaround, worth
from gannet.problems.models import WorkaroundUse
from gannet.tickets import actions
from gannet.tickets.models import Ticket
from gannet_core.conditions import fold
from gannet_core.instants import instant_of, seconds_of
from gannet_core.problems import CONFIRMED, RULED_OUT

_DAY = timedelta(days=1)


@dataclass(frozen=True, kw_only=True)
class _Told:
    """One problem: its incidents are those of a service whose titles say some words.

    `causes` are (says, under, state, evidence); `days` is how long ago it was opened;
    `used` how often its workaround was used beside what was told.
    """

    title: str
    service: str
    words: Sequence[str]
    days: int
    incidents: int
    text: str = ""
    causes: Sequence[tuple[str, str, str, str]] = ()
    workaround: str = ""
    is_for_portal: bool = False
    used: int = 0
    fix: tuple[str, int] | None = None
    ends: str = ""
    why: str = ""


_TOLD = (
    _Told(
        title="Till printers print blank tickets",
        service="Ticket office tills",
        words=("blank tickets", "No tickets out"),
        days=150,
        incidents=50,
        text="A new roll, the right way round, and nothing on it; on all tills, not one.",
        causes=(
            ("At the till", "", CONFIRMED, "only tills with the heads of 2024"),
            ("The head gets too dirty to heat", "At the till", CONFIRMED, "wiped heads print again: 31 of 33"),
            ("The paper of the new supplier", "", RULED_OUT, "old rolls came out blank as well"),
            ("A setting of the last update", "", RULED_OUT, "none was changed in it"),
        ),
        workaround="Open the head, wipe it with a dry cloth, close it, and feed one ticket with the outer key.",
        is_for_portal=True,
        used=40,
        fix=("New heads for twelve till printers, fitted by the maker", 205_000),
        ends="fix",
    ),
    _Told(
        title="The ship-to-shore link drops between ports",
        service="Ship-to-shore link",
        words=("link drops", "loses the link"),
        days=75,
        incidents=38,
        text="For two to nine minutes, near Farrow Sound, on every ship but Halcyon.",
        causes=(
            ("On the ship", "", CONFIRMED, "Halcyon, with the newer router, never"),
            ("Firmware 7.1 lets go at a new mast", "On the ship", CONFIRMED, "33 of 38 drops within 90 s of a new mast"),
            ("Water in the aerial cable", "On the ship", RULED_OUT, "dry, loss 0.3 dB on both ships"),
            ("On land", "", RULED_OUT, "as strong as before on 14 nights"),
            ("The Brightmast line drops", "", RULED_OUT, "nothing in their log at any of the times"),
        ),
        workaround="On the bridge router's page choose Carrier, second. Let go of it once past Farrow Sound.",
        used=14,
        fix=("Firmware 7.2 on four ships, by night", 126_000),
        ends="fix",
    ),
    _Told(
        title="Handhelds are refused once their certificate has run out",
        service="Boarding gates",
        words=("Handheld", "handheld"),
        days=120,
        incidents=24,
        causes=(
            ("The certificate of a batch runs out unseen", "", CONFIRMED, "all 24 were of the batch of last autumn"),
        ),
        workaround="Enrol the handheld again at the terminal office: hold both keys, then Enrol.",
        used=20,
        fix=("Renew certificates by themselves", 64_000),
        ends="fix",
    ),
    _Told(
        title="Two planners save in one second and one is lost",
        service="Berth planner",
        words=("does not save", "twice"),
        days=95,
        incidents=19,
        causes=(
            ("The planner does not see that the plan has changed", "", CONFIRMED, "shown twice with two windows"),
        ),
        workaround="Reload the plan, and set the move again.",
        used=11,
        fix=("A lock on the plan of a day, by the maker", 540_000),
        ends="live",
        why="The maker changes it in spring, and the planners sit in one room",
    ),
    _Told(
        title="Crew tablets lose their sign-in",
        service="Crew roster",
        words=("rew tablet", "Tablet"),
        days=16,
        incidents=17,
        text="They take the code and go back to the start page.",
        causes=(
            ("The clock of the tablet is wrong after a flat battery", "", "open", ""),
            ("The sign-in service forgets them", "", RULED_OUT, "they stand in its list"),
        ),
    ),
    _Told(
        title="Roster shows a week twice after a swap",
        service="Crew roster",
        words=("twice", "swap"),
        days=9,
        incidents=14,
    ),
    _Told(
        title="Gates hesitate since the update of the autumn",
        service="Boarding gates",
        words=("slow since", "hesitates", "Ten seconds"),
        days=4,
        incidents=11,
    ),
    _Told(
        title="Callers are cut off after thirty seconds",
        service="Terminal phones",
        words=("cut callers off",),
        days=320,
        incidents=16,
        causes=(("The exchange ends calls that it thinks are silent", "", CONFIRMED, "never with the hold tone on"),),
        workaround="Press the hold key once as soon as the caller speaks.",
        used=6,
        fix=("A newer exchange software", 32_000),
        ends="resolved",
        why="The exchange has the newer software; nobody has been cut off since.",
    ),
    _Told(
        title="Departure screens freeze at midnight",
        service="Signage",
        words=("frozen",),
        days=400,
        incidents=22,
        causes=(("They fetch the day's plan before it is there", "", CONFIRMED, "at 00:00 each time"),),
        workaround="Press Refresh on the screen's page.",
        fix=("Fetch the plan ten minutes later", 9_000),
        ends="closed",
        why="The screens fetch the plan at ten past midnight now.",
    ),
    _Told(
        title="Wi-Fi is slow in the lounges on full sailings",
        service="Passenger Wi-Fi",
        words=("slow on",),
        days=200,
        incidents=30,
        causes=(("The line to shore is full", "", CONFIRMED, "at 98 % on every full sailing"),),
        fix=("A second line on four ships", 4_800_000),
        ends="live",
        why="It would cost more than it brings; asked again when the contract ends",
    ),
    _Told(
        title="Payslips of leavers are missing",
        service="Payroll",
        words=("Payslip",),
        days=260,
        incidents=9,
        ends="cancelled",
        why="Not one cause: three were moved by hand, the others were late.",
    ),
    _Told(
        title="The disaster copy of the booking data has never been tried",
        service="Web booking",
        words=(),
        days=6,
        incidents=0,
        text="Nothing has broken. It would take days if it did.",
        causes=(("Nobody has had the time", "", "open", ""),),
    ),
)  # fmt: skip
_LEADS = {
    "Ship-to-shore link": "Joss Levering",
    "Ticket office tills": "Bram Okafor",
    "Berth planner": "Signe Hallam",
    "Boarding gates": "Signe Hallam",
}


def make_problems(now: datetime) -> None:
    """Open, weigh, tell and end the twelve, each act when it was."""
    for number, told in enumerate(_TOLD):
        _make(told, now - timedelta(hours=number), now)


def _make(told: _Told, ends_at: datetime, now: datetime) -> None:
    opened = ends_at - told.days * _DAY
    service = Service.objects.select_related("team").get(name=told.service)
    who = _who(service)
    at = Acting(person=who, now=opened)
    early, late = _incidents(told, service, opened, now)
    new = linking.NewProblem(
        title=told.title,
        text=told.text,
        service=service,
        category=service.category,
        incidents=early,
        born_of=f"the pattern of {told.service}" if told.incidents > 15 else "",
    )
    ticket = linking.open_problem(new, at)
    if told.causes or told.workaround:
        actions.take(ticket.pk, at, force=True)
    for says, under, state, evidence in told.causes:
        opened += _DAY / 2
        at = Acting(person=who, now=min(opened, ends_at))
        parents = {one["says"]: one["id"] for one in _causes(ticket)}
        causes.add_cause(ticket.pk, at, says, parents.get(under, ""))
        if state != "open":
            key = _causes(ticket)[-1]["id"]
            causes.change_cause(ticket.pk, at, key, {"state": state, "evidence": [evidence]})
    if late:
        # When all that was said on them has been said.
        said_s = max(Ticket.objects.filter(pk__in=late).values_list("changed_s", flat=True))
        linked = instant_of(max(said_s, seconds_of(opened))) + timedelta(minutes=1)
        linking.link(ticket.pk, Acting(person=who, now=min(linked, now)), late)
    if told.workaround:
        at = Acting(person=who, now=min(opened + _DAY, ends_at))
        said = workaround.Telling(
            workaround=told.workaround,
            words=workaround.SHIPPED_WORDS,
            is_for_portal=told.is_for_portal,
            no_cause_why="It helps whatever the cause is.",
            decided={},
        )
        workaround.tell(ticket.pk, at, said)
        _used(ticket, told.used, opened, who)
    if told.fix is not None:
        at = Acting(person=who, now=min(opened + 2 * _DAY, ends_at))
        worth.cost_fix(ticket.pk, at, *told.fix)
    _end(ticket, told, Acting(person=who, now=min(opened + 4 * _DAY, ends_at)), now)


def _end(ticket: Ticket, told: _Told, acting: Acting, now: datetime) -> None:
    if told.ends == "fix":
        decide.decide_to_fix(ticket.pk, acting)
    elif told.ends == "live":
        decide.live_with(ticket.pk, acting, now + 40 * _DAY, told.why)
    elif told.ends == "cancelled":
        actions.cancel(ticket.pk, acting, told.why)
    elif told.ends in ("resolved", "closed"):
        days = 3 if told.ends == "resolved" else 200
        at = Acting(person=acting.person, now=now - days * _DAY / 2)
        actions.resolve(ticket.pk, at, told.why)
        if told.ends == "closed":
            actions.close(ticket.pk, Acting(person=None, now=now - 90 * _DAY))


def _who(service: Service) -> Person:
    """Who looks after the problems of a service: of its team, so that they may decide."""
    name = _LEADS.get(service.name)
    if name is not None:
        return Person.objects.get(name=name)
    assert service.team is not None
    member = service.team.memberships.select_related("person").order_by("pk")[0]
    return member.person


def _incidents(
    told: _Told, service: Service, opened: datetime, now: datetime
) -> tuple[list[int], list[int]]:
    """The incidents of a problem: those that were over when it was opened, and the others."""
    if not told.incidents:
        return [], []
    opened_s = seconds_of(opened)
    rows = Ticket.objects.filter(
        kind="incident", service=service, opened_s__gt=opened_s - 120 * 86_400, is_confidential=0
    )
    words = [fold(word) for word in told.words]
    found = [
        (number, at_s, changed_s)
        for number, title, at_s, changed_s in rows.order_by("opened_s").values_list(
            "id", "title_folded", "opened_s", "changed_s"
        )
        if any(word in title for word in words)
    ]
    ended = {"closed": 200, "resolved": 3}.get(told.ends, 0)
    before = seconds_of(now) - ended * 86_400
    old = [row for row in found if row[1] < before]
    # As many before as after it, where there are: the last of them, spread over the time.
    step = max(1, len(old) // told.incidents)
    kept = old[::-1][::step][: told.incidents][::-1]
    early = [number for number, _, changed_s in kept if changed_s <= opened_s]
    return early, [number for number, _, changed_s in kept if changed_s > opened_s]


def _causes(ticket: Ticket) -> list[dict[str, str]]:
    ticket.refresh_from_db()
    found: list[dict[str, str]] = Ticket.objects.get(pk=ticket.pk).problem_facts.causes
    return found


def _used(ticket: Ticket, times: int, since: datetime, who: Person) -> None:
    """Incidents since then on which the desk used the workaround."""
    later = linking.incidents_of(ticket.pk).filter(is_open=False).order_by("-opened_s")[:times]
    WorkaroundUse.objects.bulk_create(
        WorkaroundUse(
            problem=ticket,
            ticket=one,
            person=who,
            how=workaround.DESK,
            at_s=max(one.opened_s + 1800, seconds_of(since)),
        )
        for one in later
    )
