"""What stands in the placeholders of messages and phrases, for one person and one ticket."""

from collections.abc import Mapping
from typing import Protocol

from django.conf import settings

from gannet.people.models import Person
from gannet.tickets.models import Ticket
from gannet.tickets.words import due_words


class Places(Protocol):
    """Where links that open something by themselves will stand in a message."""

    def survey(self) -> str: ...
    def decide(self) -> str: ...
    def ref(self) -> str: ...


# Every placeholder of a message, with what stands there; the only list of them.
PLACEHOLDERS: dict[str, str] = {
    "number": "the number",
    "kind": "incident, request, …",
    "title": "the title",
    "name": "the first name of whom it goes to",
    "requester": "who asked",
    "actor": "who did it",
    "text": "what was written, or why",
    "service": "the service",
    "team": "the team",
    "holder": "the assignee",
    "priority": "the priority",
    "answer_by": "when it will be answered",
    "fix_by": "when it will be fixed",
    "link": "a link to it",
    "survey": "a link to say how it was (only when that is asked)",
    "decide": "a link to approve or reject (only when asked)",
    "ref": "a line by which an answer to the mail approves or rejects (only when asked)",
}


def values_of(
    ticket: Ticket,
    dues: Mapping[str, int | None],
    person: Person,
    text: str,
    actor: str,
    now_s: int,
    places: Places | None = None,
) -> dict[str, str]:
    """What stands in a message's placeholders for one person and one ticket.

    Links that open something by themselves are made for mail to that person only; where
    no `places` are given (a phrase, a preview), the link leads to signing in.
    """
    holder = ticket.holder.name if ticket.holder else ticket.team.name
    place = "/desk/tickets" if person.is_on_desk and person.pk != ticket.requester_id else "/my"
    return {
        "number": str(ticket.pk),
        "kind": ticket.kind,
        "title": ticket.title,
        "name": person.first_name,
        "requester": ticket.requester.name,
        "actor": actor,
        "text": text,
        "service": ticket.service.name if ticket.service else "not known yet",
        "team": ticket.team.name,
        "holder": holder,
        "priority": f"P{ticket.priority}",
        "answer_by": due_words(dues.get("answer"), now_s, person.zone),
        "fix_by": due_words(dues.get("fix"), now_s, person.zone),
        "link": f"{settings.PUBLIC_URL}{place}/{ticket.pk}",
        "survey": places.survey() if places else f"{settings.PUBLIC_URL}/my/{ticket.pk}",
        "decide": places.decide() if places else f"{settings.PUBLIC_URL}/approvals",
        "ref": places.ref() if places else "",
    }
