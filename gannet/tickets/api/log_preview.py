"""What would come of a call if it were logged now: nothing is saved, nobody is told."""

from collections.abc import Sequence
from typing import Any

from django.utils import timezone
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from gannet.estate.finding import find_item, find_service
from gannet.people.access import person_of
from gannet.people.models import Person
from gannet.people.permissions import DeskWorks
from gannet.rulebook.book import Book, current
from gannet.tickets import intake, promises, queries, record_parts
from gannet.tickets.actions.log import NewTicket, draft_ticket, given_people, unsaid
from gannet.tickets.classify import suggest_services
from gannet.tickets.models import Channel, Ticket
from gannet.tickets.shapes import records
from gannet.tickets.shapes.lists import OutageShape
from gannet.tickets.shapes.tickets import PreviewLogShape, StepShape
from gannet.web.base import GannetView
from gannet.web.shape import NamedShape, Shape
from gannet_core.errors import GannetError
from gannet_core.instants import seconds_of
from gannet_core.priority import priority_of
from gannet_core.suggest import words_of

_SURE_ENOUGH = 0.25
_STEM = 4


class GuessShape(NamedShape):
    """A service that the words speak of, and by which words."""

    why = serializers.CharField()


class LogPreviewShape(Shape):
    """Priority, promise, team and person as they would be, each with its why; and what is
    known already: open tickets that may be the same, outages, articles."""

    priority = serializers.IntegerField()
    why_priority = StepShape(many=True)
    unsaid = serializers.ListField(
        child=serializers.CharField(), help_text="questions not answered yet, so assumed"
    )
    agreement = serializers.CharField(allow_blank=True)
    why_agreement = StepShape(many=True)
    answer_due_s = serializers.IntegerField(allow_null=True)
    fix_due_s = serializers.IntegerField(allow_null=True)
    team = serializers.CharField()
    why_team = serializers.CharField()
    person = serializers.CharField(allow_blank=True)
    why_person = serializers.CharField(allow_blank=True)
    category = serializers.CharField(allow_blank=True)
    guess = GuessShape(allow_null=True)
    duplicates = records.SimilarShape(many=True)
    outages = OutageShape(many=True)
    articles = records.ArticleLineShape(many=True)
    now_s = serializers.IntegerField()


class LogPreviewView(GannetView):
    """What a call would become, while it is typed."""

    permission_classes = [DeskWorks]

    @extend_schema(operation_id="preview_log", request=PreviewLogShape, responses=LogPreviewShape)
    def post(self, request: Request) -> Response:
        given = PreviewLogShape(data=request.data)
        given.is_valid(raise_exception=True)
        return Response(previewed(given.validated_data, person_of(request)))


def previewed(data: Any, reader: Person) -> dict[str, Any]:
    """What is typed so far as a ticket that is never saved, decided as logging decides."""
    book, now_s = current(), seconds_of(timezone.now())
    requester = Person.objects.filter(pk=data["requester"] or 0, is_active=True).first()
    new = NewTicket(
        requester=requester or reader,
        title=data["title"] or "not said yet",
        text=data["text"],
        channel=Channel.PHONE,
        service=find_service(data["service"]),
        template=data["template"],
        category=data["category"],
        ci=find_item(data["ci"]),
        place=data["place"],
        answers=data["answers"],
        **given_people(data["team"], data["person"]),
    )
    ticket = draft_ticket(new, book, now_s)
    matrix = priority_of(book.matrix, ticket.impact, ticket.urgency)
    found = intake.decide(book, ticket, now_s)
    why = matrix.explain(book.matrix)
    why += [
        {"label": asks, "value": "not answered: assumed"} for asks in unsaid(new, book).values()
    ]
    if ticket.priority != matrix.priority:
        why.append({"label": f"Now P{ticket.priority}", "value": ticket.priority_reason})
    return {
        "priority": ticket.priority,
        "why_priority": why,
        "unsaid": list(unsaid(new, book).values()),
        **_promised(book, ticket, now_s),
        "team": found.team.name,
        "why_team": found.team_because,
        "person": found.person.person.name if found.person.person else "",
        "why_person": found.person.sentence,
        "category": ticket.category,
        "guess": None if ticket.service else _guess(f"{data['title']} {data['text']}"),
        **_known(ticket, data["title"], reader, now_s),
        "now_s": now_s,
    }


def _promised(book: Book, ticket: Ticket, now_s: int) -> dict[str, Any]:
    dues: dict[str, int | None] = {"answer": None, "fix": None}
    promise = promises.promise(book, ticket, "customer", now_s)
    for kind, target in (promise.targets if promise else {}).items():
        try:
            dues[kind] = book.calendar(target.calendar).due_s(now_s, target.seconds)
        except GannetError:
            dues[kind] = None
    return {
        "agreement": book.agreement_name(promise.agreement) if promise else "",
        "why_agreement": promise.why if promise else [],
        "answer_due_s": dues["answer"],
        "fix_due_s": dues["fix"],
    }


def _guess(text: str) -> dict[str, Any] | None:
    for service, suggestion in suggest_services(text, 1) if text.strip() else ():
        if suggestion.probability >= _SURE_ENOUGH:
            words = ", ".join(suggestion.words)
            why = f"{round(100 * suggestion.probability)} % by: {words}"
            return {"id": service.pk, "name": service.name, "why": why}
    return None


def _known(ticket: Ticket, title: str, reader: Person, now_s: int) -> dict[str, Any]:
    words = words_of(title)
    service = ticket.service.name if ticket.service else ""
    helping = record_parts.helping_new(ticket, reader) if words else {}
    alike = {one["id"] for one in helping.get("duplicates", ())}
    outages = [
        one
        for one in queries.outages(now_s, reader)
        if (service and one["service"] == service)
        or one["id"] in alike
        or _speaks_of(words, words_of(one["title"]))
    ]
    return {
        "outages": outages,
        "duplicates": helping.get("duplicates", []),
        "articles": helping.get("articles", []),
    }


def _speaks_of(words: Sequence[str], others: Sequence[str]) -> bool:
    """Whether two texts share a word, whatever its ending: gate and gates."""
    return any(
        one[:_STEM] == other[:_STEM] for one in words for other in others if len(one) >= _STEM
    )
