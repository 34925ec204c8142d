"""What stands in the placeholders of messages and phrases, for one person and one ticket."""

from collections.abc import Callable, Iterator, Mapping
from typing import Protocol

from django.conf import settings

from gannet.people.models import Person
from gannet.rulebook.book import edition
from gannet.tickets.approval_json import answers_json, cost_words
from gannet.tickets.kinds import kind_of
from gannet.tickets.models import Ticket
from gannet.tickets.words import due_words


class Places(Protocol):
    """Where links that open something by themselves will stand in a message."""

    def survey(self) -> str: ...
    def decide(self) -> str: ...
    def ref(self) -> str: ...
    def asked(self) -> str: ...


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
    "place": "where it is",
    "reason": "what the requester wrote first",
    "for_whom": "for whom it is",
    "cost": "what it costs",
    "answers": "what was answered in the form, a line each",
    "begins": "when it begins (of a change, to those whom it reaches)",
    "ends": "when it ends (of a change, to those whom it reaches)",
    "link": "a link to it",
    "survey": "a link to say how it was (only when that is asked)",
    "decide": "a link to approve or reject (only when asked)",
    "asked": "what is to be approved: for whom, cost, why, answers, parts, approvals before",
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
) -> Mapping[str, str]:
    """What stands in a message's placeholders for one person and one ticket.

    Links that open something by themselves are made for mail to that person only; where
    no `places` are given (a phrase, a preview), the link leads to signing in.
    """
    holder = ticket.holder.name if ticket.holder else ticket.team.name
    place = "/desk/tickets" if person.is_on_desk and person.pk != ticket.requester_id else "/my"
    book = edition(ticket.edition)
    own = {f"answer {one['label']}": one["value"] for one in answers_json(ticket, book)}
    own = {f"answer {field['label']}": "" for field in book.fields.values()} | own
    # What nobody asks for is not worked out: a message has few of them.
    worked_out: dict[str, Callable[[], str]] = {
        "reason": lambda: _first_words(ticket),
        "cost": lambda: cost_words(kind_of(ticket).cost(ticket)),
        "answers": lambda: "\n".join(
            f"{one['label']}: {one['value']}" for one in answers_json(ticket, book)
        ),
        "asked": places.asked if places else lambda: "",
    }
    simple = {
        **own,
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
        "fix_by": _fix_by(ticket, dues.get("fix"), now_s, person.zone),
        "place": ticket.place,
        "begins": "",
        "ends": "",
        "for_whom": kind_of(ticket).named_for(ticket)
        or (ticket.beneficiary or ticket.requester).name,
        "link": f"{settings.PUBLIC_URL}{place}/{ticket.pk}",
        "survey": places.survey() if places else f"{settings.PUBLIC_URL}/my/{ticket.pk}",
        "decide": places.decide() if places else f"{settings.PUBLIC_URL}/approvals",
        "ref": places.ref() if places else "",
    }
    return _Values(simple, worked_out)


class _Values(Mapping[str, str]):
    """What stands for each name; some is worked out when it is asked for."""

    def __init__(
        self, simple: Mapping[str, str], worked_out: Mapping[str, Callable[[], str]]
    ) -> None:
        self._simple, self._worked_out = simple, worked_out

    def __getitem__(self, name: str) -> str:
        if name in self._worked_out:
            return self._worked_out[name]()
        return self._simple[name]

    def __iter__(self) -> Iterator[str]:
        return iter([*self._simple, *self._worked_out])

    def __len__(self) -> int:
        return len(self._simple) + len(self._worked_out)


def _first_words(ticket: Ticket) -> str:
    first = ticket.events.filter(kind="logged").order_by("id").first()
    return first.text if first else ""


def _fix_by(ticket: Ticket, due_s: int | None, now_s: int, zone: str) -> str:
    """When it will be done; nothing is promised before it is approved."""
    if ticket.is_undecided:
        return "a date that is set once it is approved"
    return due_words(due_s, now_s, zone)
