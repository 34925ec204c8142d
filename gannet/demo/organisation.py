"""Northmere Ferries: its people, teams, services and things. All of it is made up."""

import random
from dataclasses import dataclass
from typing import Any

from django.utils.text import slugify

from gannet.demo.rulebook_agreements import AZORES, SHIPS, TERMINALS
from gannet.estate.models import ConfigItem, Service
from gannet.people.models import CostCentre, Membership, Person, Role, Team
from gannet_core.conditions import fold

_FIRST = """Aino Alban Amara Anneke Anselm Arvid Astrid Baltasar Beatrix Bram Brannagh Brisa Caelan
Calla Carsten Cerys Corin Dagny Darrah Delphine Dilys Doran Edda Eilidh Einar Elowen Emeka Enzo
Fenna Fergus Finola Freya Gethin Gisela Greer Gudrun Hakon Hanne Hollis Ianthe Idris Ilse Imogen
Ingrid Isolde Ivo Jago Jarek Jelena Joss Jorunn Kaisa Keir Kerensa Kofi Lachlan Lamorna Lena Lior
Lowri Lotte Maeve Magnus Malin Marit Mateus Merryn Mirela Morwenna Nadia Nerys Niamh Nils Nuno
Oisin Olwen Orla Oskar Owen Paloma Perran Petra Piotr Quill Radek Ragna Rhona Roisin Ronan Rosalind
Runa Sabine Senara Signe Sorcha Stellan Suvi Tamsin Tegan Thora Tomas Torin Ulla Una Vada Veryan
Wenna Wilmot Yara Yestin Zadie Zoltan""".split()
_LAST = """Aldous Amsel Arkwright Ashdown Bellweather Birling Blackmoor Brandreth Brevik Bright
Calloway Carrow Castell Chandry Colm Corrado Cottle Cragg Dallow Dane Darnay Dray Dunmore Eastoe
Ebbing Elgar Ellery Fairlie Farrant Fenwick Ferrer Fisk Flinders Galt Garrick Gillow Godrey Grange
Hale Hallam Harrow Hathersage Haverill Heron Hoskin Ibbet Inger Jarrow Jessop Kellow Kestle Kirkby
Lacey Lamb Larkin Latimer Levering Lindqvist Lorne Lund Mallory Marden Marsh Meredith Milne Moffat
Nance Narbeth Nightingale Norrell Oakes Okafor Okoro Osei Pascoe Pellow Penrose Petrel Quayle Quill
Rainsford Raven Redmayne Rowse Ruthven Sable Sandoe Setchell Skelton Skerritt Sorley Stavely Tarrant
Teague Thorne Tolland Trevanion Tresco Ullock Vahl Varley Vane Voss Wadley Wainscott Wray Yarrow
Yelland Zennor""".split()

_JOBS = {
    "Sailing Operations": ["Chief mate", "Second mate", "Duty master", "Deck hand", "Bosun"],
    "Terminals": ["Gate steward", "Berth controller", "Terminal lead", "Quay hand"],
    "Ticket Sales": ["Ticket clerk", "Counter lead", "Call agent"],
    "Freight": ["Freight clerk", "Manifest planner", "Claims handler"],
    "Engineering": ["Marine engineer", "Electrician", "Fitter", "Stores keeper"],
    "Crew Office": ["Crew planner", "Crew clerk"],
    "Finance": ["Accountant", "Pay clerk", "Controller"],
    "People": ["Adviser", "Training planner"],
    "Catering": ["Galley chef", "Lounge steward", "Stock keeper"],
    "IT": ["Analyst"],
}
_SHARES = {
    "Sailing Operations": 130,
    "Terminals": 140,
    "Ticket Sales": 80,
    "Freight": 50,
    "Engineering": 60,
    "Crew Office": 18,
    "Finance": 24,
    "People": 14,
    "Catering": 44,
}

