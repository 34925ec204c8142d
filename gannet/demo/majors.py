"""Three major incidents at Northmere: one running in a closed circle, one reviewed, one drill."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from django.core.files.uploadedfile import SimpleUploadedFile

from gannet.estate.models import ConfigItem, Service
from gannet.majors import (
    declaring,
    gathering,
    impact,
    keeping,
    reviewing,
    rooms,
    timeline,
    updates,
)
from gannet.majors.models import MajorFacts, RoomChannel
from gannet.majors.standing import let_in
from gannet.people.acting import Acting
from gannet.people.models import Person, Role, Team
from gannet.tickets import actions
from gannet.tickets.actions.log import NewTicket, log_ticket
from gannet.tickets.models import Ticket
from gannet_core.instants import seconds_of

_MARIT, _SIGNE, _ROSALIND, _INES = (
    "Marit Osei",
    "Signe Hallam",
    "Rosalind Hathersage",
    "Ines Corrado",
)


@dataclass(frozen=True)
class _Said:
    """Something that was said: minutes after declaring, who, where, what; perhaps lifted."""

    minutes: int
    who: str
    channel: str
    text: str
    label: str = ""
    is_lifted: bool = False


def make_majors(now: datetime) -> None:
    _reviewed(now - timedelta(days=9, hours=3))
    _drill(now - timedelta(days=24, hours=2))
    _running(now)


def _person(name: str) -> Person:
    return Person.objects.get(name=name)


def _acting(name: str, at: datetime) -> Acting:
    return Acting(person=_person(name), now=at)


def _security() -> list[Person]:
    team = Team.objects.get(key="security")
    rows = team.memberships.filter(person__is_active=True).select_related("person")
    return [one.person for one in rows.order_by("-is_lead", "person_id")]


def _report(name: str, at: datetime, title: str, text: str, service: str, **more: object) -> Ticket:
    new = NewTicket(
        requester=_person(name),
        title=title,
        text=text,
        service=Service.objects.get(name=service),
        impact=1,
        urgency=1,
        **more,  # type: ignore[arg-type]
    )
    return log_ticket(new, _acting(name, at))


def _talk(facts: MajorFacts, said: Sequence[_Said], declared: datetime) -> None:
    channels = {one.name: one for one in RoomChannel.objects.filter(major=facts)}
    for one in said:
        acting = _acting(one.who, declared + timedelta(minutes=one.minutes))
        row = rooms.keep_said(facts, channels[one.channel], acting, one.text)
        if one.is_lifted:
            timeline.write_entry(facts.ticket_id, acting, "", message=row.pk, label=one.label)


def _tell(facts: MajorFacts, at: datetime, audience: str, text: str) -> None:
    row = facts.audiences.get(name=audience)
    updates.send(facts.ticket_id, _acting(_MARIT, at), row.pk, facts.ticket.title, text)


def _running(now: datetime) -> None:
    """Strange endings on the manifest drive, cut off as a precaution; its circle is closed."""
    declared = now - timedelta(minutes=103)
    people = _security()
    edda, nadia = people[0].name, people[-1].name
    # Of what is confidential only its team knows: somebody of it has to be able to declare.
    people[0].roles = [*people[0].roles, Role.MAJOR_LEAD]
    people[0].save()
    first = _report(
        "Piotr Dallow",
        declared - timedelta(minutes=17),
        "Every file on the manifest drive has a strange ending",
        "All files I saved yesterday end in .locked now and the planner does not open them.",
        "Freight manifest",
        is_confidential=True,
        given_team=(Team.objects.get(key="security"), "what spreads goes to Information Security"),
    )
    suggested_s = seconds_of(declared - timedelta(minutes=9))
    gathering.suggest(first.pk, None, suggested_s, "three like it in eight minutes")
    ticket = declaring.declare_from(
        first.pk,
        Acting(person=people[0], now=declared),
        {
            "title": "Manifest files renamed by something",
            "plan": "security",
            "text": "Files of the manifest drive get a strange ending. The drive is cut off, as a "
            "precaution; nothing is known to have left the network.",
            "began_at": declared - timedelta(minutes=23),
        },
    )
    facts = MajorFacts.objects.select_related("ticket").get(ticket=ticket)
    at = declared + timedelta(minutes=2)
    rooms.take_role(ticket.pk, Acting(person=people[0], now=at), "lead", _person(_MARIT))
    channels = {one.name: one for one in facts.channels.all()}
    for name in ("responders", "technical"):
        channels[name].people.add(_person(_MARIT), _person(_SIGNE))
    let_in(ticket, [_person(_MARIT), _person(_SIGNE)])
    rooms.take_role(ticket.pk, _acting(_MARIT, at), "technical", people[0])
    rooms.take_role(ticket.pk, _acting(_MARIT, at), "communications", _person(_SIGNE))
    for line in (0, 1, 2):
        reviewing.tick_off(ticket.pk, _acting(_MARIT, at), line, is_done=True)
    _talk(
        facts,
        (
            _Said(
                8,
                edda,
                "responders",
                "The manifest server is off the network. Nothing else is.",
                "decided",
                is_lifted=True,
            ),
            _Said(
                31,
                _MARIT,
                "responders",
                "Paper manifests at Saltgate and Orrin Bay from the next sailing.",
                "decided",
                is_lifted=True,
            ),
            _Said(
                59,
                edda,
                "technical",
                "The backup of the night is whole: opened, counted, compared.",
                "seen",
                is_lifted=True,
            ),
            _Said(
                72,
                nadia,
                "responders",
                "The new ending belongs to an export job that was changed on Friday.",
                "seen",
                is_lifted=True,
            ),
            _Said(
                85,
                _MARIT,
                "responders",
                "Stay cut off until the check, even if it looks harmless.",
                "decided",
                is_lifted=True,
            ),
            _Said(
                88,
                edda,
                "responders",
                "Nothing tried to leave the network before we cut it: the firewall log is quiet from Friday on.",
            ),
            _Said(
                92,
                nadia,
                "responders",
                "The export job writes its own ending while it runs. If it stops half way the ending stays.",
            ),
            _Said(
                97,
                edda,
                "responders",
                "Two hundred of 214 renamed files opened whole: only the names differ.",
                "seen",
                is_lifted=True,
            ),
            _Said(
                100,
                _MARIT,
                "responders",
                f"Good. Nobody reconnects before I say so here. @{edda}, how long for the rest?",
            ),
            _Said(102, edda, "responders", "Twenty minutes, by hand."),
            _Said(
                40,
                _ROSALIND,
                "legal",
                "No duty to tell anybody while no data of people is touched. I need to know by noon tomorrow.",
            ),
        ),
        declared,
    )
    log = SimpleUploadedFile("renamed-files.csv", b"name,opened\nmanifest-0412.csv,yes\n" * 200)
    keeping.keep(
        ticket.pk, _acting(edda, declared + timedelta(minutes=97)), channels["technical"].pk, log,
        folder="Evidence",
    )  # fmt: skip
    _tell(
        facts,
        declared + timedelta(minutes=14),
        "everyone hit",
        "Manifest files have strange names. The drive is off while we look. Use paper manifests.",
    )
    _tell(
        facts,
        declared + timedelta(minutes=19),
        "directors",
        "Manifest drive cut off as a precaution. Sailings go on with paper manifests.",
    )
    _tell(
        facts,
        declared + timedelta(minutes=44),
        "everyone hit",
        "Still off. No file is known to be harmed. We check copies one by one.",
    )
    _tell(
        facts,
        declared + timedelta(minutes=79),
        "directors",
        "Most files opened whole. The circle stays closed until the last is checked.",
    )
    _tell(
        facts,
        declared + timedelta(minutes=84),
        "everyone hit",
        "200 of 214 files are whole. Keep to paper manifests until we write again.",
    )
    facts.refresh_from_db()
    impact.keep_affected(facts)


def _reviewed(declared: datetime) -> None:
    """No till took a card for two hours; what was learned is written down and followed up."""
    titles = (
        ("Maeve Tarrant", "Card payments refused at every till"),
        ("Piotr Dallow", "Tills refuse all cards"),
        ("Lena Okoro", "Card reader says no connection, whole counter"),
        ("Ines Corrado", "Lounge till takes no cards"),
        ("Owen Setchell", "No card payment possible at Saltgate"),
        ("Nuno Ferrer", "Cards refused at the counter"),
    )
    reported = declared - timedelta(minutes=11)
    incidents = [
        _report(
            name,
            reported + timedelta(minutes=2 * index),
            title,
            "It says no connection. Cash works.",
            "Ticket office tills",
        )
        for index, (name, title) in enumerate(titles)
    ]
    ticket = declaring.declare_from(
        incidents[0].pk,
        _acting(_MARIT, declared),
        {
            "title": "No till takes cards",
            "plan": "sailing",
            "began_at": reported - timedelta(minutes=6),
        },
    )
    facts = MajorFacts.objects.select_related("ticket").get(ticket=ticket)
    gathering.gather(
        ticket.pk,
        _acting(_MARIT, declared + timedelta(minutes=3)),
        [one.pk for one in incidents[1:]],
    )
    rooms.take_role(
        ticket.pk,
        _acting(_MARIT, declared + timedelta(minutes=4)),
        "communications",
        _person(_SIGNE),
    )
    for line in range(5):
        reviewing.tick_off(
            ticket.pk, _acting(_SIGNE, declared + timedelta(minutes=6 + line)), line, is_done=True
        )
    _talk(
        facts,
        (
            _Said(
                6,
                _SIGNE,
                "responders",
                "All six terminals, every till, for a quarter of an hour. Cash works.",
                "seen",
                is_lifted=True,
            ),
            _Said(
                12,
                _MARIT,
                "responders",
                "Cash and the website only; crews sell on board by hand.",
                "decided",
                is_lifted=True,
            ),
            _Said(
                38,
                _SIGNE,
                "responders",
                "The certificate of the payment gateway ran out an hour ago.",
                "seen",
                is_lifted=True,
            ),
            _Said(
                51,
                _MARIT,
                "responders",
                "New certificate first at one till, then all.",
                "decided",
                is_lifted=True,
            ),
            _Said(
                63,
                _SIGNE,
                "responders",
                "Till 1 at Saltgate takes cards again.",
                "tried",
                is_lifted=True,
            ),
        ),
        declared,
    )
    _tell(
        facts,
        declared + timedelta(minutes=16),
        "everyone hit",
        "No till takes cards. Sell for cash, or send people to the website.",
    )
    _tell(
        facts,
        declared + timedelta(minutes=21),
        "directors",
        "Card payment is down at all counters; cash and the website work.",
    )
    _tell(
        facts,
        declared + timedelta(minutes=57),
        "everyone hit",
        "We know why and are putting it right, till by till.",
    )
    _tell(facts, declared + timedelta(minutes=86), "everyone hit", "All tills take cards again.")
    gathering.answer(
        ticket.pk,
        _acting(_SIGNE, declared + timedelta(minutes=92)),
        "Hello {name},\n\nall tills take cards again for some minutes. The certificate of the payment gateway had run out; it is renewed by itself from now on.",
        {one.pk: gathering.RESOLVE for one in incidents},
    )
    declaring.stand_down(
        ticket.pk,
        _acting(_MARIT, declared + timedelta(minutes=96)),
        "Every till has taken cards for twenty minutes.",
        declared + timedelta(minutes=76),
    )
    later = declared + timedelta(days=1)
    reviewing.write_review(
        ticket.pk,
        _acting(_MARIT, later),
        {
            "summary": "The certificate of the payment gateway ran out. Nobody was told beforehand.",
            "well": "Six reports were seen as one within eleven minutes.\nSelling for cash was agreed at once.",
            "badly": "The second update came eleven minutes late.\nNobody knew who renews the certificate.",
        },
    )
    actions.add_task(
        ticket.pk,
        _acting(_MARIT, later),
        {
            "title": "Warn 30 days before a certificate runs out",
            "person": _person(_SIGNE).pk,
            "outlives": True,
        },
    )
    actions.add_task(
        ticket.pk,
        _acting(_MARIT, later),
        {
            "title": "Write down who renews which certificate",
            "person": _person(_MARIT).pk,
            "outlives": True,
        },
    )
    facts.refresh_from_db()
    impact.keep_affected(facts)
    reviewing.end_review(ticket.pk, _acting(_MARIT, later + timedelta(hours=1)))


def _drill(declared: datetime) -> None:
    """The website is down – for practice, on made-up words, and nobody else hears."""
    service = Service.objects.get(name="Web booking")
    ticket = declaring.declare(
        _acting(_MARIT, declared),
        declaring.NewMajor(
            title="Web booking answers nobody",
            plan="sailing",
            service=service,
            ci=ConfigItem.objects.filter(service=service).order_by("pk").first(),
            is_drill=True,
        ),
    )
    facts = MajorFacts.objects.select_related("ticket").get(ticket=ticket)
    rooms.take_role(
        ticket.pk, _acting(_SIGNE, declared + timedelta(minutes=5)), "communications", None
    )
    _talk(
        facts,
        (
            _Said(
                7,
                _SIGNE,
                "responders",
                "The start page times out from land and ship.",
                "seen",
                is_lifted=True,
            ),
            _Said(
                22, _MARIT, "responders", "We switch to the second site.", "decided", is_lifted=True
            ),
        ),
        declared,
    )
    _tell(
        facts,
        declared + timedelta(minutes=18),
        "everyone hit",
        "Nobody can book on the website. Counters sell as usual.",
    )
    declaring.stand_down(
        ticket.pk, _acting(_MARIT, declared + timedelta(minutes=55)), "The second site took over.",
        declared + timedelta(minutes=50),
    )  # fmt: skip
    reviewing.write_review(
        ticket.pk,
        _acting(_MARIT, declared + timedelta(minutes=70)),
        {
            "well": "The first update went out within twenty minutes.",
            "badly": "Two people did not know where the list of phone numbers is.",
        },
    )
    facts.refresh_from_db()
    impact.keep_affected(facts)
