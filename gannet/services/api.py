"""Services, items, the map and drift over the API."""

import csv
import io
import json
from collections.abc import Iterable, Mapping
from typing import Any

from django.db import transaction
from django.http import HttpResponse
from django.urls import path
from django.utils import timezone
from django.utils.text import slugify
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.request import Request
from rest_framework.response import Response

from gannet.estate import actions, services
from gannet.estate.finding import find_service
from gannet.estate.models import ConfigItem, Service, Unrecorded
from gannet.estate.nodes import things
from gannet.people.access import acting, person_of
from gannet.people.models import Person, Team
from gannet.people.permissions import DeskReads
from gannet.rulebook.book import current
from gannet.services import items, map, naming, patterns, shapes, watching
from gannet.tickets.sheets import harmless
from gannet.web.base import GannetView
from gannet.web.errors import Invalid, Missing, Problem, Refused
from gannet.web.given import whole_number
from gannet_core import item_types
from gannet_core.errors import ItemTypeError
from gannet_core.instants import seconds_of

MOST_AT_ONCE = 500


def _now_s() -> int:
    return seconds_of(timezone.now())


def _nodes(request: Request, name: str) -> list[str]:
    return [node for node in request.query_params.getlist(name) if node][:50]


class ServicesView(GannetView):
    """Every service and how it is now."""

    permission_classes = [DeskReads]

    @extend_schema(operation_id="services", responses=shapes.ServiceLineShape(many=True))
    def get(self, request: Request) -> Response:
        return Response(map.health(person_of(request), _now_s()))


class NewServiceView(GannetView):
    """Recording a service by hand."""

    permission_classes = [DeskReads]

    @extend_schema(
        operation_id="record_service",
        request=shapes.NewServiceShape,
        responses={201: shapes.ServicePageShape},
    )
    def post(self, request: Request) -> Response:
        person = person_of(request)
        items.must_change(person)
        given = shapes.NewServiceShape(data=request.data)
        given.is_valid(raise_exception=True)
        facts = _service_facts(given.validated_data)
        made = services.record_service(acting(request), facts, given.validated_data["why"])
        page = items.page_of_service(person, items.service_of(made.pk), _now_s())
        return Response(page, status=201)


class ServiceView(GannetView):
    """One service: its page, and changing it by hand."""

    permission_classes = [DeskReads]

    @extend_schema(operation_id="service", responses=shapes.ServicePageShape)
    def get(self, request: Request, number: int) -> Response:
        service = items.service_of(number)
        return Response(items.page_of_service(person_of(request), service, _now_s()))

    @extend_schema(
        operation_id="change_service",
        request=shapes.ChangeServiceShape,
        responses=shapes.ServicePageShape,
    )
    def patch(self, request: Request, number: int) -> Response:
        service, person = items.service_of(number), person_of(request)
        items.must_change(person)
        given = shapes.ChangeServiceShape(data=request.data)
        given.is_valid(raise_exception=True)
        said = given.validated_data
        naming.change(acting(request), service, _service_facts(said), said["why"])
        return Response(items.page_of_service(person, items.service_of(number), _now_s()))


class MapView(GannetView):
    """The map: everything, or what lies within some steps of one thing."""

    permission_classes = [DeskReads]

    @extend_schema(
        operation_id="map",
        parameters=[
            OpenApiParameter("unfold", str, many=True, description="folded nodes to draw apart"),
            OpenApiParameter("around", str, description="only what is near this node"),
            OpenApiParameter("steps", int, description="how near, 1 if not said"),
        ],
        responses=shapes.MapShape,
    )
    def get(self, request: Request) -> Response:
        around = request.query_params.get("around", "")
        if around and not around.startswith("fold-"):
            things([around])
        steps = whole_number(request.query_params.get("steps", "1"), 12) or 1
        unfold = _nodes(request, "unfold")
        return Response(map.drawn(person_of(request), _now_s(), unfold, around, steps))


class StopsView(GannetView):
    """What loses something when these stop at once, and by which path."""

    permission_classes = [DeskReads]

    @extend_schema(
        operation_id="if_this_stops",
        parameters=[OpenApiParameter("node", str, many=True, required=True)],
        responses=shapes.StoppedShape,
    )
    def get(self, request: Request) -> Response:
        return Response(map.stopped(person_of(request), _nodes(request, "node")))


