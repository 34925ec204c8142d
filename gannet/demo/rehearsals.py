"""Northmere's rehearsals: examples whose outcome its rulebook must keep."""

from datetime import UTC, datetime, timedelta
from typing import Any

from gannet.people.models import Person
from gannet.rulebook.book import current
from gannet.rulebook.models import Rehearsal
from gannet.trials.rehearse import try_out

# name, who asks, what, service, answers, weekday (0 is Monday) and UTC time, what counts
_EXAMPLES: list[tuple[str, str, str, str, dict[str, str], tuple[int, int, int], list[str]]] = [
    (
        "Duty master, gates down on a Friday night",
        "Maeve Tarrant",
        "No gate opens",
        "Boarding gates",
        {"who": "ships", "work": "no"},
        (4, 22, 0),
        ["priority", "agreement", "team", "fix by", "rules"],
    ),
    (
        "Bridge crew without the link at sea",
        "Ines Corrado",
        "No ship-to-shore link",
        "Ship-to-shore link",
        {"who": "team", "work": "no"},
        (6, 3, 30),
        ["priority", "agreement", "answer by", "fix by", "team"],
    ),
    (
        "Till jam at Orrin Bay on a Sunday",
        "Piotr Dallow",
        "Till jams when it prints",
        "Ticket office tills",
        {"who": "team", "work": "hard"},
        (6, 13, 0),
        ["priority", "team", "fix by", "rules"],
    ),
    (
        "Pay question from the Azores",
        "Nuno Ferrer",
        "My pay slip is missing",
        "Payroll",
        {"who": "me", "work": "yes"},
        (2, 18, 30),
        ["priority", "agreement", "answer by"],
    ),
    (
        "A suspicious message is confidential at once",
        "Owen Setchell",
        "A phishing mail with our logo",
        "Mail and calendar",
        {"who": "me", "work": "yes"},
        (1, 10, 0),
        ["team", "rules"],
    ),
]


def make_rehearsals(now: datetime) -> None:
    """Keep each example with what the rulebook in force makes of it in the coming week."""
    book = current()
    author = Person.objects.filter(name="Anneke Dray").first()
    monday = (now + timedelta(days=7 - now.weekday())).astimezone(UTC)
    for name, who, title, service, answers, (weekday, hour, minute), counts in _EXAMPLES:
        at = monday.replace(hour=hour, minute=minute, second=0, microsecond=0)
        at += timedelta(days=weekday)
        given: dict[str, Any] = {
            "requester": Person.objects.get(name=who).email,
            "title": title,
            "service": service,
            "answers": answers,
        }
        outcome = try_out(book, given, at)
        Rehearsal.objects.create(
            name=name,
            given=given,
            at=at,
            expected={key: outcome.result[key] for key in counts},
            made_by=author,
            made_at=now,
        )
