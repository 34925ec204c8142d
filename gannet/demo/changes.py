"""The changes of today at Northmere Ferries: what is drafted, asked, planned, done lately."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

from gannet.changes import planning, releases, stages
from gannet.estate.models import ConfigItem, Service
from gannet.people.acting import Acting
from gannet.people.models import Person
from gannet.tickets.actions import approvals
from gannet.tickets.models import Approval, ApprovalState, Link, LinkKind, Ticket
from gannet.tickets.states import state_code
from gannet_core.instants import seconds_of

_LONDON = ZoneInfo("Europe/London")
_JOSS, _BRAM, _SIGNE, _MARIT = "Joss Levering", "Bram Okafor", "Signe Hallam", "Marit Osei"


@dataclass(frozen=True, kw_only=True)
class _Told:
    """One change: when it begins (weekday, weeks on, hour, minute), how far it has come."""

    title: str
    items: Sequence[str]
    when: tuple[int, int, int, int] | None = None
    minutes: int = 90
    who: str = ""
    template: str = ""
    service: str = ""
    why: str = ""
    tried: str = ""
    stage: str = "planned"
    steps: Sequence[tuple[str, str, int]] = ()
    problem: str = ""
    expects: Sequence[tuple[str, Any]] = ()


_MON, _TUE, _WED, _THU, _FRI, _SAT, _SUN = range(7)
_PLAIN = (
    ("implement", "Copy what is there", 15),
    ("implement", "Change it", 20),
    ("test", "Use it once as its users do", 10),
    ("back out", "Set it back as it was", 15),
)
_BRIDGE = (
    ("implement", "Tell both bridges and get their yes", 10),
    ("implement", "Hold both ships on the second carrier", 10),
    ("implement", "Load 7.3 on Skerry Light, at Saltgate", 35),
    ("implement", "Load 7.3 on Tern, at Kestrel Point", 35),
    ("test", "Call, manifest and position on the first carrier", 30),
    ("test", "Watch both links past mast 4", 45),
    ("back out", "Load the kept 7.1 image on both, side by side", 35),
    ("back out", "Let go of the second carrier, test one ship", 15),
)
_TOLD = (
    _Told(
        title="New firmware for the satellite routers of Skerry Light and Tern",
        items=("satellite-terminal-1-skerry-light", "satellite-terminal-1-tern"),
        when=(_THU, 1, 1, 30), minutes=165, who=_JOSS, service="Ship-to-shore link",
        why="7.1 lets go of the first carrier between masts 3 and 4.", steps=_BRIDGE, stage="cab",
        problem="The ship-to-shore link drops between ports",
    ),
    _Told(
        title="Second satellite terminal of Tern on the new channel",
        items=("satellite-terminal-2-tern",), when=(_THU, 1, 3, 30), minutes=60, who=_JOSS,
        service="Ship-to-shore link", why="The old channel is full on Saturdays.", steps=_PLAIN,
        stage="planned",
    ),
    _Told(
        title="Replace the database of the berth planner", items=("database-2",),
        when=(_SUN, 1, 1, 30), minutes=150, template="database-upgrade",
        why="The maker looks after version 14 until March only.", stage="cab",
    ),
    _Told(
        title="Move the booking site to the new certificates", items=("booking-site",),
        when=(_THU, 1, 2, 0), minutes=60, service="Web booking", steps=_PLAIN,
        why="The old ones run out on the 20th.", stage="cab",
    ),
    _Told(
        title="Gate control to version 15", items=("gate-control", "gate-server"),
        when=(_SUN, 2, 1, 30), minutes=60, service="Boarding gates", steps=_PLAIN,
        why="It mends the hesitating gates of the autumn.", tried="At the gate in the workshop",
        stage="cab", problem="Gates hesitate since the update of the autumn",
    ),
    _Told(
        title="Firewall: new rules for the payment line", items=("firewall", "loam-gateway"),
        when=(_WED, 1, 14, 0), minutes=45, service="Ticket office tills", steps=_PLAIN,
        why="Loam Payments moves its addresses.", stage="cab",
    ),
    _Told(
        title="Monthly updates of the laptops", items=(), template="laptop-patches",
        when=(_TUE, 1, 18, 30), minutes=150, stage="planned",
    ),
    _Told(
        title="New version of the sign player", items=("sign-player",), template="sign-player",
        when=(_MON, 1, 19, 0), minutes=90, stage="planned",
    ),
    _Told(
        title="More memory for the roster server", items=("roster-server",),
        when=(_WED, 2, 19, 0), minutes=60, service="Crew roster", steps=_PLAIN,
        why="The planning of spring runs out of it.", tried="On the archive server", stage="planned",
        expects=(("memory", 128),),
    ),
    _Told(
        title="Swap of quay switch 1, Orrin Bay", items=("quay-switch-1-orrin-bay",),
        template="switch-swap", when=(_SUN, 2, 1, 30), minutes=130, who=_BRAM, stage="assess",
    ),
    _Told(
        title="Mail servers to the new version, one after the other",
        items=("mail-server-1", "mail-server-2"), when=(_WED, 2, 18, 30), minutes=180,
        service="Mail and calendar", steps=_PLAIN, why="The old one is not mended any more.",
        stage="planned",
    ),
    _Told(
        title="Till printers: new heads for Saltgate", items=("till-service",), who=_BRAM,
        service="Ticket office tills", why="Blank tickets; the maker’s heads of this year.",
        stage="draft", problem="Till printers print blank tickets",
    ),
    _Told(title="A second line to Ilha Clara", items=(), who=_SIGNE, stage="draft"),
    _Told(
        title="New software on the tills of Vell Island", items=("till-service",),
        template="till-software", when=(_THU, 0, 1, 30), minutes=80, stage="look back",
    ),
    _Told(
        title="Rounding of swapped shifts on the roster service", items=("roster-service",),
        when=(_MON, -1, 18, 30), minutes=75, service="Crew roster", steps=_PLAIN,
        why="Seven minutes too few for each swapped shift.", tried="On the copy", stage="look back",
        problem="Two planners save in one second and one is lost",
    ),
)  # fmt: skip


def make_changes(now: datetime) -> None:
    """Open and carry each as far as it has come, by the acts that people would do."""
    for told in _TOLD:
        _make(told, now)
    _emergency(now)
    _release(now)


_CARRIED = (
    ("Tills", "New till version at Saltgate", "till-service"),
    ("Gates", "Gate readers read the new tickets", "gate-server"),
    ("Signs and booking", "Booking site prints the new tickets", "booking-site"),
)


def _release(now: datetime) -> None:
    """A release in preparation: what the tickets of spring need, in three phases."""
    joss = Acting(person=Person.objects.get(name=_JOSS), now=now - timedelta(days=3))
    starts = _starts((_SUN, 3, 1, 30), now, is_over=False)
    span: dict[str, Any] = {
        "starts_s": seconds_of(starts),
        "ends_s": seconds_of(starts + timedelta(minutes=180)),
    }
    whole = planning.open_change(
        planning.NewChange(
            title="Tickets of spring",
            why="Tills, gates and the booking site take up the new tickets in one night.",
            service=Service.objects.get(name="Boarding gates"),
            is_release=True,
            **span,
        ),
        joss,
    )
    first = {"part": "implement", "says": "Tell all terminals and both night crews", "minutes": 15}
    planning.edit(whole.pk, joss, {"steps": [first], "tried": "At the gate in the workshop"})
    places, carried = {}, list[int]()
    for phase, title, key in _CARRIED:
        item = ConfigItem.objects.get(key=key)
        new = planning.NewChange(
            title=title,
            why="Tickets of spring",
            items=[item],
            service=item.service or Service.objects.get(name="Boarding gates"),
            **span,
        )
        part = planning.open_change(new, joss)
        steps = [{"part": where, "says": says, "minutes": took} for where, says, took in _PLAIN]
        planning.edit(part.pk, joss, {"steps": steps, "tried": "At the gate in the workshop"})
        releases.join(whole.pk, joss, part.pk)
        places[part.pk] = phase
        carried.append(part.pk)
    phases = [{"name": name, "gate": name == "Gates"} for name, _, _ in _CARRIED]
    releases.set_phases(whole.pk, joss, phases, places)
    # What is changed last waits for the trial of what was changed first.
    tried = {"change": carried[0], "step": "s2"}
    begun = {"change": carried[-1], "step": "s1"}
    releases.set_links(whole.pk, joss, [{"waits_for": tried, "step": begun}])


def _make(told: _Told, now: datetime) -> None:
    is_over = told.stage == "look back"
    starts = _starts(told.when, now, is_over=is_over) if told.when else None
    ends = starts + timedelta(minutes=told.minutes) if starts else None
    opened = (min(starts, now) if starts else now) - timedelta(days=6 if is_over else 4)
    items = {one.key: one for one in ConfigItem.objects.filter(key__in=told.items)}
    service = Service.objects.filter(name=told.service).first() if told.service else None
    problem = Ticket.objects.filter(kind="problem", title=told.problem).first()
    new = planning.NewChange(
        title=told.title,
        why=told.why,
        template=told.template,
        service=service,
        items=[items[key] for key in told.items if key in items] or _anything(told),
        starts_s=seconds_of(starts) if starts else None,
        ends_s=seconds_of(ends) if ends else None,
        problem=problem.pk if problem else None,
    )
    who = Person.objects.get(name=told.who) if told.who else _somebody(told, service)
    at = Acting(person=who, now=opened)
    ticket = planning.open_change(new, at)
    steps = [{"part": part, "says": says, "minutes": took} for part, says, took in told.steps]
    edits: dict[str, Any] = {"steps": steps} if steps else {}
    if told.tried:
        edits["tried"] = told.tried
    if told.expects:
        edits["items"] = [
            {"item": one.item_id, "expected": dict(told.expects)}
            for one in ticket.change_items.all()
        ]
    if edits:
        planning.edit(ticket.pk, at, edits)
    if told.stage == "draft":
        return
    at = Acting(person=who, now=opened + timedelta(hours=5))
    stages.submit(ticket.pk, at)
    ticket.refresh_from_db()
    if told.stage == "assess":
        return
    manager = Acting(person=Person.objects.get(name=_MARIT), now=opened + timedelta(hours=22))
    if ticket.state == state_code("assess"):
        stages.assess_it(ticket.pk, manager)
    _decide(ticket, manager.now + timedelta(hours=2), all_of_them=told.stage != "cab")
    if is_over and starts and ends:
        stages.start(ticket.pk, Acting(person=who, now=starts + timedelta(minutes=2)))
        stages.implemented(ticket.pk, Acting(person=who, now=ends + timedelta(minutes=11)))
        _since(ticket, who, ends)


def _decide(ticket: Ticket, at: datetime, *, all_of_them: bool) -> None:
    """Whoever is asked approves, one after the other; the CAB is left, unless it is over."""
    for _ in range(12):
        asked = (
            Approval.objects.filter(ticket=ticket, state=ApprovalState.PENDING)
            .select_related("stage", "asked_of")
            .first()
        )
        if asked is None or (not all_of_them and asked.stage and asked.stage.key == "cab"):
            return
        approvals.decide(Acting(person=asked.asked_of, now=at), asked.pk, approves=True, reason="")
        at += timedelta(hours=1)


def _since(ticket: Ticket, who: Person, ended: datetime) -> None:
    """Two incidents since then are linked as caused by it, if there are."""
    after = Ticket.objects.filter(
        kind="incident", service=ticket.service, opened_s__gte=seconds_of(ended), is_confidential=0
    ).exclude(links_out__kind=LinkKind.CAUSED_BY)
    for incident in after.order_by("opened_s")[:2]:
        Link.objects.create(
            source=incident, target=ticket, kind=LinkKind.CAUSED_BY,
            made_by=who, made_s=seconds_of(ended) + 86_400,
        )  # fmt: skip


def _emergency(now: datetime) -> None:
    """One that was done at once, for a P1, and recorded after the fact."""
    who = Person.objects.get(name=_JOSS)
    incident = (
        Ticket.objects.filter(kind="incident", priority=1, service__name="Ship-to-shore link")
        .order_by("-opened_s")
        .first()
    )
    began = now - timedelta(hours=30)
    new = planning.NewChange(
        title="Reseat the radio of mast 4",
        why="The link of three ships was down.",
        items=list(ConfigItem.objects.filter(kind="mast").order_by("pk")[:1]),
        service=Service.objects.get(name="Ship-to-shore link"),
        starts_s=seconds_of(began),
        ends_s=seconds_of(began + timedelta(minutes=50)),
        incident=incident.pk if incident else None,
        reason="Three ships had no link.",
        is_after_the_fact=True,
    )
    at = Acting(person=who, now=began + timedelta(hours=3))
    ticket = planning.open_change(new, at)
    planning.edit(ticket.pk, at, {"type": "emergency"})
    stages.submit(ticket.pk, at)
    manager = Acting(person=Person.objects.get(name=_MARIT), now=began + timedelta(hours=5))
    stages.assess_it(ticket.pk, manager)


def _starts(when: tuple[int, int, int, int], now: datetime, *, is_over: bool) -> datetime:
    """A local weekday, so many weeks on; what is over lies ten to sixteen days back."""
    weekday, weeks, hour, minute = when
    local = now.astimezone(_LONDON)
    day = local.date() - timedelta(days=local.weekday()) + timedelta(days=weekday)
    day += timedelta(weeks=weeks - 2 if is_over and weeks == 0 else weeks)
    if is_over and day > local.date() - timedelta(days=9):
        day -= timedelta(weeks=1)
    if not is_over and day <= local.date() + timedelta(days=1):
        day += timedelta(weeks=1)
    return datetime(day.year, day.month, day.day, hour, minute, tzinfo=_LONDON)


def _anything(told: _Told) -> list[ConfigItem]:
    if told.stage == "draft":
        return []
    return list(ConfigItem.objects.filter(name="Print service"))


def _somebody(told: _Told, service: Service | None) -> Person:
    """Somebody of the team of its service, another for each title."""
    item = ConfigItem.objects.filter(key__in=told.items).exclude(team=None).first()
    team = item.team if item else service.team if service else None
    if team is None:
        return Person.objects.get(name=_SIGNE)
    members = [one.person for one in team.memberships.select_related("person").order_by("pk")]
    return members[len(told.title) % len(members)]