class HurtView(GannetView):
    """What the open incidents of high priority reach now."""

    permission_classes = [DeskReads]

    @extend_schema(operation_id="hurt_now", responses=shapes.HurtShape)
    def get(self, request: Request) -> Response:
        return Response(map.hurt_now(person_of(request)))


class ItemsView(GannetView):
    """Configuration items by words, type, place and service, a page at a time."""

    permission_classes = [DeskReads]

    @extend_schema(
        operation_id="estate_items",
        parameters=[
            OpenApiParameter("words", str),
            OpenApiParameter("kind", str),
            OpenApiParameter("place", str),
            OpenApiParameter("service", int),
            OpenApiParameter("drift", bool),
            OpenApiParameter("after", int, description="`next` of the page before"),
        ],
        responses=shapes.ItemListShape,
    )
    def get(self, request: Request) -> Response:
        given = request.query_params
        rows = items.found(
            given.get("words", "")[:200],
            given.get("kind", "")[:60],
            given.get("place", "")[:80],
            whole_number(given.get("service")),
            drift=given.get("drift") == "true",
        )
        start = whole_number(given.get("after"), 10**7) or 0
        shown = list(rows[start : start + items.PAGE + 1])
        everything = ConfigItem.objects.order_by()
        return Response(
            {
                "rows": [items.line(item) for item in shown[: items.PAGE]],
                "count": rows.count(),
                "next": start + items.PAGE if len(shown) > items.PAGE else None,
                "types": list(current().item_types),
                "can_record": items.may_change(person_of(request)),
                "kinds": sorted(everything.values_list("kind", flat=True).distinct()),
                "places": sorted(everything.values_list("place", flat=True).distinct()),
                "now_s": _now_s(),
            }
        )


class NewItemView(GannetView):
    """Recording an item by hand."""

    permission_classes = [DeskReads]

    @extend_schema(
        operation_id="record_item",
        request=shapes.NewItemShape,
        responses={201: shapes.ItemShape},
    )
    def post(self, request: Request) -> Response:
        person = person_of(request)
        items.must_change(person)
        given = shapes.NewItemShape(data=request.data)
        given.is_valid(raise_exception=True)
        said = given.validated_data
        wrong = {
            name: words
            for name, words in (("name", "This is empty."), ("kind", "Choose one."))
            if not said[name].strip()
        }
        if said["kind"] and said["kind"] not in current().item_types:
            wrong["kind"] = "There is no such type of item."
        if wrong:
            raise Invalid("An item needs a name and a type.", fields=wrong)
        service = find_service(said["service"])
        facts = {
            "name": said["name"].strip(),
            "kind": said["kind"],
            "place": said["place"].strip(),
            "service_id": service.pk if service else None,
        }
        with transaction.atomic():
            key = _new_key(said["key"], said["name"])
            item, _ = actions.put_item(acting(request), key, facts, said["why"])
        return Response(items.page_of_item(person, items.item_of(item.pk), _now_s()), status=201)


class ItemView(GannetView):
    """One item: its page, and changing it by hand."""

    permission_classes = [DeskReads]

    @extend_schema(operation_id="estate_item", responses=shapes.ItemShape)
    def get(self, request: Request, number: int) -> Response:
        return _page(person_of(request), number)

    @extend_schema(
        operation_id="change_item", request=shapes.ChangeItemShape, responses=shapes.ItemShape
    )
    def patch(self, request: Request, number: int) -> Response:
        item, person = items.item_of(number), person_of(request)
        items.must_change(person, item)
        given = shapes.ChangeItemShape(data=request.data)
        given.is_valid(raise_exception=True)
        facts = dict(given.validated_data)
        why = facts.pop("why")
        facts = _item_facts(facts)
        if "attributes" in facts:
            facts["attributes"] = _attributes(item.kind, facts["attributes"])
        actions.change_item(acting(request), item, facts, why)
        return _page(person, number)


