"""The rulebook in force, compiled: calendars, matrix, agreements, routing, messages.

A `Book` is one edition read once and kept; editions never change after publishing, so
a process may keep them for good and sees a new one as soon as it is there.
"""

import re
from collections.abc import Mapping, Sequence
from functools import cache, lru_cache
from typing import Any

from django.db.models import QuerySet
from django.utils import timezone

from gannet.rulebook.models import Edition
from gannet.web.kept import Givens, KeptQueries, forget_kept
from gannet.web.reading import read_once
from gannet_core import lifecycle, rulebook
from gannet_core.changes import read_settings
from gannet_core.servicetime import ServiceCalendar


class Book:
    """One edition of the rulebook, ready to be asked."""

    def __init__(self, number: int, document: Mapping[str, Any]) -> None:
        self.number = number
        self.document = document
        self.kept: dict[str, Any] = {}  # what others read off this book once
        self.agreements: Sequence[Mapping[str, Any]] = document["agreements"]
        self.matrix: Mapping[str, Any] = document["matrix"]
        # Every priority that the matrix gives, the most urgent first.
        self.priorities = sorted({cell for row in self.matrix["cells"] for cell in row if cell})
        self.questions: Sequence[Mapping[str, Any]] = document["questions"]
        self.categories = {entry["key"]: entry for entry in document["categories"]}
        self.care_tiers = {entry["key"]: entry for entry in document["care_tiers"]}
        self.routing: Mapping[str, Any] = document["routing"]
        self.closing: Mapping[str, Any] = document["closing"]
        # What is assumed of problems; an edition from before them assumes nothing of its own.
        self.reports: Mapping[str, Any] = document.get("reports") or {}
        self.problems: Mapping[str, Any] = document.get("problems") or {}
        self.windows: Sequence[Mapping[str, Any]] = document.get("windows") or ()
        self.changes = read_settings(document.get("changes") or {})
        self.change_templates = {
            entry["key"]: entry for entry in document.get("change_templates") or ()
        }
        self.messages = {entry["key"]: entry for entry in document["messages"]}
        self.rules: Sequence[Mapping[str, Any]] = document["rules"]
        self.article_rules: Sequence[Mapping[str, Any]] = document.get("article_rules") or ()
        self.fields = {entry["key"]: entry for entry in document["fields"]}
        self.forms = {entry["key"]: self._with_defaults(entry) for entry in document["forms"]}
        self.templates = {entry["key"]: entry for entry in document["templates"]}
        self.starters: Sequence[Mapping[str, Any]] = document["starters"]
        self.items = {entry["key"]: entry for entry in document["items"]}
        # The groups of the catalogue in their order; a group that is not listed comes last.
        self.group_order = {
            entry["key"]: place for place, entry in enumerate(document.get("groups") or ())
        }
        self.bundles = {entry["key"]: entry for entry in document["bundles"]}
        self.routes = {entry["key"]: entry for entry in document["routes"]}
        self.task_templates = {entry["key"]: entry for entry in document["tasks"]}
        self.hooks = {entry["key"]: entry for entry in document["hooks"]}
        self.waits: Sequence[Mapping[str, Any]] = document["waits"]
        self.states: Sequence[Mapping[str, Any]] = document["states"]
        self.quiet: Mapping[str, Any] = document["quiet"]
        self.notifications: Sequence[Mapping[str, Any]] = document["notifications"]
        self.suppliers = {entry["key"]: entry for entry in document["suppliers"]}
        self.item_types = {entry["key"]: entry for entry in document.get("item_types") or ()}
        self.item_groups: Sequence[Mapping[str, Any]] = document.get("item_groups") or ()
        self.teams = {entry["team"]: entry for entry in self.routing.get("teams", [])}
        self.chains = {entry["service"]: entry["teams"] for entry in self.routing.get("chains", [])}
        self.listens = frozenset(
            event for rule in self.rules if rule.get("is_on", True) for event in rule["when"]
        )
        self.clock_kinds = {entry["key"]: entry for entry in lifecycle.SHIPPED_CLOCKS}
        self.clock_kinds.update({entry["key"]: entry for entry in document.get("clocks", [])})
        self._agreement_by_key = {entry["key"]: entry for entry in self.agreements}
        self._calendars = {entry["key"]: entry for entry in document["calendars"]}
        self.calendar = cache(self._compile)

    def _compile(self, key: str) -> ServiceCalendar:
        return ServiceCalendar.from_json(self._calendars[key])

    @property
    def calendar_keys(self) -> list[str]:
        return list(self._calendars)

    def has_calendar(self, key: str) -> bool:
        return key in self._calendars

    def zone_of(self, key: str) -> str:
        """The time zone of a calendar."""
        return str(self._calendars[key]["zone"])

    def calendar_name(self, key: str) -> str:
        return str(self._calendars[key]["name"])

    def agreement(self, key: str) -> Mapping[str, Any] | None:
        return self._agreement_by_key.get(key)

    def agreement_name(self, key: str) -> str:
        found = self.agreement(key)
        return str(found["name"]) if found else key

    def shares(self, care_tiers: Sequence[str]) -> dict[str, str]:
        """The target shares of the care tiers somebody belongs to."""
        return {key: self.care_tiers[key]["share"] for key in care_tiers if key in self.care_tiers}

    def member(self, team: str, email: str) -> Mapping[str, Any]:
        """What the rulebook says of somebody in a team: skills and cap."""
        members = self.teams.get(team, {}).get("members", [])
        return next((entry for entry in members if entry["person"] == email), {})

    def wants(self, event: str, audience: str) -> Mapping[str, Any] | None:
        """The notification of an audience about an event, unless it is turned off."""
        for entry in self.notifications:
            if entry["event"] == event and entry["to"] == audience:
                return entry if entry.get("is_on", True) else None
        return None

    def _with_defaults(self, form: Mapping[str, Any]) -> dict[str, Any]:
        """A form whose fields begin with the default of the field, where they say none."""
        fields = [
            {**entry, "default": self.fields[entry["field"]]["default"]}
            if entry.get("default") is None
            and self.fields.get(entry["field"], {}).get("default") is not None
            else entry
            for entry in form["fields"]
        ]
        return {**form, "fields": fields}

    def message(self, key: str, values: Mapping[str, str]) -> tuple[str, str]:
        """Subject and body of a message template; unknown placeholders stay visible."""
        template = self.messages[key]
        return fill(template["subject"], values), fill(template["body"], values)