# name -> (department, job, place, roles, teams, working calendar, care tiers)
_NAMED: dict[str, tuple[str, str, str, list[str], list[str], str, list[str]]] = {
    "Ines Corrado": (
        "Sailing Operations",
        "Chief mate",
        "Skerry Light",
        [],
        [],
        "",
        ["bridge-crew"],
    ),
    "Maeve Tarrant": ("Terminals", "Gate steward", "Kestrel Point", [], [], "", []),
    "Piotr Dallow": ("Ticket Sales", "Ticket clerk", "Orrin Bay", [], [], "", []),
    "Lena Okoro": ("Crew Office", "Crew planner", "Saltgate", [], [], "", []),
    "Owen Setchell": ("Engineering", "Stores keeper", "Saltgate", [], [], "", []),
    "Nuno Ferrer": ("Finance", "Accountant", AZORES, [], [], "", []),
    "Rosalind Hathersage": (
        "Sailing Operations",
        "Director",
        "Saltgate",
        [],
        [],
        "",
        ["directors"],
    ),
    "Tomas Wray": ("IT", "Head of service", "Saltgate", [Role.MANAGER], [], "", []),
    "Anneke Dray": ("IT", "Systems analyst", "Saltgate", [Role.ADMINISTRATOR], [], "", []),
    "Signe Hallam": (
        "IT",
        "Desk analyst",
        "Saltgate",
        [Role.AGENT],
        ["harbour-desk"],
        "",
        [],
    ),
    "Marit Osei": (
        "IT",
        "Desk lead",
        "Saltgate",
        [
            Role.AGENT,
            Role.TEAM_LEAD,
            Role.CHANGE_MANAGER,
            Role.PROBLEM_MANAGER,
            Role.MAJOR_LEAD,
        ],
        ["harbour-desk"],
        "",
        [],
    ),
    "Joss Levering": ("IT", "Radio engineer", "Saltgate", [Role.AGENT], ["ship-systems"], "", []),
    "Bram Okafor": (
        "IT",
        "Site engineer",
        "Orrin Bay",
        [Role.AGENT],
        ["quayside"],
        "shift-day",
        [],
    ),
}

# team -> (name, is triage, confidential, size, working calendars to deal out)
_TEAMS: dict[str, tuple[str, bool, bool, int, list[str]]] = {
    "harbour-desk": (
        "Harbour Desk",
        True,
        False,
        12,
        ["shift-early", "shift-late", "shift-day", "shift-night"],
    ),
    "quayside": ("Quayside Support", False, False, 7, ["shift-day"]),
    "ship-systems": (
        "Ship Systems",
        False,
        False,
        5,
        ["shift-day", "shift-early", "shift-late"],
    ),
    "networks": ("Networks", False, False, 5, ["shift-day", "offices"]),
    "platforms": ("Platforms", False, False, 5, ["offices"]),
    "business-applications": (
        "Business Applications",
        False,
        False,
        6,
        ["offices"],
    ),
    "security": ("Information Security", False, True, 3, ["offices"]),
}


@dataclass(frozen=True)
class _ServicePlan:
    name: str
    plain: str
    words: str
    criticality: int
    team: str
    chain: list[str]
    category: str
    defaults: tuple[int, int]
    things: list[tuple[str, str, list[str], int]]  # kind, name template, places, how many