class ManyItemsView(GannetView):
    """Changing several items by hand at once."""

    permission_classes = [DeskReads]

    @extend_schema(
        operation_id="change_items",
        request=shapes.ChangeItemsShape,
        responses=shapes.ChangedItemsShape,
    )
    def post(self, request: Request) -> Response:
        person = person_of(request)
        if not person.is_on_desk:
            raise Refused("The desk changes items.")
        given = shapes.ChangeItemsShape(data=request.data)
        given.is_valid(raise_exception=True)
        rows, why = given.validated_data["rows"], given.validated_data["why"]
        if not why.strip():
            raise Invalid("Say why they change.", fields={"why": "This stays in their history."})
        if len(rows) > MOST_AT_ONCE:
            raise Invalid(f"At most {MOST_AT_ONCE} items at once.", fields={"rows": "Too many."})
        before, refused = [], []
        for row in rows:
            facts = {name: value for name, value in row.items() if name not in ("id", "seen")}
            item = items.found_item(row["id"])
            if item is None:
                refused.append({"id": row["id"], "name": "", "why": "It is gone."})
                continue
            was = {"id": item.pk, **{name: items.fact(item, name) for name in facts}}
            try:
                items.must_change(person, item)
                items.must_be(item, row.get("seen") or {})
                actions.change_item(acting(request), item, _item_facts(facts), why)
            except Problem as error:
                refused.append({"id": item.pk, "name": item.name, "why": str(error)})
                continue
            before.append(was)
        return Response({"before": before, "refused": refused})


class ItemThenView(GannetView):
    """An item as it was at the end of a day."""

    permission_classes = [DeskReads]

    @extend_schema(
        operation_id="item_as_it_was",
        parameters=[OpenApiParameter("day", str, required=True)],
        responses=shapes.AsItWasShape,
    )
    def get(self, request: Request, number: int) -> Response:
        at_s = items.day_end_s(person_of(request), request.query_params.get("day", ""))
        return Response(items.as_it_was(items.item_of(number), at_s))


class ItemDriftView(GannetView):
    """Deciding one difference of an item."""

    permission_classes = [DeskReads]

    @extend_schema(
        operation_id="decide_drift", request=shapes.DecideDriftShape, responses=shapes.ItemShape
    )
    def post(self, request: Request, number: int) -> Response:
        item, person = items.item_of(number), person_of(request)
        items.must_change(person, item)
        given = shapes.DecideDriftShape(data=request.data)
        given.is_valid(raise_exception=True)
        said = given.validated_data
        if said["does"] == "accept":
            actions.accept_as_recorded(acting(request), item, [said["attribute"]])
        elif said["does"] == "take back":
            actions.take_back_accepted(acting(request), item, said["attribute"])
        else:
            actions.explain(acting(request), item, said["attribute"], said["why"])
        return _page(person, number)


class DriftView(GannetView):
    permission_classes = [DeskReads]

    @extend_schema(operation_id="drift", responses=shapes.DriftShape)
    def get(self, request: Request) -> Response:
        return Response(items.drift(person_of(request), _now_s()))


class UnrecordedView(GannetView):
    """What becomes of something that a scan found and nobody had recorded."""

    permission_classes = [DeskReads]

    @extend_schema(
        operation_id="decide_unrecorded",
        request=shapes.RecordItShape,
        responses={200: shapes.DriftShape},
    )
    def post(self, request: Request, number: int) -> Response:
        person = person_of(request)
        items.must_change(person)
        row = Unrecorded.objects.filter(pk=number, dismissed="").first()
        if row is None:
            raise Missing("There is nothing unrecorded by that number.")
        given = shapes.RecordItShape(data=request.data)
        given.is_valid(raise_exception=True)
        said = given.validated_data
        if said["does"] == "dismiss":
            if not said["why"].strip():
                raise Invalid("Say why it is not ours.", fields={"why": "A few words will do."})
            row.dismissed = said["why"].strip()
            row.save(update_fields=["dismissed"])
        else:
            _record_it(request, row, said)
        return Response(items.drift(person, _now_s()))


class PatternsView(GannetView):
    """What comes more often of late than it used to; and saying of one that it is none."""

    permission_classes = [DeskReads]

    @extend_schema(operation_id="patterns", responses=shapes.PatternsShape)
    def get(self, request: Request) -> Response:
        return Response(patterns.found(person_of(request), _now_s()))

    @extend_schema(
        operation_id="dismiss_pattern",
        request=shapes.NoPatternShape,
        responses={200: shapes.PatternsShape},
    )
    def post(self, request: Request) -> Response:
        if not person_of(request).is_on_desk:
            raise Refused("The desk says what is no pattern.")
        given = shapes.NoPatternShape(data=request.data)
        given.is_valid(raise_exception=True)
        said = given.validated_data
        patterns.dismiss(acting(request), said["key"], said["count"], said["why"])
        watching.dealt_with(said["key"], _now_s())
        return Response(patterns.found(person_of(request), _now_s()))


