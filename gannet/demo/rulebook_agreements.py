"""Northmere Ferries' agreements: what is promised to whom, and what happens on the way."""

from typing import Any

MINUTE, HOUR = 60, 3600
OFFICE_DAY = 10 * HOUR
TERMINAL_DAY = 17 * HOUR

TERMINALS = ["Saltgate", "Kestrel Point", "Orrin Bay", "Vell Island", "Farrow Sound"]
SHIPS = ["Merrow", "Skerry Light", "Tern", "Halcyon"]
AZORES = "Ilha Clara"


def _notify(who: list[str], message: str) -> dict[str, Any]:
    return {"do": "notify", "who": who, "message": message}


def _step(
    key: str, name: str, clock: str, moment: dict[str, int], *then: dict[str, Any], **more: Any
) -> dict[str, Any]:
    return {"key": key, "name": name, "clock": clock, "moment": moment, "then": list(then), **more}


_ON_REQUESTER = {"field": "waiting on", "op": "is", "value": "requester"}
_STALE = [
    _step(
        "ask-again",
        "ask whether it is still needed",
        "untouched",
        {"untouched": 5 * OFFICE_DAY},
        _notify(["requester"], "still there?"),
        **{"if": _ON_REQUESTER},
    ),
    _step(
        "close-stale",
        "closed without an answer",
        "untouched",
        {"untouched": 8 * OFFICE_DAY},
        {"do": "close", "message": "closed as stale"},
        **{"if": _ON_REQUESTER},
    ),
]
_CRITICAL_STEPS = [
    _step(
        "answer-soon",
        "no response yet",
        "answer",
        {"before_due": 5 * MINUTE},
        _notify(["team"], "close to due"),
    ),
    _step("half-gone", "half gone", "fix", {"at_percent": 50}, _notify(["holder"], "half gone")),
    _step(
        "close-to-due",
        "30 min before",
        "fix",
        {"before_due": 30 * MINUTE},
        _notify(["team lead"], "close to due"),
    ),
    _step(
        "past-due",
        "1 h after",
        "fix",
        {"after_due": HOUR},
        _notify(["service owner"], "past due"),
        {"do": "suggest major"},
    ),
    _step(
        "untouched",
        "not worked on for 3 h",
        "untouched",
        {"untouched": 3 * HOUR},
        _notify(["holder"], "untouched"),
        **{"if": {"field": "move", "op": "is", "value": "ours"}},
    ),
]
_NORMAL_STEPS = [
    _step(
        "nearly-gone", "80 % gone", "fix", {"at_percent": 80}, _notify(["holder"], "close to due")
    ),
    _step("at-due", "at due", "fix", {"after_due": 0}, _notify(["team lead"], "past due")),
    *_STALE,
]


def _targets(
    answers: list[int], fixes: list[int], calendars: list[str | None] | None = None
) -> dict[str, Any]:
    rows: dict[str, Any] = {}
    for index, (answer, fix) in enumerate(zip(answers, fixes, strict=True)):
        rows[str(index + 1)] = {"answer": answer, "fix": fix}
        if calendars and calendars[index]:
            rows[str(index + 1)]["calendar"] = calendars[index]
    return rows


