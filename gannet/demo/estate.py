"""What Northmere Ferries runs on: applications, servers, network and places, and what stands on what.

Redundant pairs on ships and at terminals; two of them only on paper. A scan of last night
found a few things otherwise than they are recorded, and one that nobody has recorded.
"""

import json
import random
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

from django.utils.text import slugify

from gannet.demo.rulebook_agreements import SHIPS, TERMINALS
from gannet.demo.rulebook_types import TYPES
from gannet.estate import scanning
from gannet.estate.actions import change_item
from gannet.estate.models import (
    ConfigItem,
    Dependency,
    Service,
    Strength,
    folded_attributes,
)
from gannet.estate.nodes import node_of
from gannet.people.acting import Acting
from gannet.people.models import Person, Team
from gannet.rulebook.book import current
from gannet_core.conditions import fold
from gannet_core.instants import format_instant, seconds_of

# name, type, team, the service it belongs to, place, criticality
_THINGS: list[tuple[str, str, str, str, str, int]] = [
    ("Gate control", "application", "Business Applications", "Boarding gates", "", 1),
    ("Booking site", "application", "Business Applications", "Web booking", "", 1),
    ("Sailing times", "application", "Business Applications", "Web booking", "", 2),
    ("Sign player", "application", "Business Applications", "Signage", "", 3),
    ("Wi-Fi controller", "application", "Networks", "Passenger Wi-Fi", "", 3),
    ("Planning service", "application", "Business Applications", "Berth planner", "", 1),
    ("Roster service", "application", "Business Applications", "Crew roster", "", 2),
    ("Pay system", "application", "Business Applications", "Payroll", "", 2),
    ("Till service", "application", "Business Applications", "Ticket office tills", "", 1),
    ("Print service", "application", "Platforms", "Workplace laptops", "", 3),
    ("File share", "application", "Platforms", "Workplace laptops", "", 2),
    ("Freight claims", "application", "Business Applications", "Freight manifest", "", 3),
    ("Manifest service", "application", "Business Applications", "Freight manifest", "", 1),
    ("Phone exchange", "application", "Networks", "Terminal phones", "", 2),
    ("Mail system", "application", "Platforms", "Mail and calendar", "", 2),
    ("Sign-in", "application", "Platforms", "Safe computing", "", 1),
    ("Backup service", "application", "Platforms", "", "", 3),
    *[(f"Database {n}", "database", "Platforms", "", "Saltgate", 1) for n in (1, 2, 3, 4)],
    *[(f"Sign-in server {n}", "server", "Platforms", "", "Saltgate", 1) for n in (1, 2)],
    ("File server", "server", "Platforms", "", "Saltgate", 2),
    ("Archive server", "server", "Platforms", "", "Saltgate", 3),
    ("Claims server", "server", "Platforms", "", "Saltgate", 3),
    ("Time server", "server", "Platforms", "", "Saltgate", 2),
    ("Gate server", "server", "Platforms", "", "Kestrel Point", 1),
    ("Till server", "server", "Platforms", "", "Saltgate", 1),
    ("Roster server", "server", "Platforms", "", "Saltgate", 2),
    *[(f"Host {n}", "server", "Platforms", "", "Saltgate", 1) for n in (1, 2, 3)],
    ("Core switch A", "switch", "Networks", "", "Saltgate", 1),
    ("Core switch B", "switch", "Networks", "", "Saltgate", 1),
    ("Firewall", "gateway", "Networks", "", "Saltgate", 1),
    ("Internet line", "line", "Networks", "", "Saltgate", 1),
    ("Second internet line", "line", "Networks", "", "Saltgate", 1),
    ("Loam gateway", "gateway", "Networks", "", "Saltgate", 2),
    ("Brightmast line", "line", "Networks", "", "Saltgate", 2),
    ("Server room", "room", "Platforms", "", "Saltgate", 1),
    ("Equipment room", "room", "Platforms", "", "Kestrel Point", 1),
    ("Power supply A", "power supply", "Platforms", "", "Saltgate", 1),
    ("Power supply B", "power supply", "Platforms", "", "Saltgate", 1),
    ("Cooling", "cooling", "Platforms", "", "Saltgate", 1),
    *[(f"Quay switch {n}, {place}", "switch", "Networks", "", place, 2) for place in TERMINALS for n in (1, 2)],
    *[(f"Line to {place}", "line", "Networks", "", place, 2) for place in TERMINALS],
    *[(f"Mobile line, {place}", "line", "Networks", "", place, 3) for place in TERMINALS],
    *[(f"Satellite terminal {n}, {ship}", "router", "Ship Systems", "Ship-to-shore link", ship, 1) for ship in SHIPS for n in (1, 2)],
    *[(f"Ship's switch, {ship}", "switch", "Ship Systems", "", ship, 2) for ship in SHIPS],
    *[(f"Ship's server, {ship}", "server", "Ship Systems", "", ship, 2) for ship in SHIPS],
    *[(f"Door reader {n}, {place}", "door reader", "Networks", "Safe computing", place, 3) for place in TERMINALS for n in range(1, 9)],
    *[(f"Printer {n}, {place}", "printer", "Quayside Support", "Workplace laptops", place, 3) for place in [*TERMINALS, *SHIPS] for n in range(1, 5)],
]  # fmt: skip