# A name, or “answer” and the label of a field of one's own.
_PLACEHOLDER = re.compile(r"\{([a-z_]+|answer [^{}\n]+)\}")


def fill(template: str, values: Mapping[str, str]) -> str:
    """Placeholders are a closed set of names, replaced once; values are never read again."""

    def value(found: re.Match[str]) -> str:
        return values[found[1]] if found[1] in values else found[0]

    return _PLACEHOLDER.sub(value, template)


@lru_cache(maxsize=64)
def _book(number: int) -> Book:
    document = Edition.objects.get(number=number).document
    return Book(number, {**rulebook.empty(), **document})


def edition(number: int) -> Book:
    """The book of an edition."""
    return _book(number)


def current() -> Book:
    """The book in force."""
    number = number_now()
    if number is None:
        raise LookupError("no edition of the rulebook has been published")
    return _book(number)


_numbers = KeptQueries()


def number_now() -> int | None:
    """The edition in force now; a request that only reads asks once."""
    return read_once("edition", number_in_force)


def number_in_force(at_s: int | None = None) -> int | None:
    """The edition in force at an instant (now): the one that started last."""
    at_s = int(timezone.now().timestamp()) if at_s is None else at_s
    rows = _numbers.rows((), _started, {"at_s": at_s})
    return rows[0][0] if rows else None


def _started(givens: Givens) -> QuerySet[Any, Any]:
    started = Edition.objects.filter(starts_at_s__lte=givens["at_s"])
    return started.order_by("-starts_at_s", "-number").values_list("number")[:1]


def of_document(document: Mapping[str, Any]) -> Book:
    """A book of a draft; its number is 0, for it has not been published."""
    return Book(0, {**rulebook.empty(), **document})


def forget() -> None:
    """Forget compiled editions, and what was compiled by their numbers (for tests and after a
    restore)."""
    _book.cache_clear()
    forget_kept()