_ALL_PLACES = [*TERMINALS, *SHIPS]
_SERVICES = [
    _ServicePlan(
        "Boarding gates",
        "Gates and handheld readers that let passengers on board",
        "gate,barcode,reader,turnstile",
        1,
        "harbour-desk",
        ["harbour-desk", "quayside", "networks"],
        "Hardware › Gate reader",
        (2, 2),
        [("gate", "Gate {n}, {place}", TERMINALS, 6)],
    ),
    _ServicePlan(
        "Berth planner",
        "Which ship lies where, and when",
        "berth,quay plan",
        1,
        "harbour-desk",
        ["harbour-desk", "business-applications", "platforms"],
        "Software › Planning",
        (2, 2),
        [("server", "Berth planner server {n}", ["Saltgate"], 2)],
    ),
    _ServicePlan(
        "Ticket office tills",
        "Tills at the counters that sell and print tickets",
        "till,ticket printer,card reader,receipt",
        1,
        "quayside",
        ["harbour-desk", "quayside", "platforms"],
        "Hardware › Till",
        (2, 2),
        [("till", "Till {n}, {place}", TERMINALS, 4)],
    ),
    _ServicePlan(
        "Web booking",
        "The public website and app for tickets",
        "website,booking page,app",
        2,
        "business-applications",
        ["harbour-desk", "business-applications", "platforms"],
        "Software › Booking",
        (2, 2),
        [("server", "Booking server {n}", ["Saltgate"], 3)],
    ),
    _ServicePlan(
        "Freight manifest",
        "What is on the lorry deck",
        "manifest,freight,lorry",
        2,
        "business-applications",
        ["harbour-desk", "business-applications"],
        "Software › Freight",
        (2, 2),
        [("server", "Manifest server {n}", ["Saltgate"], 1)],
    ),
    _ServicePlan(
        "Crew roster",
        "Who sails when",
        "roster,crew tablet,shift plan",
        2,
        "business-applications",
        ["harbour-desk", "business-applications"],
        "Software › Roster",
        (3, 2),
        [("tablet", "Crew tablet {n}, {place}", SHIPS, 3)],
    ),
    _ServicePlan(
        "Ship-to-shore link",
        "Data and voice between ships and land",
        "link to shore,bridge router,mast,satellite",
        1,
        "ship-systems",
        ["harbour-desk", "ship-systems", "networks"],
        "Network › Signal loss",
        (1, 2),
        [("router", "Bridge router, {place}", SHIPS, 1), ("mast", "Mast {n}", ["Farrow Sound"], 5)],
    ),
    _ServicePlan(
        "Passenger Wi-Fi",
        "Wi-Fi in lounges and on board",
        "wifi,wi-fi,wireless,lounge network",
        3,
        "networks",
        ["harbour-desk", "networks"],
        "Network › Wi-Fi",
        (2, 3),
        [("access point", "Access point {n}, {place}", _ALL_PLACES, 3)],
    ),
    _ServicePlan(
        "Payroll",
        "Pay, expenses and tax papers",
        "payslip,pay run,expenses",
        2,
        "business-applications",
        ["harbour-desk", "business-applications"],
        "Software › Pay",
        (3, 2),
        [("server", "Payroll server {n}", ["Saltgate"], 1)],
    ),
    _ServicePlan(
        "Mail and calendar",
        "Mailboxes, calendars and shared folders",
        "mailbox,calendar,e-mail,meeting room",
        3,
        "platforms",
        ["harbour-desk", "platforms"],
        "Software › Mail",
        (3, 2),
        [("server", "Mail server {n}", ["Saltgate"], 2)],
    ),
    _ServicePlan(
        "Workplace laptops",
        "Laptops, docks and screens",
        "laptop,dock,second screen,battery",
        3,
        "harbour-desk",
        ["harbour-desk", "quayside", "platforms"],
        "Hardware › Laptop",
        (3, 2),
        [],
    ),
    _ServicePlan(
        "Terminal phones",
        "Desk phones and handsets at terminals",
        "phone,handset,call group",
        3,
        "networks",
        ["harbour-desk", "networks"],
        "Hardware › Phone",
        (3, 2),
        [("phone", "Handset {n}, {place}", TERMINALS, 5)],
    ),
    _ServicePlan(
        "Signage",
        "Screens that show sailings and berths",
        "departure screen,sign,display board",
        3,
        "quayside",
        ["harbour-desk", "quayside"],
        "Hardware › Screen",
        (2, 3),
        [("screen", "Departure screen {n}, {place}", TERMINALS, 4)],
    ),
    _ServicePlan(
        "Safe computing",
        "Suspicious messages, lost devices, access worries",
        "phishing,suspicious,stolen,password leaked",
        2,
        "security",
        ["security"],
        "Security › Suspicious message",
        (3, 1),
        [],
    ),
]