# What stands on what: (thing, on, strength or the group of which one is enough).
_HARD, _SOFT = str(Strength.HARD), str(Strength.SOFT)
_STANDS: list[tuple[str, str, str]] = [
    ("=Boarding gates", "Gate control", _HARD),
    ("=Web booking", "Booking site", _HARD),
    ("=Web booking", "Loam gateway", _SOFT),
    ("=Signage", "Sign player", _HARD),
    ("=Berth planner", "Planning service", _HARD),
    ("=Crew roster", "Roster service", _HARD),
    ("=Payroll", "Pay system", _HARD),
    ("=Ticket office tills", "Till service", _HARD),
    ("=Ticket office tills", "Loam gateway", _SOFT),
    ("=Freight manifest", "Manifest service", _HARD),
    ("=Freight manifest", "Freight claims", _SOFT),
    ("=Passenger Wi-Fi", "Wi-Fi controller", _HARD),
    ("=Mail and calendar", "Mail system", _HARD),
    ("=Workplace laptops", "Sign-in", _SOFT),
    ("=Workplace laptops", "File share", _SOFT),
    ("=Workplace laptops", "Print service", _SOFT),
    ("=Terminal phones", "Phone exchange", _HARD),
    ("=Safe computing", "Sign-in", _SOFT),
    ("Gate control", "Planning service", _SOFT),
    ("Gate control", "Gate server", _HARD),
    ("Booking site", "Sailing times", _SOFT),
    ("Sign player", "Sailing times", _HARD),
    ("Sailing times", "Planning service", _SOFT),
    ("Roster service", "Planning service", _SOFT),
    ("Roster service", "Roster server", _HARD),
    ("Pay system", "Roster service", _SOFT),
    ("Pay system", "Payroll server 1", _HARD),
    ("Planning service", "Database 2", _HARD),
    ("Manifest service", "Manifest server 1", _HARD),
    ("Manifest service", "Database 2", "manifest data"),
    ("Manifest service", "Database 4", "manifest data"),
    ("Freight claims", "Claims server", _HARD),
    ("Till service", "Till server", _HARD),
    ("Till service", "Database 1", _HARD),
    ("Print service", "File server", _SOFT),
    ("File share", "File server", _HARD),
    ("Mail system", "Mail server 1", "mail servers"),
    ("Mail system", "Mail server 2", "mail servers"),
    ("Sign-in", "Sign-in server 1", "sign-in servers"),
    ("Sign-in", "Sign-in server 2", "sign-in servers"),
    ("Booking site", "Database 1", _SOFT),
    ("Wi-Fi controller", "Core switch A", _SOFT),
    ("Phone exchange", "Core switch A", _SOFT),
    ("Backup service", "Archive server", _HARD),
    # Redundant on paper only: both sign-in servers run on one host.
    ("Sign-in server 1", "Host 1", _HARD),
    ("Sign-in server 2", "Host 1", _HARD),
    ("Roster server", "Host 2", _HARD),
    ("Claims server", "Host 2", _HARD),
    ("Till server", "Host 3", _HARD),
    ("Firewall", "Internet line", "internet lines"),
    ("Firewall", "Second internet line", "internet lines"),
    ("Loam gateway", "Firewall", _HARD),
    ("Booking site", "Firewall", _HARD),
    ("Mail system", "Firewall", _SOFT),
    ("Gate server", "Equipment room", _HARD),
]  # fmt: skip
_SERVERS_OF = {"Booking site": "Booking server", "Planning service": "Berth planner server"}
_ROOMED = ("server", "database", "gateway")


