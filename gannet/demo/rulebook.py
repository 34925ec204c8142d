"""Edition 1 of Northmere Ferries' rulebook."""

from datetime import date
from typing import Any

import holidays

DAYS = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")
MINUTE, HOUR = 60, 3600
OFFICE_DAY = 10 * HOUR
TERMINAL_DAY = 17 * HOUR

TERMINALS = ["Saltgate", "Kestrel Point", "Orrin Bay", "Vell Island", "Farrow Sound"]
SHIPS = ["Merrow", "Skerry Light", "Tern", "Halcyon"]
AZORES = "Ilha Clara"


def document(today: date) -> dict[str, Any]:
    """The whole rulebook as data; holidays for the years around today."""
    years = range(today.year - 3, today.year + 4)
    english = holidays.country_holidays("GB", subdiv="ENG", years=years)
    azorean = holidays.country_holidays("PT", years=years)
    return {
        "calendars": _calendars(sorted(english), sorted(azorean)),
        "matrix": {
            "impact": ["Ships or passengers", "A team or a counter", "One person"],
            "urgency": ["Work is stopped", "Work goes on with difficulty", "A nuisance"],
            "cells": [[1, 2, 3], [2, 3, 4], [3, 3, 4]],
        },
        "questions": _QUESTIONS,
        "categories": _CATEGORIES,
        "care_tiers": [
            {"key": "bridge-crew", "name": "Bridge crew", "share": "0.75"},
            {"key": "directors", "name": "Directors", "share": "0.50"},
        ],
        "suppliers": [
            {"key": "brightmast", "name": "Brightmast Networks"},
            {"key": "loam", "name": "Loam Payments"},
        ],
        "clocks": [],
        "agreements": _agreements(),
        "routing": {
            "weights": {"P1": 8, "P2": 4, "P3": 2, "P4": 1},
            "exempt": {
                "security": {"field": "priority", "op": "is", "value": "P1"},
            },
        },
        "closing": {"calendar": "offices", "after_seconds": 3 * OFFICE_DAY},
        "messages": _MESSAGES,
    }


def _every_day(*spans: list[str]) -> dict[str, list[list[str]]]:
    return {day: [list(span) for span in spans] for day in DAYS}


def _weekdays(*spans: list[str]) -> dict[str, list[list[str]]]:
    return {day: [list(span) for span in spans] for day in DAYS[:5]}


def _calendar(
    key: str, name: str, weeks: list[dict[str, Any]], zone: str = "Europe/London", **more: Any
) -> dict[str, Any]:
    return {"key": key, "name": name, "zone": zone, "weeks": weeks, **more}


def _calendars(english: list[date], azorean: list[date]) -> list[dict[str, Any]]:
    start = "2020-01-01"

    def closed(days: list[date]) -> list[dict[str, Any]]:
        return [{"date": day.isoformat(), "hours": []} for day in days]

    office = [{"from": start, "hours": _weekdays(["08:00", "18:00"])}]
    return [
        _calendar(
            "all-hours", "All hours", [{"from": start, "hours": _every_day(["00:00", "24:00"])}]
        ),
        _calendar(
            "terminals",
            "Terminals",
            [
                {"from": "10-01", "hours": _every_day(["05:30", "22:30"])},
                {"from": "04-01", "hours": _every_day(["04:30", "23:30"])},
            ],
            exceptions=[
                {"date": f"{year}-12-25", "hours": []}
                for year in sorted({day.year for day in english})
            ],
        ),
        _calendar("offices", "Offices", office, exceptions=closed(english)),
        _calendar(
            "ilha-clara",
            "Ilha Clara office",
            office,
            zone="Atlantic/Azores",
            exceptions=closed(azorean),
        ),
        _calendar(
            "shift-early", "Early shift", [{"from": start, "hours": _every_day(["06:00", "14:00"])}]
        ),
        _calendar(
            "shift-late", "Late shift", [{"from": start, "hours": _every_day(["13:30", "22:30"])}]
        ),
        _calendar(
            "shift-night", "Night watch", [{"from": start, "hours": _every_day(["22:00", "06:30"])}]
        ),
        _calendar(
            "shift-day", "Day shift", [{"from": start, "hours": _every_day(["07:00", "19:00"])}]
        ),
    ]