def make_organisation(seed: int = 11, employees: int = 600) -> None:
    """Make people, teams, services and things; the same for the same seed."""
    rng = random.Random(seed)
    teams = _make_teams()
    _make_people(rng, employees)
    _make_agents(rng, teams)
    _make_services(teams)
    _make_devices(rng)
    _make_lines()


def support_chains() -> list[dict[str, Any]]:
    """Service -> the teams it is escalated along, first line first."""
    return [
        {"service": plan.name, "teams": [_TEAMS[key][0] for key in plan.chain]}
        for plan in _SERVICES
    ]


def _make_teams() -> dict[str, Team]:
    rows = [
        Team(key=key, name=name, is_triage=triage, keeps_confidential=confidential)
        for key, (name, triage, confidential, _, _) in _TEAMS.items()
    ]
    Team.objects.bulk_create(rows)
    return {team.key: team for team in Team.objects.all()}


def _person(name: str, **fields: Any) -> Person:
    email = f"{slugify(name).replace('-', '.')}@northmere.example"
    person = Person(name=name, name_folded=fold(name), email=email, **fields)
    # Signing in by password is off: the demo offers one click per role instead.
    person.set_unusable_password()
    return person


def _make_people(rng: random.Random, employees: int) -> None:
    rows = [
        _person(
            name,
            department=department,
            job=job,
            place=place,
            phone=f"{4000 + index}",
            zone="Atlantic/Azores" if place == AZORES else "Europe/London",
            roles=[str(role) for role in roles],
            care_tiers=tiers,
            working_calendar=calendar,
        )
        for index, (name, (department, job, place, roles, _, calendar, tiers)) in enumerate(
            _NAMED.items()
        )
    ]
    taken = set(_NAMED)
    names = [f"{first} {last}" for first in _FIRST for last in _LAST]
    rng.shuffle(names)
    weights = list(_SHARES.values())
    for index in range(employees - len(_NAMED)):
        name = next(name for name in iter(names.pop, None) if name not in taken)
        taken.add(name)
        department = rng.choices(list(_SHARES), weights)[0]
        job = rng.choice(_JOBS[department])
        place = _place_of(rng, department)
        rows.append(
            _person(
                name,
                department=department,
                job=job,
                place=place,
                phone=f"{4100 + index}",
                zone="Atlantic/Azores" if place == AZORES else "Europe/London",
                care_tiers=["bridge-crew"] if job in ("Chief mate", "Duty master") else [],
            )
        )
    Person.objects.bulk_create(rows)


def _place_of(rng: random.Random, department: str) -> str:
    if department == "Sailing Operations":
        return rng.choice(SHIPS)
    if department == "Catering":
        return rng.choice([*SHIPS, *TERMINALS[:3]])
    if department in ("Terminals", "Ticket Sales", "Freight", "Engineering"):
        return rng.choice(TERMINALS)
    return rng.choices(["Saltgate", AZORES], [5, 1])[0]


def _make_agents(rng: random.Random, teams: dict[str, Team]) -> None:
    """Fill the teams up with people of IT; the named ones are in them already."""
    named = {person.name: person for person in Person.objects.filter(name__in=_NAMED)}
    members: list[Membership] = []
    sizes = dict.fromkeys(_TEAMS, 0)
    for name, (_, _, _, roles, team_keys, _, _) in _NAMED.items():
        for key in team_keys:
            sizes[key] += 1
            members.append(_membership(teams[key], named[name], lead=Role.TEAM_LEAD in roles))
    taken = set(Person.objects.values_list("name", flat=True))
    for key, (_, _, _, size, calendars) in _TEAMS.items():
        for index in range(size - sizes[key]):
            name = _fresh_name(rng, taken)
            person = _person(
                name,
                department="IT",
                job="Analyst",
                place="Saltgate",
                roles=[str(Role.AGENT)],
                working_calendar=calendars[index % len(calendars)],
            )
            person.save()
            members.append(_membership(teams[key], person, lead=False))
    Membership.objects.bulk_create(members)