def agreements() -> list[dict[str, Any]]:
    vital = ["Boarding gates", "Berth planner", "Ship-to-shore link", "Ticket office tills"]
    return [
        {
            "key": "problems",
            "name": "Problems",
            "description": "By when the cause of a problem is found, and decided what to do.",
            "owner": "Marit Osei",
            "kind": "customer",
            "status": "active",
            "scope": {"field": "kind", "op": "is", "value": "problem"},
            "calendar": "offices",
            "targets": {
                str(priority): {"cause": days * OFFICE_DAY, "decision": 2 * days * OFFICE_DAY}
                for priority, days in ((1, 2), (2, 5), (3, 10), (4, 20))
            },
            "pauses_on": ["requester", "supplier", "date"],
        },
        {
            "key": "sailing-critical",
            "name": "Sailing-critical",
            "owner": "Tomas Wray",
            "kind": "customer",
            "status": "active",
            "scope": {"field": "service", "op": "is one of", "value": vital},
            "calendar": "all-hours",
            "targets": _targets(
                [10 * MINUTE, 20 * MINUTE, HOUR, 4 * HOUR],
                [2 * HOUR, 4 * HOUR, 12 * HOUR, 3 * TERMINAL_DAY],
                [None, None, "terminals", "terminals"],
            ),
            "pauses_on": ["requester", "date"],
            "steps": _CRITICAL_STEPS,
        },
        {
            "key": "terminals",
            "name": "Terminals and ships",
            "owner": "Tomas Wray",
            "kind": "customer",
            "status": "active",
            "scope": {"field": "place", "op": "is one of", "value": [*TERMINALS[1:], *SHIPS]},
            "calendar": "terminals",
            "targets": _targets(
                [15 * MINUTE, 30 * MINUTE, 2 * HOUR, 6 * HOUR],
                [4 * HOUR, 6 * HOUR, TERMINAL_DAY, 4 * TERMINAL_DAY],
            ),
            "pauses_on": ["requester", "date"],
            "steps": _NORMAL_STEPS,
        },
        {
            "key": "ilha-clara",
            "name": "Ilha Clara office",
            "owner": "Tomas Wray",
            "kind": "customer",
            "status": "active",
            "scope": {"field": "place", "op": "is", "value": AZORES},
            "calendar": "ilha-clara",
            "targets": _targets(
                [30 * MINUTE, HOUR, 3 * HOUR, OFFICE_DAY],
                [4 * HOUR, 8 * HOUR, 2 * OFFICE_DAY, 5 * OFFICE_DAY],
            ),
            "pauses_on": ["requester", "date"],
            "steps": _NORMAL_STEPS,
        },
        {
            "key": "offices",
            "name": "Offices",
            "owner": "Tomas Wray",
            "kind": "customer",
            "status": "active",
            "scope": {"all": []},
            "calendar": "offices",
            "targets": _targets(
                [30 * MINUTE, HOUR, 3 * HOUR, OFFICE_DAY],
                [4 * HOUR, 8 * HOUR, 2 * OFFICE_DAY, 5 * OFFICE_DAY],
            ),
            "pauses_on": ["requester", "date"],
            "steps": _NORMAL_STEPS,
        },
        {
            "key": "first-line",
            "name": "First line",
            "owner": "Marit Osei",
            "kind": "team",
            "status": "active",
            "scope": {"field": "team", "op": "is", "value": "Harbour Desk"},
            "calendar": "all-hours",
            "targets": {
                "1": {"team answer": 5 * MINUTE, "team": 30 * MINUTE},
                "2": {"team answer": 15 * MINUTE, "team": 90 * MINUTE},
                "3": {"team answer": HOUR, "team": 6 * HOUR, "calendar": "terminals"},
                "4": {"team answer": 4 * HOUR, "team": 12 * HOUR, "calendar": "terminals"},
            },
            "pauses_on": ["requester", "supplier", "date", "approval"],
            "steps": [
                _step(
                    "hold-nearly-gone",
                    "80 % gone",
                    "team",
                    {"at_percent": 80},
                    _notify(["holder"], "close to due"),
                ),
            ],
        },
        {
            "key": "second-line",
            "name": "Second line",
            "owner": "Marit Osei",
            "kind": "team",
            "status": "active",
            "scope": {"all": []},
            "calendar": "terminals",
            "targets": {
                "1": {"team answer": 15 * MINUTE, "team": 90 * MINUTE, "calendar": "all-hours"},
                "2": {"team answer": 30 * MINUTE, "team": 3 * HOUR, "calendar": "all-hours"},
                "3": {"team answer": 2 * HOUR, "team": 10 * HOUR},
                "4": {"team answer": 6 * HOUR, "team": 3 * TERMINAL_DAY},
            },
            "pauses_on": ["requester", "supplier", "date", "approval"],
        },
        {
            "key": "brightmast",
            "name": "Brightmast contract",
            "description": "What Brightmast Networks owes us while a ticket waits on them.",
            "owner": "Tomas Wray",
            "kind": "supplier",
            "status": "active",
            "scope": {"field": "supplier", "op": "is", "value": "Brightmast Networks"},
            "calendar": "all-hours",
            "targets": {
                "1": {"supplier": 2 * HOUR},
                "2": {"supplier": 4 * HOUR},
                "3": {"supplier": 12 * HOUR},
                "4": {"supplier": 24 * HOUR},
            },
            "pauses_on": [],
            "steps": [
                _step(
                    "supplier-late",
                    "the supplier is overdue",
                    "supplier",
                    {"after_due": 0},
                    _notify(["holder", "team lead"], "supplier late"),
                ),
            ],
        },
        {
            "key": "loam",
            "name": "Loam contract",
            "description": "Loam Payments answers in office hours only.",
            "owner": "Tomas Wray",
            "kind": "supplier",
            "status": "active",
            "scope": {"field": "supplier", "op": "is", "value": "Loam Payments"},
            "calendar": "offices",
            "targets": {str(priority): {"supplier": 2 * OFFICE_DAY} for priority in range(1, 5)},
            "pauses_on": [],
        },
    ]
