"""Lists, figures, groups and search agree with a plain recount, at 100,000 tickets.

Every ticket is read once and asked by the core, one at a time, what the interface asks the
database: who may see it, whether a filter lets it through, what it counts as.
"""

import time
from collections import Counter
from collections.abc import Iterator
from typing import Any

from bench.database import likeness, pointed_at
from bench.timing import verdict
from gannet_core.conditions import evaluate, has_words, leaves

TICKETS = 100_000
OPEN = {"field": "open", "op": "is", "value": True}
FILTERS: list[dict[str, Any]] = [
    {"all": [OPEN]},
    {"all": [OPEN, {"field": "priority", "op": "is one of", "value": ["P1", "P2"]}]},
    {"all": [OPEN, {"field": "holder", "op": "is empty"}]},
    {"all": [OPEN, {"not": {"field": "service", "op": "is", "value": "Boarding gates"}}]},
    {"any": [
        {"all": [OPEN, {"field": "move", "op": "is", "value": "theirs"}]},
        {"all": [OPEN, {"field": "hand-overs", "op": ">=", "value": 2}]},
    ]},
    {"all": [OPEN, {"field": "title", "op": "contains", "value": "gate"}]},
    {"all": [OPEN, {"field": "requester.place", "op": "is", "value": "Orrin Bay"}]},
    {"all": [
        {"field": "reopenings", "op": ">", "value": 0},
        {"field": "kind", "op": "is", "value": "incident"},
    ]},
    {"all": [
        {"field": "approval", "op": "is one of", "value": ["approved", "refused"]},
        {"field": "team", "op": "is not", "value": "Harbour Desk"},
    ]},
]  # fmt: skip
WORDS = ("gate refused", "berth", "crew tablet", "nothing like it")


def run() -> list[str]:
    with pointed_at(likeness(TICKETS)):
        from django.utils import timezone

        from gannet.people.models import Person

        began, now = time.perf_counter(), timezone.now()
        people = [Person.objects.get(name=name) for name in ("Signe Hallam", "Marit Osei")]
        asked, wrong = _compare(people, now)
        took = time.perf_counter() - began
    about = f"{asked} questions recounted over {TICKETS:,} tickets in {took:.0f} s: wrong"
    return [verdict(about, len(wrong), "0", is_met=not wrong), *(f"    {one}" for one in wrong)]


def _compare(people: list[Any], now: Any) -> tuple[int, list[str]]:
    """How many questions were asked, and which answers were wrong."""
    from gannet.tickets.models import Ticket
    from gannet_core.instants import seconds_of

    fields = _fields()
    eyes = [_Eyes(person, seconds_of(now)) for person in people]
    texts = _texts()
    related = ("requester", "beneficiary", "service", "service__owner", "team", "holder", "ci")
    for ticket in Ticket.objects.select_related(*related).iterator(chunk_size=2_000):
        record = {name: field.read(ticket) for name, field in fields.items()}
        through = [n for n, tree in enumerate(FILTERS) if evaluate(tree, record).result]
        text = f"{ticket.title}\n{texts.get(ticket.pk, '')}"
        said = [words for words in WORDS if has_words(text, words)]
        for one in eyes:
            if one.may_know(ticket):
                one.look_at(ticket, through, said)
    answers = [answer for one in eyes for answer in one.questions(now)]
    return len(answers), [
        f"{name}: {_differs(ours, theirs)}" for name, ours, theirs in answers if ours != theirs
    ]


def _fields() -> dict[str, Any]:
    from gannet.tickets.fields import registry

    known = registry()
    return {leaf["field"]: known[leaf["field"]] for tree in FILTERS for leaf in leaves(tree)}