def make_estate(seed: int = 5) -> None:
    """Make everything beneath the services, and what stands on what."""
    rng = random.Random(seed)
    teams = {team.name: team for team in Team.objects.all()}
    services = {service.name: service for service in Service.objects.all()}
    known = set(ConfigItem.objects.values_list("key", flat=True))
    rows = [
        ConfigItem(
            key=slugify(name)[:50],
            name=name,
            name_folded=fold(name),
            kind=kind,
            service=services.get(service),
            place=place,
            team=teams.get(team),
            criticality=criticality,
        )
        for name, kind, team, service, place, criticality in _THINGS
    ]
    ConfigItem.objects.bulk_create(row for row in rows if row.key not in known)
    _write_down(rng)
    items = {item.name: item for item in ConfigItem.objects.filter(used_by=None)}
    _make_dependencies(services, items)
    _name_users(services)


def _write_down(rng: random.Random) -> None:
    """What is recorded of each: serial numbers, versions, memory, and who answers for it."""
    leads = {
        team.pk: team.memberships.order_by("-is_lead", "person_id").first()
        for team in Team.objects.all()
    }
    types = {one["key"]: one for one in TYPES}
    items = list(ConfigItem.objects.all())
    for number, item in enumerate(items, start=1):
        item.attributes = {
            one["key"]: _value(one, item, number, rng)
            for one in types.get(item.kind, {}).get("attributes", ())
        }
        item.attributes_folded = folded_attributes(item.attributes)
        if item.owner_id is None and item.team_id and leads[item.team_id]:
            item.owner_id = leads[item.team_id].person_id  # type: ignore[union-attr]
        if item.kind == "line":
            item.supplier = "Brightmast Networks"
    ConfigItem.objects.bulk_update(
        items, ["attributes", "attributes_folded", "owner", "supplier"], batch_size=400
    )


def _value(one: dict[str, Any], item: ConfigItem, number: int, rng: random.Random) -> Any:
    values: dict[str, Any] = {
        "serial": f"NM-{item.kind[:2].upper()}-{number:05d}",
        "memory": rng.choice([16, 32]) if item.kind == "laptop" else 64,
        "processor": 8,
        "disk": rng.choice([512, 1024]) if item.kind == "laptop" else 2048,
        "version": f"{rng.randint(6, 14)}.{rng.randint(0, 4)}",
        "address": f"10.{20 + number % 9}.{number // 250}.{number % 250 + 1}",
        "url": f"{slugify(item.name)}.northmere.example",
        "ports": 24,
        "speed": 1000 if "Line" in item.name else 200,
        "number": f"B-{4400 + number}",
        "height": 32,
        "racks": 6,
        "power": 40,
        "tested": "2026-09-14",
        "registered": True,
        "extension": f"{4000 + number}",
    }
    return values[one["key"]]


def _make_dependencies(services: dict[str, Service], items: dict[str, ConfigItem]) -> None:
    told = dict.fromkeys([*_STANDS, *_fleet(items), *_infrastructure(items)])
    rows, seen = [], set()
    for thing, on, how in told:
        service = services.get(thing.removeprefix("=")) if thing.startswith("=") else None
        item, target = items.get(thing), items.get(on)
        if target is None or (service is None and item is None):
            continue
        ends = f"{node_of(service or item)}>{node_of(target)}"  # type: ignore[arg-type]
        if ends in seen:
            continue
        seen.add(ends)
        is_plain = how in (_HARD, _SOFT)
        rows.append(
            Dependency(
                service=service,
                item=None if service else item,
                on_item=target,
                strength=how if is_plain else Strength.REDUNDANT,
                group="" if is_plain else how,
                ends=ends,
            )
        )
    Dependency.objects.bulk_create(rows)


def _infrastructure(items: dict[str, ConfigItem]) -> Iterator[tuple[str, str, str]]:
    """Servers on switches, power and rooms; lines and terminals in pairs."""
    for application, server in _SERVERS_OF.items():
        for name in items:
            if name.startswith(server):
                yield application, name, f"{server.lower()}s"
    for name, item in items.items():
        if item.kind in _ROOMED and item.place == "Saltgate":
            yield name, "Core switch A", "core switches"
            yield name, "Core switch B", "core switches"
            yield name, "Server room", _HARD
    for letter in "AB":
        yield f"Core switch {letter}", "Server room", _HARD
    yield "Server room", "Power supply A", "power supplies"
    yield "Server room", "Power supply B", "power supplies"
    yield "Server room", "Cooling", _SOFT
    for place in TERMINALS:
        for number in (1, 2):
            yield f"Quay switch {number}, {place}", f"Line to {place}", f"ways out of {place}"
            yield f"Quay switch {number}, {place}", f"Mobile line, {place}", f"ways out of {place}"
        yield f"Line to {place}", "Brightmast line", _HARD
        # The mobile line of two terminals goes over the same supplier's line after all.
        if place in ("Orrin Bay", "Vell Island"):
            yield f"Mobile line, {place}", "Brightmast line", _HARD
    for ship in SHIPS:
        yield f"Ship's server, {ship}", f"Ship's switch, {ship}", _HARD
        for number in (1, 2):
            pair = f"satellite terminals of the {ship}"
            yield f"Bridge router, {ship}", f"Satellite terminal {number}, {ship}", pair
            yield f"Ship's switch, {ship}", f"Satellite terminal {number}, {ship}", pair
        yield "=Ship-to-shore link", f"Bridge router, {ship}", _SOFT


