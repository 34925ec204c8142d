"""Reading inventory files: what a scan has seen is noted beside what is recorded, never over it.

A file is `{"scanned_at": instant, "things": [{"key", "name", "type", "place",
"attributes": {…}}]}`. A thing is matched by its key, else by its serial number, else by its
name; what matches nothing is kept as unrecorded.
"""

import json
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from django.db import transaction

from gannet.audit import log as audit
from gannet.estate.actions import settle_drift
from gannet.estate.events import EstateEvent
from gannet.estate.models import ConfigItem, Trace, Unrecorded
from gannet.estate.nodes import node_of
from gannet.web.errors import Invalid
from gannet_core import item_types
from gannet_core.conditions import fold
from gannet_core.errors import GannetError
from gannet_core.instants import instant_of, parse_instant, seconds_of

MOST_BYTES, MOST_THINGS = 50 * 1024 * 1024, 200_000
_CHUNK = 500
Types = Mapping[str, Mapping[str, Any]]
Progress = Callable[[int, int], None]


@dataclass
class Scanned:
    """What reading one file came to: counts, and what was wrong, each with its place."""

    matched: int = 0
    drifted: int = 0
    unrecorded: int = 0
    items: list[int] = field(default_factory=list)
    errors: list[str] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class _Thing:
    place: int
    key: str
    name: str
    kind: str
    where: str
    attributes: Mapping[str, Any]


def read_file(path: Path) -> tuple[int, list[Any]]:
    """The instant of a scan and its things; a file that is none is refused in a sentence."""
    if path.stat().st_size > MOST_BYTES:
        raise Invalid(f"{path.name} is larger than 50 MB.")
    try:
        told = json.loads(path.read_text(encoding="utf-8"))
        scanned_s = seconds_of(parse_instant(told["scanned_at"]))
        found = told["things"]
    except (ValueError, KeyError, TypeError, AttributeError, GannetError, RecursionError) as error:
        raise Invalid(f"{path.name} is no inventory file: {error}") from error
    if not isinstance(found, list) or len(found) > MOST_THINGS:
        raise Invalid(f"{path.name} is no inventory file: things is no list of at most 200,000.")
    return scanned_s, found


def note(
    things: Iterable[Any],
    scanned_s: int,
    types: Types,
    progress: Progress | None = None,
) -> Scanned:
    """Note what was seen of each thing; one that cannot be read does not stop the others."""
    done = Scanned()
    read = [_read(place, thing, done) for place, thing in enumerate(things, start=1)]
    good = [thing for thing in read if thing is not None]
    for start in range(0, len(good), _CHUNK):
        _note_some(good[start : start + _CHUNK], scanned_s, types, done)
        if progress is not None:
            progress(min(start + _CHUNK, len(good)), len(good))
    return done


def _read(place: int, thing: Any, done: Scanned) -> _Thing | None:
    if not isinstance(thing, dict) or not isinstance(thing.get("attributes", {}), dict):
        done.errors.append(f"thing {place} is no object with attributes")
        return None
    words = {
        name: str(thing.get(name) or "").strip()[:120] for name in ("key", "name", "type", "place")
    }
    if not (words["key"] or words["name"]):
        done.errors.append(f"thing {place} has neither a key nor a name")
        return None
    attributes = thing.get("attributes") or {}
    plain = {
        str(key)[:60]: value
        for key, value in attributes.items()
        if isinstance(value, (str, int, float, bool))
    }
    return _Thing(place, words["key"], words["name"], words["type"], words["place"], plain)


@transaction.atomic
def _note_some(things: list[_Thing], scanned_s: int, types: Types, done: Scanned) -> None:
    find = _finder(things)
    entries, nodes, changed = [], [], []
    for thing in things:
        item = find(thing)
        if item is None:
            _note_unrecorded(thing, scanned_s)
            done.unrecorded += 1
            continue
        done.matched += 1
        if item.seen_s is not None and item.seen_s > scanned_s:
            continue  # a later scan has said more
        before = set(item_types.differing(item.attributes, item.seen))
        item.seen = {**item.seen, **_seen(thing, types.get(item.kind, {}), done)}
        item.seen_s = scanned_s
        unexplained = settle_drift(item)
        changed.append(item)
        done.items.append(item.pk)
        done.drifted += bool(unexplained)
        fresh = [key for key in unexplained if key not in before]
        if fresh:
            what = ", ".join(f"{k} {item.attributes.get(k)} → {item.seen.get(k)}" for k in fresh)
            nodes.append(node_of(item))
            entries.append(
                audit.Entry(
                    kind=EstateEvent.ITEM_SEEN,
                    at=instant_of(scanned_s),
                    is_automatic=True,
                    facts={"item": item.key},
                    values={"item": item.name, "what": what},
                )
            )
    ConfigItem.objects.bulk_update(changed, ["seen", "seen_s", "explained", "drifts"])
    Trace.objects.bulk_create(
        Trace(node=node, event_id=event.pk, at_s=scanned_s)
        for node, event in zip(nodes, audit.append(entries) if entries else (), strict=True)
    )


def _finder(things: list[_Thing]) -> Callable[[_Thing], ConfigItem | None]:
    keys = {thing.key for thing in things if thing.key}
    serials = {str(thing.attributes["serial"]) for thing in things if "serial" in thing.attributes}
    names = {fold(thing.name) for thing in things if thing.name}
    by_key = {item.key: item for item in ConfigItem.objects.filter(key__in=keys)}
    by_serial = {
        str(item.attributes["serial"]): by_key.get(item.key, item)
        for item in ConfigItem.objects.filter(attributes__serial__in=serials)
    }
    known = {item.pk: item for item in (*by_key.values(), *by_serial.values())}
    by_name: dict[str, ConfigItem] = {}
    for item in ConfigItem.objects.filter(name_folded__in=names).order_by("-pk"):
        by_name[item.name_folded] = known.get(item.pk, item)

    def find(thing: _Thing) -> ConfigItem | None:
        serial = str(thing.attributes.get("serial", ""))
        return by_key.get(thing.key) or by_serial.get(serial) or by_name.get(fold(thing.name))

    return find


def _seen(thing: _Thing, kind: Mapping[str, Any], done: Scanned) -> dict[str, Any]:
    """What was seen, read as the type reads it; what the type does not have is not of interest."""
    known = {one["key"] for one in kind.get("attributes") or ()}
    found: dict[str, Any] = {}
    for key in thing.attributes:
        if key not in known:
            continue
        try:
            found.update(item_types.read_attributes(kind, {key: thing.attributes[key]}))
        except GannetError as error:
            done.errors.append(f"thing {thing.place}, {thing.name or thing.key}: {error}")
    return found


def _note_unrecorded(thing: _Thing, scanned_s: int) -> None:
    row, is_new = Unrecorded.objects.get_or_create(
        key=thing.key or fold(thing.name),
        defaults={
            "name": thing.name or thing.key,
            "kind": thing.kind[:60],
            "place": thing.where[:80],
            "attributes": dict(thing.attributes),
            "first_s": scanned_s,
            "seen_s": scanned_s,
        },
    )
    if not is_new and row.seen_s < scanned_s:
        row.seen_s, row.attributes = scanned_s, dict(thing.attributes)
        row.save(update_fields=["seen_s", "attributes"])
