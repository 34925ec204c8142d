"""Forms as somebody sees them, tasks of a ticket, and a person's own starters."""

from typing import Any

from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response

from gannet.estate.finding import find_service
from gannet.people.access import person_of
from gannet.people.permissions import DeskWorks
from gannet.rulebook.book import current
from gannet.tickets import forms
from gannet.tickets.kinds import usual
from gannet.tickets.shapes import tickets as shapes
from gannet.web.base import GannetView
from gannet.web.errors import Invalid
from gannet_core.errors import GannetError
from gannet_core.forms import resolve

_MOST_STARTERS = 30


class FormView(GannetView):
    """The form that applies, field by field, with what has been filled in so far."""

    asks_only = True

    @extend_schema(
        operation_id="form",
        request=shapes.AskFormShape,
        responses=shapes.FieldStateShape(many=True),
    )
    def post(self, request: Request) -> Response:
        given = shapes.AskFormShape(data=request.data)
        given.is_valid(raise_exception=True)
        data = given.validated_data
        # Somebody who does not work on the desk never sees what only the desk is asked.
        audience = data["audience"] if person_of(request).is_on_desk else "requester"
        book = current()
        service = find_service(data["service"])
        category = data["category"] or (service.category if service else "")
        template = data["template"] or forms.template_of(book, "", category)
        form = forms.form_of(book, usual().key, category, template)
        if form is None:
            return Response([])
        answers = {**data["answers"]}
        if service is not None:
            answers["service"] = service.name
        try:
            states = resolve(form, answers, audience, "submitting", book.templates.get(template))
        except GannetError as error:
            raise Invalid(str(error)) from error
        return Response(forms.states_json(states, forms.about(book)))


class OwnStartersView(GannetView):
    """A person's own starters, seen in their Log menu at once."""

    permission_classes = [DeskWorks]

    @extend_schema(
        operation_id="keep_starters",
        request=shapes.OwnStartersShape,
        responses=shapes.OwnStartersShape,
    )
    def put(self, request: Request) -> Response:
        given = shapes.OwnStartersShape(data=request.data)
        given.is_valid(raise_exception=True)
        starters: list[Any] = [dict(entry) for entry in given.validated_data["starters"]]
        if len(starters) > _MOST_STARTERS:
            raise Invalid(f"At most {_MOST_STARTERS} starters of your own.")
        person = person_of(request)
        person.preferences = {**person.preferences, "starters": starters}
        person.save(update_fields=["preferences"])
        return Response({"starters": starters})
