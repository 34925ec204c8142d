"""What can be named in a rulebook, and help with calendars: sums, years, holidays."""

import re
from collections.abc import Iterable, Mapping
from datetime import date, datetime, time, timedelta
from functools import lru_cache
from typing import Any
from zoneinfo import ZoneInfo, available_timezones

import holidays
from django.db.models import Q
from drf_spectacular.utils import extend_schema
from holidays.registry import COUNTRIES
from icalendar import Calendar
from rest_framework.request import Request
from rest_framework.response import Response

from gannet.estate.models import Service
from gannet.messages.delivery import AUDIENCES
from gannet.people.models import Membership, Person, Role, Team
from gannet.rulebook.book import Book
from gannet.tickets import forms
from gannet.tickets.api.lists import OPERATORS
from gannet.tickets.field_words import said_of, synonyms_of
from gannet.tickets.fields import registry
from gannet.tickets.kinds import moments
from gannet.tickets.outward import runbooks
from gannet.tickets.placeholders import PLACEHOLDERS
from gannet.tickets.policies import ITS_TEAM
from gannet.tickets.stored import stored_values
from gannet.trials.api import shapes
from gannet.trials.api.common import EditsRulebook, book_of
from gannet.web.base import GannetView
from gannet.web.errors import Invalid
from gannet_core import approvals, article_rules, clocks, tasks
from gannet_core.catalogue import FACTS, plan_of
from gannet_core.checks import ROLES
from gannet_core.clocks import ClockEvent, EventKind
from gannet_core.errors import GannetError
from gannet_core.forms import FIELD_TYPES
from gannet_core.instants import format_instant, instant_of, seconds_of
from gannet_core.routing import MODES
from gannet_core.rules import ACTIONS
from gannet_core.servicetime import ServiceCalendar

_IN_RULES = ["changed", "changed to", "changed from"]
_MOST_CHOICES = 400


class VocabularyView(GannetView):
    permission_classes = [EditsRulebook]

    @extend_schema(operation_id="rulebook_words", responses=shapes.VocabularyShape)
    def get(self, request: Request) -> Response:
        book = book_of("draft")
        fields = []
        for field in registry(book).values():
            choices = list(field.choices) if field.choices else stored_values(field)
            fields.append(
                {
                    "name": field.name,
                    "label": field.label,
                    "type": field.type,
                    "operators": [*OPERATORS[field.type], *_IN_RULES],
                    "said": said_of(field.name),
                    "synonyms": synonyms_of(field.name),
                    "choices": sorted({*choices} - {""})[:_MOST_CHOICES],
                    "settable": field.is_settable,
                    "is_own": field.is_custom,
                }
            )
        people = Person.objects.filter(is_active=True).exclude(roles=[]).order_by("name")
        members: dict[str, list[dict[str, str]]] = {}
        rows = Membership.objects.select_related("person", "team").order_by("person__name")
        for membership in rows:
            members.setdefault(membership.team.name, []).append(
                {"key": membership.person.email, "name": membership.person.name}
            )
        events = {entry["event"] for entry in book.notifications}
        heads = Person.objects.filter(manager__isnull=False).values("manager")
        deciders = Person.objects.filter(is_active=True).filter(~Q(roles=[]) | Q(pk__in=heads))
        return Response(
            {
                "fields": fields,
                "form_fields": [
                    {"key": key, "name": str(about["label"])}
                    for key, about in forms.about(book).items()
                ],
                "teams": list(_team_names(is_board=False)),
                "boards": list(_team_names(is_board=True)),
                "team_members": members,
                "services": list(Service.objects.values_list("name", flat=True)),
                "people": [{"key": one.email, "name": one.name} for one in people],
                "deciders": [{"key": one.email, "name": one.name} for one in deciders],
                "route_fields": [_field(name, about) for name, about in _facts(book).items()],
                "person_fields": [
                    _field(name, {"type": "choice", "label": label, "choices": _stored(name)})
                    for name, label in _PERSON.items()
                ],
                "roles": list(ROLES),
                "person_roles": [str(role) for role in Role.values],
                "waiters": [ITS_TEAM, *(str(role) for role in Role.values)],
                "events": sorted(events),
                "audiences": list(AUDIENCES),
                "placeholders": PLACEHOLDERS,
                "moments": list(moments()),
                "article_moments": list(article_rules.MOMENTS),
                "article_who": [
                    {"key": key, "name": name} for key, name in article_rules.WHO.items()
                ],
                "article_fields": [
                    _field(name, {**about, "choices": _of_articles(name, book)})
                    for name, about in article_rules.FIELDS.items()
                ],
                "actions": {name: list(parts) for name, parts in ACTIONS.items()},
                "modes": list(MODES),
                "runbooks": [
                    {"key": one.key, "name": one.name, "inputs": dict(one.inputs)}
                    for one in runbooks().values()
                ],
                "zones": sorted(available_timezones()),
                "field_types": list(FIELD_TYPES),
                "clocks": [
                    {"key": key, "label": kind["label"], "of": kind["of"]}
                    for key, kind in book.clock_kinds.items()
                ],
            }
        )