class DependenciesView(GannetView):
    """Saying that one thing stands on another, and taking it back."""

    permission_classes = [DeskReads]

    @extend_schema(operation_id="depend", request=shapes.DependencyShape, responses={204: None})
    def post(self, request: Request) -> Response:
        given = shapes.DependencyShape(data=request.data)
        given.is_valid(raise_exception=True)
        said = given.validated_data
        found = things([said["source"], said["target"]])
        _must_change(request, found[said["source"]])
        actions.depend(
            acting(request),
            found[said["source"]],
            found[said["target"]],
            said["strength"],
            said["group"],
            said["why"],
        )
        return Response(status=204)

    @extend_schema(
        operation_id="part",
        parameters=[
            OpenApiParameter("source", str, required=True),
            OpenApiParameter("target", str, required=True),
        ],
        responses={204: None},
    )
    def delete(self, request: Request) -> Response:
        given = request.query_params
        row = actions.dependency(given.get("source", ""), given.get("target", ""))
        if row is None:
            raise Missing("These do not depend on each other.")
        _must_change(request, row.item or row.service)
        actions.part(acting(request), row)
        return Response(status=204)


class EstateExportView(GannetView):
    """All items or dependencies as CSV or JSON, in the columns that the import reads."""

    permission_classes = [DeskReads]

    @extend_schema(
        operation_id="export_estate",
        parameters=[
            OpenApiParameter("what", str, enum=["items", "dependencies"], required=True),
            OpenApiParameter("as", str, enum=["csv", "json"]),
        ],
        responses={
            (200, "text/csv"): OpenApiTypes.STR,
            (200, "application/json"): OpenApiTypes.OBJECT,
        },
    )
    def get(self, request: Request) -> HttpResponse:
        what = request.query_params.get("what", "")
        if what not in ("items", "dependencies"):
            raise Invalid("Choose items or dependencies.", fields={"what": "Not one of them."})
        columns, rows = items.rows_to_export(what)
        if request.query_params.get("as") == "json":
            told = json.dumps({what: rows}, ensure_ascii=False, indent=1)
            answer = HttpResponse(told, content_type="application/json")
            answer["Content-Disposition"] = f'attachment; filename="{what}.json"'
            return answer
        answer = HttpResponse(_csv(columns, rows), content_type="text/csv; charset=utf-8")
        answer["Content-Disposition"] = f'attachment; filename="{what}.csv"'
        return answer


def _must_change(request: Request, thing: Service | ConfigItem | None) -> None:
    """Who may change an item may say what it stands on; a service is for those of the estate."""
    items.must_change(person_of(request), thing if isinstance(thing, ConfigItem) else None)


def _csv(columns: Any, rows: list[Mapping[str, Any]]) -> str:
    """Rows as CSV; what a spreadsheet would run as a formula is made plain text."""
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(columns)
    for row in rows:
        writer.writerow([harmless(row.get(name)) for name in columns])
    return out.getvalue()


def _page(person: Person, number: int) -> Response:
    return Response(items.page_of_item(person, items.item_of(number), _now_s()))


def _person(number: int | None, field: str) -> int | None:
    if number is not None and not Person.objects.filter(pk=number, is_active=True).exists():
        raise Invalid("There is no such person.", fields={field: "Choose one."})
    return number


def _team(number: int | None) -> int | None:
    if number is not None and not Team.objects.filter(pk=number, is_board=False).exists():
        raise Invalid("There is no such team.", fields={"team": "Choose one."})
    return number


def _item_facts(said: Mapping[str, Any]) -> dict[str, Any]:
    """What is said of an item as its record has it; who or what is not there is refused."""
    facts = dict(said)
    for name in ("owner", "business_owner", "used_by"):
        if name in facts:
            facts[f"{name}_id"] = _person(facts.pop(name), name)
    if "team" in facts:
        facts["team_id"] = _team(facts.pop("team"))
    if "service" in facts:
        service = find_service(facts.pop("service"))
        facts["service_id"] = service.pk if service else None
    return facts


