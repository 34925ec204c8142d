"""Ready words and acts in the API: phrases, routines, hints."""

from typing import Any

from django.utils import timezone
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from gannet.estate.models import Service
from gannet.people.access import acting, person_of
from gannet.people.permissions import DeskReads, DeskWorks
from gannet.tickets import prepared
from gannet.tickets.api.mass import ChangedShape
from gannet.tickets.api.records import ticket_json
from gannet.tickets.models import Hint, Phrase, Routine
from gannet.tickets.record import find
from gannet.tickets.shapes.tickets import TicketShape
from gannet.web.base import GannetView
from gannet.web.errors import Missing
from gannet.web.shape import Shape
from gannet_core.instants import seconds_of


class KeptShape(Shape):
    """Whose it is: mine, a team's, or everybody's."""

    name = serializers.CharField(max_length=80, allow_blank=True)
    team = serializers.IntegerField(required=False, allow_null=True, default=None)

    def get_fields(self) -> Any:
        # "for" is a word of the language, so it cannot be declared as an attribute.
        fields = super().get_fields()
        fields["for"] = serializers.ChoiceField(["mine", "team", "everybody"])
        return fields


class KeepPhraseShape(KeptShape):
    text = serializers.CharField(max_length=8_000, allow_blank=True)


class RoutineActShape(Shape):
    act = serializers.CharField()
    params = serializers.DictField(child=serializers.JSONField(allow_null=True), default=dict)


class KeepRoutineShape(KeptShape):
    acts = RoutineActShape(many=True)


class FilledPhraseShape(Shape):
    id = serializers.IntegerField()
    name = serializers.CharField()
    text = serializers.CharField()
    whose = serializers.CharField()


class PhraseShape(FilledPhraseShape):
    team = serializers.IntegerField(allow_null=True)
    may_change = serializers.BooleanField()


class RoutineShape(Shape):
    id = serializers.IntegerField()
    name = serializers.CharField()
    acts = RoutineActShape(many=True)
    steps = serializers.ListField(child=serializers.CharField())
    whose = serializers.CharField()
    team = serializers.IntegerField(allow_null=True)
    may_change = serializers.BooleanField()


class RoutineStepShape(Shape):
    label = serializers.CharField()
    refused = serializers.CharField()


class RoutinePreviewShape(Shape):
    steps = RoutineStepShape(many=True)
    changes = ChangedShape(many=True)
    works = serializers.BooleanField()


class KeepHintShape(Shape):
    text = serializers.CharField(max_length=2_000, allow_blank=True)
    category = serializers.CharField(max_length=80, allow_blank=True, required=False, default="")
    service = serializers.IntegerField(required=False, allow_null=True, default=None)


class KeptHintShape(Shape):
    id = serializers.IntegerField()
    text = serializers.CharField()
    category = serializers.CharField()
    service = serializers.IntegerField(allow_null=True)
    kept_by = serializers.CharField()


def _kept_json(row: Any, person: Any) -> dict[str, Any]:
    return {
        "id": row.pk,
        "name": row.name,
        "whose": prepared.whose(row),
        "team": row.team_id,
        "may_change": prepared.may_change(person, row),
    }


def _phrase_json(row: Phrase, person: Any) -> dict[str, Any]:
    return {**_kept_json(row, person), "text": row.text}


def _routine_json(row: Routine, person: Any) -> dict[str, Any]:
    steps = [prepared.label_of(act) for act in row.acts]
    return {**_kept_json(row, person), "acts": row.acts, "steps": steps}


def _hint_json(row: Hint) -> dict[str, Any]:
    return {
        "id": row.pk,
        "text": row.text,
        "category": row.category,
        "service": row.service_id,
        "kept_by": row.kept_by.name,
    }


def _keep(
    request: Request, model: Any, shape: type[Shape], show: Any, number: int | None = None
) -> Response:
    given = shape(data=request.data)
    given.is_valid(raise_exception=True)
    person = person_of(request)
    row = prepared.keep(model, person, given.validated_data, number)
    return Response(show(row, person), status=201 if number is None else 200)


class PhrasesView(GannetView):
    """The phrases that somebody may use."""

    permission_classes = [DeskWorks]

    @extend_schema(operation_id="phrases", responses=PhraseShape(many=True))
    def get(self, request: Request) -> Response:
        person = person_of(request)
        return Response([_phrase_json(row, person) for row in prepared.usable(Phrase, person)])

    @extend_schema(
        operation_id="keep_phrase", request=KeepPhraseShape, responses={201: PhraseShape}
    )
    def post(self, request: Request) -> Response:
        return _keep(request, Phrase, KeepPhraseShape, _phrase_json)


class PhraseView(GannetView):
    """One phrase: change it, drop it."""

    permission_classes = [DeskWorks]

    @extend_schema(operation_id="change_phrase", request=KeepPhraseShape, responses=PhraseShape)
    def put(self, request: Request, number: int) -> Response:
        return _keep(request, Phrase, KeepPhraseShape, _phrase_json, number)

    @extend_schema(operation_id="drop_phrase", responses={204: None})
    def delete(self, request: Request, number: int) -> Response:
        prepared.drop(Phrase, person_of(request), number)
        return Response(status=204)