_OF_FLEET = {
    "gate": "Gate control", "till": "Till service", "screen": "Sign player",
    "phone": "Phone exchange", "access point": "Wi-Fi controller", "door reader": "Sign-in",
    "printer": "Print service", "tablet": "Roster service",
}  # fmt: skip


def _fleet(items: dict[str, ConfigItem]) -> Iterator[tuple[str, str, str]]:
    """Gates, tills, screens and their like: on their application, and on their place's switches."""
    for name, item in items.items():
        application = _OF_FLEET.get(item.kind)
        if application is None:
            continue
        yield name, application, _SOFT if item.kind in ("printer", "tablet") else _HARD
        if item.kind in ("gate", "till", "screen", "door reader"):
            yield name, "Time server", _SOFT
        if item.place in TERMINALS:
            for number in (1, 2):
                yield name, f"Quay switch {number}, {item.place}", "quay switches"
        if item.place in SHIPS:
            yield name, f"Ship's switch, {item.place}", _HARD


def _name_users(services: dict[str, Service]) -> None:
    users = {
        "Boarding gates": ["Terminals"],
        "Berth planner": ["Terminals", "Sailing Operations"],
        "Ticket office tills": ["Ticket Sales"],
        "Web booking": ["Ticket Sales"],
        "Freight manifest": ["Freight"],
        "Crew roster": ["Crew Office", "Sailing Operations"],
        "Ship-to-shore link": ["Sailing Operations"],
        "Passenger Wi-Fi": ["Sailing Operations"],
        "Payroll": ["Finance", "People"],
    }
    for name, service in services.items():
        service.departments = users.get(name, [])
    Service.objects.bulk_update(services.values(), ["departments"])


def make_scanned(now: datetime) -> None:
    """A few changes of the last months, and what last night's scan saw of everything."""
    platforms = Person.objects.filter(memberships__team__name="Platforms").order_by("pk").first()
    for days, key, facts, why in (
        (41, "database-2", {"attributes": {"version": "14.2"}}, "as ordered with the last licence"),
        (24, "host-1", {"attributes": {"memory": 128}}, "both sign-in servers moved onto it"),
        (12, "core-switch-b", {"attributes": {"ports": 48}}, "the old one was full"),
    ):
        item = ConfigItem.objects.get(key=key)
        change_item(Acting(person=platforms, now=now - timedelta(days=days)), item, facts, why)
    scanned_s = seconds_of(now.replace(hour=2, minute=10, second=0))
    scanned_s -= 86_400 if scanned_s > seconds_of(now) else 0
    scanning.note(inventory(), scanned_s, current().item_types)


def write_inventory(file: Path) -> int:
    """Write what the simulated scanner sees now as an inventory file; how many things."""
    seen = inventory()
    told = {"scanned_at": format_instant(datetime.now(UTC)), "things": seen}
    file.write_text(json.dumps(told, ensure_ascii=False, indent=1), encoding="utf-8")
    return len(seen)


# What the scan found otherwise: key → attributes.
_OTHERWISE: dict[str, dict[str, Any]] = {
    "database-2": {"memory": 128, "version": "14.4"},
    "gate-3-kestrel-point": {"version": "14.9"},
    "core-switch-a": {"ports": 48},
    "crew-tablet-2-tern": {"registered": False},
}
_UNSEEN_EVERY = 37


def inventory() -> list[dict[str, Any]]:
    """What a scan sees: all that can be seen over the network, a few things otherwise."""
    things = []
    seen = ConfigItem.objects.exclude(attributes={}).exclude(kind__in=("room", "mast", "line"))
    for number, item in enumerate(seen.order_by("pk")):
        if number % _UNSEEN_EVERY == 0:
            continue
        things.append(
            {
                "key": item.key,
                "name": item.name,
                "type": item.kind,
                "place": item.place,
                "attributes": {**item.attributes, **_OTHERWISE.get(item.key, {})},
            }
        )
    things.append(
        {
            "key": "nm-unknown-81",
            "name": "Access point, crew mess, Tern",
            "type": "access point",
            "place": "Tern",
            "attributes": {"serial": "XK-4471", "version": "3.2", "address": "10.44.0.81"},
        }
    )
    return things
