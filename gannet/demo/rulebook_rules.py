"""Northmere Ferries' rules, forms, starters and routing."""

from typing import Any

from django.conf import settings


def _leaf(field: str, op: str, value: Any = None) -> dict[str, Any]:
    return (
        {"field": field, "op": op} if value is None else {"field": field, "op": op, "value": value}
    )


def _rule(
    key: str,
    name: str,
    description: str,
    when: list[str],
    condition: dict[str, Any],
    *then: dict[str, Any],
) -> dict[str, Any]:
    return {
        "key": key,
        "name": name,
        "description": description,
        "when": when,
        "if": condition,
        "then": list(then),
        "stop": False,
        "is_on": True,
    }


RULES = [
    _rule(
        "suspicious-words",
        "Suspicious messages go to security",
        "A report of a suspicious message is confidential from its first second.",
        ["created"],
        {
            "any": [
                _leaf("title", "contains", "phishing"),
                _leaf("title", "contains", "asks for my password"),
            ]
        },
        {"do": "set", "field": "category", "value": "Security › Suspicious message"},
        {"do": "set", "field": "confidential", "value": True},
        {"do": "assign team", "team": "Information Security"},
    ),
    _rule(
        "first-answer",
        "Mail is answered with articles",
        "Who reports by mail has not seen what the portal would have offered first.",
        ["created"],
        {
            "all": [
                _leaf("kind", "is", "incident"),
                _leaf("channel", "is", "e-mail"),
                _leaf("priority", "is none of", ["P1", "P2"]),
            ]
        },
        {"do": "offer articles", "message": "first answer"},
    ),
    _rule(
        "vital-down",
        "A vital service is down",
        "The owner of a vital service hears of a P1 at once, and the duty office sees it.",
        ["created"],
        {"all": [_leaf("priority", "is", "P1"), _leaf("service.criticality", "is", 1)]},
        {"do": "notify", "who": ["service owner"], "message": "vital service"},
        {"do": "webhook", "hook": "wallboard"},
        {"do": "tag", "tags": ["vital"]},
    ),
    _rule(
        "till-check",
        "A till that jams is checked on site",
        "The two things that are always asked for are there as tasks.",
        ["created"],
        {"all": [_leaf("category", "is", "Hardware › Till"), _leaf("title", "contains", "jam")]},
        {"do": "tasks", "tasks": ["till-check"]},
    ),
    _rule(
        "handed-about",
        "Reassigned often",
        "Three hand-overs: nobody feels it is theirs.",
        ["updated"],
        {"all": [_leaf("hand-overs", ">=", 3), _leaf("hand-overs", "changed")]},
        {"do": "notify", "who": ["team lead"], "message": "reassigned often"},
        {"do": "tag", "tags": ["reassigned often"]},
    ),
    _rule(
        "not-solved-twice",
        "Not solved twice",
        "What comes back a second time is followed by the lead.",
        ["state changed"],
        {"all": [_leaf("reopenings", ">=", 2), _leaf("state", "changed to", "in progress")]},
        {"do": "follow", "who": ["team lead"]},
        {
            "do": "note",
            "text": "This has come back twice: look for the cause, not for the symptom.",
        },
    ),
]

TASKS = [
    {
        "key": "till-check",
        "name": "Check of a jammed till",
        "tasks": [
            {"title": "Count the drawer with the clerk", "team": "Quayside Support"},
            {"title": "Clean the printer and print a test slip", "team": "Quayside Support"},
        ],
    },
]

FIELDS = [
    {"key": "sailing", "label": "Affected sailing", "type": "text"},
    {"key": "passengers", "label": "Passengers affected", "type": "number"},
    {
        "key": "drawer",
        "label": "Cash drawer",
        "type": "choice",
        "choices": ["Main", "Spare", "None is left"],
    },
    {"key": "noticed", "label": "First noticed", "type": "date"},
    {
        "key": "symptoms",
        "label": "Symptoms",
        "type": "several choices",
        "choices": ["No light", "Error on the screen", "Noise", "Slow"],
    },
    {
        "key": "cause",
        "label": "Cause",
        "type": "choice",
        "choices": ["Hardware", "Software", "Network", "Supplier", "How it was used", "Not known"],
    },
]


