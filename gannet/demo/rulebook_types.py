"""The types of item that Northmere Ferries records, and what is written down of each."""

from typing import Any

from gannet_core.item_types import LAYERS

_APPLICATION, _SERVER, _NETWORK, _PLACE, _DEVICE = LAYERS


def _text(key: str, label: str) -> dict[str, Any]:
    return {"key": key, "label": label, "type": "text"}


def _number(key: str, label: str, unit: str) -> dict[str, Any]:
    return {"key": key, "label": label, "type": "number", "unit": unit}


_SERIAL, _VERSION, _ADDRESS = (
    _text("serial", "serial number"),
    _text("version", "version"),
    _text("address", "address"),
)
_COMPUTER = [
    _SERIAL,
    _number("memory", "memory", "GB"),
    _number("processor", "processor", "cores"),
    _number("disk", "disk", "GB"),
    {**_VERSION, "label": "system"},
]
_NET = [_SERIAL, {**_VERSION, "label": "firmware"}, _ADDRESS, _number("ports", "ports", "")]
TYPES: list[dict[str, Any]] = [
    {"key": "application", "layer": _APPLICATION, "attributes": [_VERSION, _text("url", "address on the web")]},
    {"key": "server", "layer": _SERVER, "attributes": [*_COMPUTER, _ADDRESS]},
    {"key": "database", "layer": _SERVER, "attributes": [*_COMPUTER, _ADDRESS]},
    {"key": "switch", "layer": _NETWORK, "attributes": _NET},
    {"key": "router", "layer": _NETWORK, "attributes": _NET},
    {"key": "line", "layer": _NETWORK, "attributes": [_number("speed", "speed", "Mbit/s"), _text("number", "line number")]},
    {"key": "gateway", "layer": _NETWORK, "attributes": [_VERSION, _ADDRESS]},
    {"key": "mast", "layer": _PLACE, "attributes": [_number("height", "height", "m")]},
    {"key": "room", "layer": _PLACE, "attributes": [_number("racks", "racks", "")]},
    {"key": "power supply", "layer": _PLACE, "attributes": [_number("power", "power", "kW"), {"key": "tested", "label": "last tested", "type": "date"}]},
    {"key": "cooling", "layer": _PLACE, "attributes": [_number("power", "power", "kW")]},
    {"key": "laptop", "layer": _DEVICE, "attributes": _COMPUTER},
    {"key": "till", "layer": _DEVICE, "attributes": [_SERIAL, _VERSION, _ADDRESS]},
    {"key": "gate", "layer": _DEVICE, "attributes": [_SERIAL, {**_VERSION, "label": "firmware"}, _ADDRESS]},
    {"key": "access point", "layer": _DEVICE, "attributes": [_SERIAL, {**_VERSION, "label": "firmware"}, _ADDRESS]},
    {"key": "tablet", "layer": _DEVICE, "attributes": [_SERIAL, _VERSION, {"key": "registered", "label": "registered", "type": "yes/no"}]},
    {"key": "phone", "layer": _DEVICE, "attributes": [_SERIAL, _text("extension", "extension")]},
    {"key": "screen", "layer": _DEVICE, "attributes": [_SERIAL, _VERSION]},
]  # fmt: skip

# Groups by hand, and by a condition that is asked anew each time.
GROUPS: list[dict[str, Any]] = [
    {
        "key": "network-gear",
        "name": "Network gear",
        "if": {
            "field": "ci.kind",
            "op": "is one of",
            "value": ["switch", "router", "access point"],
        },
    },
    {
        "key": "big-servers",
        "name": "Big servers",
        "if": {
            "all": [
                {"field": "ci.kind", "op": "is one of", "value": ["server", "database"]},
                {"field": "ci.memory", "op": ">=", "value": 64},
            ]
        },
    },
    {"key": "watched", "name": "Watched closely", "items": ["database-2", "database-4"]},
]