class FilledPhrasesView(GannetView):
    """The phrases with their placeholders filled in for one ticket."""

    permission_classes = [DeskReads]

    @extend_schema(operation_id="filled_phrases", responses=FilledPhraseShape(many=True))
    def get(self, request: Request, number: int) -> Response:
        person = person_of(request)
        ticket = find(number, person)
        return Response(prepared.phrases_for(ticket, person, seconds_of(timezone.now())))


class RoutinesView(GannetView):
    """The routines that somebody may use."""

    permission_classes = [DeskWorks]

    @extend_schema(operation_id="routines", responses=RoutineShape(many=True))
    def get(self, request: Request) -> Response:
        person = person_of(request)
        return Response([_routine_json(row, person) for row in prepared.usable(Routine, person)])

    @extend_schema(
        operation_id="keep_routine", request=KeepRoutineShape, responses={201: RoutineShape}
    )
    def post(self, request: Request) -> Response:
        return _keep(request, Routine, KeepRoutineShape, _routine_json)


class RoutineView(GannetView):
    """One routine: change it, drop it."""

    permission_classes = [DeskWorks]

    @extend_schema(operation_id="change_routine", request=KeepRoutineShape, responses=RoutineShape)
    def put(self, request: Request, number: int) -> Response:
        return _keep(request, Routine, KeepRoutineShape, _routine_json, number)

    @extend_schema(operation_id="drop_routine", responses={204: None})
    def delete(self, request: Request, number: int) -> Response:
        prepared.drop(Routine, person_of(request), number)
        return Response(status=204)


class RunRoutineView(GannetView):
    """What a routine would do to a ticket, and doing it."""

    permission_classes = [DeskWorks]

    @extend_schema(operation_id="preview_routine", responses=RoutinePreviewShape)
    def get(self, request: Request, number: int, routine: int) -> Response:
        person = person_of(request)
        ticket = find(number, person)
        found = prepared.routine_of(person, routine)
        return Response(prepared.preview_routine(ticket, person, found, acting(request)))

    @extend_schema(operation_id="run_routine", request=None, responses=TicketShape)
    def post(self, request: Request, number: int, routine: int) -> Response:
        person = person_of(request)
        prepared.run_routine(number, acting(request), prepared.routine_of(person, routine))
        return Response(ticket_json(number, person))


class HintsView(GannetView):
    """Short advice for agents on categories and services."""

    permission_classes = [DeskWorks]

    @extend_schema(operation_id="hints", responses=KeptHintShape(many=True))
    def get(self, request: Request) -> Response:
        rows = Hint.objects.select_related("kept_by").order_by("pk")
        return Response([_hint_json(row) for row in rows])

    @extend_schema(operation_id="keep_hint", request=KeepHintShape, responses={201: KeptHintShape})
    def post(self, request: Request) -> Response:
        given = KeepHintShape(data=request.data)
        given.is_valid(raise_exception=True)
        row = prepared.keep_hint(acting(request), given.validated_data)
        return Response(_hint_json(row), status=201)


class HintView(GannetView):
    """One hint: change it, drop it."""

    permission_classes = [DeskWorks]

    @extend_schema(operation_id="change_hint", request=KeepHintShape, responses=KeptHintShape)
    def put(self, request: Request, number: int) -> Response:
        given = KeepHintShape(data=request.data)
        given.is_valid(raise_exception=True)
        return Response(
            _hint_json(prepared.keep_hint(acting(request), given.validated_data, number))
        )

    @extend_schema(operation_id="drop_hint", responses={204: None})
    def delete(self, request: Request, number: int) -> Response:
        gone, _ = Hint.objects.filter(pk=number).delete()
        if not gone:
            raise Missing("There is no such hint.")
        return Response(status=204)


class AskedShape(Shape):
    key = serializers.CharField(max_length=80, allow_blank=True, required=False, default="")
    label = serializers.CharField(max_length=200, allow_blank=True)


class KeepQuestionsShape(Shape):
    questions = AskedShape(many=True)


class QuestionsShape(KeepQuestionsShape):
    service = serializers.IntegerField()
    name = serializers.CharField()


def _questions_json(service: Service) -> dict[str, Any]:
    return {"service": service.pk, "name": service.name, "questions": service.survey}


class SurveysView(GannetView):
    """What each service asks its requesters after closing."""

    permission_classes = [DeskReads]

    @extend_schema(operation_id="survey_questions", responses=QuestionsShape(many=True))
    def get(self, request: Request) -> Response:
        return Response([_questions_json(service) for service in Service.objects.all()])


class SurveyQuestionsView(GannetView):
    """The questions of one service: change them."""

    permission_classes = [DeskReads]

    @extend_schema(
        operation_id="keep_survey_questions", request=KeepQuestionsShape, responses=QuestionsShape
    )
    def put(self, request: Request, number: int) -> Response:
        given = KeepQuestionsShape(data=request.data)
        given.is_valid(raise_exception=True)
        questions = given.validated_data["questions"]
        return Response(
            _questions_json(prepared.keep_questions(person_of(request), number, questions))
        )