def _field(
    name: str, *, requester: str = "shown", agent: str = "shown", **more: Any
) -> dict[str, Any]:
    """A field of a form; `shown`, `required` or `hidden` for each audience."""
    said = {
        "shown": {"shown": True, "required": False},
        "required": {"shown": True, "required": True},
        "hidden": {"shown": False, "required": False},
    }
    return {"field": name, "requester": said[requester], "agent": said[agent], **more}


FORMS = [
    {
        "key": "fault",
        "name": "A fault",
        "kind": "incident",
        "categories": [],
        "fields": [
            _field("title", requester="required", agent="required"),
            _field("text"),
            _field("service"),
            _field("place"),
            _field("who"),
            _field("work"),
            _field("sailing", requester="hidden"),
            _field("passengers", requester="hidden"),
            _field("cause", requester="hidden"),
        ],
        "effects": [
            {
                "if": _leaf("who", "is", "ships"),
                "then": [
                    {"do": "show", "field": "sailing"},
                    {"do": "show", "field": "passengers"},
                ],
            }
        ],
    },
    {
        "key": "till-fault",
        "name": "A till",
        "kind": "incident",
        "categories": ["Hardware › Till"],
        "fields": [
            _field("title", requester="required", agent="required"),
            _field("text"),
            _field("service"),
            _field("place", requester="required", agent="required"),
            _field("who"),
            _field("work"),
            _field("drawer"),
            _field("cause", requester="hidden"),
        ],
        "effects": [],
    },
]

TEMPLATES = [
    {
        "key": "till-jam",
        "name": "Till jam",
        "kind": "incident",
        "category": "Hardware › Till",
        "form": "till-fault",
        "prefill": {"title": "Till jams when it prints", "drawer": "Main"},
        "hide": [],
        "require": ["drawer"],
        "tasks": [],
        "follow_ups": [
            {
                "as": "reply",
                "text": "Please use the spare drawer until somebody of Quayside Support is with you.",
            }
        ],
    },
]

STARTERS = [
    {
        "key": "gate-reader",
        "name": "Gate reader does not open",
        "for": "all",
        "values": {
            "title": "Gate reader does not open",
            "service": "Boarding gates",
            "who": "ships",
            "work": "no",
        },
    },
    {
        "key": "till-jam",
        "name": "Till jam at a counter",
        "for": "all",
        "template": "till-jam",
        "values": {"service": "Ticket office tills", "who": "team", "work": "hard"},
    },
    {
        "key": "locked-out",
        "name": "Locked out of the laptop",
        "for": "Harbour Desk",
        "values": {
            "title": "Locked out of the laptop",
            "service": "Workplace laptops",
            "who": "me",
            "work": "no",
        },
    },
]


def hooks() -> list[dict[str, str]]:
    return [
        {
            "key": "wallboard",
            "name": "Wallboard in the duty office",
            "url": f"{settings.PUBLIC_URL}/standin/hooks",
        }
    ]


# team -> how its work finds a person
_MODES = {
    "Harbour Desk": "by hand",
    "Quayside Support": "least loaded",
    "Ship Systems": "in turn",
    "Networks": "in turn",
    "Platforms": "in turn",
    "Business Applications": "least loaded",
    "Information Security": "in turn",
}
_SKILLS = {"Ship Systems": ["radio"], "Networks": ["radio"]}
_EXEMPT = {"Information Security": _leaf("priority", "is", "P1")}


def routing() -> dict[str, Any]:
    """Modes, skills, caps and chains for the teams that are there."""
    from gannet.demo.organisation import support_chains
    from gannet.people.models import Membership

    members: dict[str, list[dict[str, Any]]] = {}
    rows = Membership.objects.order_by("person__name").values_list("team__name", "person__email")
    for team, email in rows:
        cap = None if team == "Harbour Desk" else 25
        entry = {"person": email, "skills": _SKILLS.get(team, []), "cap": cap}
        members.setdefault(team, []).append(entry)
    return {
        "weights": {"P1": 8, "P2": 4, "P3": 2, "P4": 1},
        "teams": [
            {
                "team": team,
                "mode": mode,
                "exempt": _EXEMPT.get(team),
                "members": members.get(team, []),
            }
            for team, mode in _MODES.items()
        ],
        "chains": support_chains(),
    }
