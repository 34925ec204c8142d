"""What forms offer: services, categories, questions, templates, starters, items."""

from typing import Any

from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.request import Request
from rest_framework.response import Response

from gannet.estate.finding import offered_services
from gannet.estate.models import ConfigItem
from gannet.people.access import person_of
from gannet.people.models import Person
from gannet.people.permissions import DeskReads
from gannet.people.roles import reads_desk
from gannet.rulebook.book import Book, current
from gannet.tickets import policies
from gannet.tickets.acts import acts
from gannet.tickets.item_groups import groups
from gannet.tickets.shapes import tickets as shapes
from gannet.web.base import GannetView
from gannet.web.given import whole_number
from gannet.web.shape import NamedShape
from gannet_core.conditions import fold


class ChoicesView(GannetView):
    """What forms offer: services, categories, places, levels, plain questions."""

    @extend_schema(operation_id="choices", responses=shapes.ChoicesShape)
    def get(self, request: Request) -> Response:
        book = current()
        places = Person.objects.exclude(place="").values_list("place", flat=True)
        return Response(
            {
                "services": [
                    {
                        "id": service.pk,
                        "name": service.name,
                        "plain": service.plain,
                        "team": service.team.name if service.team else "",
                    }
                    for service in offered_services()
                ],
                "item_groups": [
                    {"key": key, "name": name}
                    for key, name in groups().items()
                    if reads_desk(person_of(request))
                ],
                "categories": sorted(book.categories),
                "places": sorted(set(places.distinct().order_by("place"))),
                "suppliers": [entry["name"] for entry in book.document.get("suppliers", [])],
                "impact": book.matrix["impact"],
                "urgency": book.matrix["urgency"],
                "questions": [
                    {
                        "key": question["key"],
                        "asks": question["asks"],
                        "kind": question["kind"],
                        "choices": [
                            {"key": choice["key"], "label": choice["label"]}
                            for choice in question.get("choices", [])
                        ],
                    }
                    for question in book.questions
                ],
                "starters": _starters(book, person_of(request)),
                "templates": [
                    {
                        "key": template["key"],
                        "name": template["name"],
                        "category": template.get("category", ""),
                        "prefill": template.get("prefill") or {},
                    }
                    for template in book.templates.values()
                ],
                "waits": [
                    {"key": entry["on"], "label": entry["label"]}
                    for entry in book.waits
                    if policies.may_wait(person_of(request), entry["on"], book)
                ],
                "priorities": book.priorities,
                "acts_on_many": [
                    {
                        "name": act.name,
                        "label": how.label,
                        "button": how.button,
                        "in_routines": how.in_routines,
                    }
                    for act in acts().values()
                    if (how := act.on_many) is not None
                ],
            }
        )


def _starters(book: Book, person: Person) -> list[dict[str, Any]]:
    """The starters pinned for all, for the person's teams, and their own."""
    if not person.is_on_desk:
        return []
    teams = set(person.memberships.values_list("team__name", flat=True))
    found = [
        {
            "key": entry["key"],
            "name": entry["name"],
            "is_mine": False,
            "template": entry.get("template", ""),
            "values": entry["values"],
        }
        for entry in book.starters
        if entry.get("for", "all") in {"all", *teams}
    ]
    own = person.preferences.get("starters", [])
    return found + [{**entry, "is_mine": True} for entry in own]


class ItemsView(GannetView):
    """Configuration items by name, those of a service first."""

    permission_classes = [DeskReads]

    @extend_schema(
        operation_id="items",
        parameters=[OpenApiParameter("q", str), OpenApiParameter("service", int)],
        responses=NamedShape(many=True),
    )
    def get(self, request: Request) -> Response:
        found = ConfigItem.objects.all()
        for word in fold(request.query_params.get("q", "")[:80]).split():
            found = found.filter(name_folded__contains=word)
        service = whole_number(request.query_params.get("service"))
        if service is not None:
            found = found.filter(service_id=service)
        return Response(list(found.order_by("name").values("id", "name")[:20]))
