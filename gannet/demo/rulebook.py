"""Northmere Ferries' rulebook: its sections put together."""

from datetime import date
from typing import Any

import holidays

from gannet.demo import (
    rulebook_agreements,
    rulebook_catalogue,
    rulebook_changes,
    rulebook_faults,
    rulebook_majors,
    rulebook_messages,
    rulebook_rules,
    rulebook_types,
)
from gannet.demo.rulebook_agreements import AZORES, OFFICE_DAY, SHIPS, TERMINALS

__all__ = ["AZORES", "SHIPS", "TERMINALS", "document", "first_document"]

DAYS = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")


def document(today: date) -> dict[str, Any]:
    """The whole rulebook as data; holidays for the years around today."""
    years = range(today.year - 3, today.year + 4)
    english = holidays.country_holidays("GB", subdiv="ENG", years=years)
    azorean = holidays.country_holidays("PT", years=years)
    return {
        "calendars": _calendars(sorted(english), sorted(azorean)),
        "matrix": {
            "impact": ["Ships or passengers", "A team or a counter", "One person"],
            "urgency": [
                "Work is stopped",
                "Work goes on with difficulty",
                "A nuisance",
            ],
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
        "item_types": rulebook_types.TYPES,
        "item_groups": rulebook_types.GROUPS,
        "clocks": [],
        "states": [
            {"key": "being tested", "label": "being tested", "stage": "in progress"},
            {"key": "part ordered", "label": "part ordered", "stage": "waiting"},
        ],
        "waits": [
            {"key": "requester", "label": "the requester", "on": "requester", "who": _WAITERS},
            {"key": "supplier", "label": "a supplier", "on": "supplier", "who": _WAITERS},
            {"key": "date", "label": "a date", "on": "date", "who": _WAITERS},
            {"key": "approval", "label": "an approval", "on": "approval", "who": _WAITERS},
        ],
        "agreements": [*rulebook_catalogue.AGREEMENTS, *rulebook_agreements.agreements()],
        "rules": rulebook_rules.RULES,
        "article_rules": _ARTICLE_RULES,
        "tasks": [*rulebook_rules.TASKS, *rulebook_catalogue.TASKS],
        "groups": rulebook_catalogue.GROUPS,
        "fields": [*rulebook_rules.FIELDS, *rulebook_faults.FIELDS, *rulebook_catalogue.FIELDS],
        "computed": _COMPUTED,
        "forms": [*rulebook_rules.FORMS, *rulebook_faults.FORMS, *rulebook_catalogue.FORMS],
        "items": rulebook_catalogue.ITEMS,
        "bundles": rulebook_catalogue.BUNDLES,
        "routes": [*rulebook_catalogue.ROUTES, *rulebook_changes.ROUTES],
        "windows": rulebook_changes.windows(today),
        "changes": rulebook_changes.CHANGES,
        "change_templates": rulebook_changes.TEMPLATES,
        "major_plans": rulebook_majors.plans(),
        "templates": rulebook_rules.TEMPLATES,
        "starters": rulebook_rules.STARTERS,
        "hooks": rulebook_rules.hooks(),
        "routing": rulebook_rules.routing(),
        "closing": {
            "calendar": "offices",
            "after_seconds": 3 * OFFICE_DAY,
            # A word is no resolution: the requester reads it, and the next one looks it up.
            "least_words": 3,
            "conditions": [],
        },
        "problems": {
            "question": "who",
            "people": [
                {"answer": "ships", "people": 12},
                {"answer": "team", "people": 4},
                {"answer": "me", "people": 1},
            ],
            "shares": [
                {"urgency": 1, "share": "1"},
                {"urgency": 2, "share": "0.3"},
                {"urgency": 3, "share": "0.05"},
            ],
            "lost_hour_pence": 3100,
            "desk_hour_pence": 3600,
            "back_days": 30,
            "branches": ["On the ship or at the quay", "On land", "At the supplier"],
        },
        "messages": rulebook_messages.messages(),
        "notifications": rulebook_messages.notifications(),
        "quiet": rulebook_messages.QUIET,
    }


# Whoever has it says what it waits for, and so does a lead; no other team stops its clock.
_WAITERS = ["its team", "team lead"]


def first_document(today: date) -> dict[str, Any]:
    """The rulebook with which Northmere began: no rules and no escalation steps yet."""
    found = document(today)
    found["rules"], found["hooks"], found["starters"] = [], [], []
    found["agreements"] = [
        {key: value for key, value in entry.items() if key != "steps"}
        for entry in found["agreements"]
    ]
    return found


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
        "asks": "Who is affected?",
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

_ARTICLE_RULES = [
    {
        "key": "disputed",
        "name": "A disputed article is looked at",
        "description": "So that nobody else is sent the wrong way.",
        "when": ["disputed"],
        "if": {"all": []},
        "then": [
            {"do": "notify", "who": ["owner", "editors"], "text": "“{title}” is disputed"},
            {"do": "review", "days": 7},
        ],
        "stop": False,
        "is_on": True,
    },
    {
        "key": "known_error_out",
        "name": "The desk hears of a new known error",
        "description": "Who answers the phone tells its workaround from then on.",
        "when": ["published"],
        "if": {"all": [{"field": "kind", "op": "is", "value": "known error"}]},
        "then": [{"do": "notify", "who": ["Harbour Desk"], "text": "Known error: {title}"}],
        "stop": False,
        "is_on": False,
    },
]
_COMPUTED = [
    {
        "key": "hours_of_service",
        "label": "Hours of service it took",
        "expression": "service hours between(opened, if empty(resolved, now))",
        "calendar": "offices",
        "hint": "What the offices’ hours saw of it, to its solution or to now.",
    },
    {
        "key": "hours_after_reply",
        "label": "Hours from reply to solution",
        "expression": "hours between([first answer], resolved)",
        "hint": "How long it took once somebody had answered.",
    },
    {
        "key": "minutes_per_hand",
        "label": "Minutes for each hand it went through",
        "expression": "minutes ÷ ([hand-overs] + 1)",
        "hint": "Work logged, by the hands that had it.",
    },
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
    {"key": "Security › Suspicious message", "team": "Information Security", "skills": []},
]