def _of_articles(name: str, book: Book) -> Iterable[str]:
    """What an article may have there, to choose from."""
    match name:
        case "category":
            return list(book.categories)
        case "service":
            return list(Service.objects.values_list("name", flat=True))
        case "owner":
            people = Person.objects.filter(is_active=True).exclude(roles=[])
            return [one.name for one in people.order_by("name") if one.is_on_desk]
    return list(article_rules.FIELDS[name].get("choices") or ())


def _team_names(*, is_board: bool) -> Iterable[str]:
    return Team.objects.filter(is_board=is_board).values_list("name", flat=True)


_PERSON = {"department": "department", "job": "job", "place": "place"}


def _stored(name: str) -> list[str]:
    return list(Person.objects.values_list(name, flat=True).distinct().order_by(name))


def _facts(book: Book) -> dict[str, Mapping[str, Any]]:
    """What conditions of approval routes and of parts of bundles can ask about."""
    has = {
        f"has {key}": {"type": "yes/no", "label": f"has {item['name']}"}
        for key, item in book.items.items()
    }
    return {**FACTS, **book.fields, **has}


def _field(name: str, about: Mapping[str, Any]) -> dict[str, Any]:
    kind = {"money": "number", "date": "text", "long text": "text", "several choices": "words"}
    known = str(about["type"])
    shown = kind.get(known, known)
    return {
        "name": name,
        "label": str(about["label"]),
        "type": shown,
        "operators": list(OPERATORS.get(shown, OPERATORS["text"])),
        "said": {},
        "synonyms": [],
        "choices": [one for one in about.get("choices") or () if one],
        "settable": False,
        "is_own": False,
    }


class TaskPlanView(GannetView):
    """When the tasks of a template could run at the earliest, as it is being edited."""

    permission_classes = [EditsRulebook]
    asks_only = True

    @extend_schema(
        operation_id="task_plan", request=shapes.TaskPlanAskShape, responses=shapes.TaskPlanShape
    )
    def post(self, request: Request) -> Response:
        given = shapes.TaskPlanAskShape(data=request.data)
        given.is_valid(raise_exception=True)
        entries = given.validated_data["tasks"]
        try:
            found = tasks.plan(plan_of({"tasks": entries}))
            wrong = tasks.wrong_flow(entries)
        except (GannetError, KeyError, TypeError, ValueError) as error:
            return Response({"length_minutes": 0, "rows": [], "wrong": [str(error)]})
        return Response(
            {
                "length_minutes": found.length,
                "rows": [
                    {
                        "title": title,
                        "earliest": list(span),
                        "latest": list(found.latest[title]),
                        "is_critical": title in found.critical,
                    }
                    for title, span in found.earliest.items()
                ],
                "wrong": wrong,
            }
        )


class RouteEndsView(GannetView):
    """All that an approval route can come to: the dead-end check, as it is being edited."""

    permission_classes = [EditsRulebook]
    asks_only = True

    @extend_schema(
        operation_id="route_ends", request=shapes.RouteShape, responses=shapes.RouteEndsShape
    )
    def post(self, request: Request) -> Response:
        given = shapes.RouteShape(data=request.data)
        given.is_valid(raise_exception=True)
        route = {"stages": [], **given.validated_data["route"]}
        facts = _facts(book_of("draft"))
        wrong = approvals.check_route(route)
        try:
            found = approvals.ends_of(route, facts)
        except (GannetError, KeyError, TypeError) as error:
            return Response(
                {"ends": [], "combinations": 0, "is_complete": False, "wrong": [*wrong, str(error)]}
            )
        names = {stage["key"]: str(stage.get("name") or stage["key"]) for stage in route["stages"]}
        labels = {name: str(about["label"]) for name, about in facts.items()}
        return Response(
            {
                "ends": [
                    {
                        "stages": [names[key] for key in end.stages],
                        "example": ", ".join(
                            f"{labels.get(name, name)}: {_said(value)}"
                            for name, value in end.example.items()
                        ),
                        "problem": end.problem,
                    }
                    for end in found.ends
                ],
                "combinations": found.combinations,
                "is_complete": found.is_complete,
                "wrong": wrong,
            }
        )


def _said(value: object) -> str:
    if value is None:
        return "nothing"
    if isinstance(value, bool):
        return "yes" if value else "no"
    return str(value)


def _compiled(data: dict[str, Any]) -> ServiceCalendar:
    try:
        return ServiceCalendar.from_json(data)
    except GannetError as error:
        raise Invalid(str(error), fields={"calendar": str(error)}) from error