class _Eyes:
    """What one person is to be shown, counted one ticket at a time."""

    def __init__(self, person: Any, now_s: int) -> None:
        from gannet.people.roles import team_ids
        from gannet.tickets.models import Follower

        self.person = person
        follows = Follower.objects.filter(person=person).values_list("ticket_id", flat=True)
        self.follows = set(follows)
        self.teams = set(team_ids(person)) if person.is_on_desk else set()
        self.counted = [_Recount(now_s) for _ in FILTERS]
        self.said: dict[str, set[int]] = {words: set() for words in WORDS}

    def may_know(self, ticket: Any) -> bool:
        """Decided here, and not by the database."""
        return (
            not ticket.is_confidential
            or ticket.requester_id == self.person.pk
            or ticket.pk in self.follows
            or ticket.holder_id == self.person.pk
            or ticket.team_id in self.teams
        )

    def look_at(self, ticket: Any, through: list[int], said: list[str]) -> None:
        for n in through:
            self.counted[n].add(ticket)
        for words in said:
            self.said[words].add(ticket.pk)

    def questions(self, now: Any) -> Iterator[tuple[str, Any, Any]]:
        """Each question with the recounted and the shown answer."""
        from gannet.tickets import listing, queries
        from gannet.tickets.listed import listed
        from gannet_core.instants import seconds_of

        for tree, one in zip(FILTERS, self.counted, strict=True):
            found = listed(self.person, tree, now)
            yield f"total of {tree}", len(one.numbers), queries.total(found)
            yield f"figures of {tree}", one.figures, queries.figures(found, seconds_of(now))
            shown = set(found.found.values_list("pk", flat=True))
            yield f"numbers of {tree}", one.numbers, shown
            if len(one.numbers) < 6_000:
                yield f"pages of {tree}", one.numbers, _walked(found)
            groups = {row["value"] or "": row["count"] for row in listing.groups(found, "service")}
            yield f"groups of {tree}", {k or "": n for k, n in one.services.items()}, groups
        for words, numbers in self.said.items():
            tree = {"field": "words", "op": "has words", "value": words}
            shown = set(listed(self.person, tree, now).found.values_list("pk", flat=True))
            if len(numbers) > 15_000 and shown < numbers:
                continue  # of a common word the newest are looked at
            yield f"search for {words!r}", numbers, shown


class _Recount:
    """What a filter lets through, counted one ticket at a time."""

    def __init__(self, now_s: int) -> None:
        from gannet.tickets.queries import FIGURES

        self.now_s = now_s
        self.numbers: set[int] = set()
        self.figures: dict[str, int] = dict.fromkeys(FIGURES, 0)
        self.services: Counter[str | None] = Counter()

    def add(self, ticket: Any) -> None:
        self.numbers.add(ticket.pk)
        self.services[ticket.service.name if ticket.service else None] += 1
        if not ticket.is_open:
            return
        late_from, due = ticket.late_from_s, ticket.due_s
        soon = self.now_s + 3600
        self.figures["late"] += late_from is not None and late_from < self.now_s
        self.figures["due_soon"] += (
            late_from is not None and due is not None and late_from >= self.now_s and due < soon
        )
        self.figures["nobodys"] += ticket.holder_id is None
        self.figures["unread"] += ticket.is_unread == 1
        self.figures["answered"] += ticket.is_answered == 1
        self.figures["major"] += ticket.is_major_suggested == 1
        self.figures["needs_reply"] += ticket.needs_reply == 1


def _texts() -> dict[int, str]:
    from gannet.audit.models import Event

    found: dict[int, list[str]] = {}
    rows = Event.objects.exclude(text="").filter(ticket__isnull=False)
    for number, text in rows.values_list("ticket_id", "text").iterator(chunk_size=5_000):
        found.setdefault(number, []).append(text)
    return {number: "\n".join(texts) for number, texts in found.items()}


def _walked(found: Any) -> set[int]:
    """The numbers of a list, read page by page as somebody scrolls; none may come twice."""
    from gannet.tickets import listing

    numbers: list[int] = []
    cursor = ""
    while True:
        page = listing.page(found, "", cursor=cursor)
        numbers += [row["id"] for row in page.rows]
        if not page.next_cursor:
            break
        cursor = page.next_cursor
    assert len(numbers) == len(set(numbers)), "a ticket came twice"
    return set(numbers)


def _differs(ours: Any, theirs: Any) -> str:
    if isinstance(ours, set):
        return f"missing {sorted(ours - theirs)[:3]}, too many {sorted(theirs - ours)[:3]}"
    return f"{ours} recounted, {theirs} shown"