def _fresh_name(rng: random.Random, taken: set[str]) -> str:
    while True:
        name = f"{rng.choice(_FIRST)} {rng.choice(_LAST)}"
        if name not in taken:
            taken.add(name)
            return name


def _membership(team: Team, person: Person, *, lead: bool) -> Membership:
    return Membership(
        team=team,
        person=person,
        is_lead=lead,
        is_set_aside=lead,
    )


# department -> who leads it; the rest of the department reports to them.
_HEADS = {
    "Sailing Operations": "Rosalind Hathersage",
    "Crew Office": "Lena Okoro",
    "IT": "Tomas Wray",
}


def _make_lines() -> None:
    """Who reports to whom, and what each department's cost centre is."""
    people = list(Person.objects.order_by("id"))
    named = {person.name: person for person in people}
    director = named["Rosalind Hathersage"]
    for number, department in enumerate(sorted({person.department for person in people})):
        inside = [person for person in people if person.department == department]
        free = [person for person in inside if person.name not in _NAMED]
        head = named.get(_HEADS.get(department, "")) or (free or inside)[0]
        centre, _ = CostCentre.objects.update_or_create(
            code=f"{4100 + number * 10}", defaults={"name": department, "owner": head}
        )
        lead = named.get("Marit Osei") if department == "IT" else None
        for person in inside:
            person.cost_centre = centre
            above = head if lead is None or person in (lead, head) or not person.roles else lead
            person.manager = above if person.pk != above.pk else director
            if person.pk == director.pk:
                person.manager = None
    Person.objects.bulk_update(people, ["cost_centre", "manager"], batch_size=400)
    board = Team.objects.create(key="change-board", name="Change advisory board", is_board=True)
    for name in ("Tomas Wray", "Marit Osei", "Rosalind Hathersage"):
        Membership.objects.create(team=board, person=named[name])
    # Who knows the things of a team answers for them.
    for team in Team.objects.filter(is_board=False):
        first = team.memberships.order_by("-is_lead", "person_id").first()
        if first is not None:
            fixed = ConfigItem.objects.filter(service__team=team, used_by=None)
            fixed.update(owner=first.person)
            Service.objects.filter(team=team).update(technical_owner=first.person)
    Service.objects.filter(name__in=_CARRIED_BY_BRIGHTMAST).update(
        supplier="Brightmast Networks", contract="BN-2041, until the end of next year"
    )
    Service.objects.filter(name="Ticket office tills").update(
        supplier="Loam Payments", contract="LP-7"
    )
    Service.objects.filter(owner=None).update(owner=named["Tomas Wray"])


_CARRIED_BY_BRIGHTMAST = ("Ship-to-shore link", "Passenger Wi-Fi")


def _make_services(teams: dict[str, Team]) -> None:
    for plan in _SERVICES:
        service = Service.objects.create(
            key=slugify(plan.name),
            name=plan.name,
            plain=plan.plain,
            words=plan.words,
            criticality=plan.criticality,
            team=teams[plan.team],
            category=plan.category,
            default_impact=plan.defaults[0],
            default_urgency=plan.defaults[1],
            is_confidential=plan.team == "security",
        )
        items = [
            _item(template.format(n=n, place=place), kind, service, place)
            for kind, template, places, count in plan.things
            for place in places
            for n in range(1, count + 1)
        ]
        ConfigItem.objects.bulk_create(items)


def _item(
    name: str, kind: str, service: Service, place: str, used_by: Person | None = None
) -> ConfigItem:
    return ConfigItem(
        key=slugify(name),
        name=name,
        name_folded=fold(name),
        kind=kind,
        service=service,
        place=place,
        used_by=used_by,
    )


def _make_devices(rng: random.Random) -> None:
    """About two in three people have a laptop of their own."""
    laptops = Service.objects.get(key="workplace-laptops")
    rows = []
    for number, person in enumerate(Person.objects.order_by("pk"), start=201):
        if rng.random() < 0.66:
            name = f"Laptop {number} of {person.name}"
            rows.append(_item(name, "laptop", laptops, person.place, person))
    ConfigItem.objects.bulk_create(rows)