class CalculateView(GannetView):
    """When an amount of service time from an instant is over, with its ledger."""

    permission_classes = [EditsRulebook]
    asks_only = True

    @extend_schema(
        operation_id="calculate", request=shapes.CalculateShape, responses=shapes.CalculatedShape
    )
    def post(self, request: Request) -> Response:
        given = shapes.CalculateShape(data=request.data)
        given.is_valid(raise_exception=True)
        data = given.validated_data
        calendar = _compiled(data["calendar"])
        start_s = seconds_of(data["start"])
        try:
            due_s = calendar.due_s(start_s, data["seconds"])
        except GannetError as error:
            raise Invalid(str(error)) from error
        started = [ClockEvent(start_s, EventKind.START)]
        ledger = clocks.ledger_s(started, data["seconds"], calendar, due_s)
        zone = ZoneInfo(data["calendar"]["zone"])
        return Response(
            {
                "at": format_instant(instant_of(due_s)),
                "local": instant_of(due_s).astimezone(zone).strftime("%a %d %b %Y %H:%M"),
                "rows": [
                    {
                        "from": format_instant(instant_of(row.start)),
                        "to": format_instant(instant_of(row.end)),
                        "kind": str(row.kind),
                        "seconds": row.seconds,
                    }
                    for row in ledger.rows
                ],
            }
        )


class YearView(GannetView):
    """Every day of a year: how long the calendar is open, and when."""

    permission_classes = [EditsRulebook]

    @extend_schema(
        operation_id="calendar_year",
        request=shapes.YearShape,
        responses=shapes.CalendarDayShape(many=True),
    )
    def post(self, request: Request) -> Response:
        given = shapes.YearShape(data=request.data)
        given.is_valid(raise_exception=True)
        data = given.validated_data
        calendar = _compiled(data["calendar"])
        zone = ZoneInfo(data["calendar"]["zone"])
        exceptions = {one["date"] for one in data["calendar"].get("exceptions") or ()}
        days = []
        day = date(data["year"], 1, 1)
        while day.year == data["year"]:
            start = datetime.combine(day, time(), zone)
            end = datetime.combine(day + timedelta(days=1), time(), zone)
            spans = calendar.open_spans_s(seconds_of(start), seconds_of(end))
            days.append(
                {
                    "date": day.isoformat(),
                    "seconds": sum(closing - opening for opening, closing in spans),
                    "hours": [[_wall(a, zone), _wall(b, zone)] for a, b in spans],
                    "is_exception": day.isoformat() in exceptions,
                }
            )
            day += timedelta(days=1)
        return Response(days)


def _wall(seconds: int, zone: ZoneInfo) -> str:
    return instant_of(seconds).astimezone(zone).strftime("%H:%M")


@lru_cache(maxsize=1)
def _countries() -> list[dict[str, Any]]:
    """Countries by the names that people know, in their order."""
    supported = holidays.list_supported_countries()
    found = []
    for label, key, *_ in COUNTRIES.values():
        if key in supported:
            # "UnitedKingdom" reads "United Kingdom".
            name = re.sub(r"(?<=[a-z])(?=[A-Z])", " ", label)
            found.append({"key": key, "name": name, "regions": list(supported[key])})
    return sorted(found, key=lambda one: str(one["name"]))


class CountriesView(GannetView):
    """Countries and regions whose public holidays are known."""

    permission_classes = [EditsRulebook]

    @extend_schema(operation_id="holiday_countries", responses=shapes.CountryShape(many=True))
    def get(self, request: Request) -> Response:
        return Response(_countries())


class HolidaysView(GannetView):
    """The public holidays of a country and region, or the days of an .ics file."""

    permission_classes = [EditsRulebook]

    @extend_schema(
        operation_id="holidays",
        request=shapes.HolidaysShape,
        responses=shapes.HolidayShape(many=True),
    )
    def post(self, request: Request) -> Response:
        given = shapes.HolidaysShape(data=request.data)
        given.is_valid(raise_exception=True)
        data = given.validated_data
        if data["ics"]:
            return Response(_from_ics(data["ics"]))
        known = {country["key"]: country for country in _countries()}
        if data["country"] not in known:
            raise Invalid("There is no such country.", fields={"country": "Choose one."})
        if data["region"] and data["region"] not in known[data["country"]]["regions"]:
            raise Invalid("There is no such region.", fields={"region": "Choose one."})
        days = holidays.country_holidays(
            data["country"], subdiv=data["region"] or None, years=data["years"]
        )
        return Response(
            [{"date": day.isoformat(), "name": str(name)} for day, name in sorted(days.items())]
        )


def _from_ics(text: str) -> list[dict[str, str]]:
    try:
        calendar = Calendar.from_ical(text)
    except (ValueError, IndexError) as error:
        raise Invalid(
            f"This is not a calendar file: {error}.", fields={"ics": "Choose an .ics file."}
        ) from error
    found: dict[str, str] = {}
    for event in calendar.walk("VEVENT"):
        start = event.get("DTSTART")
        if start is None:
            continue
        end = event.get("DTEND")
        first = _day(start.dt)
        last = _day(end.dt) - timedelta(days=1) if end is not None else first
        for offset in range(min(max((last - first).days, 0), 366) + 1):
            day = first + timedelta(days=offset)
            found.setdefault(day.isoformat(), str(event.get("SUMMARY", "")))
    if not found:
        raise Invalid("There is no day in this file.", fields={"ics": "It has no events."})
    return [{"date": day, "name": name} for day, name in sorted(found.items())]


def _day(value: date | datetime) -> date:
    return value.date() if isinstance(value, datetime) else value
