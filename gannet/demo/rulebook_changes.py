"""How Northmere Ferries plans changes: windows, freezes, types, routes, templates."""

from collections.abc import Sequence
from datetime import date, timedelta
from typing import Any

from gannet.demo.rulebook_catalogue import ANNEKE, MARIT, TOMAS

_ZONE = "Europe/London"
_SAILING = [
    "Boarding gates",
    "Berth planner",
    "Ticket office tills",
    "Web booking",
    "Freight manifest",
    "Ship-to-shore link",
]
_OFFICE = ["Mail and calendar", "Workplace laptops", "Payroll", "Signage", "Crew roster"]


def windows(today: date) -> list[dict[str, Any]]:
    """Nights for what ships and terminals need, evenings for the offices, two freezes."""
    friday = today + timedelta(days=(4 - today.weekday()) % 7 or 7)
    monday = friday + timedelta(days=3)
    return [
        {
            "key": "nights",
            "name": "Sunday and Thursday nights",
            "kind": "maintenance",
            "zone": _ZONE,
            "from": "2024-01-04T01:30",
            "to": "2024-01-04T04:30",
            "rrule": "FREQ=WEEKLY;BYDAY=TH,SU",
            "services": _SAILING,
        },
        {
            "key": "evenings",
            "name": "Office evenings",
            "kind": "maintenance",
            "zone": _ZONE,
            "from": "2024-01-02T18:30",
            "to": "2024-01-02T22:30",
            "rrule": "FREQ=WEEKLY;BYDAY=MO,TU,WE,TH",
            "services": _OFFICE,
        },
        {
            "key": "peak-sailing",
            "name": "Peak sailing",
            "kind": "freeze",
            "zone": _ZONE,
            "from": f"{friday}T06:00",
            "to": f"{monday}T06:00",
            "rrule": None,
            "services": _SAILING,
        },
        {
            "key": "year-end",
            "name": "Christmas sailings",
            "kind": "freeze",
            "zone": _ZONE,
            "from": "2023-12-20T00:00",
            "to": "2024-01-03T06:00",
            "rrule": "FREQ=YEARLY",
        },
    ]


CHANGES: dict[str, Any] = {
    "types": [
        {
            "key": "standard",
            "name": "Standard",
            "like": "standard",
            "needs": ["items", "span", "plan", "backout"],
        },
        {
            "key": "normal",
            "name": "Normal",
            "like": "normal",
            "needs": ["why", "service", "items", "span", "plan", "backout"],
            "route": "change-normal",
            "cab": ["moderate", "high", "critical"],
        },
        {
            "key": "emergency",
            "name": "Emergency",
            "like": "emergency",
            "needs": ["why", "items", "span"],
            "route": "change-emergency",
        },
        {
            "key": "cutover",
            "name": "Cutover",
            "like": "normal",
            "needs": ["why", "service", "items", "span", "plan", "backout"],
            "route": "change-normal",
            "cab": ["moderate", "high", "critical"],
            "stages": [
                {
                    "key": "technical-review",
                    "name": "technical review",
                    "within": "assess",
                    "needs": ["test", "tried"],
                },
                {"key": "dress-rehearsal", "name": "dress rehearsal", "within": "planned"},
            ],
        },
    ],
    "ends_problem": {"outcomes": ["done"], "with_incidents": True},
    "cab": {
        "weekday": "tue",
        "time": "10:30",
        "zone": _ZONE,
        "cutoff_minutes": 1350,
        "board": "Change advisory board",
    },
    "tell": {"hours": 24, "ratings": ["moderate", "high", "critical"]},
    "lead_hours": 48,
    "review_days": 5,
    "review_calendar": "offices",
    "incident_days": 5,
}


def _stage(
    key: str, name: str, who: str, of: str = "", *, shows: Sequence[str] = (), **more: Any
) -> dict[str, Any]:
    approver = {"who": who, "of": of} if of else {"who": who}
    if "when" in more:
        more["if"] = more.pop("when")
    return {
        "key": key,
        "name": name,
        "approvers": [approver],
        "quorum": "any",
        "fallback": TOMAS,
        "shows": list(shows),
        "remind_seconds": 36_000,
        **more,
    }


