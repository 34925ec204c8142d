"""Importing configuration items and what they stand on: how a row is checked, done, taken back."""

from collections.abc import Mapping, Sequence, Set
from typing import Any

from django.utils.text import slugify

from gannet.estate import actions as estate
from gannet.estate.models import ConfigItem, Dependency, Life, Service, Strength
from gannet.estate.nodes import node_of
from gannet.people.acting import Acting
from gannet.people.models import Person
from gannet.rulebook.book import current
from gannet.tickets.models import Ticket
from gannet_core import item_types
from gannet_core.errors import ItemTypeError

Row = Mapping[str, str]
Thing = Service | ConfigItem
# What a row would do, what it is about, and what is wrong with it.
Verdict = tuple[str, str, list[str]]
ITEM_COLUMNS = {
    "key": "left out, it is made of the name", "name": "", "kind": "the type of item",
    "service": "", "place": "", "used by": "e-mail of who uses it", "owner": "e-mail",
    "life": ", ".join(Life.values), "supplier": "", "contract": "",
}  # fmt: skip
DEPENDENCY_COLUMNS = {
    "thing": "key of an item, or “service” and the key of a service",
    "stands on": "the same",
    "strength": ", ".join(Strength.values),
    "group": "for redundant ones: the group of which one is enough",
}


def attribute_columns() -> dict[str, str]:
    """The attributes of all types of item, as columns of a file."""
    return {
        str(one["key"]): str(one["label"])
        for kind in current().item_types.values()
        for one in kind.get("attributes") or ()
        if one["key"] not in ITEM_COLUMNS
    }


def check_items(rows: Sequence[Row]) -> list[Verdict]:
    """What each row would do to an item, what it is about, and what is wrong with it."""
    services, addresses = set(_services()), set(_people(rows))
    known = set(
        ConfigItem.objects.filter(key__in=[item_key(row) for row in rows]).values_list(
            "key", flat=True
        )
    )
    return [_checked_item(row, services, addresses, known) for row in rows]


def _checked_item(row: Row, services: Set[str], addresses: Set[str], known: Set[str]) -> Verdict:
    errors = []
    if row.get("service") and row["service"] not in services:
        errors.append(f"there is no service {row['service']}")
    for column in _OF_PEOPLE:
        said = row.get(column, "")
        if said and said.casefold() not in addresses:
            errors.append(f"nobody has the address {said}")
    if row.get("life") and row["life"] not in Life.values:
        errors.append(f"life is {', '.join(Life.values)}, not {row['life']}")
    if not item_key(row):
        errors.append("a key has letters or digits")
    try:
        _attributes(row)
    except ItemTypeError as error:
        errors.append(str(error))
    return ("changes" if item_key(row) in known else "new item"), row["name"], errors


def save_items(rows: Sequence[Row], acting: Acting) -> list[dict[str, Any]]:
    """Do rows that are well, each about another item; says what was there before."""
    services, people = _services(), _people(rows)
    wished = []
    for row in rows:
        facts: dict[str, Any] = {"name": row["name"], "kind": row["kind"]}
        facts |= {name: row[name] for name in ("place", "supplier", "contract") if name in row}
        if row.get("life"):
            facts["life"] = row["life"]
        if row.get("service"):
            facts["service_id"] = services[row["service"]]
        for column, name in _OF_PEOPLE.items():
            if row.get(column):
                facts[name] = people[row[column].casefold()]
        attributes = _attributes(row)
        if attributes:
            facts["attributes"] = attributes
        wished.append((item_key(row), facts))
    return [
        {"id": item.pk, "is_new": before is None, "before": before}
        for item, before in estate.put_items(acting, wished)
    ]


_OF_PEOPLE = {"used by": "used_by_id", "owner": "owner_id"}


def _services() -> dict[str, int]:
    return dict(Service.objects.values_list("name", "pk"))


def _people(rows: Sequence[Row]) -> dict[str, int]:
    """The people whom rows name by their address."""
    said = {row[column].casefold() for row in rows for column in _OF_PEOPLE if row.get(column)}
    return dict(Person.objects.filter(email__in=said).values_list("email", "pk")) if said else {}


