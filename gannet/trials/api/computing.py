"""Trying the expression of a computed field on records there are, before it is published."""

import re
from typing import Any

from django.utils import timezone
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from gannet.people.access import person_of
from gannet.rulebook.book import Book
from gannet.tickets import policies
from gannet.tickets.computing import Computed
from gannet.tickets.fields import registry
from gannet.tickets.kinds import kinds
from gannet.tickets.models import Ticket
from gannet.trials.api.common import EditsRulebook, book_of
from gannet.web.base import GannetView
from gannet.web.shape import Shape
from gannet_core import computed
from gannet_core.errors import ExpressionError
from gannet_core.instants import parse_instant, seconds_of

_LOOKED_AT, _SHOWN = 60, 6
_PLACE = re.compile(r"^at (\d+): ")


class ReadableFieldShape(Shape):
    name = serializers.CharField()
    label = serializers.CharField()
    type = serializers.CharField()


class TryExpressionShape(Shape):
    of = serializers.CharField(max_length=20, default="draft")
    expression = serializers.CharField(
        max_length=computed.MAX_LENGTH, allow_blank=True, trim_whitespace=False
    )
    calendar = serializers.CharField(max_length=80, allow_blank=True, default="")


class ReadValueShape(Shape):
    label = serializers.CharField()
    text = serializers.CharField(allow_blank=True)
    at_s = serializers.IntegerField(allow_null=True)


class ExpressionExampleShape(Shape):
    number = serializers.IntegerField()
    mark = serializers.CharField(allow_blank=True)
    title = serializers.CharField()
    reads = ReadValueShape(many=True)
    value = ReadValueShape()


class TriedExpressionShape(Shape):
    type = serializers.CharField(allow_null=True)
    error = serializers.CharField(allow_blank=True)
    at = serializers.IntegerField(allow_null=True)
    tried = serializers.IntegerField()
    filled = serializers.IntegerField()
    examples = ExpressionExampleShape(many=True)


class ReadableFieldsView(GannetView):
    """The fields that an expression can read."""

    permission_classes = [EditsRulebook]

    @extend_schema(operation_id="readable_fields", responses=ReadableFieldShape(many=True))
    def get(self, request: Request) -> Response:
        fields = {name: one.about() for name, one in registry(book_of("draft")).items()}
        return Response(
            [
                {"name": name, "label": about["label"], "type": computed.type_of(about)}
                for name, about in computed.readable(fields).items()
            ]
        )


class TryExpressionView(GannetView):
    """What an expression says of records there are; or what is wrong with it, and where."""

    permission_classes = [EditsRulebook]
    asks_only = True

    @extend_schema(
        operation_id="try_expression", request=TryExpressionShape, responses=TriedExpressionShape
    )
    def post(self, request: Request) -> Response:
        given = TryExpressionShape(data=request.data)
        given.is_valid(raise_exception=True)
        data, book = given.validated_data, book_of(given.validated_data["of"])
        about = computed.readable({name: one.about() for name, one in registry(book).items()})
        nothing: dict[str, Any] = {
            "type": None, "error": "", "at": None, "tried": 0, "filled": 0, "examples": [],
        }  # fmt: skip
        try:
            node = computed.check(data["expression"], about)
        except ExpressionError as error:
            place = _PLACE.match(str(error))
            says = str(error)[place.end() :] if place else str(error)
            return Response({**nothing, "error": says, "at": int(place[1]) if place else None})
        newest = policies.visible_to(person_of(request)).order_by("-changed_s", "-pk")
        related = newest.select_related("requester", "service", "team", "holder", "ci")
        one = Computed(node, data["calendar"])
        now_s = seconds_of(timezone.now())
        tried = [_example(ticket, one, book, now_s) for ticket in related[:_LOOKED_AT]]
        filled = [example for example in tried if example["value"]["text"] or _at(example)]
        empty = [example for example in tried if example not in filled]
        return Response(
            {
                **nothing,
                "type": node.type,
                "tried": len(tried),
                "filled": len(filled),
                "examples": [*filled, *empty][:_SHOWN],
            }
        )


def _at(example: dict[str, Any]) -> bool:
    return example["value"]["at_s"] is not None


def _example(ticket: Ticket, one: Computed, book: Book, now_s: int) -> dict[str, Any]:
    fields = registry(book)
    names = computed.fields_in(one.node)
    record = {name: fields[name].read(ticket) for name in names}
    types = {part.value: part.type for part in computed.parts_of(one.node) if part.kind == "field"}
    return {
        "number": ticket.pk,
        "mark": kinds()[ticket.kind].mark if ticket.kind in kinds() else "",
        "title": ticket.title,
        "reads": [_said(fields[name].label, record[name], types[name]) for name in names],
        "value": _said("", one.of_record(record, now_s, book), one.node.type),
    }


def _said(label: str, value: Any, kind: str) -> dict[str, Any]:
    """A value in words; an instant as one, for whoever reads it to say in their zone."""
    said: dict[str, Any] = {"label": label, "text": "", "at_s": None}
    if value is None or value == "":
        return said
    if kind == computed.INSTANT:
        at = parse_instant(value) if isinstance(value, str) else value
        return {**said, "at_s": seconds_of(at)}
    if kind == computed.YES_NO:
        return {**said, "text": "yes" if value else "no"}
    if kind == computed.NUMBER:
        return {**said, "text": f"{round(float(value), 2):g}" if abs(value) < 1e6 else str(value)}
    return {**said, "text": str(value)}