def _service_facts(said: Mapping[str, Any]) -> dict[str, Any]:
    """What is said of a service as its record has it; what is not known is refused."""
    facts = {name: value for name, value in said.items() if name != "why"}
    for name in ("owner", "technical_owner"):
        if name in facts:
            facts[f"{name}_id"] = _person(facts.pop(name), name)
    if "team" in facts:
        facts["team_id"] = _team(facts.pop("team"))
    unknown = _unknown_departments(facts.get("departments") or ())
    if unknown:
        raise Invalid(
            f"Nobody works in {', '.join(unknown)}.",
            fields={"departments": f"Nobody works in {', '.join(unknown)}."},
        )
    book = current()
    if facts.get("category") and facts["category"] not in book.categories:
        raise Invalid("There is no such category.", fields={"category": "Choose one."})
    for name, levels in (("impact", book.matrix["impact"]), ("urgency", book.matrix["urgency"])):
        if facts.get(f"default_{name}", 1) > len(levels):
            raise Invalid(f"There is no such {name}.", fields={f"default_{name}": "Choose one."})
    return facts


def _unknown_departments(names: Iterable[str]) -> list[str]:
    said = {" ".join(name.split()) for name in names} - {""}
    known = Person.objects.filter(is_active=True, department__in=said)
    return sorted(said - set(known.values_list("department", flat=True)))


def _new_key(said: str, name: str) -> str:
    """The key that somebody gives an item, which has to be free, or one made of its name."""
    if said.strip():
        key = slugify(said)[:50]
        if not key or ConfigItem.objects.filter(key=key).exists():
            raise Invalid(
                "There is an item by that key already.", fields={"key": "Choose another."}
            )
        return key
    stem = slugify(name)[:44] or "item"
    taken = set(ConfigItem.objects.filter(key__startswith=stem).values_list("key", flat=True))
    return next(
        key for key in (stem, *(f"{stem}-{n}" for n in range(2, 100_000))) if key not in taken
    )


def _attributes(kind: str, given: Mapping[str, Any]) -> dict[str, Any]:
    try:
        return item_types.read_attributes(current().item_types.get(kind, {"key": kind}), given)
    except ItemTypeError as error:
        raise Invalid(f"{error}.", fields={f"attributes.{error.key}": str(error)}) from error


def _record_it(request: Request, row: Unrecorded, said: Mapping[str, Any]) -> None:
    """Make an item of something unrecorded, with what was seen of it as recorded."""
    kind = said["kind"] or row.kind
    if not kind:
        raise Invalid("Say which type of item it is.", fields={"kind": "Choose one."})
    key = slugify(row.key or row.name)[:50]
    if not key or ConfigItem.objects.filter(key=key).exists():
        raise Invalid("There is an item by that key already.", fields={"key": key})
    service = find_service(said["service"])
    about = current().item_types.get(kind, {})
    known = {one["key"] for one in about.get("attributes") or ()}
    seen = {name: value for name, value in row.attributes.items() if name in known}
    facts = {"name": row.name, "kind": kind, "place": row.place, "attributes": seen}
    if service is not None:
        facts["service_id"] = service.pk
    with transaction.atomic():
        item, _ = actions.put_item(acting(request), key, facts, "found by a scan")
        item.seen, item.seen_s = seen, row.seen_s
        item.save(update_fields=["seen", "seen_s"])
        row.delete()


urlpatterns = [
    path("api/services", ServicesView.as_view()),
    path("api/services/new", NewServiceView.as_view()),
    path("api/services/<number:number>", ServiceView.as_view()),
    path("api/estate/map", MapView.as_view()),
    path("api/estate/map/stops", StopsView.as_view()),
    path("api/estate/map/hurt", HurtView.as_view()),
    path("api/estate/items", ItemsView.as_view()),
    path("api/estate/items/new", NewItemView.as_view()),
    path("api/estate/items/many", ManyItemsView.as_view()),
    path("api/estate/items/<number:number>", ItemView.as_view()),
    path("api/estate/items/<number:number>/then", ItemThenView.as_view()),
    path("api/estate/items/<number:number>/drift", ItemDriftView.as_view()),
    path("api/estate/drift", DriftView.as_view()),
    path("api/estate/drift/unrecorded/<number:number>", UnrecordedView.as_view()),
    path("api/patterns", PatternsView.as_view()),
    path("api/estate/dependencies", DependenciesView.as_view()),
    path("api/estate/export", EstateExportView.as_view()),
]