def undo_item(entry: Mapping[str, Any], acting: Acting) -> str:
    item = ConfigItem.objects.get(pk=entry["id"])
    if entry["is_new"] and Ticket.objects.filter(ci=item).exists():
        return f"{item.name} is named by a ticket."
    estate.put_back(acting, item, None if entry["is_new"] else entry["before"])
    return ""


def check_dependencies(rows: Sequence[Row]) -> list[Verdict]:
    """What each row would say of two things, and what is wrong with it."""
    things = _things(rows)
    return [_checked_dependency(row, things) for row in rows]


def _checked_dependency(row: Row, things: Mapping[str, Thing]) -> Verdict:
    strength = row.get("strength") or Strength.HARD
    ends = (row["thing"], row["stands on"])
    errors = [f"there is no {said}" for said in ends if said not in things]
    if strength not in Strength.values:
        errors.append(f"strength is {', '.join(Strength.values)}, not {strength}")
    if strength == Strength.REDUNDANT and not row.get("group"):
        errors.append("a redundant one needs its group")
    known = [node_of(things[said]) for said in ends if said in things]
    if row["thing"].casefold() == row["stands on"].casefold() or len(set(known)) < len(known):
        errors.append("nothing stands on itself")
    return "dependency", f"{row['thing']} on {row['stands on']}", errors


def save_dependencies(rows: Sequence[Row], acting: Acting) -> list[dict[str, Any]]:
    """Do rows that are well, each about another pair; says what was there before."""
    things = _things(rows)
    wishes = [
        estate.Wish(
            source=things[row["thing"]],
            target=things[row["stands on"]],
            strength=row.get("strength") or str(Strength.HARD),
            group=row.get("group", ""),
        )
        for row in rows
    ]
    return [
        {"id": made.pk, "is_new": before is None, "before": before}
        for made, before in estate.depend_all(acting, wishes)
    ]


def pair_of(row: Row) -> tuple[str, str]:
    """By what rows of dependencies are told apart."""
    return slugify(row["thing"]), slugify(row["stands on"])


def undo_dependency(entry: Mapping[str, Any], acting: Acting) -> str:
    rows = Dependency.objects.select_related("service", "item", "on_service", "on_item")
    row = rows.filter(pk=entry["id"]).first()
    if row is None:
        return "This has been changed since."
    if entry["is_new"]:
        estate.part(acting, row)
        return ""
    source, target = row.item or row.service, row.on_item or row.on_service
    assert source is not None and target is not None
    estate.depend(acting, source, target, entry["before"]["strength"], entry["before"]["group"])
    return ""


def item_key(row: Row) -> str:
    return slugify(row.get("key") or row["name"])[:50]


def _attributes(row: Row) -> dict[str, Any]:
    """The attributes of a row as its type reads them; cells of other types stay empty."""
    about = current().item_types.get(row["kind"], {"key": row["kind"]})
    known = {one["key"] for one in about.get("attributes") or ()}
    given = {
        name: value
        for name, value in row.items()
        if name not in ITEM_COLUMNS and (value or name in known)
    }
    return item_types.read_attributes(about, given)


def _things(rows: Sequence[Row]) -> dict[str, Thing]:
    """The things that rows name, by what they say: a key of an item, a service and its key."""
    said = {row[column] for row in rows for column in ("thing", "stands on")}
    services = {
        one: rest
        for one in said
        for first, _, rest in [one.partition(" ")]
        if first.casefold() == "service" and rest
    }
    keys = {one: slugify(one)[:50] for one in said if one not in services}
    items = {one.key: one for one in ConfigItem.objects.filter(key__in=set(keys.values()))}
    found: dict[str, Thing] = {one: items[key] for one, key in keys.items() if key in items}
    if services:
        known = list(Service.objects.all())
        by_key, by_name = {one.key: one for one in known}, {one.name: one for one in known}
        for one, rest in services.items():
            service = by_key.get(slugify(rest)) or by_name.get(rest)
            if service is not None:
                found[one] = service
    return found