_QUESTIONS = [
    {
        "key": "who",
        "asks": "Who is stopped by it?",
        "kind": "choice",
        "sets": "impact",
        "choices": [
            {"key": "ships", "label": "A ship, a terminal or passengers", "level": 1},
            {"key": "team", "label": "My team or this counter", "level": 2},
            {"key": "me", "label": "Only me", "level": 3},
        ],
    },
    {
        "key": "work",
        "asks": "Can you still work?",
        "kind": "choice",
        "sets": "urgency",
        "choices": [
            {"key": "no", "label": "No, not at all", "level": 1},
            {"key": "hard", "label": "Yes, with difficulty", "level": 2},
            {"key": "yes", "label": "Yes, it is a nuisance", "level": 3},
        ],
    },
    {"key": "where", "asks": "Where is it?", "kind": "place", "choices": []},
]

_CATEGORIES = [
    {"key": "Hardware › Gate reader", "skills": []},
    {"key": "Hardware › Till", "skills": []},
    {"key": "Hardware › Laptop", "skills": []},
    {"key": "Hardware › Phone", "skills": []},
    {"key": "Hardware › Screen", "skills": []},
    {"key": "Network › Signal loss", "skills": ["radio"]},
    {"key": "Network › Wi-Fi", "skills": []},
    {"key": "Software › Planning", "skills": []},
    {"key": "Software › Booking", "skills": []},
    {"key": "Software › Freight", "skills": []},
    {"key": "Software › Roster", "skills": []},
    {"key": "Software › Pay", "skills": []},
    {"key": "Software › Mail", "skills": []},
    {"key": "Security › Suspicious message", "team": "security", "skills": []},
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


def _agreements() -> list[dict[str, Any]]:
    vital = ["Boarding gates", "Berth planner", "Ship-to-shore link", "Ticket office tills"]
    return [
        {
            "key": "sailing-critical",
            "name": "Sailing-critical",
            "owner": "Tomas Wray",
            "kind": "customer",
            "status": "active",
            "position": 1,
            "scope": {"field": "service", "op": "is one of", "value": vital},
            "calendar": "all-hours",
            "targets": _targets(
                [10 * MINUTE, 20 * MINUTE, HOUR, 4 * HOUR],
                [2 * HOUR, 4 * HOUR, 12 * HOUR, 3 * TERMINAL_DAY],
                [None, None, "terminals", "terminals"],
            ),
            "pauses_on": ["requester", "date"],
        },
        {
            "key": "terminals",
            "name": "Terminals and ships",
            "owner": "Tomas Wray",
            "kind": "customer",
            "status": "active",
            "position": 2,
            "scope": {"field": "place", "op": "is one of", "value": [*TERMINALS[1:], *SHIPS]},
            "calendar": "terminals",
            "targets": _targets(
                [15 * MINUTE, 30 * MINUTE, 2 * HOUR, 6 * HOUR],
                [4 * HOUR, 6 * HOUR, TERMINAL_DAY, 4 * TERMINAL_DAY],
            ),
            "pauses_on": ["requester", "date"],
        },
        {
            "key": "ilha-clara",
            "name": "Ilha Clara office",
            "owner": "Tomas Wray",
            "kind": "customer",
            "status": "active",
            "position": 3,
            "scope": {"field": "place", "op": "is", "value": AZORES},
            "calendar": "ilha-clara",
            "targets": _targets(
                [30 * MINUTE, HOUR, 3 * HOUR, OFFICE_DAY],
                [4 * HOUR, 8 * HOUR, 2 * OFFICE_DAY, 5 * OFFICE_DAY],
            ),
            "pauses_on": ["requester", "date"],
        },
        {
            "key": "offices",
            "name": "Offices",
            "owner": "Tomas Wray",
            "kind": "customer",
            "status": "active",
            "position": 9,
            "scope": {"all": []},
            "calendar": "offices",
            "targets": _targets(
                [30 * MINUTE, HOUR, 3 * HOUR, OFFICE_DAY],
                [4 * HOUR, 8 * HOUR, 2 * OFFICE_DAY, 5 * OFFICE_DAY],
            ),
            "pauses_on": ["requester", "date"],
        },
        {
            "key": "first-line",
            "name": "First line",
            "owner": "Marit Osei",
            "kind": "team",
            "status": "active",
            "position": 1,
            "scope": {"field": "team", "op": "is", "value": "Harbour Desk"},
            "calendar": "all-hours",
            "targets": {
                "1": {"team answer": 5 * MINUTE, "team": 30 * MINUTE},
                "2": {"team answer": 15 * MINUTE, "team": 90 * MINUTE},
                "3": {"team answer": HOUR, "team": 6 * HOUR, "calendar": "terminals"},
                "4": {"team answer": 4 * HOUR, "team": 12 * HOUR, "calendar": "terminals"},
            },
            "pauses_on": ["requester", "supplier", "date"],
        },
        {
            "key": "second-line",
            "name": "Second line",
            "owner": "Marit Osei",
            "kind": "team",
            "status": "active",
            "position": 9,
            "scope": {"all": []},
            "calendar": "terminals",
            "targets": {
                "1": {"team answer": 15 * MINUTE, "team": 90 * MINUTE, "calendar": "all-hours"},
                "2": {"team answer": 30 * MINUTE, "team": 3 * HOUR, "calendar": "all-hours"},
                "3": {"team answer": 2 * HOUR, "team": 10 * HOUR},
                "4": {"team answer": 6 * HOUR, "team": 3 * TERMINAL_DAY},
            },
            "pauses_on": ["requester", "supplier", "date"],
        },
    ]


def _message(subject: str, *lines: str) -> dict[str, str]:
    return {"subject": f"[Gannet {{number}}] {subject}", "body": "\n\n".join(lines)}


_MESSAGES = {
    "logged": _message(
        "{title}",
        "Hello {name},",
        "We have your report. It is {kind} {number}.",
        "What we understood: {service}, priority {priority}. It is with {team} ({holder}).\n"
        "You will hear from a person by {answer_by}; it should be solved by {fix_by}.",
        "Reply to this mail to add something, or look at {link}.",
    ),
    "replied": _message(
        "{title}",
        "Hello {name},",
        "{actor} writes:",
        "{text}",
        "Reply to this mail to answer, or look at {link}.",
    ),
    "resolved": _message(
        "{title}",
        "Hello {name},",
        "{actor} has resolved this:",
        "{text}",
        "Is it not solved? Reply to this mail: that reopens it. Otherwise it closes by itself "
        "in three working days.",
    ),
    "cancelled": _message("{title}", "Hello {name},", "{actor} cancelled this:", "{text}"),
    "handed over": _message(
        "handed to you: {title}",
        "Hello {name},",
        "{actor} handed {kind} {number} to {team}:",
        "{text}",
        "{priority}, {service}, to be fixed by {fix_by}. {link}",
    ),
    "yours": _message(
        "yours: {title}",
        "Hello {name},",
        "{kind} {number} of {requester} is yours: {text}.",
        "{priority}, {service}, to be answered by {answer_by} and fixed by {fix_by}. {link}",
    ),
    "taken over": _message(
        "taken over: {title}", "Hello {name},", "{actor} has taken {kind} {number}. {link}"
    ),
    "requester wrote": _message(
        "{requester} wrote: {title}", "{requester} writes:", "{text}", "{link}"
    ),
    "reopened": _message(
        "reopened: {title}",
        "Hello {name},",
        "{requester} says it is not solved:",
        "{text}",
        "{link}",
    ),
    "priority changed": _message(
        "now {priority}: {title}", "{actor} set {kind} {number} to {priority}:", "{text}", "{link}"
    ),
    "date reached": _message(
        "back to you: {title}", "{kind} {number} waited for a date, which has come.", "{link}"
    ),
    "late": _message(
        "late: {title}", "The target to {text} {kind} {number} has run out.", "{link}"
    ),
    "followed": _message(
        "you follow: {title}", "{actor} made you a follower of {kind} {number}.", "{link}"
    ),
}
