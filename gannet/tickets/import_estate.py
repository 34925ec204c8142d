"""Importing configuration items and what they stand on: how a row is checked, done, taken back."""

from collections.abc import Mapping
from typing import Any

from django.utils.text import slugify

from gannet.estate import actions as estate
from gannet.estate.models import ConfigItem, Dependency, Life, Service, Strength
from gannet.people.acting import Acting
from gannet.people.models import Person
from gannet.rulebook.book import current
from gannet.tickets.models import Ticket
from gannet_core import item_types
from gannet_core.errors import ItemTypeError

Row = Mapping[str, str]
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


def check_item(row: Row) -> tuple[str, str, list[str]]:
    errors = []
    if row.get("service") and not Service.objects.filter(name=row["service"]).exists():
        errors.append(f"there is no service {row['service']}")
    for column in ("used by", "owner"):
        said = row.get(column, "")
        if said and not Person.objects.filter(email=said.casefold()).exists():
            errors.append(f"nobody has the address {said}")
    if row.get("life") and row["life"] not in Life.values:
        errors.append(f"life is {', '.join(Life.values)}, not {row['life']}")
    if not _item_key(row):
        errors.append("a key has letters or digits")
    try:
        _attributes(row)
    except ItemTypeError as error:
        errors.append(str(error))
    is_known = ConfigItem.objects.filter(key=_item_key(row)).exists()
    return ("changes" if is_known else "new item"), row["name"], errors


def save_item(row: Row, acting: Acting) -> dict[str, Any]:
    facts: dict[str, Any] = {"name": row["name"], "kind": row["kind"]}
    for column in ("place", "supplier", "contract"):
        if column in row:
            facts[column] = row[column]
    if row.get("life"):
        facts["life"] = row["life"]
    if row.get("service"):
        facts["service_id"] = Service.objects.get(name=row["service"]).pk
    for column, name in (("used by", "used_by_id"), ("owner", "owner_id")):
        if row.get(column):
            facts[name] = Person.objects.get(email=row[column].casefold()).pk
    attributes = _attributes(row)
    if attributes:
        facts["attributes"] = attributes
    item, before = estate.put_item(acting, _item_key(row), facts)
    return {"id": item.pk, "is_new": before is None, "before": before}


def undo_item(entry: Mapping[str, Any], acting: Acting) -> str:
    item = ConfigItem.objects.get(pk=entry["id"])
    if entry["is_new"] and Ticket.objects.filter(ci=item).exists():
        return f"{item.name} is named by a ticket."
    estate.put_back(acting, item, None if entry["is_new"] else entry["before"])
    return ""


def check_dependency(row: Row) -> tuple[str, str, list[str]]:
    strength = row.get("strength") or Strength.HARD
    ends = (row["thing"], row["stands on"])
    errors = [f"there is no {said}" for said in ends if _thing(said) is None]
    if strength not in Strength.values:
        errors.append(f"strength is {', '.join(Strength.values)}, not {strength}")
    if strength == Strength.REDUNDANT and not row.get("group"):
        errors.append("a redundant one needs its group")
    if row["thing"].casefold() == row["stands on"].casefold():
        errors.append("nothing stands on itself")
    return "dependency", f"{row['thing']} on {row['stands on']}", errors


def save_dependency(row: Row, acting: Acting) -> dict[str, Any]:
    source, target = _thing(row["thing"]), _thing(row["stands on"])
    assert source is not None and target is not None  # checked just before
    strength = row.get("strength") or str(Strength.HARD)
    made, before = estate.depend(acting, source, target, strength, row.get("group", ""))
    return {"id": made.pk, "is_new": before is None, "before": before}


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


def _item_key(row: Row) -> str:
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


def _thing(said: str) -> Service | ConfigItem | None:
    first, _, rest = said.partition(" ")
    if first.casefold() == "service" and rest:
        key = slugify(rest)
        return Service.objects.filter(key=key).first() or Service.objects.filter(name=rest).first()
    return ConfigItem.objects.filter(key=slugify(said)[:50]).first()