_RISKY = {"field": "risk", "op": "is one of", "value": ["moderate", "high", "critical"]}
_CLASHING = {"field": "in a freeze", "op": "is", "value": True}
_TO_CAB = {"field": "goes to the CAB", "op": "is", "value": True}
ROUTES: list[dict[str, Any]] = [
    {
        "key": "change-normal",
        "name": "Normal changes",
        "owner": MARIT,
        "stages": [
            _stage("technical", "Technical owner", "technical owner", shows=["items", "plan", "tried"]),
            _stage("owner", "Service owner", "service owner", shows=["items", "span"], when=_RISKY),
            _stage("cab", "CAB", "board", "Change advisory board", shows=["items", "span"], when=_TO_CAB),
            _stage("freeze", "During a freeze", "person", TOMAS, shows=["span"], fallback=ANNEKE, when=_CLASHING),
        ],
    },
    {
        "key": "change-emergency",
        "name": "Emergency changes",
        "owner": MARIT,
        "stages": [_stage("head", "Head of service", "person", TOMAS, shows=["span"], fallback=ANNEKE)],
    },
]  # fmt: skip


def _step(part: str, says: str, minutes: int) -> dict[str, Any]:
    return {"part": part, "says": says, "minutes": minutes}


def _template(
    key: str, title: str, service: str, steps: list[dict[str, Any]], **more: Any
) -> dict[str, Any]:
    minutes = sum(step["minutes"] for step in steps if step["part"] != "back out")
    return {"key": key, "name": title, "title": title, "service": service, "steps": steps,
            "minutes": minutes, **more}  # fmt: skip


TEMPLATES: list[dict[str, Any]] = [
    _template(
        "till-software",
        "New software on the tills of a terminal",
        "Ticket office tills",
        [
            _step("implement", "Load the new version on one till and sell a ticket", 20),
            _step("implement", "Load it on the others, one after the other", 40),
            _step("test", "Sell, refund and cash up on two of them", 20),
            _step("back out", "Load the kept version again", 30),
        ],
        is_preauthorised=True,
        why="The maker’s quarterly version.",
        tried="On the till in the training room",
        category="Hardware › Till",
    ),
    _template(
        "laptop-patches",
        "Monthly updates of the laptops",
        "Workplace laptops",
        [
            _step("implement", "Release the updates to the first twenty laptops", 30),
            _step("implement", "Release them to all", 60),
            _step("test", "Look at the failed ones", 30),
            _step("back out", "Withdraw the updates", 20),
        ],
        is_preauthorised=True,
        why="Updates of the month.",
        tried="On the laptops of IT, a week before",
        category="Hardware › Laptop",
    ),
    _template(
        "sign-player",
        "New version of the sign player",
        "Signage",
        [
            _step("implement", "Install it beside the old one", 30),
            _step("implement", "Let the signs of one terminal use it", 20),
            _step("test", "Look at every sign of that terminal", 30),
            _step("back out", "Let them use the old one", 10),
        ],
        is_preauthorised=True,
        tried="On the sign in the server room",
    ),
    _template(
        "switch-swap",
        "Swap of a quay switch",
        "Boarding gates",
        [
            _step("implement", "Tell the terminal and the ship alongside", 10),
            _step("implement", "Set up the new switch beside the old one", 45),
            _step("implement", "Move the cables over", 30),
            _step("test", "Open each gate once, print one label", 30),
            _step("back out", "Move the cables back", 25),
        ],
        why="It is out of the maker’s care.",
    ),
    _template(
        "router-firmware",
        "New firmware for the routers of a ship",
        "Ship-to-shore link",
        [
            _step("implement", "Tell the bridge and get its yes", 10),
            _step("implement", "Hold the ship on the second carrier", 10),
            _step("implement", "Load the firmware at Saltgate", 35),
            _step("test", "Call, manifest and position on the first carrier", 30),
            _step("test", "Watch the link past mast 4", 45),
            _step("back out", "Load the kept image", 35),
            _step("back out", "Let go of the second carrier, call once", 15),
        ],
    ),
    _template(
        "database-upgrade",
        "Upgrade of a database",
        "Berth planner",
        [
            _step("implement", "Copy and check the copy", 30),
            _step("implement", "Upgrade, and start it read-only", 60),
            _step("test", "Read yesterday’s plan, write and take back one move", 30),
            _step("back out", "Restore the copy", 60),
        ],
    ),
]
