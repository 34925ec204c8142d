"""How Northmere Ferries meets a major incident: one plan for sailing, one for security, a drill."""

from typing import Any

_WORDS_HIT = (
    "{title}.\n\nSince {began} this is not as it should be: {services}.\n\n{since}\n\n"
    "We write again by {next}."
)
_WORDS_DIRECTORS = (
    "{call_sign}: {title}.\n\n{people} people are affected; reached are {services}.\n\n"
    "{since}\n\nNext report by {next}."
)
_CHECKLIST = [
    "Say in the room what is known, in one sentence",
    "Fill the roles: technical, communications, scribe",
    "Page whoever is missing",
    "Gather the incidents that are the same",
    "Send the first update, even if it says little",
]


def plans() -> list[dict[str, Any]]:
    """Security first: it has a condition, and a circle of its own."""
    return [
        {
            "key": "security",
            "name": "Security incident",
            "if": {"field": "confidential", "op": "is", "value": True},
            "is_closed": True,
            "team": "Information Security",
            "roles": ["lead", "technical", "communications", "scribe"],
            "folders": ["Evidence", "Pictures", "Letters"],
            "channels": [
                {"name": "responders", "teams": ["Information Security"]},
                {"name": "technical", "teams": ["Information Security"]},
                {
                    "name": "legal",
                    "is_closed": True,
                    "people": ["rosalind.hathersage@northmere.example"],
                },
            ],
            "audiences": [
                {
                    "name": "everyone hit",
                    "minutes": 30,
                    "to": ["everyone affected", "everyone who reported"],
                    "words": _WORDS_HIT,
                },
                {
                    "name": "directors",
                    "minutes": 60,
                    "to": ["rosalind.hathersage@northmere.example", "tomas.wray@northmere.example"],
                    "words": _WORDS_DIRECTORS,
                },
            ],
            "told": ["Information Security"],
            "checklist": [
                "Cut off what spreads, before anything else",
                "Write down what was seen, and when",
                "Keep evidence as it is: copy, do not open",
                "Ask legal whether others have to be told, and by when",
            ],
        },
        {
            "key": "sailing",
            "name": "Sailing or sales stopped",
            "roles": ["lead", "technical", "communications", "scribe"],
            "folders": ["Evidence", "Pictures", "Reports"],
            "channels": [
                {"name": "responders", "in_chat": True},
                {"name": "technical", "teams": ["Platforms", "Networks"]},
                {"name": "terminals", "is_closed": True, "teams": ["Quayside Support"]},
            ],
            "audiences": [
                {
                    "name": "everyone hit",
                    "minutes": 30,
                    "to": ["everyone affected", "everyone who reported"],
                    "words": _WORDS_HIT,
                    "on_portal": True,
                    "on_status_page": True,
                },
                {
                    "name": "directors",
                    "minutes": 60,
                    "to": ["rosalind.hathersage@northmere.example", "tomas.wray@northmere.example"],
                    "words": _WORDS_DIRECTORS,
                },
            ],
            "told": ["team lead"],
            "suggested": {"count": 5, "minutes": 15},
            "checklist": _CHECKLIST,
        },
    ]
